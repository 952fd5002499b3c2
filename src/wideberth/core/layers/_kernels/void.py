"""Gaps between runs, swept upward: what is closed in, by what, and since when.

A gap is named after the run on its left, plus one; gap 0 is the outside.
"""

from typing import NamedTuple

import numpy as np
from numba import njit

from wideberth.core.disjoint import find, unite


@njit(cache=True, nogil=True)
def _join_rows(parent, x0, x1, a, a_end, b, b_end):
    """Unite the gaps of two neighbouring rows where they overlap, and with the outside where a row is open.

    Rows are given by their runs a..a_end and b..b_end.
    """
    for side in range(2):
        p, p_end, q, q_end = (a, a_end, b, b_end) if side == 0 else (b, b_end, a, a_end)
        for i in range(p, p_end - 1):
            if q == q_end or x1[i] < x0[q] or x0[i + 1] > x1[q_end - 1]:
                unite(parent, 0, i + 1)
    i, j = a, b
    while i < a_end - 1 and j < b_end - 1:
        if x1[i] < x0[j + 1] and x1[j] < x0[i + 1]:
            unite(parent, i + 1, j + 1)
        if x0[i + 1] < x0[j + 1]:
            i += 1
        else:
            j += 1


class Sets(NamedTuple):
    """Void sets of a sweep, by gap, (gaps,): its opening (root within the layer), its set's oldest gap at that layer (0 is
    outside), and, of roots of openings alone, the set's volume then. set_then, volume : what the sweep works with.

    Volumes are zero but for few gaps: made by the operating system as zeros, the others take no memory.
    """

    opening: np.ndarray
    oldest: np.ndarray
    volume_then: np.ndarray
    set_then: np.ndarray
    volume: np.ndarray


@njit(cache=True, nogil=True)
def sweep(rays, layer_mm, sets, tracked, tracked_layer):
    """Void sets layer by layer, on the plate: nothing leaks below the first layer. Told in `sets`, each gap its own before.

    Returns the set of each tracked gap at every layer (-1 before its own layer).
    """
    offsets, x0, x1, ny, nz = rays.offsets, rays.x0, rays.x1, rays.rows, rays.layers
    within, parent, volume = sets.opening, sets.set_then, sets.volume
    cell_mm2 = rays.pitch_mm * layer_mm
    roots = np.full((nz, tracked.size), -1, np.int64)
    for k in range(nz):
        for j in range(ny):
            r = k * ny + j
            a, a_end = offsets[r], offsets[r + 1]
            if a_end - a < 2 and (j + 1 >= ny or offsets[r + 2] - offsets[r + 1] < 2):
                continue
            if j == 0 or j == ny - 1:
                for i in range(a, a_end - 1):
                    unite(within, 0, i + 1)
            if j + 1 < ny:
                _join_rows(within, x0, x1, a, a_end, offsets[r + 1], offsets[r + 2])
        for r in range(k * ny, (k + 1) * ny):
            a, a_end = offsets[r], offsets[r + 1]
            for i in range(a, a_end - 1):
                root = find(within, i + 1)
                within[i + 1] = root
                parent[i + 1] = root
                volume[root] += (x0[i + 1] - x1[i]) * cell_mm2
        for r in range(k * ny, (k + 1) * ny):
            a, a_end = offsets[r], offsets[r + 1]
            if k > 0:
                b, b_end = offsets[r - ny], offsets[r - ny + 1]
                if a_end - a >= 2 or b_end - b >= 2:
                    _join_layers(parent, volume, x0, x1, a, a_end, b, b_end)
        for i in range(offsets[k * ny], offsets[(k + 1) * ny]):
            root = find(parent, i + 1)
            sets.oldest[i + 1] = root
            if within[i + 1] == i + 1 and volume[root] > 0:
                sets.volume_then[i + 1] = volume[root]
        for t in range(tracked.size):
            if 0 <= tracked_layer[t] <= k:
                roots[k, t] = find(parent, tracked[t])
    return roots


