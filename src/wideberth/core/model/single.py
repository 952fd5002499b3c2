"""A mesh as files hold it: in single precision, in which corners that lay side by side may come to lie on one another."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.model.mesh import Mesh

NEAR_MM = 1e-4
"""Single precision moves a corner by up to 1.5e-5 mm at 300 mm, and the 3MF library's way to text by as much again."""


def in_single(mesh: Mesh) -> Mesh:
    """A mesh with corners in single precision; a closed one stays closed.

    Where an edge is so short that a file may hold one corner for both ends they are one, and the triangles at that edge are left
    out: another reader would find triangles without area, and edges that more than two triangles share.
    """
    points, faces = mesh.points.astype(np.float32), mesh.faces
    sides = [(a, (a + 1) % 3, _near(points[faces[:, a]], points[faces[:, (a + 1) % 3]])) for a in range(3)]
    if any(near.any() for _, _, near in sides):
        pairs = np.concatenate([faces[near][:, [a, b]] for a, b, near in sides])
        graph = scipy.sparse.coo_matrix((np.ones(len(pairs), np.int8), pairs.T), shape=(len(points), len(points)))
        count, label = scipy.sparse.csgraph.connected_components(graph, directed=False)
        one = np.empty((count, 3), np.float32)
        one[label] = points
        points, faces = one, label[faces].astype(np.int32)
        faces = faces[(faces != np.roll(faces, 1, axis=1)).all(axis=1)]
    return Mesh(points.astype(np.float64), faces)


def _near(some: NDArray[np.float32], others: NDArray[np.float32]) -> NDArray[np.bool_]:
    """Which points a file may not tell from their others, (n,)."""
    return np.asarray((np.abs(some - others) < NEAR_MM).all(axis=1))
