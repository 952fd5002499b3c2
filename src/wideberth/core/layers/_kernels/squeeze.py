"""Poisson's equation on one component: ∇²u = -1 inside, u = 0 on its boundary, and the integral of u."""

import math

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def _holds(offsets, x0, x1, label, c, row, x):
    """Index of the run of component c that holds x in a row, or -1."""
    for i in range(offsets[row], offsets[row + 1]):
        if x0[i] > x:
            return -1
        if label[i] == c and x < x1[i]:
            return i
    return -1


@njit(cache=True, nogil=True)
def _reach(offsets, x0, x1, label, c, row, x):
    """Distance along a row from x, which lies outside component c, to the nearest end of one of its runs."""
    best = math.inf
    for i in range(offsets[row], offsets[row + 1]):
        if label[i] == c:
            best = min(best, min(abs(x0[i] - x), abs(x1[i] - x)))
    return best


@njit(cache=True, nogil=True)
def _towards(offsets, x0, x1, label, c, k, ny, j, step, stride, x):
    """Distance in rows from (x, row j) to the boundary in direction step, or `stride` if the node there is inside.

    Rows between the nodes are looked at, and between the last inside and the first outside one the boundary is
    taken as straight through their nearest run ends.
    """
    inner = _holds(offsets, x0, x1, label, c, k * ny + j, x)
    for s in range(1, stride + 1):
        row = j + step * s
        at = -1
        if 0 <= row < ny:
            at = _holds(offsets, x0, x1, label, c, k * ny + row, x)
        if at < 0:
            depth = min(x - x0[inner], x1[inner] - x)
            miss = math.inf
            if 0 <= row < ny:
                miss = _reach(offsets, x0, x1, label, c, k * ny + row, x)
            share = 0.5 if miss == math.inf else depth / max(depth + miss, 1e-12)
            return s - 1 + share, False
        inner = at
    return float(stride), True


@njit(cache=True, nogil=True)
def squeeze(offsets, x0, x1, label, c, k, ny, dy, row_lo, row_hi, x_lo, x_hi, stride):
    """Integral of u [length⁴] over component c of layer k, on square cells of `stride` rows.

    The boundary lies between the nodes: a link of length θ·h to it puts 1/θ on the diagonal and nothing else, which
    keeps the matrix symmetric. Conjugate gradients, scaled by the diagonal, to 1e-4.
    """
    h = dy * stride
    nx = int((x_hi - x_lo) / h) + 1
    n_rows = (row_hi - row_lo) // stride + 1
    offset = 0.5 * ((x_hi - x_lo) - (nx - 1) * h)
    start = row_lo + ((row_hi - row_lo) - (n_rows - 1) * stride) // 2
    index = np.full((n_rows, nx), -1, np.int32)
    count = 0
    for a in range(n_rows):
        row = k * ny + start + a * stride
        for i in range(offsets[row], offsets[row + 1]):
            if label[i] != c:
                continue
            b = max(0, int(math.ceil((x0[i] - x_lo - offset) / h)))
            while b < nx and x_lo + offset + b * h < x1[i]:
                if x_lo + offset + b * h > x0[i]:
                    index[a, b] = count
                    count += 1
                b += 1
    if count == 0:
        return 0.0, 0
    diagonal = np.zeros(count)
    link = np.full((count, 4), -1, np.int32)
    floor = 0.02
    for a in range(n_rows):
        j = start + a * stride
        for b in range(nx):
            p = index[a, b]
            if p < 0:
                continue
            x = x_lo + offset + b * h
            run = _holds(offsets, x0, x1, label, c, k * ny + j, x)
            left, right = (x - x0[run]) / h, (x1[run] - x) / h
            if left > 1.0 and b > 0 and index[a, b - 1] >= 0:
                link[p, 0] = index[a, b - 1]
                diagonal[p] += 1.0
            else:
                diagonal[p] += 1.0 / max(min(left, 1.0), floor)
            if right > 1.0 and b + 1 < nx and index[a, b + 1] >= 0:
                link[p, 1] = index[a, b + 1]
                diagonal[p] += 1.0
            else:
                diagonal[p] += 1.0 / max(min(right, 1.0), floor)
            for side in range(2):
                step = 1 if side == 1 else -1
                far, inside = _towards(offsets, x0, x1, label, c, k, ny, j, step, stride, x)
                if inside and 0 <= a + step < n_rows and index[a + step, b] >= 0:
                    link[p, 2 + side] = index[a + step, b]
                    diagonal[p] += 1.0
                else:
                    diagonal[p] += 1.0 / max(min(far / stride, 1.0), floor)
    u = np.zeros(count)
    r = np.ones(count)
    z = r / diagonal
    d = z.copy()
    q = np.empty(count)
    rz = 0.0
    for p in range(count):
        rz += r[p] * z[p]
    target = rz * 1e-8
    for _ in range(4 * int(math.sqrt(count)) + 60):
        dq = 0.0
        for p in range(count):
            s = diagonal[p] * d[p]
            for e in range(4):
                if link[p, e] >= 0:
                    s -= d[link[p, e]]
            q[p] = s
            dq += d[p] * s
        alpha = rz / dq
        fresh = 0.0
        for p in range(count):
            u[p] += alpha * d[p]
            r[p] -= alpha * q[p]
            z[p] = r[p] / diagonal[p]
            fresh += r[p] * z[p]
        if fresh < target:
            break
        beta = fresh / rz
        rz = fresh
        for p in range(count):
            d[p] = z[p] + beta * d[p]
    total = 0.0
    for p in range(count):
        total += u[p]
    return total * h**4, count
