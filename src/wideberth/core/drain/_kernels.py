"""Voids on cells: how far each is closed in, which basins it falls into, and what is seen from where."""

import numpy as np
from numba import njit

from wideberth.core.disjoint import find


@njit(cache=True, nogil=True)
def closed_in(solid):
    """Of the 26 ways from each cell, how many end on solid, (z, y, x) int8."""
    nz, ny, nx = solid.shape
    count = np.zeros((nz, ny, nx), np.int8)
    meets = np.zeros((nz, ny, nx), np.bool_)
    for dk in range(-1, 2):
        for dj in range(-1, 2):
            for di in range(-1, 2):
                if dk == 0 and dj == 0 and di == 0:
                    continue
                for kk in range(nz):
                    k = nz - 1 - kk if dk > 0 else kk
                    for jj in range(ny):
                        j = ny - 1 - jj if dj > 0 else jj
                        for ii in range(nx):
                            i = nx - 1 - ii if di > 0 else ii
                            a, b, c = k + dk, j + dj, i + di
                            met = False
                            if 0 <= a < nz and 0 <= b < ny and 0 <= c < nx:
                                met = solid[a, b, c] or meets[a, b, c]
                            meets[k, j, i] = met
                            if met:
                                count[k, j, i] += 1
    return count


@njit(cache=True, nogil=True)
def basins(order, clearance, wanted, shape, joined_from):
    """Cut voids apart at their necks.

    Cells come in order of falling clearance (the radius of a ball of void round them). One beside none begins a basin; where two
    meet, they are one if the clearance there is at least `joined_from` of the lesser basin's greatest.

    Returns the basin of each cell (its first cell; -1 elsewhere) and the passages: both basins, and the cell between them.
    """
    nz, ny, nx = shape
    parent = np.full(wanted.size, -1, np.int64)
    pa, pb, where = np.empty(64, np.int64), np.empty(64, np.int64), np.empty(64, np.int64)
    count = 0
    beside = np.array([1, -1, nx, -nx, nx * ny, -nx * ny])
    for n in range(order.size):
        at = order[n]
        k, rest = at // (ny * nx), at % (ny * nx)
        j, i = rest // nx, rest % nx
        mine = -1
        for way in range(6):
            if (way == 0 and i == nx - 1) or (way == 1 and i == 0) or (way == 2 and j == ny - 1) or (way == 3 and j == 0):
                continue
            if (way == 4 and k == nz - 1) or (way == 5 and k == 0):
                continue
            other = at + beside[way]
            if not wanted[other] or parent[other] < 0:
                continue
            root = find(parent, other)
            if mine < 0:
                parent[at] = root
                mine = root
            elif root != mine:
                high, low = (mine, root) if clearance[mine] >= clearance[root] else (root, mine)
                if clearance[at] >= joined_from * clearance[low]:
                    parent[low] = high
                    mine = high
                else:
                    if count == pa.size:
                        longer_a, longer_b = np.empty(2 * count, np.int64), np.empty(2 * count, np.int64)
                        longer_w = np.empty(2 * count, np.int64)
                        longer_a[:count], longer_b[:count], longer_w[:count] = pa, pb, where
                        pa, pb, where = longer_a, longer_b, longer_w
                    pa[count], pb[count], where[count] = high, low, at
                    count += 1
        if mine < 0:
            parent[at] = at
    for at in order:
        parent[at] = find(parent, at)
    return parent, pa[:count].copy(), pb[:count].copy(), where[:count].copy()


@njit(cache=True, nogil=True)
def sees(solid, low, step, start, end):
    """Whether the straight line between pairs of points (n, 3) passes no solid cell, (n,); it is walked in thirds of a cell."""
    nz, ny, nx = solid.shape
    clear = np.ones(start.shape[0], np.bool_)
    for n in range(start.shape[0]):
        dx, dy, dz = end[n, 0] - start[n, 0], end[n, 1] - start[n, 1], end[n, 2] - start[n, 2]
        steps = int(3 * np.sqrt(dx * dx + dy * dy + dz * dz) / step) + 1
        for s in range(steps + 1):
            t = s / steps
            i = int(round((start[n, 0] + t * dx - low[0]) / step))
            j = int(round((start[n, 1] + t * dy - low[1]) / step))
            k = int(round((start[n, 2] + t * dz - low[2]) / step))
            if 0 <= i < nx and 0 <= j < ny and 0 <= k < nz and solid[k, j, i]:
                clear[n] = False
                break
    return clear
