"""Compiled loops of layer images."""

import numba


@numba.njit(cache=True, nogil=True)
def light_up(row, first, beyond, lit):
    """Set the pixels of each run, from its first column up to the one beyond its last."""
    for n in range(len(row)):
        lit[row[n], first[n] : beyond[n]] = True


@numba.njit(cache=True, nogil=True)
def paint_over(row, first, beyond, values, image):
    """Set the pixels of each run to its value, in order: later runs lie over earlier ones."""
    for n in range(len(row)):
        image[row[n], first[n] : beyond[n]] = values[n]
