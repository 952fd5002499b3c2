"""The point of a mesh that is nearest to each of many others, exactly, by faces sorted into cells."""

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

BLOCK = 8


class Cells(NamedTuple):
    """Faces of a mesh sorted into cubic cells (x fastest): those of cell c are `held[start[c]:start[c + 1]]`."""

    points: NDArray[np.float64]
    faces: NDArray[np.int32]
    low: NDArray[np.float64]
    size: float
    shape: tuple[int, int, int]
    start: NDArray[np.int64]
    held: NDArray[np.int32]


@njit(cache=True, nogil=True)
def _stretch(x, low, size, count):
    """Which of so many stretches of one size holds x; the nearest where none does."""
    return min(count - 1, max(0, int((x - low) / size)))


@njit(cache=True, nogil=True)
def fill_cells(points, faces, low, cell, shape):
    """Faces by the cells that their boxes reach: `start` and `held` of `Cells`."""
    nx, ny, nz = shape
    start = np.zeros(nx * ny * nz + 1, np.int64)
    held = np.empty(0, np.int32)
    cursor = np.zeros(1, np.int64)
    for fill in range(2):
        if fill == 1:
            for c in range(nx * ny * nz):
                start[c + 1] += start[c]
            held = np.empty(start[-1], np.int32)
            cursor = start[:-1].copy()
        for f in range(faces.shape[0]):
            a, b, c = points[faces[f, 0]], points[faces[f, 1]], points[faces[f, 2]]  # views, nothing is copied
            i0 = _stretch(min(a[0], b[0], c[0]), low[0], cell, nx)
            i1 = _stretch(max(a[0], b[0], c[0]), low[0], cell, nx)
            j0 = _stretch(min(a[1], b[1], c[1]), low[1], cell, ny)
            j1 = _stretch(max(a[1], b[1], c[1]), low[1], cell, ny)
            k0 = _stretch(min(a[2], b[2], c[2]), low[2], cell, nz)
            k1 = _stretch(max(a[2], b[2], c[2]), low[2], cell, nz)
            for k in range(k0, k1 + 1):
                for j in range(j0, j1 + 1):
                    for i in range(i0, i1 + 1):
                        at = (k * ny + j) * nx + i
                        if fill == 0:
                            start[at + 1] += 1
                        else:
                            held[cursor[at]] = f
                            cursor[at] += 1
    return start, held


@njit(cache=True, nogil=True)
def _along(x, y, z, ux, uy, uz, share):
    return x + share * ux, y + share * uy, z + share * uz


@njit(cache=True, nogil=True)
def foot_on(px, py, pz, points, a, b, c):
    """Nearest point of a triangle to a point (C. Ericson, Real-Time Collision Detection, 2005, section 5.1.5)."""
    ax, ay, az = points[a, 0], points[a, 1], points[a, 2]
    bx, by, bz = points[b, 0], points[b, 1], points[b, 2]
    cx, cy, cz = points[c, 0], points[c, 1], points[c, 2]
    ux, uy, uz = bx - ax, by - ay, bz - az
    vx, vy, vz = cx - ax, cy - ay, cz - az
    d1 = ux * (px - ax) + uy * (py - ay) + uz * (pz - az)
    d2 = vx * (px - ax) + vy * (py - ay) + vz * (pz - az)
    if d1 <= 0 and d2 <= 0:
        return ax, ay, az
    d3 = ux * (px - bx) + uy * (py - by) + uz * (pz - bz)
    d4 = vx * (px - bx) + vy * (py - by) + vz * (pz - bz)
    if d3 >= 0 and d4 <= d3:
        return bx, by, bz
    vc = d1 * d4 - d3 * d2
    if vc <= 0 and d1 >= 0 and d3 <= 0:
        return _along(ax, ay, az, ux, uy, uz, d1 / (d1 - d3) if d1 != d3 else 0.0)
    d5 = ux * (px - cx) + uy * (py - cy) + uz * (pz - cz)
    d6 = vx * (px - cx) + vy * (py - cy) + vz * (pz - cz)
    if d6 >= 0 and d5 <= d6:
        return cx, cy, cz
    vb = d5 * d2 - d1 * d6
    if vb <= 0 and d2 >= 0 and d6 <= 0:
        return _along(ax, ay, az, vx, vy, vz, d2 / (d2 - d6) if d2 != d6 else 0.0)
    va = d3 * d6 - d5 * d4
    if va <= 0 and d4 - d3 >= 0 and d5 - d6 >= 0:
        reach = (d4 - d3) + (d5 - d6)
        return _along(bx, by, bz, cx - bx, cy - by, cz - bz, (d4 - d3) / reach if reach > 0 else 0.0)
    total = va + vb + vc
    if total == 0:
        return ax, ay, az
    s, t = vb / total, vc / total
    return ax + s * ux + t * vx, ay + s * uy + t * vy, az + s * uz + t * vz


