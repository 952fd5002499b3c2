"""Many tips at one press: along an edge, round a hole, over a face on a grid, and mirrored to the part's other side."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob
from wideberth.core.job import Job, Part
from wideberth.core.loads import spacing_mm
from wideberth.core.model import Closest, Mesh, Regions, spread_over
from wideberth.core.orient import placing
from wideberth.core.predict import Stages
from wideberth.core.propose.rooming import room_around
from wideberth.core.support import Need, NeedKind, started

Values = NDArray[np.float64]
SHARP_DEG, RUNS_ON_DEG = 30.0, 40.0
"""Edges are followed where faces meet sharper than the one, and as long as they turn by less than the other."""
REACH_MM, INSET_MM, CLOSEST_MM = 6.0, 0.2, 0.8
"""How far an edge or a hole may lie from where was pressed; how far beside an edge tips stand; no tips nearer to each other."""
MIRROR_SAMPLES, SYMMETRIC_MM, SYMMETRIC_SHARE = 600, 0.15, 0.004


class Spread(StrEnum):
    """What many tips follow."""

    EDGE = "along an edge"
    RING = "round a hole"
    GRID = "over a face"


@dataclass(frozen=True)
class Added:
    """The job with more tips, how many, and how many spots no post finds a way to."""

    job: Job
    count: int
    barred: int


def with_tips_spread(
    job: Job,
    id: str,
    stages: Stages,
    spot_mm: Values,
    how: Spread,
    apart_mm: float | None = None,
    diameter_mm: float | None = None,
) -> Added:
    """The job with tips set from a spot on a part on: along the edge, round the hole, or over the face that is nearest to it.

    Parameters
    ----------
    spot_mm : (3,) in the part's own frame. apart_mm : between them; by the sag law when left out. diameter_mm : the usual one
    when left out.

    Raises
    ------
    BadJob : when there is no such edge or hole near, or none of the spots can be reached.
    """
    part, apart = job.part(id), spacing_mm(job.bench) if apart_mm is None else apart_mm
    outer, spot = _at_home(part, stages, job.bench, spot_mm)
    if how is Spread.EDGE:
        spots = edge_spots(outer, spot, apart)
    elif how is Spread.RING:
        spots = _ring_spots(part, stages, outer, spot, apart, job.bench.supports.tip_mm)
    else:
        spots = face_spots(outer, spot, apart)
    if len(spots) == 0:
        raise BadJob(f"there is nothing to set tips {how} on near that spot.", where=part.name, kept="No tip was added.")
    return _with_spots(job, id, stages, spots, [diameter_mm or job.bench.supports.tip_mm] * len(spots))


def with_tips_mirrored(job: Job, id: str, stages: Stages, contacts: tuple[str, ...] = ()) -> Added:
    """The job with some contacts of a part, or all of them, once more on the other side of its plane of symmetry, of the same
    size.

    Raises
    ------
    BadJob : when the part shows no such plane, or nothing was added.
    """
    part = job.part(id)
    outer, _ = _at_home(part, stages, job.bench, np.zeros(3))
    planes = planes_of_symmetry(outer)
    if not planes:
        raise BadJob("shows no plane of symmetry.", where=part.name, kept="No tip was added.")
    all_spots = np.array([c.spot_mm for c in part.supports.contacts]).reshape(-1, 3)
    chosen = [c for c in part.supports.contacts if not contacts or c.id in contacts]
    at = np.array([c.spot_mm for c in chosen]).reshape(-1, 3)
    for middle, normal in planes:  # the first on whose other side something is missing
        there = at - 2 * ((at - middle) @ normal)[:, None] * normal
        missing = len(at) and np.linalg.norm(all_spots[None] - there[:, None], axis=2).min(axis=1).max() >= CLOSEST_MM
        if missing:
            break
    return _with_spots(job, id, stages, there, [c.diameter_mm for c in chosen])


def edge_spots(mesh: Mesh, spot_mm: Values, apart_mm: float) -> Values:
    """Spots along the sharp edge nearest to a spot, followed both ways until it turns off, (n, 3); none where no edge is near.

    They stand a little beside it, on the face that looks farther down.
    """
    regions = Regions.of(mesh)
    sharp = np.flatnonzero(regions.bend_deg >= SHARP_DEG)
    ends = mesh.points[regions.ends[sharp]]
    if len(sharp) == 0:
        return np.empty((0, 3))
    along = ends[:, 1] - ends[:, 0]
    share = np.clip(((spot_mm - ends[:, 0]) * along).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-18), 0, 1)
    away = np.linalg.norm(ends[:, 0] + share[:, None] * along - spot_mm, axis=1)
    first = int(away.argmin())
    if away[first] > REACH_MM:
        return np.empty((0, 3))
    lines = [_followed(regions, sharp, first, way) for way in (1, 0)]
    closed = bool(lines[0]) and lines[0][-1] == first
    chain = lines[0] if closed else [*reversed(lines[1]), first, *lines[0]]
    chain = [first, *chain[:-1]] if closed else chain
    beside = [_beside(mesh, regions, int(sharp[e])) for e in chain]
    points = _in_order([regions.ends[sharp[e]] for e in chain])
    return _spaced(mesh.points[points], np.array(beside), apart_mm, closed)


def _followed(regions: Regions, sharp: NDArray[np.int64], first: int, way: int) -> list[int]:
    """Numbers in `sharp` of the edges that go on from one end of an edge, `first` itself at last where they close."""
    points, ends = regions.mesh.points, regions.ends[sharp]
    at_point: dict[int, list[int]] = {}
    for number, (a, b) in enumerate(ends.tolist()):
        at_point.setdefault(a, []).append(number)
        at_point.setdefault(b, []).append(number)
    chain: list[int] = []
    last, corner = first, int(ends[first, way])
    seen = {first}
    while True:
        came = points[corner] - points[_other(ends[last], corner)]
        best, straight = -1, np.cos(np.radians(RUNS_ON_DEG))
        for number in at_point[corner]:
            goes = points[_other(ends[number], corner)] - points[corner]
            size = float(np.linalg.norm(goes) * np.linalg.norm(came))
            cosine = float(goes @ came) / size if size > 0 else -1.0
            if number != last and cosine >= straight and (number not in seen or number == first):
                best, straight = number, cosine
        if best < 0:
            return chain
        chain.append(best)
        if best == first:
            return chain
        seen.add(best)
        corner, last = _other(ends[best], corner), best


def _other(ends: NDArray[np.int64], corner: int) -> int:
    return int(ends[1] if ends[0] == corner else ends[0])


def _in_order(edges: list[NDArray[np.int64]]) -> list[int]:
    """Points along a chain of edges."""
    if len(edges) == 1:
        return [int(p) for p in edges[0]]
    shared = set(edges[0].tolist()) & set(edges[1].tolist())
    start = next((int(p) for p in edges[0] if int(p) not in shared), int(edges[0][0]))
    points = [start]
    for edge in edges:
        points.append(_other(edge, points[-1]))
    return points


def _beside(mesh: Mesh, regions: Regions, edge: int) -> Values:
    """From an edge into the one of its two faces that looks farther down, square to it, unit (3,)."""
    faces = regions.pairs[edge]
    lower = int(faces[mesh.normals[faces, 2].argmin()])
    a, b = mesh.points[regions.ends[edge]]
    along = (b - a) / max(float(np.linalg.norm(b - a)), 1e-12)
    inward = mesh.corners[lower].mean(axis=0) - a
    inward = inward - (inward @ along) * along
    return np.asarray(inward / max(float(np.linalg.norm(inward)), 1e-12))


def _spaced(points: Values, beside: Values, apart_mm: float, closed: bool) -> Values:
    """Spots along a line of points at equal steps no longer than `apart_mm`, a little beside it."""
    step = np.linalg.norm(np.diff(points, axis=0), axis=1)
    at = np.concatenate(([0.0], np.cumsum(step)))
    count = max(2, int(np.ceil(at[-1] / apart_mm - 1e-9)) + 1)
    ends = min(INSET_MM, 0.25 * float(at[-1]))
    wanted = np.linspace(0, at[-1], count)[:-1] if closed else np.linspace(ends, at[-1] - ends, count)
    piece = np.clip(np.searchsorted(at, wanted, side="right") - 1, 0, len(step) - 1)
    share = ((wanted - at[piece]) / np.maximum(step[piece], 1e-12))[:, None]
    return np.asarray(points[piece] + share * (points[piece + 1] - points[piece]) + INSET_MM * beside[piece])


def _ring_spots(part: Part, stages: Stages, outer: Mesh, spot_mm: Values, apart_mm: float, tip_mm: float) -> Values:
    """Spots round the drain hole nearest to a spot, or along the rim of one that the model itself has."""
    matrix = placing(stages.cut(part), part.pose)
    for drilled, hole in zip(stages.drilled(part), part.holes, strict=True):
        at = matrix[:3, :3] @ np.asarray(drilled.entry_mm) + matrix[:3, 3]
        if np.linalg.norm(at - spot_mm) > REACH_MM + 0.5 * hole.diameter_mm:
            continue
        axis = matrix[:3, :3] @ np.asarray(drilled.along)
        one = np.cross(axis, [1.0, 0, 0] if abs(axis[0]) < 0.7 else [0, 1.0, 0])
        one /= np.linalg.norm(one)
        radius = 0.5 * hole.diameter_mm + tip_mm + CLOSEST_MM
        count = max(3, int(np.ceil(2 * np.pi * radius / apart_mm)))
        turn = 2 * np.pi * np.arange(count) / count
        ring = at + radius * (np.outer(np.cos(turn), one) + np.outer(np.sin(turn), np.cross(axis, one)))
        return np.asarray(Closest(outer).nearest(ring)[2])
    return edge_spots(outer, spot_mm, apart_mm)


def face_spots(mesh: Mesh, spot_mm: Values, apart_mm: float) -> Values:
    """Spots on a square grid over the smooth face that a spot lies on, where it looks down, (n, 3)."""
    face = int(Closest(mesh).nearest(spot_mm[None])[1][0])
    faces = Regions.of(mesh).smooth(face)
    down = faces[mesh.normals[faces, 2] < 0]
    if len(down) == 0:
        return np.empty((0, 3))
    patch = Mesh(mesh.points, mesh.faces[down])
    corners = patch.corners.reshape(-1, 3)
    low, high = corners.min(axis=0), corners.max(axis=0)
    x, y = (_lattice(float(low[k]), float(high[k]), apart_mm) for k in (0, 1))
    start = np.stack([*(a.ravel() for a in np.meshgrid(x, y)), np.full(len(x) * len(y), low[2] - 1.0)], axis=1)
    up = Closest(patch).first_hit(start, np.tile([0.0, 0.0, 1.0], (len(start), 1)), 0.0)
    start[:, 2] += up
    return np.asarray(start[np.isfinite(up)])


def _lattice(low_mm: float, high_mm: float, apart_mm: float) -> Values:
    """Places at equal distances, as far from one end as from the other."""
    count = max(1, int((high_mm - low_mm - 2 * INSET_MM) / apart_mm + 1e-9) + 1)
    return np.asarray(0.5 * (low_mm + high_mm) + apart_mm * (np.arange(count) - 0.5 * (count - 1)))


def planes_of_symmetry(mesh: Mesh) -> list[tuple[Values, Values]]:
    """A point and the unit normal, (3,) each, of every upright plane that a mesh is its own mirror image in, the truest first.

    Planes through its middle across the axes and across its two level principal axes are tried.
    """
    points = spread_over(mesh, float(np.sqrt(mesh.face_area_mm2.sum() / MIRROR_SAMPLES)))[1]
    centre, surface = 0.5 * (mesh.low + mesh.high), Closest(mesh)
    area, middles = mesh.face_area_mm2, mesh.corners.mean(axis=1)
    centroid = (area[:, None] * middles).sum(axis=0) / area.sum()
    corners, middles = mesh.corners - centroid, middles - centroid
    second = np.einsum("f,fki,fkj->ij", area / 12, corners, corners) + np.einsum("f,fi,fj->ij", 9 * area / 12, middles, middles)
    turned = np.linalg.eigh(second[:2, :2])[1].T
    ways = [np.array([*way, 0.0]) for way in (np.array([1.0, 0.0]), np.array([0.0, 1.0]), *turned)]
    found: list[tuple[float, int, tuple[Values, Values]]] = []
    most = max(SYMMETRIC_MM, SYMMETRIC_SHARE * float(mesh.extents_mm.max()))
    for middle in (centre, centroid):
        for normal in ways:
            mirrored = points - 2 * ((points - middle) @ normal)[:, None] * normal
            off = float(np.percentile(surface.distance(mirrored), 95))
            if off < most:
                found.append((round(off, 3), len(found), (middle, normal)))
    return [plane for _, _, plane in sorted(found, key=lambda one: one[:2])]


def _with_spots(job: Job, id: str, stages: Stages, spots: Values, sizes_mm: list[float]) -> Added:
    """The job with a tip at each spot at home that none stands at yet.

    Raises
    ------
    BadJob : when none could be added.
    """
    part, barred, added = job.part(id), 0, 0
    room, supports = room_around(part, stages, job.bench), started(part.supports, job.bench.supports)
    for spot, size in zip(spots, sizes_mm, strict=True):
        have = np.array([c.spot_mm for c in supports.contacts]).reshape(-1, 3)
        if len(have) and np.linalg.norm(have - spot, axis=1).min() < CLOSEST_MM:
            continue
        route = room.way_to(spot, supports)
        if route is None:
            barred += 1
            continue
        supports, added = supports.with_route(route, size, Need(NeedKind.BY_HAND)), added + 1
    if not added:
        what = "no post finds a clear way to any of those spots." if barred else "tips stand at all of those spots already."
        raise BadJob(what, where=part.name, kept="No tip was added.")
    return Added(job.with_part(replace(part, supports=supports)), added, barred)


def _at_home(part: Part, stages: Stages, bench: Bench, spot_mm: Values) -> tuple[Mesh, Values]:
    """The part's outer surface around its own place, and a spot of its own frame there."""
    outer = stages.solids(replace(part, shell=None, holes=()).unsupported(), bench.supports).outer
    matrix = placing(stages.cut(part), part.pose)
    return outer, np.asarray(matrix[:3, :3] @ spot_mm + matrix[:3, 3])
