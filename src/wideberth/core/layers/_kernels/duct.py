"""Creeping flow through a narrow way on cells whose sides are exact: how fast liquid moves at each side, and who is
linked to whom.

The speed per pressure gradient at a point of a long duct of any section solves ∇²u = -1 in the section, 0 on its wall. For a slit
and for any elliptic bore, however they lie, ½ / Σ 1/(aᵢ bᵢ) is that solution, aᵢ and bᵢ the distances to the wall both ways along
three axes at right angles: the power of a point with respect to a quadric. Where a ray escapes through a mouth it resists
nothing.
"""

import math
from typing import NamedTuple

import numpy as np
from numba import njit

DIRECTIONS = 8
NEARLY = 1.5
GAUSS = 0.5 / math.sqrt(3.0)
LEAST_OPEN = 1e-6


class Ends(NamedTuple):
    """Where solid begins and ends on the lines of a lattice in one layer, on rows and on columns: `ends_on`'s two arrays of each;
    where the lattice begins, and the size of its cells."""

    row_first: np.ndarray
    row_ends: np.ndarray
    column_first: np.ndarray
    column_ends: np.ndarray
    low_x: float
    low_y: float
    cell: float


class Way(NamedTuple):
    """A narrow way level by level: the state of its cells, (levels, rows, columns), and how much of each is void; of the sides on
    rows and on columns, how far they are open, Σ 1/(a b) at two spots of each, and the layers of void below and above."""

    state: np.ndarray
    open_y: np.ndarray
    open_x: np.ndarray
    at_y: np.ndarray
    at_x: np.ndarray
    up_y: np.ndarray
    up_x: np.ndarray
    share: np.ndarray


class Levels(NamedTuple):
    """z, layer : (levels,) middle of each level and the layer it shows. high_z : the film. layer_mm, cell, tall : height of a
    layer, size of a cell, height of a level."""

    z: np.ndarray
    layer: np.ndarray
    high_z: float
    layer_mm: float
    cell: float
    tall: float


@njit(cache=True, nogil=True)
def ends_on(rays, layer, lines):
    """Where solid begins and ends on some rays of a layer: begin, end, begin, end ... of each, and where each ray's own begin."""
    first = np.zeros(lines.size + 1, np.int64)
    for n in range(lines.size):
        r = lines[n]
        ray = layer * rays.rows + r
        first[n + 1] = first[n] + (2 * (rays.offsets[ray + 1] - rays.offsets[ray]) if 0 <= r < rays.rows else 0)
    ends = np.empty(first[-1])
    for n in range(lines.size):
        at = first[n]
        if first[n + 1] > at:
            ray = layer * rays.rows + lines[n]
            for i in range(rays.offsets[ray], rays.offsets[ray + 1]):
                ends[at], ends[at + 1] = rays.x0[i], rays.x1[i]
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
def reach(solid, px, py, dx, dy, most):
    """Distance from a point on a lattice line to the wall in a direction, at most `most`."""
    cell = solid.cell
    t, tiny = 0.0, 1e-9 * cell
    step_x, step_y = (cell / abs(dx) if abs(dx) > 1e-9 else math.inf), (cell / abs(dy) if abs(dy) > 1e-9 else math.inf)
    way_x, way_y = (1 if dx > 0 else -1), (1 if dy > 0 else -1)
    at_x, at_y = (px - solid.low_x) / cell, (py - solid.low_y) / cell
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
        if row_now:
            place, lo, _ = _place(solid.row_first, solid.row_ends, here, px + ahead * dx)
        else:
            place, lo, _ = _place(solid.column_first, solid.column_ends, here, py + ahead * dy)
        if (place - lo) % 2 == 1:
            return min(most, _wall(solid, px, py, dx, dy, t, ahead))
        t = ahead