@njit(cache=True, nogil=True)
def closest(cells, spots):
    """Distance of spots (s, 3) to the mesh, the face nearest to each, and the nearest point on it.

    Rings of cells are searched outward until nothing nearer can lie beyond.
    """
    points, faces, low, cell, (nx, ny, nz) = cells.points, cells.faces, cells.low, cells.size, cells.shape
    start, held = cells.start, cells.held
    n = spots.shape[0]
    far, face, foot = np.full(n, np.inf), np.full(n, -1, np.int64), np.zeros((n, 3))
    widest = max(nx, ny, nz)
    for s in range(n):
        x, y, z = spots[s, 0], spots[s, 1], spots[s, 2]
        ci = _stretch(x, low[0], cell, nx)
        cj = _stretch(y, low[1], cell, ny)
        ck = _stretch(z, low[2], cell, nz)
        best2 = np.inf
        for ring in range(widest + 1):
            bound = (ring - 1) * cell
            if ring > 0 and bound > 0 and best2 <= bound * bound:
                break
            for k in range(max(0, ck - ring), min(nz - 1, ck + ring) + 1):
                for j in range(max(0, cj - ring), min(ny - 1, cj + ring) + 1):
                    edge = abs(k - ck) == ring or abs(j - cj) == ring
                    step = 1 if edge or ring == 0 else 2 * ring
                    for i in range(ci - ring, ci + ring + 1, step):
                        if i < 0 or i >= nx:
                            continue
                        at = (k * ny + j) * nx + i
                        for h in range(start[at], start[at + 1]):
                            f = held[h]
                            qx, qy, qz = foot_on(x, y, z, points, faces[f, 0], faces[f, 1], faces[f, 2])
                            d2 = (qx - x) ** 2 + (qy - y) ** 2 + (qz - z) ** 2
                            if d2 < best2:
                                best2 = d2
                                face[s] = f
                                foot[s, 0], foot[s, 1], foot[s, 2] = qx, qy, qz
        far[s] = np.sqrt(best2)
    return far, face, foot


