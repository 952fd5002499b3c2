"""Which triangles a line along z passes through."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def pierce(points, faces):
    """Triangles around the z axis: their numbers, z of the crossing, and +1 where a line going up enters, -1 leaves.

    Half-open in y on shared edges, so that the crossings of a closed mesh sum to zero.
    """
    face = np.empty(64, np.int64)
    z = np.empty(64)
    step = np.empty(64, np.int64)
    n = 0
    for f in range(faces.shape[0]):
        winding = 0
        for e in range(3):
            a, b = faces[f, e], faces[f, (e + 1) % 3]
            ay, by = points[a, 1], points[b, 1]
            if (ay <= 0) == (by <= 0):
                continue
            if ay <= 0:
                x = points[a, 0] - ay * (points[b, 0] - points[a, 0]) / (by - ay)
                winding += 1 if x > 0 else 0
            else:
                x = points[b, 0] - by * (points[a, 0] - points[b, 0]) / (ay - by)
                winding -= 1 if x > 0 else 0
        if winding == 0:
            continue
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        ux, uy, uz = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        vx, vy, vz = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        if nz == 0:
            continue
        if n == face.size:
            face = np.concatenate((face, np.empty(n, np.int64)))
            z = np.concatenate((z, np.empty(n)))
            step = np.concatenate((step, np.empty(n, np.int64)))
        face[n] = f
        z[n] = points[a, 2] + (nx * points[a, 0] + ny * points[a, 1]) / nz
        step[n] = -winding
        n += 1
    return face[:n].copy(), z[:n].copy(), step[:n].copy()
