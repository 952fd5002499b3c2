"""Distances to a mesh at the nodes of a grid, in a band along its surface: faces write to the nodes beside them, and from
there each node hands its nearest face on to its neighbours (a vector distance transform that carries faces, not points)."""

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from wideberth.core.model._kernels.closest import foot_on

NONE = -1


class Field(NamedTuple):
    """A mesh, the grid about it (node (k, j, i) at low + step (i, j, k), arrays flat), and the nearest face that a node knows."""

    points: NDArray[np.float64]
    faces: NDArray[np.int32]
    normals: NDArray[np.float64]
    low: NDArray[np.float64]
    step: float
    shape: tuple[int, int, int]
    wanted: NDArray[np.bool_]
    far: NDArray[np.float32]
    face: NDArray[np.int32]


@njit(cache=True, nogil=True)
def _distance(points, faces, normals, f, x, y, z, known):
    """Distance from (x, y, z) to a face, or `known` when already its plane lies no nearer than that."""
    a = faces[f, 0]
    upright = abs(normals[f, 0] * (x - points[a, 0]) + normals[f, 1] * (y - points[a, 1]) + normals[f, 2] * (z - points[a, 2]))
    if upright >= known:
        return known
    qx, qy, qz = foot_on(x, y, z, points, a, faces[f, 1], faces[f, 2])
    return np.float32(np.sqrt((qx - x) ** 2 + (qy - y) ** 2 + (qz - z) ** 2))


@njit(cache=True, nogil=True)
def write_beside(field, beside, k_from, k_to):
    """Offer each face to the wanted nodes of planes k_from to k_to that lie no farther than `beside` from it.

    Along the axis that the face looks to most, only the nodes near its plane are gone through.
    """
    points, faces, normals, low, step = field.points, field.faces, field.normals, field.low, field.step
    wanted, far, face, (nz, ny, nx) = field.wanted, field.far, field.face, field.shape
    lo, hi = np.empty(3, np.int64), np.empty(3, np.int64)
    count = (nx, ny, nz)
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
                    if not wanted[at]:
                        continue
                    x, y, z = low[0] + node[0] * step, low[1] + node[1] * step, low[2] + node[2] * step
                    d = _distance(points, faces, normals, f, x, y, z, far[at])
                    if d < far[at] and d <= beside:
                        far[at], face[at] = d, f


@njit(cache=True, nogil=True)
def hand_on(field, reach, k_from, k_to, waiting):
    """Let waiting nodes hand their faces on to wanted neighbours in planes k_from to k_to, the nearest first, until all rest.

    waiting : nodes that others have not heard from yet; what changes waits in its turn. Nodes wait until a limit of distance that
    grows by half a step has come to them, so that what they hand on is nearly always final.
    """
    points, faces, normals, low, step = field.points, field.faces, field.normals, field.low, field.step
    wanted, far, face, (_, ny, nx) = field.wanted, field.far, field.face, field.shape
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
                        x, y, z = low[0] + ii * step, low[1] + jj * step, low[2] + kk * step
                        d = _distance(points, faces, normals, f, x, y, z, far[other])
                        if d >= far[other] or d > reach:
                            continue
                        far[other], face[other] = d, f
                        if not waits[other]:
                            if held == queue.size:
                                longer = np.empty(2 * held, np.int64)
                                longer[:held] = queue
                                queue = longer
                            waits[other] = True
                            queue[held] = other
                            held += 1
