"""Which cells of the plate's plane a mesh covers, band by band of its height."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def _kept(polygon, count, axis, bound, above, out):
    """The part of a polygon, `count` rows of (x, y, z), on one side of a plane across an axis; how many rows it has."""
    made = 0
    for n in range(count):
        a, b = polygon[n], polygon[(n + 1) % count]
        da, db = a[axis] - bound, b[axis] - bound
        if not above:
            da, db = -da, -db
        if da >= 0:
            out[made] = a
            made += 1
        if (da > 0 and db < 0) or (da < 0 and db > 0):
            out[made] = a + da / (da - db) * (b - a)
            made += 1
    return made


@njit(cache=True, nogil=True)
def mark_surface(corners, low, cell, band, covered):
    """Mark the cells (band, row, column) of `covered` that a triangle passes through.

    Each triangle, corners (faces, 3, 3), is cut into bands of height, each piece into rows, and marks the columns from its least
    x to its greatest there: exactly the cells that it touches, but for rounding. low : (2,) corner of the cells' plane.
    """
    bands, rows, columns = covered.shape
    whole, piece, strip, spare = np.empty((3, 3)), np.empty((12, 3)), np.empty((12, 3)), np.empty((12, 3))
    for f in range(corners.shape[0]):
        for n in range(3):
            whole[n] = corners[f, n]
        z_low, z_high = whole[:, 2].min(), whole[:, 2].max()
        for k in range(max(0, int(np.floor(z_low / band))), min(bands - 1, int(np.floor(z_high / band))) + 1):
            count = _kept(whole, 3, 2, k * band, True, spare)
            count = _kept(spare, count, 2, (k + 1) * band, False, piece)
            if count == 0:
                continue
            y_low, y_high = piece[:count, 1].min(), piece[:count, 1].max()
            first, last = int(np.floor((y_low - low[1]) / cell)), int(np.floor((y_high - low[1]) / cell))
            for j in range(max(0, first), min(rows - 1, last) + 1):
                held = _kept(piece, count, 1, low[1] + j * cell, True, spare)
                held = _kept(spare, held, 1, low[1] + (j + 1) * cell, False, strip)
                if held == 0:
                    continue
                left = int(np.floor((strip[:held, 0].min() - low[0]) / cell))
                right = int(np.floor((strip[:held, 0].max() - low[0]) / cell))
                for i in range(max(0, left), min(columns - 1, right) + 1):
                    covered[k, j, i] = True
