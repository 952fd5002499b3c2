"""Points gathered into cells: the quick first step towards a lighter mesh."""

import numpy as np
from numba import njit

FIRM = 1e-2
"""How firmly a cell's point stays at the mean where its faces leave it free, as a share of what they say."""
AWAY = 0.3
"""Cosine from which a face looks the other way."""


@njit(cache=True, nogil=True)
def cells(points, low, cell, nx, ny):
    """The cell of each point, (n,)."""
    at = np.empty(points.shape[0], np.int64)
    for p in range(points.shape[0]):
        i, j = int((points[p, 0] - low[0]) / cell), int((points[p, 1] - low[1]) / cell)
        k = int((points[p, 2] - low[2]) / cell)
        at[p] = (k * ny + j) * nx + i
    return at


@njit(cache=True, nogil=True)
def sides(points, faces, of, count):
    """Twice the cell of each point, `of` one of `count`, and one more where its faces look the other way than most of the cell:
    so that the two sides of a thin wall are not drawn together, (n,)."""
    normal, looks = np.zeros((points.shape[0], 3)), np.zeros((count, 3))
    for f in range(faces.shape[0]):
        across = _cross(points, faces, f)
        for corner in range(3):
            for axis in range(3):
                normal[faces[f, corner], axis] += across[axis]
    for p in range(points.shape[0]):
        for axis in range(3):
            looks[of[p], axis] += abs(normal[p, axis])
    side = np.empty(points.shape[0], np.int64)
    for p in range(points.shape[0]):
        axis = np.argmax(looks[of[p]])
        n = normal[p]
        back = n[axis] < -AWAY * np.sqrt(n[0] ** 2 + n[1] ** 2 + n[2] ** 2)
        side[p] = 2 * of[p] + (1 if back else 0)
    return side


@njit(cache=True, nogil=True)
def gathered(points, faces, of, count, most):
    """The mesh with all points `of` one of `count` cells drawn together where the planes of their faces meet, or nearly so, no
    farther than `most` from their mean; faces that shrink to nothing are dropped.

    Every edge keeps as many faces on one side as on the other, so that a closed mesh stays closed. The place is Lindstrom's
    (Out-of-core simplification of large polygonal models, 2000): the least sum of squared distances from these planes.
    """
    mean, size = np.zeros((count, 3)), np.zeros(count, np.int64)
    for p in range(points.shape[0]):
        size[of[p]] += 1
        for axis in range(3):
            mean[of[p], axis] += points[p, axis]
    for n in range(count):
        for axis in range(3):
            mean[n, axis] /= max(size[n], 1)
    squares, right = np.zeros((count, 3, 3)), np.zeros((count, 3))
    kept, m = np.empty((faces.shape[0], 3), np.int32), 0
    for f in range(faces.shape[0]):
        a, b, c = of[faces[f, 0]], of[faces[f, 1]], of[faces[f, 2]]
        if a != b and b != c and c != a:
            kept[m, 0], kept[m, 1], kept[m, 2] = a, b, c
            m += 1
        across = _cross(points, faces, f)
        length = np.sqrt(across[0] ** 2 + across[1] ** 2 + across[2] ** 2)
        if length <= 0:
            continue
        for n in (a, b, c):
            off = 0.0
            for axis in range(3):
                off += across[axis] * (points[faces[f, 0], axis] - mean[n, axis])
            for i in range(3):
                right[n, i] += across[i] * off / length
                for j in range(3):
                    squares[n, i, j] += across[i] * across[j] / length
    for n in range(count):
        s = squares[n]
        trace = s[0, 0] + s[1, 1] + s[2, 2]
        if trace <= 0:
            continue
        for axis in range(3):
            s[axis, axis] += FIRM * trace
        step = _solved(s, right[n])
        for axis in range(3):
            mean[n, axis] += min(max(step[axis], -most), most)
    return mean, kept[:m].copy()


@njit(cache=True, nogil=True)
def _cross(points, faces, f):
    """Normal of a face, as long as twice its area."""
    a, b, c = points[faces[f, 0]], points[faces[f, 1]], points[faces[f, 2]]
    u0, u1, u2 = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    v0, v1, v2 = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    return u1 * v2 - u2 * v1, u2 * v0 - u0 * v2, u0 * v1 - u1 * v0


@njit(cache=True, nogil=True)
def _solved(s, r):
    """x of s x = r for a symmetric s (3, 3), by Cramer's rule."""
    xx, yy, zz, xy, xz, yz = s[0, 0], s[1, 1], s[2, 2], s[0, 1], s[0, 2], s[1, 2]
    c0, c1, c2 = yy * zz - yz * yz, xz * yz - xy * zz, xy * yz - xz * yy
    d0, d1, d2 = xx * zz - xz * xz, xy * xz - xx * yz, xx * yy - xy * xy
    whole = xx * c0 + xy * c1 + xz * c2
    x = c0 * r[0] + c1 * r[1] + c2 * r[2]
    y = c1 * r[0] + d0 * r[1] + d1 * r[2]
    z = c2 * r[0] + d1 * r[1] + d2 * r[2]
    return x / whole, y / whole, z / whole
