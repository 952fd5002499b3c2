"""Pieces moved apart along their cuts, so that one sees which goes into which."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from wideberth.core.split.cut import Cut

APART_SHARE = 0.22
"""Of the whole's size, for each cut that a piece lies beyond."""


def shifts_apart(cuts: Sequence[Sequence[Cut]], size_mm: float) -> NDArray[np.float64]:
    """How far each piece is moved from where it sits in the whole, (pieces, 3) [mm], by the cuts that made it."""
    ways = [np.sum([cut.keep * np.array(cut.normal) for cut in own], axis=0) if len(own) else np.zeros(3) for own in cuts]
    return APART_SHARE * size_mm * np.array(ways).reshape(-1, 3)
