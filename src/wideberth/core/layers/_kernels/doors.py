"""Cells between the rows along x and those along y, level by level: which wide void each is nearest to, and where two meet."""

import math
from typing import NamedTuple

import numpy as np
from numba import njit

LEAST_OPEN = 1e-6


@njit(cache=True, nogil=True)
def open_lengths(rays, layer, step, lines, low, cell, cells):
    """Open length of each side on some rays of a layer, (lines, cells).

    `lines` are by number among every `step`-th ray; below 0 or past the last they are open throughout. Cells have a size and
    begin at a coordinate.
    """
    out = np.full((lines.size, cells), cell)
    for line in range(lines.size):
        r = lines[line] * step
        if r < 0 or r >= rays.rows:
            continue
        ray = layer * rays.rows + r
        for i in range(rays.offsets[ray], rays.offsets[ray + 1]):
            first = max(0, int(math.floor((rays.x0[i] - low) / cell)))
            last = min(cells - 1, int(math.floor((rays.x1[i] - low) / cell)))
            for c in range(first, last + 1):
                covered = min(rays.x1[i], low + (c + 1) * cell) - max(rays.x0[i], low + c * cell)
                if covered > 0.0:
                    out[line, c] = max(0.0, out[line, c] - covered)
    return out


@njit(cache=True, nogil=True)
def sides(open_y, open_x, cell):
    """Which cells have solid on a side, and which sides (towards lower y, towards lower x) are open at all."""
    rows, columns = open_y.shape[0] - 1, open_x.shape[0] - 1
    touched = np.zeros((rows, columns), np.bool_)
    through_y = np.zeros((rows + 1, columns), np.bool_)
    through_x = np.zeros((rows, columns + 1), np.bool_)
    whole = cell * (1.0 - 1e-6)
    for j in range(rows + 1):
        for i in range(columns):
            through_y[j, i] = open_y[j, i] > LEAST_OPEN
    for j in range(rows):
        for i in range(columns + 1):
            through_x[j, i] = open_x[i, j] > LEAST_OPEN
        for i in range(columns):
            touched[j, i] = open_y[j, i] < whole or open_y[j + 1, i] < whole or open_x[i, j] < whole or open_x[i + 1, j] < whole
    return touched, through_y, through_x


@njit(cache=True, nogil=True)
def joined_when(parent, time, a, b):
    """The level at which two components are joined; a large number when never. Links are never compressed, so times are kept.

    Times rise towards the root, so the one whose own link is earlier climbs.
    """
    latest = 0
    while a != b:
        a_ends, b_ends = parent[a] == a, parent[b] == b
        if a_ends and b_ends:
            return 1 << 30
        if b_ends or (not a_ends and time[a] <= time[b]):
            latest = max(latest, time[a])
            a = parent[a]
        else:
            latest = max(latest, time[b])
            b = parent[b]
    return latest


@njit(cache=True, nogil=True)
def root_at(parent, time, a, level):
    """The set of a component when the levels up to one are printed."""
    while parent[a] != a and time[a] <= level:
        a = parent[a]
    return a


@njit(cache=True, nogil=True)
def link(parent, time, size, a, b, level):
    """Join two components at a level, unless they are; levels never fall from call to call."""
    while parent[a] != a:
        a = parent[a]
    while parent[b] != b:
        b = parent[b]
    if a == b:
        return
    if size[a] > size[b] or (size[a] == size[b] and a < b):
        a, b = b, a
    parent[a], time[a] = b, level
    size[b] += size[a]


