"""Triangles to runs: crossings of a grid of rays along x, sorted, and turned into runs by the winding rule."""

import math
from typing import NamedTuple

import numpy as np
from numba import njit


class RayGrid(NamedTuple):
    """Rays along x: rows from y0, dy apart, on layers from z0, dz apart."""

    y0: float
    dy: float
    ny: int
    z0: float
    dz: float
    nz: int


@njit(cache=True, nogil=True, inline="always")
def _at_height(ax, ay, az, bx, by, bz, z):
    """Point (y, x) of an edge at height z. The lower end comes first, so both triangles of an edge agree to the bit."""
    if az < bz:
        s = (z - az) / (bz - az)
        return ay + s * (by - ay), ax + s * (bx - ax)
    s = (z - bz) / (az - bz)
    return by + s * (ay - by), bx + s * (ax - bx)


@njit(cache=True, nogil=True)
def crossings(points, faces, ray_grid, cursor, xs, signs, fill):
    """Count (fill False) or store (fill True) the crossings of every ray (layer, row) with a mesh.

    The section of a triangle at a layer runs from its falling edge to its rising edge. Where that stretch goes
    towards +y the ray leaves the solid (-1), towards -y it enters (+1). Both rules are half-open, so a contour
    that closes has a sum of zero on every ray, to the bit.
    """
    y0, dy, ny, z0, dz, nz = ray_grid
    for f in range(faces.shape[0]):
        a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
        ax, ay, az = points[a, 0], points[a, 1], points[a, 2]
        bx, by, bz = points[b, 0], points[b, 1], points[b, 2]
        cx, cy, cz = points[c, 0], points[c, 1], points[c, 2]
        low = min(az, min(bz, cz))
        high = max(az, max(bz, cz))
        k = max(0, int(math.floor((low - z0) / dz)))
        last = min(nz - 1, int(math.floor((high - z0) / dz)) + 1)
        while k <= last:
            z = z0 + k * dz
            if low <= z < high:
                yu = xu = yd = xd = 0.0
                if az <= z < bz:
                    yu, xu = _at_height(ax, ay, az, bx, by, bz, z)
                elif bz <= z < az:
                    yd, xd = _at_height(ax, ay, az, bx, by, bz, z)
                if bz <= z < cz:
                    yu, xu = _at_height(bx, by, bz, cx, cy, cz, z)
                elif cz <= z < bz:
                    yd, xd = _at_height(bx, by, bz, cx, cy, cz, z)
                if cz <= z < az:
                    yu, xu = _at_height(cx, cy, cz, ax, ay, az, z)
                elif az <= z < cz:
                    yd, xd = _at_height(cx, cy, cz, ax, ay, az, z)
                if yu > yd:
                    sign, ya, xa, yb, xb = -1, yd, xd, yu, xu
                else:
                    sign, ya, xa, yb, xb = 1, yu, xu, yd, xd
                if yb > ya:
                    j = max(0, int(math.floor((ya - y0) / dy)))
                    j_last = min(ny - 1, int(math.floor((yb - y0) / dy)) + 1)
                    slope = (xb - xa) / (yb - ya)
                    while j <= j_last:
                        y = y0 + j * dy
                        if ya <= y < yb:
                            place = k * ny + j
                            if fill:
                                at = cursor[place]
                                xs[at] = xa + (y - ya) * slope
                                signs[at] = sign
                            cursor[place] += 1
                        j += 1
            k += 1


@njit(cache=True, nogil=True)
def wind(start, xs, signs, rows, x0, x1):
    """Sort the crossings of each ray and turn them into runs where the winding number is not zero.

    Told in x0 and x1, run starts and ends, one more than half of the crossings each. Returns offsets (rows + 1), and a flag for
    each ray whose sum did not return to zero.
    """
    offsets = np.zeros(rows + 1, np.int32)
    broken = np.zeros(rows, np.uint8)
    n = 0
    for r in range(rows):
        lo, hi = start[r], start[r + 1]
        for i in range(lo + 1, hi):
            x, s = xs[i], signs[i]
            j = i - 1
            while j >= lo and xs[j] > x:
                xs[j + 1] = xs[j]
                signs[j + 1] = signs[j]
                j -= 1
            xs[j + 1] = x
            signs[j + 1] = s
        winding = 0
        i = lo
        while i < hi:
            before = winding
            x = xs[i]
            while i < hi and xs[i] == x:
                winding += signs[i]
                i += 1
            if before == 0 and winding != 0:
                x0[n] = x
            elif before != 0 and winding == 0:
                x1[n] = x
                n += 1
        if winding != 0:
            broken[r] = 1
        offsets[r + 1] = n
    return offsets, broken


@njit(cache=True, nogil=True)
def mend(offsets, x0, x1, broken, ny, reach):
    """Give each broken ray the runs of the nearest whole ray of its layer, up to `reach` rows away."""
    rows = broken.size
    source = np.arange(rows)
    for r in range(rows):
        if broken[r]:
            k, j = r // ny, r % ny
            for d in range(1, reach + 1):
                if j - d >= 0 and not broken[k * ny + j - d]:
                    source[r] = r - d
                    break
                if j + d < ny and not broken[k * ny + j + d]:
                    source[r] = r + d
                    break
    total = 0
    for r in range(rows):
        total += offsets[source[r] + 1] - offsets[source[r]]
    new_offsets = np.zeros(rows + 1, np.int32)
    a = np.empty(total)
    b = np.empty(total)
    n = 0
    for r in range(rows):
        for i in range(offsets[source[r]], offsets[source[r] + 1]):
            a[n] = x0[i]
            b[n] = x1[i]
            n += 1
        new_offsets[r + 1] = n
    return new_offsets, a, b


@njit(cache=True, nogil=True)
def combine(oa, a0, a1, ob, b0, b1, in_a_only, in_b_only, in_both, c0, c1):
    """Boolean of two run sets on the same rays; the three flags say which overlaps stay solid. Told in c0 and c1, as many each as
    there are runs in both sets; returns offsets."""
    rows = oa.size - 1
    offsets = np.zeros(rows + 1, np.int32)
    n = 0
    for r in range(rows):
        i, j = oa[r], ob[r]
        i_end, j_end = oa[r + 1], ob[r + 1]
        in_a = in_b = solid = False
        while i < i_end or j < j_end:
            xa = math.inf
            if i < i_end:
                xa = a1[i] if in_a else a0[i]
            xb = math.inf
            if j < j_end:
                xb = b1[j] if in_b else b0[j]
            x = min(xa, xb)
            if xa == x:
                if in_a:
                    i += 1
                in_a = not in_a
            if xb == x:
                if in_b:
                    j += 1
                in_b = not in_b
            now = (in_both if in_b else in_a_only) if in_a else (in_b_only if in_b else False)
            if now and not solid:
                if n > offsets[r] and c1[n - 1] == x:
                    n -= 1
                else:
                    c0[n] = x
                solid = True
            elif solid and not now:
                if x > c0[n]:
                    c1[n] = x
                    n += 1
                solid = False
        offsets[r + 1] = n
    return offsets
