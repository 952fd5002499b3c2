"""Arrays of points as Qt draws them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QPolygonF
from shiboken6 import VoidPtr


def polygon(x: NDArray[np.float64], y: NDArray[np.float64]) -> QPolygonF:
    """Points (n,) as one polygon, written straight into its memory: while a part is turned a log is drawn often."""
    made = QPolygonF()
    made.resize(len(x))
    if len(x):
        corners = np.frombuffer(memoryview(VoidPtr(made.data(), 16 * len(x), True)), np.float64).reshape(-1, 2)
        corners[:, 0], corners[:, 1] = x, y
    return made
