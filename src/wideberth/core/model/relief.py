"""What kind of surface each face lies on: flat, smooth, busy, engraved, or in a hollow: where marks show, and where they hide."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model.mesh import Mesh
from wideberth.core.model.regions import FLAT_DEG, Regions
from wideberth.core.model.solid import stand_in
from wideberth.core.model.surface import Closest, spread_over
from wideberth.core.progress import Progress, quiet

Values = NDArray[np.float64]
FINE_MM, COARSE_MM = 0.3, 1.5
"""Edges of the cells: normals are averaged over the fine ones, so that what no print shows does not count; a place is judged by
3 x 3 x 3 coarse ones around it."""
MOST_FINE, MOST_STRETCHES = 400_000, 400
BUSY_SPREAD = 0.045
"""Variance of the unit normals about the smoothest surface through them; ripples of slope s have about s²/2."""
BUSY_TURNS_PER_MM = 0.12
"""Turning of the surface per length, of ridges and of furrows each, from which on there are both."""
GROOVE_MM = 2.5
"""Walls that face each other over less than this are an engraving's."""
LOOKING = "looking at the surface"
LOW_RAYS, RISE, LEVEL = 8, 0.34, 0.94
"""Directions that are asked round a spot, twenty degrees above the surface."""
SKY_RAYS, OPEN_SKY, SKY_FACES = 24, 0.3, 6_000
"""A hollow sees less than this share of the sky: of so many directions, from so many faces of a stand-in."""
FLAT_SHARE, FLAT_MM2, FLAT_DEG_PER_MM = 0.01, 25.0, 1.0
"""A level region counts as flat from this share of the surface or this area on."""


class Surface(StrEnum):
    """What a mark is made on."""

    SMOOTH = "smooth"
    FLAT = "flat"
    BUSY = "busy"
    ENGRAVED = "engraved"
    INNER = "inner"


SURFACES = tuple(Surface)
SMOOTH, FLAT, BUSY, ENGRAVED, INNER = range(5)
"""Their numbers in arrays: places in `SURFACES`."""


def surface_kinds(mesh: Mesh, progress: Progress | None = None) -> NDArray[np.uint8]:
    """Kind of surface of each face, (faces,), as a place in `SURFACES`.

    Parameters
    ----------
    mesh : at its size [mm].

    Raises
    ------
    Cancelled : when the progress is cancelled.

    Notes
    -----
    Busy is what has both ridges and furrows within a few millimetres, and normals that no quadric explains: the variance of the
    normals less what a linear trend over the place takes (on a sphere, a cylinder and a plane that is all of it). Averages over
    cells of 0.3 mm come first. Engraved are walls that face each other over less than 2.5 mm, and what they rise round. In a
    hollow is what sees little of the sky. Flat are large level regions.
    """
    if mesh.triangles == 0:
        return np.empty(0, np.uint8)
    progress = progress or quiet()
    progress.at(0.0, LOOKING)
    fine_mm = max(FINE_MM, float(np.sqrt(mesh.face_area_mm2.sum() / MOST_FINE)))
    with ThreadPoolExecutor(1) as beside:  # edges on one core, places on the other
        tied = beside.submit(Regions.of, mesh)
        spots = _averaged(mesh, fine_mm)
        progress.at(0.1, LOOKING)
        regions = tied.result()
        progress.at(0.15, LOOKING)
        level = beside.submit(_level, regions)
        engraved, hollowed = progress.part(0.15, 1.0).side_by_side(2)
        hollow = beside.submit(_in_hollows, mesh, spots, hollowed)
        coarse = _Around.of(spots, COARSE_MM / FINE_MM * fine_mm)
        ridges, furrows = _turning(regions, coarse)
        busy = (coarse.spread > BUSY_SPREAD) & (np.minimum(ridges, furrows) > BUSY_TURNS_PER_MM)
        grooved = spots.mostly(_grooved(mesh, spots, coarse, engraved))
        kind = np.where(level.result(), FLAT, SMOOTH).astype(np.uint8)
        kind[spots.mostly(busy[coarse.cell_of]) & (kind != FLAT)] = BUSY
        kind[grooved] = ENGRAVED
        kind[hollow.result() & ~grooved] = INNER
    return kind


def _level(regions: Regions) -> NDArray[np.bool_]:
    """Which faces belong to large level regions, (faces,): no edge bends by much, nor by much for its length, and all look one
    way."""
    area, n = regions.mesh.face_area_mm2, regions.mesh.normals
    region = regions.level_pieces(FLAT_DEG, FLAT_DEG_PER_MM)
    of_region = np.bincount(region, area)
    mean = np.stack([np.bincount(region, area * n[:, k]) for k in range(3)], axis=1)
    one_way = np.linalg.norm(mean, axis=1) >= np.cos(np.radians(2 * FLAT_DEG)) * of_region
    large = of_region >= max(FLAT_MM2, FLAT_SHARE * float(area.sum()))
    return np.asarray((large & one_way)[region])


