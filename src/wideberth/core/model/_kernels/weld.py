"""Corners at equal places become one, in a table of places that grows with the file."""

import numpy as np
from numba import njit

EMPTY = np.int32(-1)


@njit(cache=True, nogil=True)
def _mixed(x, y, z):
    """A hash of three numbers' bits."""
    h = np.uint64(x) * np.uint64(0x9E3779B97F4A7C15)
    h = (h ^ (h >> np.uint64(29))) * np.uint64(0xC2B2AE3D27D4EB4F) + np.uint64(y)
    h = (h ^ (h >> np.uint64(32))) * np.uint64(0x165667B19E3779F9) + np.uint64(z)
    h = (h ^ (h >> np.uint64(29))) * np.uint64(0x9E3779B97F4A7C15)
    return h ^ (h >> np.uint64(32))


@njit(cache=True, nogil=True)
def weld(bits, table, places, count, index):
    """Give each corner the number of its place; new places are appended.

    Parameters
    ----------
    bits : (c, 3) uint64, the corners' coordinates as bits. table : (power of two,) int32, EMPTY at first. places : (n, 3)
    uint64 with room for every corner. count : places known so far. index : (c,) int32, filled.

    Returns
    -------
    count : places known now.
    """
    mask = np.uint64(table.size - 1)
    for c in range(bits.shape[0]):
        x, y, z = bits[c, 0], bits[c, 1], bits[c, 2]
        slot = _mixed(x, y, z) & mask
        while True:
            known = table[slot]
            if known == EMPTY:
                table[slot] = count
                places[count, 0], places[count, 1], places[count, 2] = x, y, z
                index[c] = count
                count += 1
                break
            if places[known, 0] == x and places[known, 1] == y and places[known, 2] == z:
                index[c] = known
                break
            slot = (slot + np.uint64(1)) & mask
    return count
