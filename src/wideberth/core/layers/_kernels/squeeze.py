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
def _along_column(col_offsets, col_y0, col_y1, ray, y):
    """Distances down and up a column from y to the ends of the run that holds it; none (0, 0) where rows and columns disagree."""
    for i in range(col_offsets[ray], col_offsets[ray + 1]):
        if col_y0[i] <= y <= col_y1[i]:
            return y - col_y0[i], col_y1[i] - y
    return 0.0, 0.0


@njit(cache=True, nogil=True)
def squeeze(
    offsets,
    x0,
    x1,
    label,
    c,
    k,
    ny,
    y_first,
    dy,
    row_lo,
    row_hi,
    x_lo,
    x_hi,
    stride,
    col_offsets,
    col_y0,
    col_y1,
    columns,
    col_first,
):
    """Integral of u [length⁴] over component c of layer k, on square cells of `stride` rows.

    Nodes lie where rows cross columns. The boundary lies between the nodes: a link of length θ·h to it puts 1/θ on the diagonal
    and nothing else, which keeps the matrix symmetric. Conjugate gradients, scaled by the diagonal, to 1e-4. The sum over the
    nodes is corrected at each such link by Euler and Maclaurin's term h² B₂(θ)/2 · ∂u/∂n. Without columns (`columns` 0) the
    distances along y are guessed from the rows between.
    """
    h = dy * stride
    if columns > 0:
        b_first = int(math.ceil((x_lo - col_first) / dy))
        room = max(0, int(math.floor((x_hi - col_first) / dy)) - b_first)
        nx = room // stride + 1
        b_first += (room - (nx - 1) * stride) // 2
        at_x = col_first + b_first * dy
    else:
        b_first = 0
        nx = int((x_hi - x_lo) / h) + 1
        at_x = x_lo + 0.5 * ((x_hi - x_lo) - (nx - 1) * h)
    n_rows = (row_hi - row_lo) // stride + 1
    start = row_lo + ((row_hi - row_lo) - (n_rows - 1) * stride) // 2
    index = np.full((n_rows, nx), -1, np.int32)
    count = 0
    for a in range(n_rows):
        row = k * ny + start + a * stride
        for i in range(offsets[row], offsets[row + 1]):
            if label[i] != c:
                continue
            b = max(0, int(math.ceil((x0[i] - at_x) / h)))
            while b < nx and at_x + b * h < x1[i]:
                if at_x + b * h > x0[i]:
                    index[a, b] = count
                    count += 1
                b += 1
    if count == 0:
        return 0.0, 0
    floor = 0.02
    theta = np.ones((count, 4))
    link = np.full((count, 4), -1, np.int32)
    for a in range(n_rows):
        j = start + a * stride
        for b in range(nx):
            p = index[a, b]
            if p < 0:
                continue
            x = at_x + b * h
            run = _holds(offsets, x0, x1, label, c, k * ny + j, x)
            theta[p, 0], theta[p, 1] = (x - x0[run]) / h, (x1[run] - x) / h
            if columns > 0:
                ray = k * columns + b_first + b * stride
                down, up = _along_column(col_offsets, col_y0, col_y1, ray, y_first + j * dy)
                theta[p, 2], theta[p, 3] = down / h, up / h
            else:
                for side in range(2):
                    step = 1 if side == 1 else -1
                    far, inside = _towards(offsets, x0, x1, label, c, k, ny, j, step, stride, x)
                    theta[p, 2 + side] = 2.0 if inside else far / stride
            for side in range(4):
                aa = a + (side == 3) - (side == 2)
                bb = b + (side == 1) - (side == 0)
                if theta[p, side] > 1.0 and 0 <= aa < n_rows and 0 <= bb < nx and index[aa, bb] >= 0:
                    link[p, side] = index[aa, bb]
                    theta[p, side] = 1.0
                else:
                    theta[p, side] = max(min(theta[p, side], 1.0), floor)
    diagonal = np.zeros(count)
    for p in range(count):
        for side in range(4):
            diagonal[p] += 1.0 / theta[p, side]
    u = _conjugate_gradients(diagonal, link)
    total = 0.0
    for p in range(count):
        total += u[p]
        for side in range(4):
            if link[p, side] < 0:
                t = theta[p, side]
                total += 0.5 * (t * t - t + 1.0 / 6.0) * u[p] / t
    return total * h**4, count


@njit(cache=True, nogil=True)
def _conjugate_gradients(diagonal, link):
    """u with diagonal · u less its linked neighbours = 1."""
    count = diagonal.size
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
    return u
