"""Distances to a mesh at the nodes of a grid, in a band along its surface: faces write to the nodes beside them, and from
there each node hands its nearest face on to its neighbours (a vector distance transform that carries faces, not points)."""

import numpy as np
from numba import njit

from wideberth.core.model._kernels.closest import foot_on

NONE = -1


@njit(cache=True, nogil=True)
def _offered(at, k, j, i, f, points, faces, normals, low, step, reach, far, face):
    """Offer a face to a node: kept when it is nearer than what the node has. True when it was kept."""
    px, py, pz = low[0] + i * step, low[1] + j * step, low[2] + k * step
    a = faces[f, 0]
    upright = abs(normals[f, 0] * (px - points[a, 0]) + normals[f, 1] * (py - points[a, 1]) + normals[f, 2] * (pz - points[a, 2]))
    if upright >= far[at]:
        return False
    qx, qy, qz = foot_on(px, py, pz, points, a, faces[f, 1], faces[f, 2])
    d = np.float32(np.sqrt((qx - px) ** 2 + (qy - py) ** 2 + (qz - pz) ** 2))
    if d < far[at] and d <= reach:
        far[at] = d
        face[at] = f
        return True
    return False


@njit(cache=True, nogil=True)
def write_beside(points, faces, normals, low, step, shape, wanted, beside, k_from, k_to, far, face):
    """Offer each face to the wanted nodes of planes k_from to k_to that lie no farther than `beside` from it.

    Along the axis that the face looks to most, only the nodes near its plane are gone through.
    """
    ny, nx = shape[1], shape[2]
    lo, hi = np.empty(3, np.int64), np.empty(3, np.int64)
    count = (nx, ny, shape[0])
    stride = (1, nx, ny * nx)
    node = np.empty(3, np.int64)
    for f in range(faces.shape[0]):
        a, b, c = points[faces[f, 0]], points[faces[f, 1]], points[faces[f, 2]]
        for axis in range(3):
            lo[axis] = max(0, int(np.ceil((min(a[axis], b[axis], c[axis]) - beside - low[axis]) / step)))
            hi[axis] = min(count[axis] - 1, int(np.floor((max(a[axis], b[axis], c[axis]) + beside - low[axis]) / step)))
        lo[2] = max(lo[2], k_from)
        hi[2] = min(hi[2], k_to - 1)
        if lo[0] > hi[0] or lo[1] > hi[1] or lo[2] > hi[2]:
            continue
        nx_, ny_, nz_ = abs(normals[f, 0]), abs(normals[f, 1]), abs(normals[f, 2])
        main = 0 if nx_ >= ny_ and nx_ >= nz_ else 1 if ny_ >= nz_ else 2
        u, v = (main + 1) % 3, (main + 2) % 3
        n_main = normals[f, main]
        if n_main == 0.0:  # a face without area: its edges belong to its neighbours
            continue
        around = beside / abs(n_main)
        for iv in range(lo[v], hi[v] + 1):
            for iu in range(lo[u], hi[u] + 1):
                at_u, at_v = low[u] + iu * step, low[v] + iv * step
                plane = a[main] - (normals[f, u] * (at_u - a[u]) + normals[f, v] * (at_v - a[v])) / n_main
                first = max(lo[main], int(np.ceil((plane - around - low[main]) / step)))
                last = min(hi[main], int(np.floor((plane + around - low[main]) / step)))
                for im in range(first, last + 1):
                    node[main], node[u], node[v] = im, iu, iv
                    at = node[0] * stride[0] + node[1] * stride[1] + node[2] * stride[2]
                    if wanted[at]:
                        _offered(at, node[2], node[1], node[0], f, points, faces, normals, low, step, beside, far, face)


@njit(cache=True, nogil=True)
def hand_on(points, faces, normals, low, step, shape, wanted, reach, k_from, k_to, waiting, far, face):
    """Let waiting nodes hand their faces on to wanted neighbours in planes k_from to k_to, the nearest first, until all rest.

    waiting : nodes that others have not heard from yet; what changes waits in its turn. Nodes wait until a limit of distance that
    grows by half a step has come to them, so that what they hand on is nearly always final.
    """
    ny, nx = shape[1], shape[2]
    queue = np.empty(max(64, 2 * waiting.size), np.int64)
    queue[: waiting.size] = waiting
    held = waiting.size
    waits = np.zeros(wanted.size, np.bool_)
    for n in range(held):
        waits[queue[n]] = True
    limit = 0.0
    while held > 0:
        limit += 0.5 * step
        n = 0
        while n < held:
            at = queue[n]
            if far[at] > limit:
                n += 1
                continue
            held -= 1
            queue[n] = queue[held]
            waits[at] = False
            k, rest = at // (ny * nx), at % (ny * nx)
            j, i = rest // nx, rest % nx
            f = face[at]
            for kk in range(max(k_from, k - 1), min(k_to, k + 2)):
                for jj in range(max(0, j - 1), min(ny, j + 2)):
                    for ii in range(max(0, i - 1), min(nx, i + 2)):
                        other = (kk * ny + jj) * nx + ii
                        if not wanted[other] or face[other] == f:
                            continue
                        if not _offered(other, kk, jj, ii, f, points, faces, normals, low, step, reach, far, face):
                            continue
                        if not waits[other]:
                            if held == queue.size:
                                longer = np.empty(2 * held, np.int64)
                                longer[:held] = queue
                                queue = longer
                            waits[other] = True
                            queue[held] = other
                            held += 1