@dataclass(frozen=True, eq=False)
class _Spots:
    """The surface averaged over fine cells: area, (n,), mean place and mean normal, (n, 3).

    face, spot : (s,) samples that the faces were taken as, each with the cell that holds it.
    """

    area_mm2: Values
    place: Values
    normal: Values
    face: NDArray[np.int64]
    spot: NDArray[np.int64]

    def mostly(self, so: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Which faces lie for the greater part in spots (n,) that are so, (faces,)."""
        return np.bincount(self.face, so[self.spot] - 0.5) > 0


def _averaged(mesh: Mesh, cell_mm: float) -> _Spots:
    """Faces by their middles and by points spread over them; those of one cell that look apart are kept apart, so that a thin
    wall's sides do not mix."""
    face, points = spread_over(mesh, cell_mm)
    face, points = np.concatenate((np.arange(mesh.triangles), face)), np.concatenate((mesh.corners.mean(axis=1), points))
    area = (mesh.face_area_mm2 / np.bincount(face))[face] + 1e-12
    normals = mesh.normals[face]
    side = np.abs(normals).argmax(axis=1)
    side = 2 * side + (normals[np.arange(len(side)), side] > 0)
    _, spot = np.unique(_key(_cells(points, mesh.low, cell_mm)) * 6 + side, return_inverse=True)
    spot = spot.ravel()
    weight = np.bincount(spot, area).astype(np.float64)
    place = np.stack([np.bincount(spot, area * points[:, k]) for k in range(3)], axis=1) / weight[:, None]
    normal = np.stack([np.bincount(spot, area * normals[:, k]) for k in range(3)], axis=1)
    return _Spots(weight, place, normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12), face, spot)


def _key(cell: NDArray[np.int64]) -> NDArray[np.int64]:
    """One number for a cell (n, 3), with room for neighbours on every side."""
    return ((cell[:, 0] + 1) * (1 << 20) + cell[:, 1] + 1) * (1 << 20) + cell[:, 2] + 1


@dataclass(frozen=True, eq=False)
class _Around:
    """Places judged by what lies around them.

    cells : (c,) keys, rising. cell_of : (spots,) which holds each. area_mm2, spread : (c,) area, and spread of the normals about
    their trend, over the cell and its 26 neighbours.
    """

    size_mm: float
    low: Values
    cells: NDArray[np.int64]
    cell_of: NDArray[np.int64]
    area_mm2: Values
    spread: Values

    @classmethod
    def of(cls, spots: _Spots, size_mm: float) -> _Around:
        low = spots.place.min(axis=0) - size_mm
        cells, cell_of = np.unique(_key(_cells(spots.place, low, size_mm)), return_inverse=True)
        cell_of = cell_of.ravel()
        x, n = spots.place - spots.place.mean(axis=0), spots.normal
        columns = [np.ones((len(x), 1)), x, n, x[:, :, None] * x[:, None, :], x[:, :, None] * n[:, None, :]]
        sums = np.concatenate([c.reshape(len(x), -1) for c in columns], axis=1) * spots.area_mm2[:, None]
        own = np.stack([np.bincount(cell_of, s, len(cells)) for s in sums.T], axis=1).astype(np.float64)
        total = _with_neighbours(cells, own)
        weight = total[:, 0]
        mx, mn = total[:, 1:4] / weight[:, None], total[:, 4:7] / weight[:, None]
        sxx = total[:, 7:16].reshape(-1, 3, 3) / weight[:, None, None] - mx[:, :, None] * mx[:, None, :]
        sxn = total[:, 16:25].reshape(-1, 3, 3) / weight[:, None, None] - mx[:, :, None] * mn[:, None, :]
        sxx += np.eye(3) * (1e-3 * size_mm) ** 2
        trend = np.linalg.solve(sxx, sxn)
        spread = 1.0 - (mn**2).sum(axis=1) - (sxn * trend).sum(axis=(1, 2))
        return cls(size_mm, low, cells, cell_of, weight, np.maximum(spread, 0.0))

    def summed(self, places: Values, amounts: Values) -> Values:
        """Amounts (n, k) at places (n, 3) over each cell and its neighbours, (c, k)."""
        key = _key(_cells(places, self.low, self.size_mm))
        at = np.searchsorted(self.cells, key).clip(max=len(self.cells) - 1)
        held = self.cells[at] == key
        own = np.stack([np.bincount(at[held], a[held], len(self.cells)) for a in amounts.T], axis=1).astype(np.float64)
        return _with_neighbours(self.cells, own)


def _cells(places: Values, low: Values, size_mm: float) -> NDArray[np.int64]:
    return np.floor((places - low) / size_mm).astype(np.int64)