@njit(cache=True, nogil=True)
def filled_blocks(start, shape):
    """Whether any cell of each block of `BLOCK` cells a side holds a face, z first."""
    nx, ny, nz = shape
    filled = np.zeros(((nz + BLOCK - 1) // BLOCK, (ny + BLOCK - 1) // BLOCK, (nx + BLOCK - 1) // BLOCK), np.bool_)
    for k in range(nz):
        for j in range(ny):
            for i in range(nx):
                at = (k * ny + j) * nx + i
                if start[at + 1] > start[at]:
                    filled[k // BLOCK, j // BLOCK, i // BLOCK] = True
    return filled


@njit(cache=True, nogil=True)
def _gap2(x, low, size, n):
    """Square of the distance from x to the stretch n of some of one size; a hair less, for rounding."""
    gap = max(low + n * size - x, x - low - (n + 1) * size) - 1e-9 * size
    return gap * gap if gap > 0 else 0.0


@njit(cache=True, nogil=True)
def distances(cells, filled, spots):
    """Distance of spots (s, 3) to the mesh alone, sooner known than by `closest` far from it: blocks that hold nothing, or
    nothing nearer, are passed over."""
    points, faces, low, cell, (nx, ny, nz) = cells.points, cells.faces, cells.low, cells.size, cells.shape
    start, held = cells.start, cells.held
    mz, my, mx = filled.shape
    far, block, widest = np.empty(spots.shape[0]), BLOCK * cell, max(mx, my, mz)
    for s in range(spots.shape[0]):
        x, y, z = spots[s, 0], spots[s, 1], spots[s, 2]
        ci = _stretch(x, low[0], block, mx)
        cj = _stretch(y, low[1], block, my)
        ck = _stretch(z, low[2], block, mz)
        best2 = np.inf
        for ring in range(widest + 1):
            if ring > 1 and best2 <= ((ring - 1) * block) ** 2:
                break
            for kb in range(max(0, ck - ring), min(mz - 1, ck + ring) + 1):
                for jb in range(max(0, cj - ring), min(my - 1, cj + ring) + 1):
                    off2 = _gap2(z, low[2], block, kb) + _gap2(y, low[1], block, jb)
                    if off2 > best2:
                        continue
                    edge = abs(kb - ck) == ring or abs(jb - cj) == ring
                    for ib in range(ci - ring, ci + ring + 1, 1 if edge or ring == 0 else 2 * ring):
                        if ib < 0 or ib >= mx or not filled[kb, jb, ib] or off2 + _gap2(x, low[0], block, ib) > best2:
                            continue
                        for k in range(kb * BLOCK, min(nz, (kb + 1) * BLOCK)):
                            for j in range(jb * BLOCK, min(ny, (jb + 1) * BLOCK)):
                                row2 = _gap2(z, low[2], cell, k) + _gap2(y, low[1], cell, j)
                                if row2 > best2:
                                    continue
                                for i in range(ib * BLOCK, min(nx, (ib + 1) * BLOCK)):
                                    at = (k * ny + j) * nx + i
                                    if start[at + 1] == start[at] or row2 + _gap2(x, low[0], cell, i) > best2:
                                        continue
                                    for h in range(start[at], start[at + 1]):
                                        f = held[h]
                                        qx, qy, qz = foot_on(x, y, z, points, faces[f, 0], faces[f, 1], faces[f, 2])
                                        best2 = min(best2, (qx - x) ** 2 + (qy - y) ** 2 + (qz - z) ** 2)
        far[s] = np.sqrt(best2)
    return far


@njit(cache=True, nogil=True)
def any_nearer(cells, spots, within):
    """Whether any of spots (s, 3) is nearer to the mesh than its own distance, `within` (s,)."""
    points, faces, low, cell, (nx, ny, nz) = cells.points, cells.faces, cells.low, cells.size, cells.shape
    start, held = cells.start, cells.held
    for s in range(spots.shape[0]):
        x, y, z, reach = spots[s, 0], spots[s, 1], spots[s, 2], within[s]
        i0, i1 = max(0, math.floor((x - reach - low[0]) / cell)), min(nx - 1, math.floor((x + reach - low[0]) / cell))
        j0, j1 = max(0, math.floor((y - reach - low[1]) / cell)), min(ny - 1, math.floor((y + reach - low[1]) / cell))
        k0, k1 = max(0, math.floor((z - reach - low[2]) / cell)), min(nz - 1, math.floor((z + reach - low[2]) / cell))
        for k in range(k0, k1 + 1):
            for j in range(j0, j1 + 1):
                for i in range(i0, i1 + 1):
                    at = (k * ny + j) * nx + i
                    for h in range(start[at], start[at + 1]):
                        f = held[h]
                        qx, qy, qz = foot_on(x, y, z, points, faces[f, 0], faces[f, 1], faces[f, 2])
                        if math.sqrt((qx - x) ** 2 + (qy - y) ** 2 + (qz - z) ** 2) < reach:
                            return True
    return False
