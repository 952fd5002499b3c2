"""Measuring on a mesh: distances, angles, bores, and the wall under a spot."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model.mesh import Mesh
from wideberth.core.model.nearest import nearest_on
from wideberth.core.model.rays import hits
from wideberth.core.model.regions import Regions

SMOOTH_DEG = 30.0
FLAT_DEG = 2.0
MOST_FACES = 60_000
FIT_SHARE = 0.05
ROUND_SHARE = 0.002
"""Of normals squared, along the axis: a cylinder's are square to it, a cone's of three degrees are not."""
LEAST_FACES = 12
MOST_OF_A_TURN_DEG = 200.0
LEAST_LENGTH_MM, FIT_MM = 0.3, 0.4
NEAR_MM, NEAR_SHARE, SQUARE = 0.02, 0.03, 0.3
"""How near to a round's radius the corners of its faces lie, least and as a share of it; and how little these lean along it."""
WIDEST_FIT_MM = 80.0
"""A round that is wider is a body, not a peg or a bore."""
LEVEL_DEG, ALONG_DEG = 0.2, 2.0
"""Bends of edges that lie in a flat; and how far a straight wall leans from its axis at most."""
WAY_BINS, MOST_WAYS = 20, 8
"""How finely directions of edges are told apart, and of how many walls are looked for."""


@dataclass(frozen=True)
class Bored:
    """A bore or a pin fitted to the surface round a spot. `around_deg` : how much of the full turn the surface covers.
    centre_mm :
    the middle of the stretch of the axis, `length_mm` long, that the surface goes along."""

    diameter_mm: float
    axis: tuple[float, float, float]
    centre_mm: tuple[float, float, float]
    is_hole: bool
    off_mm: float
    around_deg: float
    length_mm: float = 0.0


def distance_mm(a: NDArray[np.float64], b: NDArray[np.float64]) -> float:
    """Straight distance between two points (3,) [mm]."""
    return float(np.linalg.norm(np.asarray(b) - np.asarray(a)))


def face_normal(mesh: Mesh, spot: NDArray[np.float64]) -> NDArray[np.float64]:
    """Outward normal (3,) of the flat region round a spot (3,): the area-weighted mean over faces within 2° of it."""
    face, _ = nearest_on(mesh, spot)
    region = _region(mesh, face, FLAT_DEG)
    total = (mesh.normals[region] * mesh.face_area_mm2[region, None]).sum(axis=0)
    return np.asarray(total / max(np.linalg.norm(total), 1e-12))


def angle_between_deg(mesh: Mesh, a: NDArray[np.float64], b: NDArray[np.float64]) -> float:
    """Angle [°] that the faces at two spots (3,) enclose through the material: 90 at a cube's edge, 180 for two of one plane."""
    na, nb = face_normal(mesh, a), face_normal(mesh, b)
    return 180.0 - float(np.degrees(np.arccos(np.clip(na @ nb, -1, 1))))


def wall_mm(mesh: Mesh, spot: NDArray[np.float64]) -> float:
    """Material straight under a spot (3,) [mm], from the surface to where the ray leaves it.

    Raises
    ------
    BadModel : when the mesh is open there.
    """
    face, on = nearest_on(mesh, spot)
    normal = mesh.normals[face]
    far, _, _ = hits(mesh, on, -normal)
    through = far[far > 1e-6 + 1e-7 * float(mesh.extents_mm.max())]
    if len(through) == 0:
        raise BadModel("has no surface opposite this spot: it is open there.", where="measure", remedy="Mend the mesh first.")
    return float(through[0])


def _region(mesh: Mesh, start: int, bend_deg: float) -> NDArray[np.int64]:
    """Faces reached from one over edges that bend by less than an angle; for flats also within that angle of the first."""
    topology = mesh.topology
    first, of_edge = topology.faces_of_edge
    cosine = np.cos(np.radians(bend_deg))
    flat = bend_deg <= FLAT_DEG
    normal = mesh.normals
    seen = {start}
    queue = [start]
    while queue and len(seen) < MOST_FACES:
        f = queue.pop()
        for e in topology.edge_of[f]:
            for g in of_edge[first[e] : first[e + 1]]:
                g = int(g)
                if g not in seen and normal[g] @ normal[start if flat else f] >= cosine:
                    seen.add(g)
                    queue.append(g)
    return np.fromiter(sorted(seen), np.int64)


