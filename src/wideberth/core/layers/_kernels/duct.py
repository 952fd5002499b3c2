"""Creeping flow through a narrow way on cells whose sides are exact: how fast liquid moves at each side, and who is
linked to whom.

The speed per pressure gradient at a point of a long duct of any section solves ∇²u = -1 in the section, 0 on its wall.
For a slit and
for any elliptic bore, however they lie, ½ / Σ 1/(aᵢ bᵢ) is that solution, aᵢ and bᵢ the distances to the wall both ways
along three
axes at right angles: the power of a point with respect to a quadric. Where a ray escapes through a mouth it resists nothing.
"""

import math

import numpy as np
from numba import njit

DIRECTIONS = 8
NEARLY = 1.5
GAUSS = 0.5 / math.sqrt(3.0)
LEAST_OPEN = 1e-6


@njit(cache=True, nogil=True)
def ends_on(offsets, x0, x1, first_ray, rays, lines):
    """Where solid begins and ends on some rays of a layer: begin, end, begin, end ... of each, and where each ray's own begin."""
    first = np.zeros(lines.size + 1, np.int64)
    for n in range(lines.size):
        r = lines[n]
        first[n + 1] = first[n] + (2 * (offsets[first_ray + r + 1] - offsets[first_ray + r]) if 0 <= r < rays else 0)
    ends = np.empty(first[-1])
    for n in range(lines.size):
        at = first[n]
        if first[n + 1] > at:
            for i in range(offsets[first_ray + lines[n]], offsets[first_ray + lines[n] + 1]):
                ends[at], ends[at + 1] = x0[i], x1[i]
                at += 2
    return first, ends


@njit(cache=True, nogil=True, inline="always")
def _place(first, ends, line, x):
    """How many ends on a lattice line lie at or before a point: odd in solid."""
    if line < 0 or line >= first.size - 1:
        return 0, 0, 0
    lo, hi = first[line], first[line + 1]
    a, b = lo, hi
    while a < b:
        m = (a + b) // 2
        if ends[m] <= x:
            a = m + 1
        else:
            b = m
    return a, lo, hi


@njit(cache=True, nogil=True)
def reach(rf, re, cf, ce, low_x, low_y, cell, px, py, dx, dy, most):
    """Distance from a point on a lattice line to the wall in a direction, at most `most`.

    rf, re : the ends on rows (`ends_on`); cf, ce : those on columns.
    """
    t, tiny = 0.0, 1e-9 * cell
    step_x, step_y = (cell / abs(dx) if abs(dx) > 1e-9 else math.inf), (cell / abs(dy) if abs(dy) > 1e-9 else math.inf)
    way_x, way_y = (1 if dx > 0 else -1), (1 if dy > 0 else -1)
    at_x, at_y = (px - low_x) / cell, (py - low_y) / cell
    column = int(math.floor(at_x + 1e-9)) + 1 if dx > 0 else int(math.ceil(at_x - 1e-9)) - 1
    row = int(math.floor(at_y + 1e-9)) + 1 if dy > 0 else int(math.ceil(at_y - 1e-9)) - 1
    tx = abs(column - at_x) * step_x if step_x < math.inf else math.inf
    ty = abs(row - at_y) * step_y if step_y < math.inf else math.inf
    while True:
        row_now = ty < tx
        if row_now:
            ahead, here = ty, row
            ty += step_y
            row += way_y
        else:
            ahead, here = tx, column
            tx += step_x
            column += way_x
        if ahead > most:
            return most
        if ahead <= t + tiny:
            continue
        place, lo, _ = _place(rf, re, here, px + ahead * dx) if row_now else _place(cf, ce, here, py + ahead * dy)
        if (place - lo) % 2 == 1:
            return min(most, _wall(rf, re, cf, ce, low_x, low_y, cell, px, py, dx, dy, t, ahead))
        t = ahead


