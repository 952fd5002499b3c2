"""Filling a hole: a flat one flat, a curved one as the surface round it bends.

The curved patch is meshed in the plane that fits its rim best and then given the shape that solves Δ²x = 0 with the rim and the
two rings of faces beyond it held, which carries the surface's slope across (after P. Liepa, Filling Holes in Meshes, 2003).
A rim that overlaps itself in every plane is filled with the triangles of least total area (G. Barequet, M. Sharir, 1995).
"""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.model._kernels.patch import crosses_itself, least_area
from wideberth.core.model.constrained import constrained_delaunay
from wideberth.core.model.mesh import Mesh
from wideberth.core.model.topology import Topology

FLAT_SHARE = 2e-3
LONGEST_LOOP = 20_000
LONGEST_EXACT = 300
MOST_INNER = 20_000
RINGS = 2
ROUNDS = 3
BULGES = 2.0
"""A patch ends within so many times as far from the middle of its rim as the rim does."""


def open_loops(topology: Topology) -> list[NDArray[np.int64]]:
    """Rims of the holes as loops of points, each (n,) in the order that its patch's faces should walk it.

    Loops that touch at a point are taken apart there.
    """
    m, i = np.nonzero((topology.uses == 1)[topology.edge_of])
    start = topology.faces[m, i].astype(np.int64)
    end = topology.faces[m, (i + 1) % 3].astype(np.int64)
    onward: dict[int, list[int]] = {}
    for a, b in zip(end.tolist(), start.tolist(), strict=True):
        onward.setdefault(a, []).append(b)
    loops = []
    for first in list(onward):
        while onward.get(first):
            path, at = [first], onward[first].pop()
            where = {first: 0}
            while at != first and onward.get(at):
                if at in where:  # a smaller loop closes on the way: cut it off
                    cut = where[at]
                    loops.append(np.array(path[cut:], np.int64))
                    for p in path[cut + 1 :]:
                        where.pop(p, None)
                    path = path[: cut + 1]
                else:
                    where[at] = len(path)
                    path.append(at)
                at = onward[at].pop()
            if at == first and len(path) >= 3:
                loops.append(np.array(path, np.int64))
    return [loop for loop in loops if len(loop) >= 3]


def fill(mesh: Mesh, loop: NDArray[np.int64]) -> tuple[NDArray[np.float64], NDArray[np.int64], str]:
    """A patch for one rim.

    Returns
    -------
    new points (k, 3), numbered on from the mesh's own; faces (p, 3); and how: "flat", "curved" or "straight".
    """
    rim = mesh.points[loop]
    centre = rim.mean(axis=0)
    _, _, axes = np.linalg.svd(rim - centre, full_matrices=False)
    flat = (rim - centre) @ axes[:2].T
    height = (rim - centre) @ axes[2]
    size = float(np.linalg.norm(flat, axis=1).max())
    is_flat = float(np.abs(height).max()) <= FLAT_SHARE * size and _walls_are_plain(mesh, loop, axes[2])
    if len(loop) > LONGEST_LOOP:
        return np.empty((0, 3)), np.empty((0, 3), np.int64), "too long"
    meshed = _meshed(mesh, loop, flat, axes, centre, not is_flat)
    if meshed is not None:
        return (*meshed, "flat" if is_flat else "curved")
    return np.empty((0, 3)), loop[_least_area(rim)], "flat" if is_flat else "straight"


