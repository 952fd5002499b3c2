"""Poisson's equation on one component: ∇²u = -1 inside, u = 0 on its boundary, and the integral of u."""

import math
from typing import NamedTuple

import numpy as np
from numba import njit

LEAST_THETA = 0.02


class Component(NamedTuple):
    """Where a component lies: its number among the labels of all runs, its layer, its first and last row, its least and
    greatest x."""

    number: int
    layer: int
    row_low: int
    row_high: int
    x_low: float
    x_high: float


class Nodes(NamedTuple):
    """Nodes of a component, where every `stride`-th row crosses columns `h` apart. number : (rows, columns) of each node,
    -1 outside; start : the first row; left : x of the first column, which is ray `ray` of the columns; total : how many."""

    number: np.ndarray
    stride: int
    h: float
    start: int
    left: float
    ray: int
    total: int


@njit(cache=True, nogil=True)
def _holds(rays, label, c, row, x):
    """Index of the run of component c that holds x in a row, or -1."""
    for i in range(rays.offsets[row], rays.offsets[row + 1]):
        if rays.x0[i] > x:
            return -1
        if label[i] == c and x < rays.x1[i]:
            return i
    return -1


@njit(cache=True, nogil=True)
def _reach(rays, label, c, row, x):
    """Distance along a row from x, which lies outside component c, to the nearest end of one of its runs."""
    best = math.inf
    for i in range(rays.offsets[row], rays.offsets[row + 1]):
        if label[i] == c:
            best = min(best, min(abs(rays.x0[i] - x), abs(rays.x1[i] - x)))
    return best


@njit(cache=True, nogil=True)
def _towards(rays, label, of, j, step, stride, x):
    """Distance in rows from (x, row j) to the boundary in direction step, or `stride` if the node there is inside.

    Rows between the nodes are looked at, and between the last inside and the first outside one the boundary is
    taken as straight through their nearest run ends.
    """
    first = of.layer * rays.rows
    inner = _holds(rays, label, of.number, first + j, x)
    for s in range(1, stride + 1):
        row = j + step * s
        at = -1
        if 0 <= row < rays.rows:
            at = _holds(rays, label, of.number, first + row, x)
        if at < 0:
            depth = min(x - rays.x0[inner], rays.x1[inner] - x)
            miss = math.inf
            if 0 <= row < rays.rows:
                miss = _reach(rays, label, of.number, first + row, x)
            share = 0.5 if miss == math.inf else depth / max(depth + miss, 1e-12)
            return s - 1 + share, False
        inner = at
    return float(stride), True


@njit(cache=True, nogil=True)
def _along_column(columns, ray, y):
    """Distances down and up a column from y to the ends of the run that holds it; none (0, 0) where rows and columns disagree."""
    for i in range(columns.offsets[ray], columns.offsets[ray + 1]):
        if columns.x0[i] <= y <= columns.x1[i]:
            return y - columns.x0[i], columns.x1[i] - y
    return 0.0, 0.0


@njit(cache=True, nogil=True)
def squeeze(rays, columns, label, of, stride):
    """Integral of u [length⁴] over a component, on square cells of `stride` rows, and on how many.

    Nodes lie where rows cross columns. The boundary lies between the nodes: a link of length θ·h to it puts 1/θ on the diagonal
    and nothing else, which keeps the matrix symmetric. Conjugate gradients, scaled by the diagonal, to 1e-4. The sum over the
    nodes is corrected at each such link by Euler and Maclaurin's term h² B₂(θ)/2 · ∂u/∂n. Without columns (none in a layer) the
    distances along y are guessed from the rows between.
    """
    nodes = _nodes(rays, columns, label, of, stride)
    if nodes.total == 0:
        return 0.0, 0
    theta, link = _links(rays, columns, label, of, nodes)
    u = _conjugate_gradients((1.0 / theta).sum(axis=1), link)
    total = 0.0
    for p in range(nodes.total):
        total += u[p]
        for side in range(4):
            if link[p, side] < 0:
                t = theta[p, side]
                total += 0.5 * (t * t - t + 1.0 / 6.0) * u[p] / t
    return total * nodes.h**4, nodes.total


@njit(cache=True, nogil=True)
def _nodes(rays, columns, label, of, stride):
    h = rays.pitch_mm * stride
    ray = 0
    if columns.rows > 0:
        ray = int(math.ceil((of.x_low - columns.first_mm) / rays.pitch_mm))
        room = max(0, int(math.floor((of.x_high - columns.first_mm) / rays.pitch_mm)) - ray)
        nx = room // stride + 1
        ray += (room - (nx - 1) * stride) // 2
        left = columns.first_mm + ray * rays.pitch_mm
    else:
        nx = int((of.x_high - of.x_low) / h) + 1
        left = of.x_low + 0.5 * ((of.x_high - of.x_low) - (nx - 1) * h)
    n_rows = (of.row_high - of.row_low) // stride + 1
    start = of.row_low + ((of.row_high - of.row_low) - (n_rows - 1) * stride) // 2
    index = np.full((n_rows, nx), -1, np.int32)
    count = 0
    for a in range(n_rows):
        row = of.layer * rays.rows + start + a * stride
        for i in range(rays.offsets[row], rays.offsets[row + 1]):
            if label[i] != of.number:
                continue
            b = max(0, int(math.ceil((rays.x0[i] - left) / h)))
            while b < nx and left + b * h < rays.x1[i]:
                if left + b * h > rays.x0[i]:
                    index[a, b] = count
                    count += 1
                b += 1
    return Nodes(index, stride, h, start, left, ray, count)


@njit(cache=True, nogil=True)
def _links(rays, columns, label, of, nodes):
    """Length θ of each node's four links in cells, and the node that each leads to, -1 where it leads to the boundary; (nodes,
    4)."""
    n_rows, nx = nodes.number.shape
    theta, link = np.ones((nodes.total, 4)), np.full((nodes.total, 4), -1, np.int32)
    for a in range(n_rows):
        j = nodes.start + a * nodes.stride
        for b in range(nx):
            p = nodes.number[a, b]
            if p < 0:
                continue
            x = nodes.left + b * nodes.h
            run = _holds(rays, label, of.number, of.layer * rays.rows + j, x)
            theta[p, 0], theta[p, 1] = (x - rays.x0[run]) / nodes.h, (rays.x1[run] - x) / nodes.h
            if columns.rows > 0:
                ray = of.layer * columns.rows + nodes.ray + b * nodes.stride
                down, up = _along_column(columns, ray, rays.first_mm + j * rays.pitch_mm)
                theta[p, 2], theta[p, 3] = down / nodes.h, up / nodes.h
            else:
                for side in range(2):
                    far, inside = _towards(rays, label, of, j, 1 if side == 1 else -1, nodes.stride, x)
                    theta[p, 2 + side] = 2.0 if inside else far / nodes.stride
            for side in range(4):
                aa = a + (side == 3) - (side == 2)
                bb = b + (side == 1) - (side == 0)
                if theta[p, side] > 1.0 and 0 <= aa < n_rows and 0 <= bb < nx and nodes.number[aa, bb] >= 0:
                    link[p, side] = nodes.number[aa, bb]
                    theta[p, side] = 1.0
                else:
                    theta[p, side] = max(min(theta[p, side], 1.0), LEAST_THETA)
    return theta, link


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