@njit(cache=True, nogil=True)
def flood(source, through_y, through_x, void):
    """Give every cell of void the nearest core's cell as its source (flat index), through open sides and up and down.

    source : (levels, rows, columns) with the cores' own cells as their sources, -1 elsewhere; filled in place.
    """
    levels, rows, columns = source.shape
    queue = np.empty(source.size, np.int32)
    flat = source.ravel()
    tail = 0
    for n in range(flat.size):
        if flat[n] >= 0:
            k, rest = n // (rows * columns), n % (rows * columns)
            j, i = rest // columns, rest % columns
            edge = (
                (j > 0 and source[k, j - 1, i] < 0)
                or (j + 1 < rows and source[k, j + 1, i] < 0)
                or (i > 0 and source[k, j, i - 1] < 0)
                or (i + 1 < columns and source[k, j, i + 1] < 0)
                or (k > 0 and source[k - 1, j, i] < 0)
                or (k + 1 < levels and source[k + 1, j, i] < 0)
            )
            if edge:
                queue[tail] = n
                tail += 1
    head = 0
    while head < tail:
        n = queue[head]
        head += 1
        k, rest = n // (rows * columns), n % (rows * columns)
        j, i = rest // columns, rest % columns
        for side in range(6):
            kk, jj, ii = _beside(k, j, i, side)
            if kk < 0 or jj < 0 or ii < 0 or kk >= levels or jj >= rows or ii >= columns:
                continue
            if source[kk, jj, ii] >= 0 or not _passes(through_y, through_x, void, k, j, i, side):
                continue
            source[kk, jj, ii] = source[k, j, i]
            queue[tail] = (kk * rows + jj) * columns + ii
            tail += 1


@njit(cache=True, nogil=True, inline="always")
def _beside(k, j, i, side):
    if side == 0:
        return k, j + 1, i
    if side == 1:
        return k, j - 1, i
    if side == 2:
        return k, j, i + 1
    if side == 3:
        return k, j, i - 1
    if side == 4:
        return k + 1, j, i
    return k - 1, j, i


@njit(cache=True, nogil=True, inline="always")
def _passes(through_y, through_x, void, k, j, i, side):
    """Whether liquid passes from a cell to the one beside it."""
    if side == 0:
        return through_y[k, j + 1, i]
    if side == 1:
        return through_y[k, j, i]
    if side == 2:
        return through_x[k, j, i + 1]
    if side == 3:
        return through_x[k, j, i]
    if side == 4:
        return void[k, j, i] and void[k + 1, j, i]
    return void[k, j, i] and void[k - 1, j, i]


