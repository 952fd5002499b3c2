"""Compiled loops of layer images."""

import math

import numba
import numpy as np


@numba.njit(cache=True, nogil=True)
def light_up(row, first, beyond, lit):
    """Set the pixels of each run, from its first column up to the one beyond its last."""
    for n in range(len(row)):
        lit[row[n], first[n] : beyond[n]] = True


@numba.njit(cache=True, nogil=True)
def shade(row, start, end, finer, levels, grey):
    """Grey of each pixel by the share of it that runs cover, in so many levels.

    Parameters
    ----------
    row : (runs,) rising, `finer` stripes of runs to each. start, end : (runs,) in pixels. grey : (rows, columns) uint8, filled.
    """
    covered = np.zeros(grey.shape[1] + 1)
    n = 0
    while n < len(row):
        r, low, high = row[n], grey.shape[1], 0
        while n < len(row) and row[n] == r:
            first, last = int(math.floor(start[n])), int(math.floor(end[n]))
            low, high = min(low, first), max(high, last)
            if first == last:
                covered[first] += end[n] - start[n]
            else:
                covered[first] += first + 1 - start[n]
                for k in range(first + 1, last):
                    covered[k] += 1.0
                covered[last] += end[n] - last
            n += 1
        for k in range(low, min(high + 1, grey.shape[1])):
            step = math.floor(min(covered[k] / finer, 1.0) * (levels - 1) + 0.5)
            grey[r, k] = int(step * 255 / (levels - 1) + 0.5)
        covered[low : high + 1] = 0.0


@numba.njit(cache=True, nogil=True)
def paint_over(row, first, beyond, values, image):
    """Set the pixels of each run to its value, in order: later runs lie over earlier ones."""
    for n in range(len(row)):
        image[row[n], first[n] : beyond[n]] = values[n]
