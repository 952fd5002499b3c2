"""Runs to components, their measures, their links to the layer below, and bodies swept upward."""

import math

import numpy as np
from numba import njit

from wideberth.core.disjoint import find, unite


@njit(cache=True, nogil=True)
def components(offsets, x0, x1, ny, nz):
    """Component of each run, and the first component of each layer (nz + 1)."""
    n = x0.size
    parent = np.arange(n)
    label = np.empty(n, np.int32)
    first = np.zeros(nz + 1, np.int64)
    count = 0
    for k in range(nz):
        for j in range(ny - 1):
            r = k * ny + j
            a, b = offsets[r], offsets[r + 1]
            a_end, b_end = offsets[r + 1], offsets[r + 2]
            while a < a_end and b < b_end:
                if x0[a] < x1[b] and x0[b] < x1[a]:
                    unite(parent, a, b)
                if x1[a] < x1[b]:
                    a += 1
                else:
                    b += 1
        for i in range(offsets[k * ny], offsets[(k + 1) * ny]):
            root = find(parent, i)
            if root == i:
                label[i] = count
                count += 1
            else:
                label[i] = label[root]
        first[k + 1] = count
    return label, first


@njit(cache=True, nogil=True)
def measures(offsets, x0, x1, label, count, ny, nz, y0, dy):
    """Per component: area, first moments and central second moments, then bounds; (count, 9) array.

    Columns: area, cx, cy, polar moment about the centroid, x min, x max, row min, row max, layer.
    """
    m = np.zeros((count, 9))
    m[:, 4] = np.inf
    m[:, 5] = -np.inf
    m[:, 6] = np.inf
    m[:, 7] = -np.inf
    for k in range(nz):
        for j in range(ny):
            r = k * ny + j
            y = y0 + j * dy
            for i in range(offsets[r], offsets[r + 1]):
                c = label[i]
                length = x1[i] - x0[i]
                mid = 0.5 * (x0[i] + x1[i])
                m[c, 0] += length * dy
                m[c, 1] += length * dy * mid
                m[c, 2] += length * dy * y
                m[c, 3] += length * dy * (mid * mid + length * length / 12 + y * y + dy * dy / 12)
                m[c, 4] = min(m[c, 4], x0[i])
                m[c, 5] = max(m[c, 5], x1[i])
                m[c, 6] = min(m[c, 6], j)
                m[c, 7] = max(m[c, 7], j)
                m[c, 8] = k
    for c in range(count):
        if m[c, 0] > 0:
            m[c, 1] /= m[c, 0]
            m[c, 2] /= m[c, 0]
            m[c, 3] = max(m[c, 3] - m[c, 0] * (m[c, 1] ** 2 + m[c, 2] ** 2), 0.0)
    return m


@njit(cache=True, nogil=True)
def perimeters(offsets, x0, x1, label, count, ny, nz, dy):
    """Perimeter of each component from the polyline through the run ends of neighbouring rows.

    Between two rows, runs that overlap form a clump. Its outer ends are joined by slanted lines; a gap or run that only
    one row has is closed by a cap of its width and half a row. A gap that both rows have parts two clumps.
    """
    total = np.zeros(count)
    for k in range(nz):
        for j in range(-1, ny):
            r = k * ny + j
            a = a_end = b = b_end = 0
            if j >= 0:
                a, a_end = offsets[r], offsets[r + 1]
            if j + 1 < ny:
                b, b_end = offsets[r + 1], offsets[r + 2]
            while a < a_end or b < b_end:
                if b >= b_end or (a < a_end and x1[a] <= x0[b]):
                    total[label[a]] += x1[a] - x0[a] + 0.5 * dy
                    a += 1
                    continue
                if a >= a_end or x1[b] <= x0[a]:
                    total[label[b]] += x1[b] - x0[b] + 0.5 * dy
                    b += 1
                    continue
                c = label[a]
                length = math.hypot(x0[a] - x0[b], dy)
                # walk through the clump: gaps of one row that lie inside a run of the other are capped
                while True:
                    a_more = a + 1 < a_end and x0[a + 1] < x1[b]
                    b_more = b + 1 < b_end and x0[b + 1] < x1[a]
                    if a_more and x1[a] <= x1[b]:
                        length += x0[a + 1] - x1[a] + 0.5 * dy
                        a += 1
                    elif b_more and x1[b] <= x1[a]:
                        length += x0[b + 1] - x1[b] + 0.5 * dy
                        b += 1
                    else:
                        break
                length += math.hypot(x1[a] - x1[b], dy)
                total[c] += length
                a += 1
                b += 1
    return total