def _least_area(rim: NDArray[np.float64]) -> NDArray[np.int64]:
    """Triangles over a rim (n, 3) of about the least area; a long one is first parted along short chords."""
    n = len(rim)
    if n <= LONGEST_EXACT:
        return least_area(np.ascontiguousarray(rim))
    near, far = n // 4, n - n // 4
    gaps: list[tuple[float, int, int]] = []
    for i in range(0, n, max(1, n // 200)):
        ends = np.arange(i + near, min(i + far, n))
        if len(ends):
            apart = np.linalg.norm(rim[ends] - rim[i], axis=1)
            gaps.append((float(apart.min()), i, int(ends[apart.argmin()])))
    _, i, k = min(gaps)
    one, other = np.arange(i, k + 1), np.concatenate((np.arange(k, n), np.arange(0, i + 1)))
    return np.concatenate((one[_least_area(rim[one])], other[_least_area(rim[other])]))


def _walls_are_plain(mesh: Mesh, loop: NDArray[np.int64], normal: NDArray[np.float64]) -> bool:
    """Whether a flat rim wants a flat lid: the faces round it lie in its plane or stand square on it, as round a cut.

    A flat rim on a rounded surface, where faces lean, gets a curved patch.
    """
    around = np.isin(mesh.faces, loop).sum(axis=1) >= 2
    lean = np.abs(mesh.normals[around] @ normal)
    return bool(np.median(np.minimum(lean, 1 - lean)) < 0.02)


def _meshed(
    mesh: Mesh,
    loop: NDArray[np.int64],
    flat: NDArray[np.float64],
    axes: NDArray[np.float64],
    centre: NDArray[np.float64],
    bent: bool,
) -> tuple[NDArray[np.float64], NDArray[np.int64]] | None:
    """A patch, flat or bent as its surroundings are, or None when the rim overlaps itself in its plane."""
    turn = _area2(flat)
    if turn < 0:
        flat, axes = flat * [1, -1], axes * np.array([[1], [-1], [1]])
    if crosses_itself(np.ascontiguousarray(flat)):
        return None
    edge = np.linalg.norm(np.roll(flat, -1, axis=0) - flat, axis=1)
    step = max(float(np.median(edge)), float(np.sqrt(abs(turn) / 2 / MOST_INNER)))
    inner = _inner_points(flat, step)
    triangles = _planar_mesh(flat, inner)
    if triangles is None:
        return None
    start = len(mesh.points)
    number = np.concatenate((loop, start + np.arange(len(inner))))
    spots = centre + inner @ axes[:2]
    faces = number[triangles]
    if bent and len(inner):
        spots = _faired(mesh, loop, spots, faces)
    return spots, faces


def _area2(flat: NDArray[np.float64]) -> float:
    after = np.roll(flat, -1, axis=0)
    return float((flat[:, 0] * after[:, 1] - flat[:, 1] * after[:, 0]).sum())


def _inside(flat: NDArray[np.float64], points: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which points (p, 2) lie in a polygon (n, 2), by crossings."""
    inside = np.zeros(len(points), bool)
    for a, b in zip(flat, np.roll(flat, -1, axis=0), strict=True):
        across = (a[1] > points[:, 1]) != (b[1] > points[:, 1])
        if across.any():
            x = a[0] + (points[:, 1] - a[1]) * (b[0] - a[0]) / (b[1] - a[1] if b[1] != a[1] else 1.0)
            inside ^= across & (points[:, 0] < x)
    return inside


def _inner_points(flat: NDArray[np.float64], step: float) -> NDArray[np.float64]:
    """Points inside a polygon in rows of equal triangles, none too near its rim."""
    low, high = flat.min(axis=0), flat.max(axis=0)
    rows = np.arange(low[1] + 0.5 * step, high[1], step * np.sqrt(3) / 2)
    points = [
        np.column_stack(
            (
                np.arange(low[0] + (0.25 + 0.5 * (k % 2)) * step, high[0], step),
                np.full(1, y).repeat(len(np.arange(low[0] + (0.25 + 0.5 * (k % 2)) * step, high[0], step))),
            )
        )
        for k, y in enumerate(rows)
    ]
    if not points:
        return np.empty((0, 2))
    spots = np.concatenate(points)
    spots = spots[_inside(flat, spots)]
    a, d = flat, np.roll(flat, -1, axis=0) - flat
    length2 = np.maximum((d**2).sum(axis=1), 1e-30)
    near = np.full(len(spots), np.inf)
    for k in range(len(a)):
        s = np.clip(((spots - a[k]) @ d[k]) / length2[k], 0, 1)
        near = np.minimum(near, np.linalg.norm(spots - a[k] - s[:, None] * d[k], axis=1))
    return spots[near > 0.6 * step]


def _planar_mesh(flat: NDArray[np.float64], inner: NDArray[np.float64]) -> NDArray[np.int64] | None:
    """Triangles over rim and inner points that keep every edge of the rim, counter-clockwise; None when they cannot."""
    points = np.concatenate((flat, inner))
    n = len(flat)
    along = np.arange(n)
    made = constrained_delaunay(points, np.column_stack((along, (along + 1) % n)))
    if made is None:
        return None
    made = made[_inside(flat, points[made].mean(axis=1))]
    edges = np.sort(made[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    once, uses = np.unique(edges, axis=0, return_counts=True)
    rim = {(min(k, (k + 1) % n), max(k, (k + 1) % n)) for k in range(n)}
    if {(int(i), int(j)) for i, j in once[uses == 1]} != rim or (uses > 2).any():
        return None
    return made


def _faired(mesh: Mesh, loop: NDArray[np.int64], spots: NDArray[np.float64], faces: NDArray[np.int64]) -> NDArray[np.float64]:
    """Inner points moved to where the patch bends least, going on from the two rings of faces round the rim; no farther than a
    patch that bulges as more than half a ball would, since what goes on from a sharp edge all round may have no end."""
    known = np.zeros(len(mesh.points), bool)
    known[loop] = True
    ring = known[mesh.faces].any(axis=1)
    for _ in range(RINGS - 1):
        known[mesh.faces[ring]] = True
        ring = known[mesh.faces].any(axis=1)
    near = np.concatenate((mesh.faces[ring].astype(np.int64), faces))
    used, local = np.unique(near, return_inverse=True)
    local = local.reshape(-1, 3)
    places = np.concatenate((mesh.points, spots))[used]
    free = used >= len(mesh.points)
    rim = mesh.points[loop]
    middle = rim.mean(axis=0)
    reach = BULGES * float(np.linalg.norm(rim - middle, axis=1).max())
    flat_first = True
    for _ in range(ROUNDS):
        laplace, mass = _laplacian(places, local)
        system = laplace if flat_first else laplace @ scipy.sparse.diags(1 / mass) @ laplace
        left, right = system[free][:, free], system[free][:, ~free]
        moved = scipy.sparse.linalg.spsolve(left.tocsc(), -(right @ places[~free])).reshape(-1, 3)
        if not (np.linalg.norm(moved - middle, axis=1) <= reach).all():
            break
        places[free] = moved
        flat_first = False
    return places[free]


def _laplacian(points: NDArray[np.float64], faces: NDArray[np.int64]) -> tuple[scipy.sparse.csr_matrix, NDArray[np.float64]]:
    """Cotangent Laplacian (n, n) and a third of the area round each point, (n,)."""
    n = len(points)
    rows, columns, weights = [], [], []
    mass = np.zeros(n)
    for i in range(3):
        a, b, c = faces[:, i], faces[:, (i + 1) % 3], faces[:, (i + 2) % 3]
        u, v = points[b] - points[a], points[c] - points[a]
        area2 = np.maximum(np.linalg.norm(np.cross(u, v), axis=1), 1e-12)
        half = np.clip(0.5 * (u * v).sum(axis=1) / area2, -50, 50)
        rows += [b, c, b, c]
        columns += [c, b, b, c]
        weights += [-half, -half, half, half]
        np.add.at(mass, a, area2 / 6)
    made = scipy.sparse.csr_matrix((np.concatenate(weights), (np.concatenate(rows), np.concatenate(columns))), (n, n))
    return made, np.maximum(mass, 1e-12)
