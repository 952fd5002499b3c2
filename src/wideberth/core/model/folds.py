"""Walls of no thickness: faces that lie on each other and end on an edge that is others' as well."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model.mesh import Mesh

FOLDED = -0.98
"""Cosine of the angle between two normals from which faces at one edge lie on each other."""
ROUNDS = 12


def unfolded(mesh: Mesh) -> Mesh:
    """A mesh less what makes an odd number of faces, three or more, meet in an edge: those of them that lie on each other, or
    else the smallest. What is left may have more holes, but each can be filled.

    Where supports were cut off a model that was fused with them, the end of a tip stays behind as such a wall.
    """
    for _ in range(ROUNDS):
        gone = _folded(mesh)
        if not gone.any():
            break
        mesh = mesh.only(~gone)
    return mesh


def _folded(mesh: Mesh) -> NDArray[np.bool_]:
    """Faces that go next, (faces,)."""
    topology, gone = mesh.topology, np.zeros(mesh.triangles, bool)
    start, listed = topology.faces_of_edge
    for edge in np.flatnonzero((topology.uses > 2) & (topology.uses % 2 == 1)):
        faces = listed[start[edge] : start[edge + 1]]
        on_another = (mesh.normals[faces] @ mesh.normals[faces].T < FOLDED).any(axis=1)
        gone[faces[on_another] if on_another.any() else faces[mesh.face_area_mm2[faces].argmin()]] = True
    return gone
