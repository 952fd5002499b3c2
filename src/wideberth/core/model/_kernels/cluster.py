"""Points gathered into cells: the quick first step towards a lighter mesh."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def cluster(points, faces, low, cell, nx, ny, nz):
    """The mesh with the points of each cell drawn together at their mean; faces that shrink to nothing are dropped.

    Every edge keeps as many faces on one side as on the other, so that a closed mesh stays closed.
    """
    number = np.full(nx * ny * nz, -1, np.int32)
    of = np.empty(points.shape[0], np.int32)
    total = np.zeros((points.shape[0], 3))
    size = np.zeros(points.shape[0], np.int32)
    count = 0
    for p in range(points.shape[0]):
        i = min(nx - 1, int((points[p, 0] - low[0]) / cell))
        j = min(ny - 1, int((points[p, 1] - low[1]) / cell))
        k = min(nz - 1, int((points[p, 2] - low[2]) / cell))
        c = (k * ny + j) * nx + i
        if number[c] < 0:
            number[c] = count
            count += 1
        n = number[c]
        of[p] = n
        size[n] += 1
        for axis in range(3):
            total[n, axis] += points[p, axis]
    kept = np.empty((faces.shape[0], 3), np.int32)
    m = 0
    for f in range(faces.shape[0]):
        a, b, c = of[faces[f, 0]], of[faces[f, 1]], of[faces[f, 2]]
        if a != b and b != c and c != a:
            kept[m, 0], kept[m, 1], kept[m, 2] = a, b, c
            m += 1
    for n in range(count):
        for axis in range(3):
            total[n, axis] /= size[n]
    return total[:count].copy(), kept[:m].copy()
