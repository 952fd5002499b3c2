"""Straight lines through the cells of a mesh: the first face that each one meets."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True, inline="always")
def _meets(points, face, spot, along):
    """Distance along a line to a triangle, negative or infinite when it misses (T. Möller, B. Trumbore, 1997)."""
    a, b, c = face
    (px, py, pz), (dx, dy, dz) = spot, along
    ax, ay, az = points[a, 0], points[a, 1], points[a, 2]
    ux, uy, uz = points[b, 0] - ax, points[b, 1] - ay, points[b, 2] - az
    vx, vy, vz = points[c, 0] - ax, points[c, 1] - ay, points[c, 2] - az
    hx, hy, hz = dy * vz - dz * vy, dz * vx - dx * vz, dx * vy - dy * vx
    turn = ux * hx + uy * hy + uz * hz
    if abs(turn) < 1e-300:
        return np.inf
    sx, sy, sz = px - ax, py - ay, pz - az
    u = (sx * hx + sy * hy + sz * hz) / turn
    if u < -1e-9 or u > 1 + 1e-9:
        return np.inf
    qx, qy, qz = sy * uz - sz * uy, sz * ux - sx * uz, sx * uy - sy * ux
    v = (dx * qx + dy * qy + dz * qz) / turn
    if v < -1e-9 or u + v > 1 + 1e-9:
        return np.inf
    return (vx * qx + vy * qy + vz * qz) / turn


@njit(cache=True, nogil=True)
def first_hits(cells, spots, along, least):
    """Distance from each spot (s, 3) along its unit direction (s, 3) to the first face beyond `least`; infinite if none.

    Walks from cell to cell along the line (J. Amanatides, A. Woo, 1987).
    """
    points, faces, low, cell, (nx, ny, nz) = cells.points, cells.faces, cells.low, cells.size, cells.shape
    start, held = cells.start, cells.held
    count = np.array([nx, ny, nz])
    result = np.full(spots.shape[0], np.inf)
    at = np.zeros(3, np.int64)
    step = np.zeros(3, np.int64)
    until = np.zeros(3)
    each = np.zeros(3)
    for s in range(spots.shape[0]):
        enter, leave = 0.0, np.inf
        for k in range(3):
            d, p = along[s, k], spots[s, k] - low[k]
            if abs(d) < 1e-300:
                if p < 0 or p > count[k] * cell:
                    leave = -1.0
                continue
            near, far = -p / d, (count[k] * cell - p) / d
            enter, leave = max(enter, min(near, far)), min(leave, max(near, far))
        if enter > leave:
            continue
        for k in range(3):
            d, p = along[s, k], spots[s, k] - low[k]
            place = p + enter * d
            at[k] = min(count[k] - 1, max(0, int(place / cell)))
            step[k] = 1 if d > 0 else -1
            if abs(d) < 1e-300:
                until[k], each[k] = np.inf, np.inf
            else:
                until[k] = ((at[k] + (1 if d > 0 else 0)) * cell - p) / d
                each[k] = cell / abs(d)
        best = np.inf
        while True:
            c = (at[2] * ny + at[1]) * nx + at[0]
            for h in range(start[c], start[c + 1]):
                f = held[h]
                t = _meets(points, faces[f], spots[s], along[s])
                if least < t < best:
                    best = t
            k = 0
            if until[1] < until[0]:
                k = 1
            if until[2] < until[k]:
                k = 2
            if best <= until[k] or until[k] == np.inf:
                break
            at[k] += step[k]
            if at[k] < 0 or at[k] >= count[k]:
                break
            until[k] += each[k]
        result[s] = best
    return result
