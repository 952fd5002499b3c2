"""Cells of void: the largest ball that covers each, and how well liquid creeps from one to the next."""

import math

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def covering_balls(clear, h, most):
    """Diameter of the largest ball of void that covers each cell, no more than `most`; 0 in solid.

    `clear` is the distance of each cell's middle to the nearest solid. Only balls whose middle is clearer than all its neighbours
    are painted, for the others lie inside those; a ball covers the cells that it reaches half into.
    """
    nz, ny, nx = clear.shape
    width = np.zeros((nz, ny, nx), np.float64)
    for k in range(nz):
        for j in range(ny):
            for i in range(nx):
                r = min(clear[k, j, i], 0.5 * most)
                if r <= 0.0:
                    continue
                width[k, j, i] = max(width[k, j, i], 2.0 * r)
                if _inside_another(clear, k, j, i, r, h, most):
                    continue
                r = min(_between(clear, k, j, i, h), 0.5 * most)
                width[k, j, i] = max(width[k, j, i], 2.0 * r)
                reach = int(r / h) + 1
                for kk in range(max(0, k - reach), min(nz, k + reach + 1)):
                    for jj in range(max(0, j - reach), min(ny, j + reach + 1)):
                        left = (r / h + 0.5) ** 2 - ((kk - k) ** 2 + (jj - j) ** 2)
                        if left < 0.0:
                            continue
                        half = int(math.sqrt(left))
                        for ii in range(max(0, i - half), min(nx, i + half + 1)):
                            if clear[kk, jj, ii] > 0.0 and width[kk, jj, ii] < 2.0 * r:
                                width[kk, jj, ii] = 2.0 * r
    return width


@njit(cache=True, nogil=True)
def _between(clear, k, j, i, h):
    """Clearance at the peak near a cell, which may lie between it and its neighbour.

    Between two walls the clearance is a tent of slope one along the axis that crosses them: its peak is (a + b + h)/2 of the two
    highest cells a and b.
    """
    peak = clear[k, j, i]
    for axis in range(3):
        n = clear.shape[axis]
        at = k if axis == 0 else j if axis == 1 else i
        for side in (-1, 1):
            if not (2 <= at < n - 2):
                continue
            dk, dj, di = side * (axis == 0), side * (axis == 1), side * (axis == 2)
            here, near = clear[k, j, i], clear[k + dk, j + dj, i + di]
            beyond, behind = clear[k + 2 * dk, j + 2 * dj, i + 2 * di], clear[k - dk, j - dj, i - di]
            if near <= here and behind <= near and here - behind > 0.5 * h and near - beyond > 0.5 * h:
                peak = max(peak, 0.5 * (here + near + h))
    return peak


@njit(cache=True, nogil=True)
def _inside_another(clear, k, j, i, r, h, most):
    """Whether other balls hold this one: a neighbour is clearer by as much as it is away, or all six are as large as balls go."""
    nz, ny, nx = clear.shape
    if 2.0 * r >= most - 1e-9 and 0 < k < nz - 1 and 0 < j < ny - 1 and 0 < i < nx - 1:
        least = min(clear[k - 1, j, i], clear[k + 1, j, i], clear[k, j - 1, i], clear[k, j + 1, i], clear[k, j, i - 1],
                    clear[k, j, i + 1])  # fmt: skip
        if 2.0 * least >= most - 1e-9:
            return True
    for dk in range(-1, 2):
        for dj in range(-1, 2):
            for di in range(-1, 2):
                if dk == 0 and dj == 0 and di == 0:
                    continue
                kk, jj, ii = k + dk, j + dj, i + di
                if 0 <= kk < nz and 0 <= jj < ny and 0 <= ii < nx:
                    away = h * math.sqrt(dk * dk + dj * dj + di * di)
                    if min(clear[kk, jj, ii], 0.5 * most) >= r + away - 1e-9:
                        return True
    return False


@njit(cache=True, nogil=True)
def conductances(node, width, h, most):
    """Links between nodes of neighbouring cells, for unit viscosity: (a, b, conductance [length³]).

    Two narrow cells in a row resist one after the other; a wide void ends at its cell's face.
    """
    nz, ny, nx = node.shape
    limit = 3 * np.count_nonzero((width > 0.0) & (width < most)) * 2 + 1
    a, b, g = np.empty(limit, np.int64), np.empty(limit, np.int64), np.empty(limit)
    n = 0
    for k in range(nz):
        for j in range(ny):
            for i in range(nx):
                p = node[k, j, i]
                if p < 0:
                    continue
                for side in range(3):
                    kk, jj, ii = k + (side == 0), j + (side == 1), i + (side == 2)
                    if kk >= nz or jj >= ny or ii >= nx:
                        continue
                    q = node[kk, jj, ii]
                    if q < 0 or q == p:
                        continue
                    resist = 0.0
                    for w in (width[k, j, i], width[kk, jj, ii]):
                        if w < most:
                            resist += 0.5 / (w * w / 32.0 * h)
                    if resist > 0.0:
                        a[n], b[n], g[n] = p, q, 1.0 / resist
                        n += 1
    return a[:n].copy(), b[:n].copy(), g[:n].copy()
