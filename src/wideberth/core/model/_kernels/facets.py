"""What each triangle of a mesh spans."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def crosses(points, faces):
    """Cross product of two sides of each triangle, (m, 3): its normal, twice its area long."""
    out = np.empty((len(faces), 3))
    for f in range(len(faces)):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        out[f, 0] = uy * vz - uz * vy
        out[f, 1] = uz * vx - ux * vz
        out[f, 2] = ux * vy - uy * vx
    return out
