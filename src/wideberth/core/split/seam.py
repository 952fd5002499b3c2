"""Seams: where a plane meets a part's surface, how long that is, what it would take to finish, and what the joint bears."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model import Mesh
from wideberth.core.split.creases import Creases

Values = NDArray[np.float64]
IN_CREASE_TIMES = 0.3
"""What a seam in a crease takes to finish, over one on the same faces outside: it need not be level, only closed."""


@dataclass(frozen=True, eq=False)
class Seam:
    """Where a plane cuts a mesh. segments_mm : (n, 2, 3) ends, walked with the solid to the left seen against the normal. faces :
    (n,) which face each lies on. area_mm2 : of the section. length_mm : of the outline."""

    segments_mm: Values
    faces: NDArray[np.int64]
    area_mm2: float
    length_mm: float

    @cached_property
    def each_mm(self) -> Values:
        """Length of each segment, (n,)."""
        return np.linalg.norm(self.segments_mm[:, 1] - self.segments_mm[:, 0], axis=1)

    def hidden_mm(self, folds: Creases) -> float:
        """Its length in creases [mm]."""
        return float(self.each_mm[folds.hides(self.segments_mm.mean(axis=1))].sum())

    def finishing(self, times: Values, barred: NDArray[np.bool_], folds: Creases | None = None) -> tuple[float, float]:
        """Length weighed by what marks take on each face, (faces,), less in creases; length on faces that may have none [mm]."""
        long = self.each_mm
        share = 1.0 if folds is None else np.where(folds.hides(self.segments_mm.mean(axis=1)), IN_CREASE_TIMES, 1.0)
        return float((long * times[self.faces] * share).sum()), float(long[barred[self.faces]].sum())


class Slicer:
    """A mesh made ready to be cut by many planes square to one direction."""

    def __init__(self, mesh: Mesh, normal: Values) -> None:
        self._mesh, self._normal = mesh, np.asarray(normal, float)
        self._height = mesh.points @ self._normal
        at_corners = self._height[mesh.faces]
        self._low, self._high = at_corners.min(axis=1), at_corners.max(axis=1)
        self._at_corners = at_corners

    @property
    def range_mm(self) -> tuple[float, float]:
        """Least and greatest height along the direction."""
        return float(self._height.min()), float(self._height.max())

    def at(self, offset_mm: float) -> Seam:
        """The seam of a plane. Corners that lie in it count as above it."""
        crossed = np.flatnonzero((self._low < offset_mm) & (self._high >= offset_mm))
        corners = self._mesh.points[self._mesh.faces[crossed]]
        height = self._at_corners[crossed] - offset_mm
        above = height >= 0
        lone = np.where(above.sum(axis=1) == 1, above.argmax(axis=1), (~above).argmax(axis=1))
        row = np.arange(len(crossed))
        first, second = (lone + 1) % 3, (lone + 2) % 3
        ends = []
        for other in (first, second):
            a, b = height[row, lone], height[row, other]
            share = np.divide(a, a - b, out=np.zeros_like(a), where=a != b)
            ends.append(corners[row, lone] + share[:, None] * (corners[row, other] - corners[row, lone]))
        down = ~above[row, lone]
        start = np.where(down[:, None], ends[1], ends[0])
        end = np.where(down[:, None], ends[0], ends[1])
        segments = np.stack((start, end), axis=1)
        area = 0.5 * float((np.cross(start - self._normal * offset_mm, end - self._normal * offset_mm) @ self._normal).sum())
        length = float(np.linalg.norm(end - start, axis=1).sum())
        return Seam(segments, crossed, abs(area), length)