@njit(cache=True, nogil=True)
def void_sets(rays, parent):
    """Make each gap's own set the void set that it is in when all is printed and off the plate, with an empty layer on top and
    below; 0 is outside."""
    offsets, x0, x1, ny, nz = rays.offsets, rays.x0, rays.x1, rays.rows, rays.layers
    for k in range(nz):
        for j in range(ny):
            r = k * ny + j
            a, a_end = offsets[r], offsets[r + 1]
            if j == 0 or j == ny - 1 or k == 0 or k == nz - 1:
                for i in range(a, a_end - 1):
                    unite(parent, 0, i + 1)
            if j + 1 < ny:
                _join_rows(parent, x0, x1, a, a_end, offsets[r + 1], offsets[r + 2])
            if k > 0:
                _join_rows(parent, x0, x1, a, a_end, offsets[r - ny], offsets[r - ny + 1])
    for i in range(parent.size):
        parent[i] = find(parent, i)


@njit(cache=True, nogil=True)
def _merge(parent, volume, i, j):
    """Unite two sets and add their volumes. The root stays the smallest, so it is the oldest gap of the set."""
    p, q = find(parent, i), find(parent, j)
    if p != q:
        together = volume[p] + volume[q]
        volume[unite(parent, p, q)] = together


@njit(cache=True, nogil=True)
def _join_layers(parent, volume, x0, x1, a, a_end, b, b_end):
    """As `_join_rows`, for the same row of two layers, with volumes."""
    for side in range(2):
        p, p_end, q, q_end = (a, a_end, b, b_end) if side == 0 else (b, b_end, a, a_end)
        for i in range(p, p_end - 1):
            if q == q_end or x1[i] < x0[q] or x0[i + 1] > x1[q_end - 1]:
                _merge(parent, volume, 0, i + 1)
    i, j = a, b
    while i < a_end - 1 and j < b_end - 1:
        if x1[i] < x0[j + 1] and x1[j] < x0[i + 1]:
            _merge(parent, volume, i + 1, j + 1)
        if x0[i + 1] < x0[j + 1]:
            i += 1
        else:
            j += 1


@njit(cache=True, nogil=True)
def count_openings(rays, opening):
    """How many openings are closed in within their layer."""
    count = 0
    for r in range(rays.offsets.size - 1):
        for i in range(rays.offsets[r], rays.offsets[r + 1] - 1):
            count += opening[i + 1] == i + 1
    return count


@njit(cache=True, nogil=True)
def gather_openings(rays, sets, cut, leads_out, is_joined, number_of, out):
    """Openings in the plugged sweep, with what the cut sweep says of the same spot.

    Openings are closed in within their layer; those whose set (0) is joined with outside through earlier layers are told too.
    Told in `out`, (openings, 9), zero before: layer, set, set volume, area, area·x, area·y, left run, reaches outside within the
    layer in the cut sweep (0/1), joined with outside there (0/1). leads_out, is_joined : the same of each gap of the cut print.
    number_of : (gaps,), zero before, to work with.
    """
    count = 0
    for k in range(rays.layers):
        for j in range(rays.rows):
            r = k * rays.rows + j
            y = rays.first_mm + j * rays.pitch_mm
            c, c_end = cut.offsets[r], cut.offsets[r + 1]
            for i in range(rays.offsets[r], rays.offsets[r + 1] - 1):
                name = sets.opening[i + 1]
                if name == 0:
                    continue
                if number_of[name] == 0:
                    out[count, 0] = k
                    out[count, 1] = sets.oldest[i + 1]
                    out[count, 2] = sets.volume_then[name]
                    out[count, 6] = i
                    count += 1
                    number_of[name] = count
                o = number_of[name] - 1
                left, right = rays.x1[i], rays.x0[i + 1]
                area = (right - left) * rays.pitch_mm
                out[o, 3] += area
                out[o, 4] += area * 0.5 * (left + right)
                out[o, 5] += area * y
                # the gap of the cut print that holds this one: the last run that ends at or before it
                m = c
                while m < c_end and cut.x1[m] <= left:
                    m += 1
                if m == c or m == c_end:
                    out[o, 7] = 1.0
                    out[o, 8] = 1.0
                else:
                    if leads_out[m]:
                        out[o, 7] = 1.0
                    if is_joined[m]:
                        out[o, 8] = 1.0
