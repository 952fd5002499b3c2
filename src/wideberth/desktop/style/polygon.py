"""Arrays of points as Qt draws them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF
from PySide6.QtGui import QPolygonF


def polygon(x: NDArray[np.float64], y: NDArray[np.float64]) -> QPolygonF:
    """Points (n,) as one polygon."""
    return QPolygonF([QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)])