@njit(cache=True, nogil=True)
def _wall(solid, px, py, dx, dy, t, ahead):
    """Where a ray meets the wall within a cell that it enters in void and leaves in solid.

    The wall is straight between two places on the cell's sides that have their solid on the same side of it as the ray finds it.
    """
    low_x, low_y, cell, middle = solid.low_x, solid.low_y, solid.cell, 0.5 * (t + ahead)
    i, j = int(math.floor((px + middle * dx - low_x) / cell)), int(math.floor((py + middle * dy - low_y) / cell))
    x, y, sx, sy = np.empty(12), np.empty(12), np.empty(12), np.empty(12)
    n = 0
    for side in range(4):
        line, low = (j + side, low_x + i * cell) if side < 2 else (i + side - 2, low_y + j * cell)
        first, ends = (solid.row_first, solid.row_ends) if side < 2 else (solid.column_first, solid.column_ends)
        if line < 0 or line >= first.size - 1:
            continue
        at, lo, hi = _place(first, ends, line, low - 1e-9)
        while at < hi and ends[at] <= low + cell + 1e-9 and n < 12:
            sign = 1.0 if (at - lo) % 2 == 0 else -1.0
            if side < 2:
                x[n], y[n], sx[n], sy[n] = ends[at], low_y + line * cell, sign, 0.0
            else:
                x[n], y[n], sx[n], sy[n] = low_x + line * cell, ends[at], 0.0, sign
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
def resist(solid, px, py, most):
    """Σ 1/(a b) over two directions at right angles, the greatest of all such pairs, and the width: the shortest chord that runs
    about square to the nearest wall (along a round wall others are short as well)."""
    chords, products, nearest = np.empty(DIRECTIONS), np.empty(DIRECTIONS), np.empty(DIRECTIONS)
    for n in range(DIRECTIONS):
        angle = math.pi * n / DIRECTIONS
        dx, dy = math.cos(angle), math.sin(angle)
        a = reach(solid, px, py, dx, dy, most)
        b = reach(solid, px, py, -dx, -dy, most)
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
def _look_at(solid, on_row, line, along, length, at, wide_mm):
    """Note Σ 1/(a b) at two spots of a side, (2,); the lesser width there."""
    cell = solid.cell
    start = (solid.low_x if on_row else solid.low_y) + along * cell
    near, far = start + 0.5 * cell, start + 0.5 * cell
    if length < cell * (1.0 - 1e-6):
        first, ends = (solid.row_first, solid.row_ends) if on_row else (solid.column_first, solid.column_ends)
        a, b = _widest_gap(first, ends, line, start, start + cell)
        near = 0.5 * (a + b) - GAUSS * (b - a)  # Gauss: exact for squares
        far = 0.5 * (a + b) + GAUSS * (b - a)
    width = math.inf
    for n in range(2):
        if n == 1 and far == near:
            at[1] = at[0]
            continue
        spot = near if n == 0 else far
        x = spot if on_row else solid.low_x + line * cell
        y = solid.low_y + line * cell if on_row else spot
        at[n], here = resist(solid, x, y, wide_mm)
        width = min(width, here)
    return width


@njit(cache=True, nogil=True)
def narrow_cells(solid, open_y, open_x, starts, low, wide_mm):
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
    while head < tail:
        j, i = queue[head]
        head += 1
        least, seen = math.inf, False
        for side in range(4):
            on_row = side < 2
            line, along = (j + side, i) if on_row else (i + side - 2, j)
            opened, at, width = (open_y, at_y, width_y) if on_row else (open_x, at_x, width_x)
            if opened[line, along] <= LEAST_OPEN:
                continue
            if width[line, along] == 0.0:
                width[line, along] = _look_at(solid, on_row, line, along, opened[line, along], at[line, along], wide_mm)
            least, seen = min(least, width[line, along]), True
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
def upright(rays, layer, lines, at, wanted, low_along, cell, most):
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
            x = _open_middle(rays, layer * rays.rows + r, 0 <= r < rays.rows, low_along + i * cell, cell)
            for way in range(2):
                step = -1 if way == 0 else 1
                n, k = 0, layer + step
                while n < most and 0 <= k < rays.layers:
                    if 0 <= r < rays.rows and _inside(rays, k * rays.rows + r, x):
                        break
                    n += 1
                    k += step
                out[line, i, way] = most if k >= rays.layers else n
    return out


@njit(cache=True, nogil=True, inline="always")
def _inside(rays, ray, x):
    """Whether a point on a ray lies in solid."""
    a, b = rays.offsets[ray], rays.offsets[ray + 1]
    hi = b
    while a < b:
        m = (a + b) // 2
        if rays.x1[m] < x:
            a = m + 1
        else:
            b = m
    return a < hi and rays.x0[a] <= x