def bore_at(mesh: Mesh, spot: NDArray[np.float64]) -> Bored:
    """The cylinder that the surface round a spot (3,) belongs to: a bore, or a pin.

    Notes
    -----
    The smooth region round the spot is gathered over edges that bend by less than 30°; its axis is the direction its normals
    have least of, and the circle is fitted by least squares to its corners seen along the axis. Where the region is no cylinder,
    as that of a rounded rim, its straight walls are looked at one by one.

    Raises
    ------
    BadModel : when the surface there is no cylinder.
    """
    face, _ = nearest_on(mesh, spot)
    region = _region(mesh, face, SMOOTH_DEG)
    fitted = _fitted(mesh, region)
    if fitted is None:
        walls = (w for w in _walls(Regions.of(mesh), region) if face in w)
        fitted = next((b for b in (_fitted(mesh, w) for w in walls) if b is not None), None)
    if fitted is None:
        raise BadModel("the surface there is no bore and no pin.", where="measure", remedy="Click inside the hole.")
    return fitted


def wall_of(
    mesh: Mesh, axis: Sequence[float], centre_mm: Sequence[float], length_mm: float, diameter_mm: float
) -> NDArray[np.bool_]:
    """Which faces are a round's straight wall, (faces,): square to its axis, with all corners at its radius and along its length.

    Parameters
    ----------
    axis : (3,) unit. centre_mm : (3,) the middle of its axis.
    """
    along_axis, radius = np.asarray(axis, float), 0.5 * diameter_mm
    off = mesh.corners - np.asarray(centre_mm, float)
    along, near = off @ along_axis, max(NEAR_MM, NEAR_SHARE * radius)
    away = np.linalg.norm(off - along[..., None] * along_axis, axis=2)
    on = (np.abs(away - radius) < near).all(axis=1) & (np.abs(along) < 0.5 * length_mm + near).all(axis=1)
    return np.asarray(on & (np.abs(mesh.normals @ along_axis) < SQUARE))


def rounds_of(mesh: Mesh) -> tuple[Bored, ...]:
    """All bores and pegs of a mesh, the widest first: smooth regions, or straight walls in them, that are cylinders over most of
    a turn and no wider than a fit is."""
    if mesh.triangles < LEAST_FACES:
        return ()
    regions = Regions.of(mesh)
    piece = regions.level_pieces(SMOOTH_DEG)
    area, normals, count = mesh.face_area_mm2, mesh.normals, int(piece.max()) + 1
    whole = np.maximum(np.bincount(piece, area, count), 1e-12)
    spread = np.empty((count, 3, 3))
    for i in range(3):
        for j in range(3):
            spread[:, i, j] = np.bincount(piece, area * normals[:, i] * normals[:, j], count) / whole
    least, size = np.linalg.eigvalsh(spread), np.bincount(piece, minlength=count)
    plain = (least[:, 0] < ROUND_SHARE) & (least[:, 1] > FIT_SHARE) & (size >= LEAST_FACES)
    blended = ~plain & (least[:, 1] > ROUND_SHARE) & (size > LEAST_FACES) & (size <= MOST_FACES)
    order = np.argsort(piece, kind="stable")
    ends = np.searchsorted(piece[order], np.arange(count + 1))
    tried = [order[ends[n] : ends[n + 1]] for n in np.flatnonzero(plain)]
    for n in np.flatnonzero(blended):
        tried += _walls(regions, order[ends[n] : ends[n + 1]])
    found = [_fitted(mesh, faces) for faces in tried]
    kept = [b for b in found if b is not None and b.around_deg >= MOST_OF_A_TURN_DEG and FIT_MM <= b.diameter_mm <= WIDEST_FIT_MM]
    kept = [b for b in kept if b.length_mm >= LEAST_LENGTH_MM]
    return tuple(sorted(kept, key=lambda b: (-b.diameter_mm, b.centre_mm)))


