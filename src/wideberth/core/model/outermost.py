"""Of many points the few that lie farthest along some ways: they stand for a body's outline as long as it is not measured."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

AT_ONCE = 2_000_000
"""Numbers that are worked on at a time: a scan along thousands of ways would fill the memory."""


def outermost(points: NDArray[np.float64], ways: NDArray[np.float64]) -> NDArray[np.float64]:
    """Those of points (n, 3) that lie farthest along some directions (k, 3), and against them, (at most 2 k, 3)."""
    across = np.ascontiguousarray(points.T, np.float32)
    lots = np.array_split(ways.astype(np.float32), max(1, len(ways) * len(points) // AT_ONCE))
    ends = [end for lot in lots for seen in [lot @ across] for end in (seen.argmax(axis=1), seen.argmin(axis=1))]
    return points[np.unique(np.concatenate(ends))]
