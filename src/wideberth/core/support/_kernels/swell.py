"""Runs of a solid on a lattice, widened by what a ball or a disc leaves on the rows and levels about each."""

import math

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def swell(level, row, x0, x1, up, aside, wide, taken):
    """Mark the nodes taken (levels, rows, nodes) by runs x0 to x1 on a level and a row, each widened by `wide` on every row and
    level that is so far `up` and `aside`, all in nodes."""
    levels, rows, nodes = taken.shape
    change = np.zeros((levels, rows, nodes + 1), np.int32)
    for r in range(len(level)):
        for o in range(len(up)):
            k, j = level[r] + up[o], row[r] + aside[o]
            if 0 <= k < levels and 0 <= j < rows:
                change[k, j, min(max(math.floor(x0[r] - wide[o]), 0), nodes)] += 1
                change[k, j, min(max(math.ceil(x1[r] + wide[o]) + 1, 0), nodes)] -= 1
    for k in range(levels):
        for j in range(rows):
            over = 0
            for i in range(nodes):
                over += change[k, j, i]
                taken[k, j, i] = over > 0