def _with_neighbours(cells: NDArray[np.int64], own: Values) -> Values:
    """Sums (c, k) over each cell and the 26 around it."""
    total = own.copy()
    steps = [(i, j, k) for i in (-1, 0, 1) for j in (-1, 0, 1) for k in (-1, 0, 1) if (i, j, k) != (0, 0, 0)]
    for i, j, k in steps:
        wanted = cells + ((i << 20) + j) * (1 << 20) + k
        at = np.searchsorted(cells, wanted).clip(max=len(cells) - 1)
        there = cells[at] == wanted
        total[there] += own[at[there]]
    return total


def _turning(regions: Regions, around: _Around) -> tuple[Values, Values]:
    """How much ridges and furrows turn the surface around each cell, per length [rad/mm], (c,) each.

    Source: the mean curvature of a polyhedron is concentrated on its edges, length times the angle between the faces.
    """
    mesh, bent = regions.mesh, np.flatnonzero(regions.bend_deg > 0)
    pairs, ends = regions.pairs[bent], mesh.points[regions.ends[bent]]
    middles, n = mesh.corners.mean(axis=1), mesh.normals
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    to = middles[pairs[:, 1]] - middles[pairs[:, 0]]
    ridge = (n[pairs[:, 0]] * to).sum(axis=1) < (n[pairs[:, 1]] * to).sum(axis=1)
    stretches = np.clip(np.ceil(length / (0.5 * around.size_mm)), 1, MOST_STRETCHES).astype(np.int64)
    edge = np.repeat(np.arange(len(stretches)), stretches)
    along = (np.arange(len(edge)) - np.repeat(np.cumsum(stretches) - stretches, stretches) + 0.5) / stretches[edge]
    at = ends[edge, 0] + along[:, None] * (ends[edge, 1] - ends[edge, 0])
    turn = (np.radians(regions.bend_deg[bent]) * length / stretches)[edge]
    sums = around.summed(at, np.stack([turn * ridge[edge], turn * ~ridge[edge]], axis=1))
    return sums[:, 0] / around.area_mm2, sums[:, 1] / around.area_mm2


def _grooved(mesh: Mesh, spots: _Spots, around: _Around, progress: Progress) -> NDArray[np.bool_]:
    """Which spots lie in an engraving, (spots,): walls that face each other closely, and what they rise round on most sides."""
    rays, least = Closest(mesh), 1e-4 * float(np.linalg.norm(mesh.extents_mm))
    start = spots.place + least * spots.normal
    grooved = rays.first_hit(start, spots.normal, least) < GROOVE_MM
    near = around.summed(spots.place[grooved], np.ones((int(grooved.sum()), 1)))[:, 0] > 0
    asked = np.flatnonzero(near[around.cell_of] & ~grooved)
    closed_in = np.zeros(len(asked))
    frames = _frames(spots.normal[asked])
    for number, turn in enumerate(2 * np.pi * np.arange(LOW_RAYS) / LOW_RAYS):
        progress.at(number / LOW_RAYS, LOOKING)
        low = np.array([np.cos(turn) * LEVEL, np.sin(turn) * LEVEL, RISE])
        closed_in += rays.first_hit(start[asked], np.einsum("k,nkj->nj", low, frames), least) < GROOVE_MM
    grooved[asked] = closed_in >= 0.5 * LOW_RAYS
    return grooved


def _frames(normals: Values) -> Values:
    """Across, over and along each of some unit normals (n, 3), (n, 3, 3)."""
    aside = np.where(np.abs(normals[:, 1:2]) < 0.9, [0.0, 1.0, 0.0], [1.0, 0.0, 0.0])
    across = np.cross(aside, normals)
    across /= np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-12)
    return np.stack([across, np.cross(normals, across), normals], axis=1)


def _in_hollows(mesh: Mesh, spots: _Spots, progress: Progress) -> NDArray[np.bool_]:
    """Which faces see little of the sky, (faces,): asked of a stand-in, whose face nearest to a spot tells it."""
    light = stand_in(mesh, SKY_FACES)
    middles, rays, seen = light.corners.mean(axis=1), Closest(light), np.zeros(light.triangles)
    k = np.arange(SKY_RAYS) + 0.5
    z, turn = np.sqrt(1 - k / SKY_RAYS), np.pi * (1 + 5**0.5) * k  # as the light of an even sky falls on a level spot
    sky = np.column_stack((np.sqrt(1 - z**2) * np.cos(turn), np.sqrt(1 - z**2) * np.sin(turn), z))
    least = 1e-3 * float(np.linalg.norm(light.extents_mm))
    frames = _frames(light.normals)
    for number, way in enumerate(sky):
        progress.at(number / SKY_RAYS, LOOKING)
        towards = np.einsum("k,nkj->nj", way, frames)
        seen += ~np.isfinite(rays.first_hit(middles + least * light.normals, towards, least))
    dark = seen / SKY_RAYS < OPEN_SKY
    if not dark.any():
        return np.zeros(mesh.triangles, bool)
    if light.triangles == mesh.triangles and np.array_equal(light.faces, mesh.faces):
        return dark
    return spots.mostly(dark[rays.nearest(spots.place)[1]])