@njit(cache=True, nogil=True)
def links(offsets, x0, x1, label, ny, nz, count):
    """Pairs (component, component of the layer below) that overlap in rows j - 1, j or j + 1; repeats left in."""
    most = 6 * x0.size + 1  # each of three merges emits a pair a step, and a merge of two rows has as many steps as runs
    upper, lower = np.empty(most, np.int32), np.empty(most, np.int32)
    latest = np.full(count, -1, np.int32)
    n = 0
    for k in range(1, nz):
        for j in range(ny):
            r = k * ny + j
            if offsets[r] == offsets[r + 1]:
                continue
            for step in (0, -1, 1):
                if j + step < 0 or j + step >= ny:
                    continue
                below = r - ny + step
                a, b = offsets[r], offsets[below]
                while a < offsets[r + 1] and b < offsets[below + 1]:
                    if x0[a] < x1[b] and x0[b] < x1[a]:
                        u, v = label[a], label[b]
                        if latest[u] != v:
                            latest[u] = v
                            upper[n] = u
                            lower[n] = v
                            n += 1
                    if x1[a] < x1[b]:
                        a += 1
                    else:
                        b += 1
    return upper[:n].copy(), lower[:n].copy()


@njit(cache=True, nogil=True)
def sweep_bodies(first, upper, lower, link_first, volume, tracked, nz):
    """Bodies as the print grows.

    Returns the root of each component at its own layer, that body's volume then, and for each tracked component
    its root at every layer, (nz, tracked), -1 before its own. Links must be sorted by their upper component.
    """
    count = volume.size
    parent = np.arange(count)
    grown = volume.copy()
    root_then = np.empty(count, np.int64)
    grown_then = np.empty(count)
    roots = np.full((nz, tracked.size), -1, np.int32)
    for k in range(nz):
        for c in range(first[k], first[k + 1]):
            for e in range(link_first[c], link_first[c + 1]):
                p, q = find(parent, upper[e]), find(parent, lower[e])
                if p != q:
                    together = grown[p] + grown[q]
                    grown[unite(parent, p, q)] = together
        for c in range(first[k], first[k + 1]):
            root_then[c] = find(parent, c)
            grown_then[c] = grown[root_then[c]]
        for t in range(tracked.size):
            if 0 <= tracked[t] < first[k + 1]:
                roots[k, t] = find(parent, tracked[t])
    return root_then, grown_then, roots


@njit(cache=True, nogil=True)
def nearest_component(offsets, x0, x1, label, ny, y0, pitch, where):
    """The component of a layer that holds a point, or the nearest one within reach; -1 when there is none.

    Parameters
    ----------
    where : layer, row nearest to the point, x, y, reach.
    """
    layer, at, x, y, reach = where
    steps = math.ceil(reach / pitch) + 1
    best, component = reach + 0.5 * pitch, -1
    for j in range(max(0, at - steps), min(ny, at + steps + 1)):
        dy = max(0.0, abs(y0 + j * pitch - y) - 0.5 * pitch)
        for i in range(offsets[layer * ny + j], offsets[layer * ny + j + 1]):
            far = math.hypot(max(x0[i] - x, x - x1[i], 0.0), dy)
            if far < best or (far == 0.0 and component < 0):
                best, component = far, label[i]
    return component


@njit(cache=True, nogil=True)
def nearest_runs(offsets, x0, x1, ray, x):
    """The run nearest to x on each ray (-1 on an empty one)."""
    out = np.full(ray.size, -1, np.int64)
    for p in range(ray.size):
        best = math.inf
        for i in range(offsets[ray[p]], offsets[ray[p] + 1]):
            far = max(x0[i] - x[p], max(x[p] - x1[i], 0.0))
            if far < best:
                best = far
                out[p] = i
    return out


@njit(cache=True, nogil=True)
def farthest(label, middle, length, y, cos, sin, pitch, count):
    """How far each component reaches from its centroid along its own axes u and v, from the ends of its runs, (count,) each."""
    far_u, far_v = np.full(count, 1e-9), np.full(count, 1e-9)
    for r in range(label.size):
        c = label[r]
        for end in (-0.5, 0.5):
            x = middle[r] + end * length[r]
            for edge in (-0.5, 0.5):
                over = y[r] + edge * pitch
                far_u[c] = max(far_u[c], abs(cos[c] * x + sin[c] * over))
                far_v[c] = max(far_v[c], abs(cos[c] * over - sin[c] * x))
    return far_u, far_v