@njit(cache=True, nogil=True)
def _wall(rf, re, cf, ce, low_x, low_y, cell, px, py, dx, dy, t, ahead):
    """Where a ray meets the wall within a cell that it enters in void and leaves in solid.

    The wall is straight between two places on the cell's sides that have their solid on the same side of it as the ray finds it.
    """
    middle = 0.5 * (t + ahead)
    i, j = int(math.floor((px + middle * dx - low_x) / cell)), int(math.floor((py + middle * dy - low_y) / cell))
    x, y, sx, sy = np.empty(12), np.empty(12), np.empty(12), np.empty(12)
    n = 0
    for side in range(4):
        line, low = (j + side, low_x + i * cell) if side < 2 else (i + side - 2, low_y + j * cell)
        first, ends = (rf, re) if side < 2 else (cf, ce)
        if line < 0 or line >= first.size - 1:
            continue
        at, lo, hi = _place(first, ends, line, low - 1e-9)
        while at < hi and ends[at] <= low + cell + 1e-9 and n < 12:
            solid = 1.0 if (at - lo) % 2 == 0 else -1.0
            if side < 2:
                x[n], y[n], sx[n], sy[n] = ends[at], low_y + line * cell, solid, 0.0
            else:
                x[n], y[n], sx[n], sy[n] = low_x + line * cell, ends[at], 0.0, solid
            n += 1
            at += 1
    best, least = middle, math.inf
    for a in range(n):
        for b in range(a):
            bx, by = x[b] - x[a], y[b] - y[a]
            cross = bx * dy - by * dx
            if cross * (bx * sy[a] - by * sx[a]) <= 0.0 or cross * (bx * sy[b] - by * sx[b]) <= 0.0:
                continue
            at = (bx * (y[a] - py) - by * (x[a] - px)) / cross
            if t - 1e-9 <= at <= ahead + 1e-9 and abs(bx) + abs(by) < least:
                best, least = at, abs(bx) + abs(by)
    return best


