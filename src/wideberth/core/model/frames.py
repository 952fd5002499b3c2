"""Frames: three directions square to each other, one of them given.

By hand and not by a library of rotations: loading that would cost a fifth of a second at the start.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

NEARLY_ALONG = 0.9


def frame_along(axis: NDArray[np.float64]) -> NDArray[np.float64]:
    """Rows across, over and along an axis (3,) of any length: unit, right-handed, (3, 3); of many (n, 3): (n, 3, 3).

    It turns the axis to z.
    """
    along = np.asarray(axis, float) / np.linalg.norm(axis, axis=-1, keepdims=True)
    across = np.cross(np.where(np.abs(along[..., 1:2]) < NEARLY_ALONG, [0.0, 1.0, 0.0], [1.0, 0.0, 0.0]), along)
    across /= np.linalg.norm(across, axis=-1, keepdims=True)
    return np.stack([across, np.cross(along, across), along], axis=-2)


def ring_about(axis: NDArray[np.float64], count: int) -> NDArray[np.float64]:
    """So many unit directions square to an axis (3,), evenly round it, (count, 3). Of many (n, 3): (n, count, 3)."""
    turn = 2 * np.pi * np.arange(count) / count
    return np.asarray(np.column_stack((np.cos(turn), np.sin(turn))) @ frame_along(axis)[..., :2, :])


def rotation_about(axis: int, degrees: float) -> NDArray[np.float64]:
    """Rotation (3, 3) about axis 0, 1 or 2, counter-clockwise seen against it."""
    angle = math.radians(degrees)
    c, s = math.cos(angle), math.sin(angle)
    i, j = (axis + 1) % 3, (axis + 2) % 3
    matrix = np.eye(3)
    matrix[i, i], matrix[i, j], matrix[j, i], matrix[j, j] = c, -s, s, c
    return matrix
