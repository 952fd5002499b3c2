"""How deep a mesh winds round points on a grid of vertical lines: where shells overlap, and what lies inside out."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def columns(points, faces, x0, dx, nx, y0, dy, ny):
    """Crossings of each vertical line with a mesh, sorted by height.

    Returns
    -------
    start : (nx·ny + 1,) first crossing of each line. z : heights. step : +1 entering, -1 leaving, going up.
    """
    total = np.zeros(nx * ny + 1, np.int64)
    z = np.empty(0)
    step = np.empty(0, np.int8)
    cursor = np.zeros(1, np.int64)
    for fill in range(2):
        if fill == 1:
            for c in range(nx * ny):
                total[c + 1] += total[c]
            z = np.empty(total[-1])
            step = np.empty(total[-1], np.int8)
            cursor = total[:-1].copy()
        for f in range(faces.shape[0]):
            a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
            ax, ay, bx, by, cx, cy = points[a, 0], points[a, 1], points[b, 0], points[b, 1], points[c, 0], points[c, 1]
            area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
            if area == 0:
                continue
            j0 = max(0, int(np.ceil((min(ay, by, cy) - y0) / dy)))
            j1 = min(ny - 1, int(np.floor((max(ay, by, cy) - y0) / dy)))
            i0 = max(0, int(np.ceil((min(ax, bx, cx) - x0) / dx)))
            i1 = min(nx - 1, int(np.floor((max(ax, bx, cx) - x0) / dx)))
            for j in range(j0, j1 + 1):
                y = y0 + j * dy
                for i in range(i0, i1 + 1):
                    x = x0 + i * dx
                    u = (cx - bx) * (y - by) - (cy - by) * (x - bx)
                    v = (ax - cx) * (y - cy) - (ay - cy) * (x - cx)
                    w = area - u - v
                    if (area > 0 and (u < 0 or v < 0 or w < 0)) or (area < 0 and (u > 0 or v > 0 or w > 0)):
                        continue
                    line = j * nx + i
                    if fill == 0:
                        total[line + 1] += 1
                    else:
                        k = cursor[line]
                        z[k] = (u * points[a, 2] + v * points[b, 2] + w * points[c, 2]) / area
                        step[k] = -1 if area > 0 else 1
                        cursor[line] += 1
    for line in range(nx * ny):
        s, e = total[line], total[line + 1]
        if e - s > 1:
            order = np.argsort(z[s:e])
            z[s:e] = z[s:e][order]
            step[s:e] = step[s:e][order]
    return total, z, step


@njit(cache=True, nogil=True)
def deepest(start, z, step, thickness):
    """Greatest and least winding on each line, counted only where it lasts over a thickness, and where the greatest is.

    Lines that do not come back to zero say nothing: their entries are 0.
    """
    n = start.size - 1
    most, least, at = np.zeros(n, np.int32), np.zeros(n, np.int32), np.zeros(n)
    for line in range(n):
        s, e = start[line], start[line + 1]
        total = 0
        for k in range(s, e):
            total += step[k]
        if total != 0:
            continue
        winding = 0
        for k in range(s, e - 1):
            winding += step[k]
            if z[k + 1] - z[k] > thickness:
                if winding > most[line]:
                    most[line] = winding
                    at[line] = 0.5 * (z[k] + z[k + 1])
                if winding < least[line]:
                    least[line] = winding
    return most, least, at
