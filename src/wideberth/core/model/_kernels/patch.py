"""The triangulation of a closed polygon in space that has the least area."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def _area(p, i, j, k):
    ux, uy, uz = p[j, 0] - p[i, 0], p[j, 1] - p[i, 1], p[j, 2] - p[i, 2]
    vx, vy, vz = p[k, 0] - p[i, 0], p[k, 1] - p[i, 1], p[k, 2] - p[i, 2]
    x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    return 0.5 * np.sqrt(x * x + y * y + z * z)


@njit(cache=True, nogil=True)
def least_area(rim):
    """Triangles (n - 2, 3) over the corners (n, 3) of a polygon, walking it in its order, with the least area in all."""
    n = rim.shape[0]
    best = np.zeros((n, n))
    middle = np.full((n, n), -1, np.int32)
    for span in range(2, n):
        for i in range(n - span):
            k = i + span
            least, at = np.inf, -1
            for j in range(i + 1, k):
                area = best[i, j] + best[j, k] + _area(rim, i, j, k)
                if area < least:
                    least, at = area, j
            best[i, k], middle[i, k] = least, at
    made = np.empty((n - 2, 3), np.int64)
    stack = np.empty((n, 2), np.int64)
    stack[0, 0], stack[0, 1] = 0, n - 1
    depth, count = 1, 0
    while depth > 0:
        depth -= 1
        i, k = stack[depth, 0], stack[depth, 1]
        if k - i < 2:
            continue
        j = middle[i, k]
        made[count, 0], made[count, 1], made[count, 2] = i, j, k
        count += 1
        stack[depth, 0], stack[depth, 1] = i, j
        depth += 1
        stack[depth, 0], stack[depth, 1] = j, k
        depth += 1
    return made


@njit(cache=True, nogil=True)
def crosses_itself(flat):
    """Whether any two edges of a closed polygon (n, 2) cross."""
    n = flat.shape[0]
    for i in range(n):
        ax, ay = flat[i]
        bx, by = flat[(i + 1) % n]
        low_x, high_x, low_y, high_y = min(ax, bx), max(ax, bx), min(ay, by), max(ay, by)
        for j in range(i + 2, n):
            cx, cy = flat[j]
            dx, dy = flat[(j + 1) % n]
            if max(cx, dx) < low_x or min(cx, dx) > high_x or max(cy, dy) < low_y or min(cy, dy) > high_y:
                continue
            one = ((bx - ax) * (cy - ay) - (by - ay) * (cx - ax)) * ((bx - ax) * (dy - ay) - (by - ay) * (dx - ax))
            other = ((dx - cx) * (ay - cy) - (dy - cy) * (ax - cx)) * ((dx - cx) * (by - cy) - (dy - cy) * (bx - cx))
            if one < 0 and other < 0:
                return True
    return False