@njit(cache=True, nogil=True)
def resist(rf, re, cf, ce, low_x, low_y, cell, px, py, most):
    """Σ 1/(a b) over two directions at right angles, the greatest of all such pairs, and the width: the shortest chord that runs
    about square to the nearest wall (along a round wall others are short as well)."""
    chords, products, nearest = np.empty(DIRECTIONS), np.empty(DIRECTIONS), np.empty(DIRECTIONS)
    for n in range(DIRECTIONS):
        angle = math.pi * n / DIRECTIONS
        dx, dy = math.cos(angle), math.sin(angle)
        a = reach(rf, re, cf, ce, low_x, low_y, cell, px, py, dx, dy, most)
        b = reach(rf, re, cf, ce, low_x, low_y, cell, px, py, -dx, -dy, most)
        chords[n], nearest[n] = a + b, min(a, b)
        products[n] = max(a, 1e-6) * max(b, 1e-6)
    greatest = 0.0
    for n in range(DIRECTIONS // 2):
        greatest = max(greatest, 1.0 / products[n] + 1.0 / products[n + DIRECTIONS // 2])
    width, close = math.inf, NEARLY * nearest.min()
    for n in range(DIRECTIONS):
        if nearest[n] <= close:
            width = min(width, chords[n])
    return greatest, width


@njit(cache=True, nogil=True)
def _widest_gap(first, ends, line, low, high):
    """The widest open stretch of a side."""
    best_a, best_b, at = low, low, low
    for n in range(first[line], first[line + 1], 2):
        if ends[n + 1] <= low:
            continue
        if ends[n] >= high:
            break
        if min(ends[n], high) - at > best_b - best_a:
            best_a, best_b = at, min(ends[n], high)
        at = max(at, ends[n + 1])
    if high - at > best_b - best_a:
        best_a, best_b = at, high
    return best_a, best_b


@njit(cache=True, nogil=True)
def narrow_cells(rf, re, cf, ce, low_x, low_y, cell, open_y, open_x, starts, low, wide_mm):
    """Cells of a narrow way in one layer, spread from some cells to where it is wide.

    Returns
    -------
    state (rows, columns): 0 not reached, 1 narrow, 2 wide beside narrow ones; for the sides on rows and on columns Σ
    1/(a b) at two spots of each, (rows + 1, columns, 2) and (columns + 1, rows, 2); 0 where not looked at.
    """
    rows, columns = open_y.shape[0] - 1, open_x.shape[0] - 1
    state = np.zeros((rows, columns), np.int8)
    at_y, at_x = np.zeros((rows + 1, columns, 2)), np.zeros((columns + 1, rows, 2))
    width_y, width_x = np.zeros((rows + 1, columns)), np.zeros((columns + 1, rows))
    queue = np.empty((rows * columns, 2), np.int32)
    head, tail = 0, 0
    for n in range(starts.shape[0]):
        j, i = starts[n]
        if state[j, i] == 0:
            state[j, i] = 3
            queue[tail, 0], queue[tail, 1] = j, i
            tail += 1
    spots = np.empty(2)
    while head < tail:
        j, i = queue[head]
        head += 1
        least, seen = math.inf, False
        for side in range(4):
            on_row = side < 2
            line, along = (j + side, i) if on_row else (i + side - 2, j)
            length = open_y[line, along] if on_row else open_x[line, along]
            if length <= LEAST_OPEN:
                continue
            known = width_y[line, along] if on_row else width_x[line, along]
            if known == 0.0:
                start = (low_x if on_row else low_y) + along * cell
                if length >= cell * (1.0 - 1e-6):
                    spots[:] = start + 0.5 * cell
                else:
                    first, ends = (rf, re) if on_row else (cf, ce)
                    a, b = _widest_gap(first, ends, line, start, start + cell)
                    spots[0] = 0.5 * (a + b) - GAUSS * (b - a)  # Gauss: exact for squares
                    spots[1] = 0.5 * (a + b) + GAUSS * (b - a)
                known = math.inf
                for n in range(2):
                    if n == 1 and spots[1] == spots[0]:
                        if on_row:
                            at_y[line, along, 1] = at_y[line, along, 0]
                        else:
                            at_x[line, along, 1] = at_x[line, along, 0]
                        continue
                    x = spots[n] if on_row else low_x + line * cell
                    y = low_y + line * cell if on_row else spots[n]
                    value, width = resist(rf, re, cf, ce, low_x, low_y, cell, x, y, wide_mm)
                    if on_row:
                        at_y[line, along, n] = value
                    else:
                        at_x[line, along, n] = value
                    known = min(known, width)
                if on_row:
                    width_y[line, along] = known
                else:
                    width_x[line, along] = known
            least, seen = min(least, known), True
        if not seen:
            state[j, i] = 0
            continue
        if least >= wide_mm and not low[j, i]:
            state[j, i] = 2
            continue
        state[j, i] = 1
        for side in range(4):
            jj, ii = j + (side == 1) - (side == 0), i + (side == 3) - (side == 2)
            if jj < 0 or ii < 0 or jj >= rows or ii >= columns or state[jj, ii] != 0:
                continue
            length = open_y[j + (side == 1), i] if side < 2 else open_x[i + (side == 3), j]
            if length > LEAST_OPEN:
                state[jj, ii] = 3
                queue[tail, 0], queue[tail, 1] = jj, ii
                tail += 1
    return state, at_y, at_x


@njit(cache=True, nogil=True)
def upright(offsets, x0, x1, rays, layers, layer, lines, at, wanted, low_along, cell, most):
    """How many layers of void lie below and above the middle of some sides on rays, (lines, sides, 2): no more than `most`.

    lines : ray of each line in a layer. at : (lines, sides, 2) where it is over 0 a side is looked at. wanted : unused
    sides are 0.
    """
    out = np.zeros(wanted.shape + (2,), np.int32)
    for line in range(lines.size):
        r = lines[line]
        for i in range(wanted.shape[1]):
            if wanted[line, i] <= LEAST_OPEN or at[line, i, 0] <= 0.0:
                continue
            x = _open_middle(offsets, x0, x1, layer * rays + r, 0 <= r < rays, low_along + i * cell, cell)
            for way in range(2):
                step = -1 if way == 0 else 1
                n, k = 0, layer + step
                while n < most and 0 <= k < layers:
                    if 0 <= r < rays and _inside(offsets, x0, x1, k * rays + r, x):
                        break
                    n += 1
                    k += step
                out[line, i, way] = most if k >= layers else n
    return out


@njit(cache=True, nogil=True, inline="always")
def _inside(offsets, x0, x1, ray, x):
    """Whether a point on a ray lies in solid."""
    a, b = offsets[ray], offsets[ray + 1]
    hi = b
    while a < b:
        m = (a + b) // 2
        if x1[m] < x:
            a = m + 1
        else:
            b = m
    return a < hi and x0[a] <= x


@njit(cache=True, nogil=True)
def lowest_void(offsets, x0, x1, rays, row, x, layer):
    """The lowest layer from which a point on a row is void up to a layer."""
    while layer > 0 and not (0 <= row < rays and _inside(offsets, x0, x1, (layer - 1) * rays + row, x)):
        layer -= 1
    return layer


@njit(cache=True, nogil=True)
def _open_middle(offsets, x0, x1, ray, known, start, cell):
    """Middle of the widest open stretch of a side."""
    if not known:
        return start + 0.5 * cell
    best, wide, at = start + 0.5 * cell, 0.0, start
    for i in range(offsets[ray], offsets[ray + 1]):
        if x1[i] <= start:
            continue
        if x0[i] >= start + cell:
            break
        if x0[i] - at > wide:
            wide, best = x0[i] - at, 0.5 * (x0[i] + at)
        at = max(at, x1[i])
    if start + cell - at > wide:
        best = 0.5 * (start + cell + at)
    return best


@njit(cache=True, nogil=True)
def links(state, open_y, open_x, at_y, at_x, up_y, up_x, share, z, layer, high_z, layer_mm, cell, tall):
    """Links between cells of a narrow way: (a, b, conductance at unit viscosity, area, speed per gradient, axis), flat indices.

    share : (levels, rows, columns) of each cell that is void. z, layer : (levels,) middle of each and the layer it shows.
    """
    levels, rows, columns = state.shape
    most = 3 * np.count_nonzero(state == 1) * 2 + 1
    a, b = np.empty(most, np.int64), np.empty(most, np.int64)
    g, area, speed = np.empty(most), np.empty(most), np.empty(most)
    axis = np.empty(most, np.int8)
    n = 0
    for k in range(levels):
        for j in range(rows):
            for i in range(columns):
                if state[k, j, i] == 0:
                    continue
                for side in range(3):
                    kk, jj, ii = k + (side == 2), j + (side == 0), i + (side == 1)
                    if kk >= levels or jj >= rows or ii >= columns or state[kk, jj, ii] == 0:
                        continue
                    if state[k, j, i] != 1 and state[kk, jj, ii] != 1:
                        continue
                    half = 1.0 if state[k, j, i] == 1 and state[kk, jj, ii] == 1 else 0.5
                    if side == 2:
                        across = 0.5 * (_mean(at_y, at_x, k, j, i) + _mean(at_y, at_x, kk, jj, ii))
                        if across <= 0.0:
                            continue
                        s = min(share[k, j, i], share[kk, jj, ii]) * cell * cell
                        u = 0.5 / across
                        far = tall
                    else:
                        length = open_y[k, jj, i] if side == 0 else open_x[k, ii, j]
                        if length <= LEAST_OPEN:
                            continue
                        u = 0.0
                        below = up_y[k, jj, i, 0] if side == 0 else up_x[k, ii, j, 0]
                        above = up_y[k, jj, i, 1] if side == 0 else up_x[k, ii, j, 1]
                        floor, roof = layer[k] - below, layer[k] + above + 1
                        level = _level(floor, roof, layer[k], z[k], high_z, layer_mm, tall)
                        for spot in range(2):
                            across = at_y[k, jj, i, spot] if side == 0 else at_x[k, ii, j, spot]
                            u += 0.25 / (across + level)
                        s = length * tall
                        far = cell
                    a[n], b[n] = (k * rows + j) * columns + i, (kk * rows + jj) * columns + ii
                    g[n], area[n], speed[n], axis[n] = u * s / (far * half), s, u, side
                    n += 1
    return a[:n].copy(), b[:n].copy(), g[:n].copy(), area[:n].copy(), speed[:n].copy(), axis[:n].copy()


@njit(cache=True, nogil=True, inline="always")
def _level(floor, roof, layer, z, high_z, layer_mm, tall):
    """1/(a b) up and down from a side, its mean over the side's own height; floor and roof in layers, the film ends all.

    Where the void at the side is lower than that, a way slants through it: then it is taken in the layer that was looked at.
    """
    bottom, top = floor * layer_mm, min(high_z, roof * layer_mm)
    if top - bottom < tall:
        here = (layer + 0.5) * layer_mm
        return 1.0 / max((here - bottom) * (top - here), 1e-9)
    z = min(max(z, bottom + 0.5 * tall), top - 0.5 * tall)
    return 1.0 / ((z - bottom) * (top - z) - tall * tall / 12.0)


@njit(cache=True, nogil=True, inline="always")
def _mean(at_y, at_x, k, j, i):
    """Mean of what is known at a cell's four sides, of the reciprocals; 0 when nothing is."""
    total, count = 0.0, 0
    for side in range(4):
        for spot in range(2):
            if side < 2:
                value = at_y[k, j + side, i, spot]
            else:
                value = at_x[k, i + side - 2, j, spot]
            if value > 0.0:
                total += 1.0 / value
                count += 1
    return count / total if count else 0.0
