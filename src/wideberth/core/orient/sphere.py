"""The sphere of ways up as a chart of two hemispheres, with contour lines of whatever was weighed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

Values = NDArray[np.float64]
NEAREST = 16
LEAST_APART = 0.1
"""Of unit vectors: least width of the curve."""


@dataclass(frozen=True, eq=False)
class Hemispheres:
    """values : (2, n, n) on discs that fill their squares, rows from below: the part's own z up, and its z down; no number
    outside.

    Points of the discs are x and y from -1 to 1, as `disc_of` gives them.
    """

    values: Values


def disc_of(ups: Values) -> tuple[NDArray[np.int64], Values]:
    """Where ways up (k, 3) lie on the chart: which disc, (k,), 0 where the part's z looks up, and the place on it, (k, 2).

    Lambert's azimuthal projection: areas are true, the rim of both discs is where z lies level.
    """
    below = ups[:, 2] < 0
    stretch = 1 / np.sqrt(1 + np.abs(ups[:, 2]))
    return below.astype(np.int64), ups[:, :2] * stretch[:, None]


def up_at(disc: int, at: Values) -> Values:
    """The way up at places (k, 2) of a disc, unit vectors (k, 3); outside the disc there is no number."""
    r2 = (at**2).sum(axis=1)
    inside = r2 <= 1.0 + 1e-12
    level = np.sqrt(np.maximum(2.0 - r2, 0.0))
    z = (1.0 - r2) * (-1.0 if disc else 1.0)
    ups = np.column_stack((at * level[:, None], z))
    ups[~inside] = np.nan
    return ups


def hemispheres(ups: Values, values: Values, across: int = 128) -> Hemispheres:
    """Values (k,) known at ways up (k, 3), drawn out over both discs.

    Notes
    -----
    Each place takes a mean of its nearest sixteen, by a normal curve of their distance as wide as the nearest ones lie apart: no
    value lies beyond those that are known.
    """
    middle = (np.arange(across) + 0.5) / across * 2 - 1
    x, y = np.meshgrid(middle, middle)
    at = np.column_stack((x.ravel(), y.ravel()))
    known = scipy.spatial.cKDTree(ups)
    filled = np.full((2, across * across), np.nan)
    for disc in (0, 1):
        wanted = up_at(disc, at)
        inside = np.flatnonzero(~np.isnan(wanted[:, 0]))
        far, which = known.query(wanted[inside], k=min(NEAREST, len(ups)))
        far, which = far.reshape(len(inside), -1), which.reshape(len(inside), -1)
        wide = np.maximum(far[:, : NEAREST // 4].mean(axis=1, keepdims=True), LEAST_APART)
        weight = np.exp(-((far / wide) ** 2))
        filled[disc, inside] = (weight * values[which]).sum(axis=1) / weight.sum(axis=1)
    return Hemispheres(filled.reshape(2, across, across))


def level_lines(values: Values, level: float) -> Values:
    """Pieces of the line on which values (rows, columns) come to a level, (n, 2, 2): ends as (column, row), none beside gaps.

    Marching squares; where a square is crossed four times its middle decides.
    """
    low, right, top, left = values[:-1, :-1], values[:-1, 1:], values[1:, 1:], values[1:, :-1]
    corners = np.stack([low, right, top, left], axis=-1) - level
    whole = np.isfinite(corners).all(axis=-1)
    row, column = np.nonzero(whole & ((corners > 0).any(axis=-1) & (corners <= 0).any(axis=-1)))
    c = corners[row, column]
    at = np.stack([column, row], axis=1)[:, None] + np.array([[0, 0], [1, 0], [1, 1], [0, 1]], float)
    after = np.roll(c, -1, axis=1)
    crossed = (c > 0) != (after > 0)
    share = np.where(crossed, c / np.where(crossed, c - after, 1.0), 0.0)
    points = at + share[:, :, None] * (np.roll(at, -1, axis=1) - at)
    twice = crossed.sum(axis=1) == 4
    once = np.flatnonzero(~twice)
    ends = np.argsort(~crossed[once], axis=1, kind="stable")[:, :2]
    pieces = [np.take_along_axis(points[once], ends[:, :, None], axis=1)]
    four = np.flatnonzero(twice)
    if len(four):
        joined = (c[four].mean(axis=1) > 0) == (c[four, 0] > 0)  # the first and third corner hang together
        first = np.where(joined[:, None], [0, 1], [3, 0])
        second = np.where(joined[:, None], [2, 3], [1, 2])
        pieces += [np.take_along_axis(points[four], pair[:, :, None], axis=1) for pair in (first, second)]
    return np.concatenate(pieces)
