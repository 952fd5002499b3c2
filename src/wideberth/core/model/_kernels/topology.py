"""Edges, shells and fans of a triangle mesh: who shares what with whom."""

import numpy as np
from numba import njit

from wideberth.core.disjoint import find, unite


@njit(cache=True, nogil=True)
def edges(faces, points):
    """Number the edges of a mesh.

    Returns
    -------
    edge_of : (m, 3) int32, edge of corner i to corner i + 1 of each face. ends : (e, 2) int32, lower corner first.
    uses : (e,) int32, faces at the edge. net : (e,) int32, how often it is walked upward less downward: 0 where the faces
    on both sides agree.
    """
    m = faces.shape[0]
    busy = np.zeros(points, np.int32)
    for f in range(m):
        for i in range(3):
            busy[faces[f, i]] += 1
    first = np.zeros(points + 1, np.int64)
    for f in range(m):
        for i in range(3):
            a, b = faces[f, i], faces[f, (i + 1) % 3]
            first[(a if busy[a] < busy[b] or (busy[a] == busy[b] and a < b) else b) + 1] += 1
    for p in range(points):
        first[p + 1] += first[p]
    other = np.empty(3 * m, np.int32)
    number = np.empty(3 * m, np.int32)
    filled = np.zeros(points, np.int32)
    edge_of = np.empty((m, 3), np.int32)
    ends = np.empty((3 * m, 2), np.int32)
    uses = np.zeros(3 * m, np.int32)
    net = np.zeros(3 * m, np.int32)
    count = 0
    for f in range(m):
        for i in range(3):
            a, b = faces[f, i], faces[f, (i + 1) % 3]
            # kept at the corner with fewer faces, so that the hub of a large fan costs nothing
            at, far = (a, b) if busy[a] < busy[b] or (busy[a] == busy[b] and a < b) else (b, a)
            edge = -1
            for k in range(first[at], first[at] + filled[at]):
                if other[k] == far:
                    edge = number[k]
                    break
            if edge < 0:
                edge = count
                k = first[at] + filled[at]
                other[k], number[k] = far, count
                filled[at] += 1
                ends[count, 0], ends[count, 1] = min(a, b), max(a, b)
                count += 1
            edge_of[f, i] = edge
            uses[edge] += 1
            net[edge] += 1 if a < b else -1
    return edge_of, ends[:count].copy(), uses[:count].copy(), net[:count].copy()


@njit(cache=True, nogil=True)
def shells(edge_of, edge_count):
    """Number the pieces that hang together by edges: (m,) int32, and how many there are."""
    m = edge_of.shape[0]
    parent = np.arange(m).astype(np.int32)
    seen = np.full(edge_count, -1, np.int32)
    for f in range(m):
        for i in range(3):
            e = edge_of[f, i]
            if seen[e] < 0:
                seen[e] = f
            else:
                unite(parent, f, seen[e])
    label = np.empty(m, np.int32)
    count = 0
    for f in range(m):
        r = find(parent, f)
        if r == f:
            label[f] = count
            count += 1
        else:
            label[f] = label[r]
    return label, count


@njit(cache=True, nogil=True)
def fans(faces, edge_of, edge_count, points):
    """How many fans of faces meet at each corner, (points,) int32: 1 on a manifold, 0 where no face is."""
    m = faces.shape[0]
    parent = np.arange(3 * m).astype(np.int32)
    seen = np.full((edge_count, 2), -1, np.int32)
    count = np.zeros(points, np.int32)
    for f in range(m):
        for i in range(3):
            count[faces[f, i]] += 1
    for f in range(m):
        for i in range(3):
            e = edge_of[f, i]
            j = (i + 1) % 3
            for which in range(2):
                here = 3 * f + (i if which == 0 else j)
                corner = faces[f, here - 3 * f]
                partner = faces[f, j] if which == 0 else faces[f, i]
                side = 0 if corner < partner else 1
                if seen[e, side] < 0:
                    seen[e, side] = here
                else:
                    a, b = find(parent, here), find(parent, seen[e, side])
                    if a != b:
                        unite(parent, a, b)
                        count[corner] -= 1
    return count


@njit(cache=True, nogil=True)
def orient(faces, edge_of, uses, area):
    """Which faces to turn so that neighbours agree: (m,) bool. In each piece the larger area stays as it is.

    Goes over edges with exactly two faces; at others nothing is known.
    """
    m = faces.shape[0]
    neighbour = np.full((uses.size, 2), -1, np.int32)
    for f in range(m):
        for i in range(3):
            e = edge_of[f, i]
            if uses[e] == 2:
                neighbour[e, 0 if neighbour[e, 0] < 0 else 1] = f
    turned = np.zeros(m, np.bool_)
    state = np.zeros(m, np.int8)
    queue = np.empty(m, np.int32)
    for start in range(m):
        if state[start] != 0:
            continue
        state[start] = 1
        queue[0] = start
        head, tail = 0, 1
        kept, against = 0.0, 0.0
        while head < tail:
            f = queue[head]
            head += 1
            if turned[f]:
                against += area[f]
            else:
                kept += area[f]
            for i in range(3):
                e = edge_of[f, i]
                if uses[e] != 2:
                    continue
                g = neighbour[e, 1] if neighbour[e, 0] == f else neighbour[e, 0]
                if g < 0 or state[g] != 0:
                    continue
                up_f = faces[f, i] < faces[f, (i + 1) % 3]
                up_g = up_f
                for j in range(3):
                    if edge_of[g, j] == e:
                        up_g = faces[g, j] < faces[g, (j + 1) % 3]
                turned[g] = turned[f] if up_f != up_g else not turned[f]
                state[g] = 1
                queue[tail] = g
                tail += 1
        if against > kept:
            for k in range(tail):
                turned[queue[k]] = not turned[queue[k]]
    return turned


@njit(cache=True, nogil=True)
def measure_shells(points, faces, label, count, edge_of, uses, cx, cy, cz):
    """Volume about a point, area, box and closedness of each piece: (count,), (count,), (count, 3), (count, 3), (count,)."""
    volume, area = np.zeros(count), np.zeros(count)
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    closed = np.ones(count, np.bool_)
    for f in range(faces.shape[0]):
        s = label[f]
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        ax, ay, az = points[a, 0] - cx, points[a, 1] - cy, points[a, 2] - cz
        bx, by, bz = points[b, 0] - cx, points[b, 1] - cy, points[b, 2] - cz
        qx, qy, qz = points[c, 0] - cx, points[c, 1] - cy, points[c, 2] - cz
        volume[s] += (ax * (by * qz - bz * qy) + ay * (bz * qx - bx * qz) + az * (bx * qy - by * qx)) / 6
        ux, uy, uz = bx - ax, by - ay, bz - az
        vx, vy, vz = qx - ax, qy - ay, qz - az
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        area[s] += 0.5 * np.sqrt(nx * nx + ny * ny + nz * nz)
        for i in range(3):
            if uses[edge_of[f, i]] == 1:
                closed[s] = False
            for k in range(3):
                value = points[faces[f, i], k]
                low[s, k] = min(low[s, k], value)
                high[s, k] = max(high[s, k], value)
    return volume, area, low, high, closed
