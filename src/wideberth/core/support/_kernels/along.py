"""Points along a straight line on a lattice of nodes (levels, rows, nodes), some of which are taken."""

import math

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def is_free(taken, origin, step, start, end, leave, apart):
    """Whether points so far `apart` from `start` (3,) to `end` (3,), but for its first stretch of `leave`, are beside or over no
    taken node."""
    levels, rows, nodes = taken.shape
    length = math.sqrt((end[0] - start[0]) ** 2 + (end[1] - start[1]) ** 2 + (end[2] - start[2]) ** 2)
    first = min(leave, length)
    for n in range(max(0, math.ceil((length + 1e-9 - first) / apart))):
        share = (first + n * apart) / max(length, 1e-9)
        i = round((start[0] + share * (end[0] - start[0]) - origin[0]) / step)
        j = round((start[1] + share * (end[1] - start[1]) - origin[1]) / step)
        k = int((start[2] + share * (end[2] - start[2])) / step)
        if 0 <= k < levels and 0 <= j < rows and 0 <= i < nodes and taken[k, j, i]:
            return False
    return True


@njit(cache=True, nogil=True)
def beside_taken(taken, origin, step, start, end, leave, apart):
    """Those points so far `apart` from `start` (3,) to `end` (3,), its end too but for its first stretch of `leave`, whose
    nearest node is taken, (n, 3)."""
    levels, rows, nodes = taken.shape
    length = math.sqrt((end[0] - start[0]) ** 2 + (end[1] - start[1]) ** 2 + (end[2] - start[2]) ** 2)
    first = min(leave, length)
    most = math.ceil((length + apart - first) / apart)
    made, count = np.empty((most, 3)), 0
    for n in range(most):
        share = min(first + n * apart, length) / max(length, 1e-9)
        x, y = start[0] + share * (end[0] - start[0]), start[1] + share * (end[1] - start[1])
        z = start[2] + share * (end[2] - start[2])
        i, j, k = round((x - origin[0]) / step), round((y - origin[1]) / step), round((z - origin[2]) / step)
        if 0 <= k < levels and 0 <= j < rows and 0 <= i < nodes and taken[k, j, i]:
            made[count, 0], made[count, 1], made[count, 2] = x, y, z
            count += 1
    return made[:count]
