"""Patterns of lattices at the nodes of a grid: small inside a bar, larger outside."""

import numpy as np
from numba import njit


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
