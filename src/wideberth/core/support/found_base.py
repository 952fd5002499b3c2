"""The base that a model came with, seen from above, near its top: what kind it is of, and its pads that no post stands on.

Without these the plate seems to hold less than it does; and more, if pads that stand alone are taken for tied ones.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import scipy
from manifold3d import CrossSection
from numpy.typing import NDArray

from wideberth.core.layers import Runs
from wideberth.core.support.graph import BaseKind

Spots = NDArray[np.float64]
Cells = tuple[NDArray[np.int64], NDArray[np.int64]]
AS_WIDE, APART = 0.85, 0.8
"""A pad is at least so many times as wide as those under posts, and its middle so many of their half widths off any other."""
MOST_PADS, MOST_CELLS = 12, 500_000
GROWN = 2.0
"""Where a base is so many times as wide as under a usual post pads have grown together."""
RIM_MM = 0.1
"""Below its top a base is drawn in by so much at most, and corners that stand out by less are none."""
SLAB_SHARE, SLAB_PADS = 0.95, 3.0
"""A slab covers so much of its own hull, and as much as so many pads."""


@dataclass(frozen=True, eq=False)
class FoundBase:
    """Cells that a base covers, (rows, columns), open all round, and where they are: x (columns,) and y (rows,) [mm]."""

    covered: NDArray[np.bool_]
    x_mm: NDArray[np.float64]
    y_mm: NDArray[np.float64]

    @classmethod
    def of(cls, runs: Runs, layer: int) -> FoundBase:
        """What is solid in one layer."""
        grid = runs.grid
        first, last = (int(runs.offsets[n * grid.rows]) for n in (layer, layer + 1))
        x0, x1 = runs.x0[first:last], runs.x1[first:last]
        row = np.repeat(np.arange(grid.rows), np.diff(runs.offsets[layer * grid.rows : (layer + 1) * grid.rows + 1]))
        low, high = float(x0.min(initial=np.inf)), float(x1.max(initial=-np.inf))
        if last == first:
            return cls(np.zeros((1, 1), bool), np.zeros(1), np.zeros(1))
        every = max(1, int(np.ceil(np.sqrt(grid.rows * (high - low) / grid.pitch_mm / MOST_CELLS))))
        cell = every * grid.pitch_mm
        x: Spots = low + cell * np.arange(-1.0, int((high - low) / cell) + 3)
        y: Spots = grid.y0_mm + cell * np.arange(-1.0, grid.rows // every + 2)
        covered = np.zeros((len(y), len(x)), bool)
        for n in np.flatnonzero(row % every == 0):
            covered[row[n] // every + 1] |= (x >= x0[n]) & (x <= x1[n])
        return cls(covered, x, y)

    @property
    def cell_mm(self) -> float:
        return float(self.x_mm[1] - self.x_mm[0]) if len(self.x_mm) > 1 else 0.0

    @cached_property
    def half_mm(self) -> NDArray[np.float64]:
        """How far from its rim each cell is, (rows, columns)."""
        return np.asarray(scipy.ndimage.distance_transform_edt(self.covered) * self.cell_mm)

    def kind(self, pad_mm: float) -> BaseKind:
        """Pads that stand alone, one slab, or pads that are tied together. pad_mm : diameter of a usual pad."""
        if not self.covered.any():
            return BaseKind.PADS
        if scipy.ndimage.label(self.covered)[1] > 1:
            return BaseKind.ALONE
        hull = _hull(self._middles(self.covered))
        covers_mm2 = np.count_nonzero(self.covered) * self.cell_mm**2
        pads_mm2 = SLAB_PADS * np.pi * pad_mm**2 / 4
        slab = hull is not None and covers_mm2 >= max(SLAB_SHARE * hull.volume, pads_mm2)
        return BaseKind.SLAB if slab else BaseKind.PADS

    def pads_beside(self, feet: Spots) -> Spots:
        """Middles of pads that no post stands on, (n, 2) [mm]: where the base is as wide as under the posts, and away from them.
        feet : (n, 2), where posts stand."""
        pads: list[NDArray[np.float64]] = []
        if not self.covered.any() or len(feet) == 0:
            return np.empty((0, 2))
        half_mm = self.half_mm
        usual = float(np.median(half_mm[self._cells_of(feet)]))
        under_posts = np.ones(self.covered.shape, bool)
        under_posts[self._cells_of(feet)] = False
        away = scipy.ndimage.distance_transform_edt(under_posts) * self.cell_mm
        while len(pads) < MOST_PADS:
            free = np.where(away >= APART * usual, half_mm, 0.0)
            j, i = np.unravel_index(int(free.argmax()), free.shape)
            if not max(AS_WIDE * usual, self.cell_mm) <= free[j, i] <= GROWN * usual:
                break
            pads.append(np.array([self.x_mm[i], self.y_mm[j]]))
            away = np.minimum(away, np.hypot(self.y_mm[:, None] - self.y_mm[j], self.x_mm[None, :] - self.x_mm[i]))
        return np.array(pads).reshape(-1, 2)

    def corners_of_slab(self, pad_mm: float) -> Spots:
        """Where pads of a diameter stand at the corners of a slab, (n, 2) [mm]: their hull is that slab."""
        spots = self._middles(self.half_mm >= 0.5 * pad_mm - RIM_MM)
        hull = _hull(spots)
        if hull is None:
            return spots[:1]
        return np.concatenate(CrossSection([spots[hull.vertices]]).simplify(RIM_MM).to_polygons())

    def _middles(self, which: NDArray[np.bool_]) -> Spots:
        """Where some cells are, (n, 2) [mm]."""
        j, i = np.nonzero(which)
        return np.column_stack((self.x_mm[i], self.y_mm[j]))

    def _cells_of(self, spots: Spots) -> Cells:
        """Rows and columns of the cells that spots (n, 2) lie in."""
        j, i = (np.rint((spots[:, k] - at[0]) / self.cell_mm).astype(np.int64) for k, at in ((1, self.y_mm), (0, self.x_mm)))
        return j.clip(0, len(self.y_mm) - 1), i.clip(0, len(self.x_mm) - 1)


def _hull(spots: Spots) -> Any:
    """The convex hull of places (n, 2), None of few and of those on a line."""
    with suppress(scipy.spatial.QhullError, ValueError):
        return scipy.spatial.ConvexHull(spots)
    return None