def _walls(regions: Regions, faces: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    """Straight walls in a smooth region of faces (n,): what of it stands along one of the directions that most of its edges
    have, in sets that hang together."""
    mesh = regions.mesh
    own = np.zeros(mesh.triangles, bool)
    own[faces] = True
    smooth = own[regions.pairs].all(axis=1) & (regions.bend_deg < SMOOTH_DEG)
    bent = smooth & (regions.bend_deg > LEVEL_DEG)
    way = np.diff(mesh.points[regions.ends[bent]], axis=1)[:, 0]
    long = np.linalg.norm(way, axis=1)
    if len(long) < LEAST_FACES // 2:
        return []
    way = way / np.maximum(long, 1e-12)[:, None]
    way = way * np.where(way[np.arange(len(way)), np.abs(way).argmax(axis=1)] < 0, -1.0, 1.0)[:, None]
    bins, of = np.unique(np.round(way * WAY_BINS), axis=0, return_inverse=True)
    weight = np.bincount(of.ravel(), long, len(bins))
    made: list[NDArray[np.int64]] = []
    axes: list[NDArray[np.float64]] = []
    for n in np.argsort(-weight, kind="stable")[:MOST_WAYS]:
        middle = bins[n] / np.linalg.norm(bins[n])
        near = np.abs(way @ middle) > np.cos(np.radians(2 * ALONG_DEG))
        axis = np.linalg.eigh((way[near] * long[near, None]).T @ way[near])[1][:, 2]
        if any(abs(axis @ other) > np.cos(np.radians(ALONG_DEG)) for other in axes):
            continue
        axes.append(axis)
        upright = own & (np.abs(mesh.normals @ axis) < np.sin(np.radians(ALONG_DEG)))
        tied = regions.pairs[smooth & upright[regions.pairs].all(axis=1)]
        links = scipy.sparse.coo_array((np.ones(len(tied), np.int8), tied.T), (mesh.triangles, mesh.triangles))
        part = scipy.sparse.csgraph.connected_components(links, directed=False)[1]
        on = np.flatnonzero(upright)
        for label in np.flatnonzero(np.bincount(part[on]) >= LEAST_FACES):
            made.append(on[part[on] == label])
    return made


def _fitted(mesh: Mesh, region: NDArray[np.int64]) -> Bored | None:
    """The cylinder that faces (n,) lie on; None when they lie on none."""
    area = mesh.face_area_mm2[region]
    normals = mesh.normals[region]
    values, vectors = np.linalg.eigh((normals * area[:, None]).T @ normals / area.sum())
    axis = vectors[:, 0]
    if values[0] > FIT_SHARE or values[1] < FIT_SHARE:
        return None
    u, v = vectors[:, 1], vectors[:, 2]
    corners = mesh.points[np.unique(mesh.faces[region])]
    flat = np.column_stack((corners @ u, corners @ v))
    middle = flat.mean(axis=0)
    x, y = (flat - middle).T
    rough = np.linalg.lstsq(np.column_stack((x, y, np.ones(len(x)))), x**2 + y**2, rcond=None)[0]
    guess = [rough[0] / 2, rough[1] / 2, np.sqrt(max(rough[2] + (rough[0] ** 2 + rough[1] ** 2) / 4, 1e-12))]
    fit = scipy.optimize.least_squares(lambda p: np.hypot(x - p[0], y - p[1]) - p[2], guess)
    radius = abs(float(fit.x[2]))
    off = float(np.abs(fit.fun).max())
    if off > FIT_SHARE * radius:
        return None
    centre2 = middle + fit.x[:2]
    mids = mesh.points[mesh.faces[region]].mean(axis=1)
    outward = np.column_stack((mids @ u - centre2[0], mids @ v - centre2[1]))
    facing = np.column_stack((normals @ u, normals @ v))
    hole = float((area * (outward * facing).sum(axis=1)).sum()) < 0
    turn = np.sort(np.degrees(np.arctan2(y - fit.x[1], x - fit.x[0])))
    around = 360.0 - float(np.diff(np.append(turn, turn[0] + 360.0)).max())
    along = corners @ axis
    centre = centre2[0] * u + centre2[1] * v + 0.5 * (along.min() + along.max()) * axis
    return Bored(
        2 * radius,
        (float(axis[0]), float(axis[1]), float(axis[2])),
        (float(centre[0]), float(centre[1]), float(centre[2])),
        hole,
        off,
        around,
        float(np.ptp(along)),
    )
