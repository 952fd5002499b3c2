"""Hatching: evenly spaced lines over faces, as an engraver's plate has them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model.mesh import Mesh

Values = NDArray[np.float64]
MOST_LINES = 200_000


def hatched(mesh: Mesh, faces: NDArray[np.int64], across: Values, apart_mm: float) -> Values:
    """Where some faces meet parallel planes: pieces of lines, (n, 2, 3).

    Parameters
    ----------
    faces : (f,) by number. across : (3,) square to the planes. apart_mm : their distance. When there would be very many lines
    the planes stand farther apart.
    """
    corners = mesh.corners[faces]
    height = corners @ (np.asarray(across, float) / np.linalg.norm(across))
    while True:
        level = height / apart_mm
        first = np.ceil(level.min(axis=1) - 1e-12).astype(np.int64)
        count = np.maximum(np.floor(level.max(axis=1) + 1e-12).astype(np.int64) - first + 1, 0)
        if count.sum() <= MOST_LINES:
            break
        apart_mm *= 2.0
    face = np.repeat(np.arange(len(faces)), count)
    if len(face) == 0:
        return np.empty((0, 2, 3))
    line = first[face] + np.arange(len(face)) - np.repeat(np.cumsum(count) - count, count)
    order = np.argsort(level, axis=1)
    low, middle, high = (np.take_along_axis(corners, order[:, k, None, None].repeat(3, 2), 1)[:, 0][face] for k in range(3))
    at = np.take_along_axis(level, order, 1)[face]

    def meets(a: Values, b: Values, from_level: Values, to_level: Values) -> Values:
        share = np.clip((line - from_level) / np.maximum(to_level - from_level, 1e-12), 0.0, 1.0)
        return a + share[:, None] * (b - a)

    long = meets(low, high, at[:, 0], at[:, 2])
    below = (line <= at[:, 1])[:, None]
    short = np.where(below, meets(low, middle, at[:, 0], at[:, 1]), meets(middle, high, at[:, 1], at[:, 2]))
    return np.stack([long, short], axis=1)[np.linalg.norm(long - short, axis=1) > 1e-9]
