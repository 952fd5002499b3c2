"""A copy of a mesh that closes and agrees with itself which side is outside, as far as that can only be meant one way.

What is predicted, cut and exported is predicted, cut and exported of this copy. The source and its recipe stay as they
are; `Mend it` makes the same repairs part of the recipe.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model.health import duplicate_faces
from wideberth.core.model.mesh import Mesh
from wideberth.core.model.repair import Mend, mended
from wideberth.core.progress import Progress, quiet


@dataclass(frozen=True, eq=False)
class Sound:
    """A copy to predict on, and what was done to it, in words; nothing for a mesh that is sound as it came."""

    mesh: Mesh
    changes: tuple[str, ...] = ()


def sound_copy(mesh: Mesh, progress: Progress | None = None) -> Sound:
    """Drop faces that lie on others, turn those that disagree with their neighbours, and fill holes where there are any.

    Faces on one another count once where the surface needs one there, and not at all where it closes without them.
    """
    progress = progress or quiet()
    if mesh.watertight and mesh.volume_mm3 >= 0 and bool((mesh.edge_uses == 2).all()):
        return Sound(mesh)
    changes: list[str] = []
    made, dropped = _once(mesh)
    if dropped:
        changes.append(f"{dropped:,} face{'s' * (dropped > 1)} that lay on others left out")
    progress.at(0.2, "turning faces")
    oriented = mended(made, Mend("orient"))[0]
    turned = int((oriented.faces != made.faces).any(axis=1).sum()) if oriented is not made else 0
    if turned:
        changes.append(f"{turned:,} face{'s' * (turned > 1)} turned round")
    made = oriented
    if _open(made):
        filled = made
        for kind in ("weld", "orient", "fill"):
            progress.at(0.4, "filling holes")
            try:
                filled = mended(filled, Mend(kind))[0]
            except BadModel:
                break
        closed = _open(made) - _open(filled)
        if closed > 0:
            made = filled
            changes.append(f"{closed:,} open edge{'s' * (closed > 1)} closed")
    return Sound(made, tuple(changes))


def _open(mesh: Mesh) -> int:
    """Edges at which the surface ends or does not agree with itself."""
    return int(((mesh.topology.uses % 2 == 1) | (mesh.topology.net != 0)).sum())


def _once(mesh: Mesh) -> tuple[Mesh, int]:
    """The mesh with every face once, or without those that lie on one another, whichever leaves fewer edges at odds."""
    again = duplicate_faces(mesh)
    if not again.any():
        return mesh, 0
    single = Mesh(mesh.points, mesh.faces[~again])
    if _odd(single) == 0:
        return single, int(again.sum())
    corners = np.sort(mesh.faces, axis=1)
    _, name, count = np.unique(corners, axis=0, return_inverse=True, return_counts=True)
    several = count[name.reshape(-1)] > 1
    first = several & ~again
    # a face is wanted where, without it and its likes, its edges would be used an odd number of times
    uses = np.zeros(len(mesh.topology.ends), np.int64)
    np.add.at(uses, mesh.topology.edge_of[~several].reshape(-1), 1)
    keep = ~several
    keep[np.flatnonzero(first)[_wanted(mesh.topology.edge_of[first], uses)]] = True
    fewer = Mesh(mesh.points, mesh.faces[keep])
    best = fewer if keep.any() and _odd(fewer) < _odd(single) else single
    return best, mesh.triangles - best.triangles


def _odd(mesh: Mesh) -> int:
    return int((mesh.topology.uses % 2 == 1).sum())


def _wanted(edges: NDArray[np.int32], uses: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Which faces, by their edges (n, 3), make edges even: those at an odd edge, and so on from these until nothing changes."""
    wanted = np.zeros(len(edges), bool)
    uses = uses.copy()
    while True:
        odd = (uses[edges] % 2 == 1).any(axis=1) & ~wanted
        if not odd.any():
            return wanted
        wanted |= odd
        np.add.at(uses, edges[odd].reshape(-1), 1)
