"""What faces of a model may carry: regions on its source mesh, and where their faces went when the mesh was changed."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model.mesh import Mesh
from wideberth.core.model.surface import Closest

NEAR_SHARE = 2e-4
"""A face within this share of the mesh's size of a former one is that one, moved by welding or rounding."""
SAME_WAY = 0.5
"""Cosine between the normals of a face and what it was."""


class MarkKind(StrEnum):
    """What a face may carry of supports' marks."""

    KEEP_CLEAN = "keep clean"
    MAY_CARRY = "may carry marks"
    HIDDEN = "hidden"
    MATING = "mating"


@dataclass(frozen=True)
class Mark:
    """A region of the source mesh: stretches of its faces as (first, count), in rising order."""

    id: str
    kind: MarkKind
    stretches: tuple[tuple[int, int], ...]

    @property
    def faces(self) -> NDArray[np.int64]:
        """Numbers of its faces, (n,), rising."""
        if not self.stretches:
            return np.empty(0, np.int64)
        return np.concatenate([np.arange(first, first + count) for first, count in self.stretches])


def mark_of(id: str, kind: MarkKind, faces: NDArray[np.int64]) -> Mark:
    """A mark of some faces, (n,) by number in whatever order."""
    own = np.unique(np.asarray(faces, np.int64))
    breaks = np.flatnonzero(np.diff(own) > 1) + 1
    stretches = tuple((int(s[0]), len(s)) for s in np.split(own, breaks) if len(s))
    return Mark(id, kind, stretches)


def origins(new: Mesh, old: Mesh, near_mm: float | None = None) -> NDArray[np.int64]:
    """Which face of an old mesh each face of a new one lies on.

    Parameters
    ----------
    new : what became of `old` by welding, mending, or cutting; in the same frame. near_mm : how far a face may have moved;
    None is a small share of the mesh's size, whatever its unit.

    Returns
    -------
    numbers of old faces, (new.triangles,), -1 for a face that lies on none: a cap, a patch, a wall of a rebuilt mesh.

    Notes
    -----
    The old face nearest to the middle of each new one is its origin, if it is near and faces the same way. So the map needs no
    bookkeeping in whatever changed the mesh.
    """
    if old.triangles == 0:
        return np.full(new.triangles, -1, np.int64)
    near_mm = NEAR_SHARE * float(np.linalg.norm(old.extents_mm)) if near_mm is None else near_mm
    far, face, _ = Closest(old).nearest(new.corners.mean(axis=1))
    same = (far <= near_mm) & ((old.normals[face] * new.normals).sum(axis=1) > SAME_WAY)
    return np.where(same, face, -1)


def carried_over(mark: Mark, origin: NDArray[np.int64]) -> NDArray[np.int64]:
    """Faces of a changed mesh that lie in a mark of the mesh it came from, (n,), rising.

    Parameters
    ----------
    origin : (faces,) of the changed mesh, as `origins` gives it.
    """
    return np.flatnonzero((origin >= 0) & np.isin(origin, mark.faces))
