"""Pressures in a network of links, some of its nodes held."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def pressures(a, b, g, fixed, start, tolerance):
    """Pressure of each node such that what flows in flows out of those that are not fixed: conjugate gradients, scaled by the
    diagonal. Nodes that nothing links to a fixed one must be fixed as well. Returns pressures (nodes,)."""
    n = start.size
    p, diagonal, residue = start.copy(), np.zeros(n), np.zeros(n)
    for k in range(a.size):
        diagonal[a[k]] += g[k]
        diagonal[b[k]] += g[k]
        flow = g[k] * (p[a[k]] - p[b[k]])
        residue[a[k]] -= flow
        residue[b[k]] += flow
    z, d, q = np.zeros(n), np.zeros(n), np.zeros(n)
    rz = 0.0
    for i in range(n):
        if fixed[i]:
            residue[i] = 0.0
        elif diagonal[i] > 0.0:
            z[i] = residue[i] / diagonal[i]
            d[i] = z[i]
            rz += residue[i] * z[i]
    first = rz
    for _ in range(20 * n):
        if rz <= tolerance * tolerance * first or rz == 0.0:
            break
        q[:] = 0.0
        for k in range(a.size):
            flow = g[k] * (d[a[k]] - d[b[k]])
            q[a[k]] += flow
            q[b[k]] -= flow
        dq = 0.0
        for i in range(n):
            if not fixed[i]:
                dq += d[i] * q[i]
        step = rz / dq
        after = 0.0
        for i in range(n):
            if not fixed[i] and diagonal[i] > 0.0:
                p[i] += step * d[i]
                residue[i] -= step * q[i]
                z[i] = residue[i] / diagonal[i]
                after += residue[i] * z[i]
        for i in range(n):
            if not fixed[i]:
                d[i] = z[i] + after / rz * d[i]
        rz = after
    return p


@njit(cache=True, nogil=True)
def reached(a, b, fixed):
    """Which nodes some links join to a fixed one, (nodes,)."""
    on = fixed.copy()
    again = True
    while again:
        again = False
        for k in range(a.size):
            if on[a[k]] != on[b[k]]:
                on[a[k]] = on[b[k]] = True
                again = True
        for k in range(a.size - 1, -1, -1):
            if on[a[k]] != on[b[k]]:
                on[a[k]] = on[b[k]] = True
                again = True
    return on