@njit(cache=True, nogil=True)
def doors(source, component, parent, time, through_y, through_x, void):
    """Cells between which two voids meet that are not one yet when all of both cells and their sources is printed, (n, 2)."""
    levels, rows, columns = source.shape
    comp = component.ravel()
    most = 1024
    pairs = np.empty((most, 2), np.int32)
    n = 0
    for k in range(levels):
        for j in range(rows):
            for i in range(columns):
                a = source[k, j, i]
                if a < 0:
                    continue
                for side in (0, 2, 4):
                    kk, jj, ii = _beside(k, j, i, side)
                    if kk >= levels or jj >= rows or ii >= columns:
                        continue
                    b = source[kk, jj, ii]
                    if b < 0 or comp[a] == comp[b] or not _passes(through_y, through_x, void, k, j, i, side):
                        continue
                    latest = max(kk, max(a, b) // (rows * columns))
                    if joined_when(parent, time, comp[a], comp[b]) <= latest + 1:
                        continue
                    if n == most:
                        more = np.empty((2 * most, 2), np.int32)
                        more[:most] = pairs
                        pairs, most = more, 2 * most
                    pairs[n, 0], pairs[n, 1] = (k * rows + j) * columns + i, (kk * rows + jj) * columns + ii
                    n += 1
    return pairs[:n].copy()


@njit(cache=True, nogil=True)
def fill_from(starts, names, source, through_y, through_x, void, tall, least, spare):
    """Cells between doors and the wide voids beside them: those near a shortest way from a door to its own source.

    On the way to the source, a cell's distance to it and to the door must not sum up to more than the door's own distance and
    `spare`, and it must stay over `least` (all in cells; a level is `tall` of them high). Returns the name of each such cell's
    passage, -1 elsewhere.
    """
    levels, rows, columns = source.shape
    origin = np.full(source.shape, -1, np.int32)
    queue = np.empty(source.size, np.int32)
    flat = origin.ravel()
    tail = 0
    for n in range(starts.size):
        if flat[starts[n]] < 0:
            flat[starts[n]] = n
            queue[tail] = starts[n]
            tail += 1
    head = 0
    while head < tail:
        n = queue[head]
        head += 1
        k, rest = n // (rows * columns), n % (rows * columns)
        j, i = rest // columns, rest % columns
        first = starts[origin[k, j, i]]
        fk, rest = first // (rows * columns), first % (rows * columns)
        fj, fi = rest // columns, rest % columns
        most = _away(source, fk, fj, fi, tall) + spare
        for side in range(6):
            kk, jj, ii = _beside(k, j, i, side)
            if kk < 0 or jj < 0 or ii < 0 or kk >= levels or jj >= rows or ii >= columns or origin[kk, jj, ii] >= 0:
                continue
            if source[kk, jj, ii] < 0 or not _passes(through_y, through_x, void, k, j, i, side):
                continue
            there = _away(source, kk, jj, ii, tall)
            come = math.sqrt(((kk - fk) * tall) ** 2 + (jj - fj) ** 2 + (ii - fi) ** 2)
            if there < least or there + come > most:
                continue
            origin[kk, jj, ii] = origin[k, j, i]
            queue[tail] = (kk * rows + jj) * columns + ii
            tail += 1
    for n in range(flat.size):
        if flat[n] >= 0:
            flat[n] = names[flat[n]]
    return origin


class Levels(NamedTuple):
    """Levels of cells in a print. layers : (levels,) the layer that each shows; a level speaks for all layers nearer than `step`.
    Cells are `every` rows wide and begin at row first_row * every, and at low_mm along x; cell_mm : their size."""

    layers: np.ndarray
    step: int
    first_row: int
    every: int
    low_mm: float
    cell_mm: float


@njit(cache=True, nogil=True)
def stop_runs(shut, wide, levels, rows, layers):
    """Runs along x of cells that are shut (offsets, x0, x1), on all rows from a cell's lower to its upper side and in all layers
    that their level speaks for, but for what is wide at the nearest level."""
    on = np.zeros(shut.shape[2], np.bool_)
    offsets = np.zeros(rows * layers + 1, np.int32)
    for layer in range(layers):
        for r in range(rows):
            count = 0
            if _switched(shut, wide, levels, layer, r, on):
                for i in range(on.size):
                    count += on[i] and (i == 0 or not on[i - 1])
            offsets[layer * rows + r + 1] = offsets[layer * rows + r] + count
    x0, x1 = np.empty(offsets[-1]), np.empty(offsets[-1])
    for layer in range(layers):
        for r in range(rows):
            at = offsets[layer * rows + r]
            if at == offsets[layer * rows + r + 1]:
                continue
            _switched(shut, wide, levels, layer, r, on)
            for i in range(on.size):
                if on[i] and (i == 0 or not on[i - 1]):
                    x0[at] = levels.low_mm + i * levels.cell_mm
                if on[i] and (i + 1 == on.size or not on[i + 1]):
                    x1[at] = levels.low_mm + (i + 1) * levels.cell_mm
                    at += 1
    return offsets, x0, x1


@njit(cache=True, nogil=True)
def _switched(shut, wide, levels, layer, r, on):
    """Which cells stop a row of a layer, written to `on`; whether any does."""
    begin = np.searchsorted(levels.layers, layer - levels.step)
    end = np.searchsorted(levels.layers, layer + levels.step + 1)
    nearest = begin
    for k in range(begin, end):
        if abs(levels.layers[k] - layer) < abs(levels.layers[nearest] - layer):
            nearest = k
    on[:] = False
    upper = r // levels.every - levels.first_row
    for j in (upper, upper - 1):
        if j < 0 or j >= shut.shape[1] or (j == upper - 1 and r % levels.every != 0):
            continue
        for k in range(begin, end):
            for i in range(on.size):
                on[i] |= shut[k, j, i] and not wide[nearest, j, i]
    return on.any()


@njit(cache=True, nogil=True, inline="always")
def _away(source, k, j, i, tall):
    """Distance of a cell to its source, in cells."""
    rows, columns = source.shape[1], source.shape[2]
    s = source[k, j, i]
    sk, rest = s // (rows * columns), s % (rows * columns)
    sj, si = rest // columns, rest % columns
    return math.sqrt(((k - sk) * tall) ** 2 + (j - sj) ** 2 + (i - si) ** 2)
