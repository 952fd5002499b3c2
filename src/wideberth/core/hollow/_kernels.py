"""Patterns of lattices at the nodes of a grid, small inside a bar and larger outside; and what hangs from a surface."""

import numpy as np
from numba import njit

from wideberth.core.disjoint import find


@njit(cache=True, nogil=True)
def gyroid(low, step, shape, turn, cell, k_from, k_to, out):
    """Less of sin X cos Y + sin Y cos Z + sin Z cos X, X = 2π x / cell in the turned frame, into planes of out (z, y, x)."""
    w = 2 * np.pi / cell
    for k in range(k_from, k_to):
        for j in range(shape[1]):
            for i in range(shape[2]):
                x, y, z = low[0] + i * step, low[1] + j * step, low[2] + k * step
                u = w * (turn[0, 0] * x + turn[0, 1] * y + turn[0, 2] * z)
                v = w * (turn[1, 0] * x + turn[1, 1] * y + turn[1, 2] * z)
                t = w * (turn[2, 0] * x + turn[2, 1] * y + turn[2, 2] * z)
                out[k, j, i] = -(np.sin(u) * np.cos(v) + np.sin(v) * np.cos(t) + np.sin(t) * np.cos(u))


@njit(cache=True, nogil=True)
def struts(low, step, shape, turn, cell, tall, k_from, k_to, out):
    """Distance to the nearest diagonal of cells of cell x cell x tall, in the turned frame, into planes of out (z, y, x).

    By symmetry the nearest diagonal of the cell's middle is the one of the point's own octant.
    """
    length = np.sqrt(2 * cell * cell + tall * tall)
    a, b = cell / length, tall / length
    for k in range(k_from, k_to):
        for j in range(shape[1]):
            for i in range(shape[2]):
                x, y, z = low[0] + i * step, low[1] + j * step, low[2] + k * step
                u = (turn[0, 0] * x + turn[0, 1] * y + turn[0, 2] * z) / cell
                v = (turn[1, 0] * x + turn[1, 1] * y + turn[1, 2] * z) / cell
                t = (turn[2, 0] * x + turn[2, 1] * y + turn[2, 2] * z) / tall
                u = abs(u - np.floor(u) - 0.5) * cell
                v = abs(v - np.floor(v) - 0.5) * cell
                t = abs(t - np.floor(t) - 0.5) * tall
                along = a * (u + v) + b * t
                out[k, j, i] = np.sqrt(max(0.0, u * u + v * v + t * t - along * along))


@njit(cache=True, nogil=True)
def joins_at(ends, height):
    """For each corner the height at which the piece that begins there joins one that began lower; inf for the lowest of all.

    ends : (e, 2) edges in order of their higher end. As they are added, pieces hang together; of two that meet the one that
    began higher ends there, at once where nothing began.
    """
    n = height.shape[0]
    parent = np.arange(n)
    lowest = np.arange(n)
    joined = np.full(n, np.inf)
    for e in range(ends.shape[0]):
        a, b = find(parent, ends[e, 0]), find(parent, ends[e, 1])
        if a == b:
            continue
        if height[lowest[a]] > height[lowest[b]] or (height[lowest[a]] == height[lowest[b]] and lowest[a] > lowest[b]):
            a, b = b, a
        joined[lowest[b]] = max(height[ends[e, 0]], height[ends[e, 1]])
        parent[b] = a
    return joined


@njit(cache=True, nogil=True)
def hanging(start, beside, height, low, until):
    """Corners under a height that are reached from the lowest of them along edges, it first."""
    seen = np.zeros(height.shape[0], np.bool_)
    seen[low] = True
    parts = [low]
    at = 0
    while at < len(parts):
        v = parts[at]
        at += 1
        for i in range(start[v], start[v + 1]):
            w = beside[i]
            if height[w] < until and not seen[w]:
                seen[w] = True
                parts.append(w)
    return np.array(parts)