@njit(cache=True, nogil=True)
def lowest_void(rays, row, x, layer):
    """The lowest layer from which a point on a row is void up to a layer."""
    while layer > 0 and not (0 <= row < rays.rows and _inside(rays, (layer - 1) * rays.rows + row, x)):
        layer -= 1
    return layer


@njit(cache=True, nogil=True)
def _open_middle(rays, ray, known, start, cell):
    """Middle of the widest open stretch of a side."""
    if not known:
        return start + 0.5 * cell
    best, wide, at = start + 0.5 * cell, 0.0, start
    for i in range(rays.offsets[ray], rays.offsets[ray + 1]):
        if rays.x1[i] <= start:
            continue
        if rays.x0[i] >= start + cell:
            break
        if rays.x0[i] - at > wide:
            wide, best = rays.x0[i] - at, 0.5 * (rays.x0[i] + at)
        at = max(at, rays.x1[i])
    if start + cell - at > wide:
        best = 0.5 * (start + cell + at)
    return best


@njit(cache=True, nogil=True)
def links(way, levels):
    """Links between cells of a narrow way: (a, b, conductance at unit viscosity, area, speed per gradient, axis), flat
    indices."""
    count, rows, columns = way.state.shape
    most = 3 * np.count_nonzero(way.state == 1) * 2 + 1
    a, b = np.empty(most, np.int64), np.empty(most, np.int64)
    g, area, speed = np.empty(most), np.empty(most), np.empty(most)
    axis = np.empty(most, np.int8)
    n = 0
    for k in range(count):
        for j in range(rows):
            for i in range(columns):
                if way.state[k, j, i] == 0:
                    continue
                for side in range(3):
                    kk, jj, ii = k + (side == 2), j + (side == 0), i + (side == 1)
                    if kk >= count or jj >= rows or ii >= columns or way.state[kk, jj, ii] == 0:
                        continue
                    if way.state[k, j, i] != 1 and way.state[kk, jj, ii] != 1:
                        continue
                    half = 1.0 if way.state[k, j, i] == 1 and way.state[kk, jj, ii] == 1 else 0.5
                    if side == 2:
                        u, s = _upward(way, levels, k, j, i)
                        far = levels.tall
                    else:
                        u, s = _sideways(way, levels, k, side == 0, jj if side == 0 else ii, i if side == 0 else j)
                        far = levels.cell
                    if s <= 0.0:
                        continue
                    a[n], b[n] = (k * rows + j) * columns + i, (kk * rows + jj) * columns + ii
                    g[n], area[n], speed[n], axis[n] = u * s / (far * half), s, u, side
                    n += 1
    return a[:n].copy(), b[:n].copy(), g[:n].copy(), area[:n].copy(), speed[:n].copy(), axis[:n].copy()


@njit(cache=True, nogil=True, inline="always")
def _upward(way, levels, k, j, i):
    """Speed per gradient and area between a cell and the one above it; no area where nothing is known of their sides."""
    across = 0.5 * (_mean(way.at_y, way.at_x, k, j, i) + _mean(way.at_y, way.at_x, k + 1, j, i))
    if across <= 0.0:
        return 0.0, 0.0
    return 0.5 / across, min(way.share[k, j, i], way.share[k + 1, j, i]) * levels.cell * levels.cell


@njit(cache=True, nogil=True, inline="always")
def _sideways(way, levels, k, on_row, line, along):
    """Speed per gradient and area through a side on a row or a column; no area where it is shut."""
    opened, at, up = (way.open_y, way.at_y, way.up_y) if on_row else (way.open_x, way.at_x, way.up_x)
    length = opened[k, line, along]
    if length <= LEAST_OPEN:
        return 0.0, 0.0
    floor, roof = levels.layer[k] - up[k, line, along, 0], levels.layer[k] + up[k, line, along, 1] + 1
    level = _level(floor, roof, levels.layer[k], levels.z[k], levels.high_z, levels.layer_mm, levels.tall)
    u = 0.0
    for spot in range(2):
        u += 0.25 / (at[k, line, along, spot] + level)
    return u, length * levels.tall


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
