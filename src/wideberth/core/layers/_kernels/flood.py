"""The least, over all ways from a cell to the free, of the greatest height on the way."""

import numpy as np
from numba import njit

NEVER = np.inf


@njit(cache=True, nogil=True)
def _push(heap_key, heap_at, held, key, at):
    n = held
    while n > 0:
        up = (n - 1) // 2
        if heap_key[up] <= key:
            break
        heap_key[n], heap_at[n] = heap_key[up], heap_at[up]
        n = up
    heap_key[n], heap_at[n] = key, at
    return held + 1


@njit(cache=True, nogil=True)
def _pop(heap_key, heap_at, held):
    key, at = heap_key[0], heap_at[0]
    held -= 1
    last_key, last_at = heap_key[held], heap_at[held]
    n = 0
    while True:
        child = 2 * n + 1
        if child >= held:
            break
        if child + 1 < held and heap_key[child + 1] < heap_key[child]:
            child += 1
        if heap_key[child] >= last_key:
            break
        heap_key[n], heap_at[n] = heap_key[child], heap_at[child]
        n = child
    heap_key[n], heap_at[n] = last_key, last_at
    return key, at, held


@njit(cache=True, nogil=True)
def spill_levels(cells, index, shape, height, free, mouth_start, mouth_cells, mouth_open, sill):
    """The height that liquid in each cell must reach to leave it: the least, over all ways out, of the greatest on the way.

    Priority flood from the outside inward (R. Barnes, C. Lehman and D. Mulla, Computers & Geosciences 62, 2014), over cells
    in three dimensions and through holes.

    Parameters
    ----------
    cells : (n,) flat index of each cell. index : number of a cell by its flat index, -1 elsewhere. height : (n,). free : (n,)
    cells beside the open. mouth_start, mouth_cells : cells at the inner mouth of hole h are those of mouth 2 h, at the outer one
    of 2 h + 1. mouth_open : whether a mouth lies in the open. sill : (holes,) height of the highest place on each one's way.
    """
    nz, ny, nx = shape
    n = cells.size
    level = np.full(n, NEVER)
    room = 8 * n + 2 * mouth_cells.size + 16  # a cell is bettered at most once by each neighbour and mouth
    heap_key, heap_at = np.empty(room), np.empty(room, np.int64)
    held = 0
    beside = np.array([1, -1, nx, -nx, nx * ny, -nx * ny])
    mouth_of = np.full(n, -1, np.int64)
    passed = np.zeros(mouth_open.size, np.bool_)
    for c in range(n):
        if free[c]:
            level[c] = height[c]
            held = _push(heap_key, heap_at, held, level[c], c)
    for m in range(mouth_open.size):
        for e in range(mouth_start[m], mouth_start[m + 1]):
            c = mouth_cells[e]
            mouth_of[c] = m
            if mouth_open[m ^ 1]:
                out = max(sill[m // 2], height[c])
                if out < level[c]:
                    level[c] = out
                    held = _push(heap_key, heap_at, held, out, c)
    while held > 0:
        key, c, held = _pop(heap_key, heap_at, held)
        if key > level[c]:
            continue
        at = cells[c]
        k, rest = at // (ny * nx), at % (ny * nx)
        j, i = rest // nx, rest % nx
        for way in range(6):
            if (way == 0 and i == nx - 1) or (way == 1 and i == 0) or (way == 2 and j == ny - 1) or (way == 3 and j == 0):
                continue
            if (way == 4 and k == nz - 1) or (way == 5 and k == 0):
                continue
            other = index[at + beside[way]]
            if other < 0:
                continue
            through = max(key, height[other])
            if through < level[other]:
                level[other] = through
                held = _push(heap_key, heap_at, held, through, other)
        m = mouth_of[c]
        if m >= 0 and not passed[m]:  # the first to come through is the lowest
            passed[m] = True
            for e in range(mouth_start[m ^ 1], mouth_start[(m ^ 1) + 1]):
                other = mouth_cells[e]
                through = max(key, max(sill[m // 2], height[other]))
                if through < level[other]:
                    level[other] = through
                    held = _push(heap_key, heap_at, held, through, other)
    return level
