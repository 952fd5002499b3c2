"""Pads of a base that a model came with, beside those under its posts: without them the plate seems to hold less than it does."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.layers import Runs

Spots = NDArray[np.float64]
AS_WIDE, APART = 0.85, 0.8
"""A pad is at least so many times as wide as those under posts, and its middle so many of their half widths off any other."""
MOST_PADS, MOST_CELLS = 12, 500_000
SLAB = 2.0
"""Where a base is so many times as wide as the narrowest pad it is a slab, or pads that have grown together."""


def pads_beside(base: Runs, layer: int, feet: Spots) -> Spots:
    """Middles of pads that no post stands on, (n, 2) [mm]: where a base is as wide as under the posts, and away from them.

    Parameters
    ----------
    base : what stands on the plate. layer : one of the base. feet : (n, 2), where the posts stand.
    """
    grid = base.grid
    per_row = np.diff(base.offsets[layer * grid.rows : (layer + 1) * grid.rows + 1])
    first, last = (int(base.offsets[n * grid.rows]) for n in (layer, layer + 1))
    if len(feet) == 0 or last == first:
        return np.empty((0, 2))
    x0, x1, row = base.x0[first:last], base.x1[first:last], np.repeat(np.arange(grid.rows), per_row)
    every = max(1, int(np.ceil(np.sqrt(grid.rows * np.ptp(x1) / grid.pitch_mm / MOST_CELLS))))
    cell = every * grid.pitch_mm
    x = float(x0.min()) + cell * np.arange(-1, int((x1.max() - x0.min()) / cell) + 3)
    y = grid.y0_mm + cell * np.arange(-1, grid.rows // every + 2)
    covered = np.zeros((len(y), len(x)), bool)  # open all round
    for n in np.flatnonzero(row % every == 0):
        covered[row[n] // every + 1] |= (x >= x0[n]) & (x <= x1[n])
    half_mm = scipy.ndimage.distance_transform_edt(covered) * cell

    def cells_of(spots: Spots) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        i, j = (np.rint((spots[:, k] - along[0]) / cell).astype(np.int64) for k, along in enumerate((x, y)))
        return j.clip(0, len(y) - 1), i.clip(0, len(x) - 1)

    under_posts = np.ones(covered.shape, bool)
    under_posts[cells_of(feet)] = False
    away = scipy.ndimage.distance_transform_edt(under_posts) * cell
    narrowest = float(half_mm[cells_of(feet)].min())
    pads: list[NDArray[np.float64]] = []
    while len(pads) < MOST_PADS:
        free = np.where(away >= APART * narrowest, half_mm, 0.0)
        j, i = np.unravel_index(int(free.argmax()), free.shape)
        if free[j, i] < AS_WIDE * narrowest or free[j, i] > SLAB * narrowest or free[j, i] <= cell:
            break
        pads.append(np.array([x[i], y[j]]))
        away = np.minimum(away, np.hypot(y[:, None] - y[j], x[None, :] - x[i]))
    return np.array(pads).reshape(-1, 2)
