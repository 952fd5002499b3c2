"""Prints in line, or evenly spread: by how much each has to be moved."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

Boxes = NDArray[np.float64]
"""Corners of what prints cover seen from above, (prints, 2, 2) mm: low and high, x and y."""


class Line(StrEnum):
    """What comes in line."""

    LEFT = "left edges"
    ACROSS = "middles across"
    RIGHT = "right edges"
    FRONT = "front edges"
    ALONG = "middles front to back"
    BACK = "back edges"


_WHERE = {Line.LEFT: (0, 0.0), Line.ACROSS: (0, 0.5), Line.RIGHT: (0, 1.0),
          Line.FRONT: (1, 0.0), Line.ALONG: (1, 0.5), Line.BACK: (1, 1.0)}  # fmt: skip
"""Axis, and the share of each box that comes in line."""


def in_line(boxes: Boxes, line: Line) -> NDArray[np.float64]:
    """Moves, (prints, 2) mm, that bring edges or middles in line with those of the box round them all."""
    axis, share = _WHERE[line]
    shifts = np.zeros((len(boxes), 2))
    spots = (1 - share) * boxes[:, 0, axis] + share * boxes[:, 1, axis]
    whole = (1 - share) * boxes[:, 0, axis].min() + share * boxes[:, 1, axis].max()
    shifts[:, axis] = whole - spots
    return shifts


def evenly_spread(boxes: Boxes, axis: int) -> NDArray[np.float64]:
    """Moves, (prints, 2) mm, that make the gaps between neighbours along an axis equal; the outermost two stay."""
    shifts = np.zeros((len(boxes), 2))
    if len(boxes) < 3:
        return shifts
    order = np.argsort(boxes[:, :, axis].sum(axis=1), kind="stable")
    low, high = boxes[order, 0, axis], boxes[order, 1, axis]
    wide = high - low
    gap = (high[-1] - low[0] - wide.sum()) / (len(boxes) - 1)
    wanted = low[0] + np.concatenate(([0.0], np.cumsum(wide[:-1] + gap)))
    shifts[order, axis] = wanted - low
    shifts[order[[0, -1]], axis] = 0.0
    return shifts
