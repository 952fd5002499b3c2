"""Between the tips: how far down-facing surfaces sag under the pull, and how far their free edges curl."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.layers import Touch, in_order_of_place, surface_points
from wideberth.core.loads import _kernels as kernels
from wideberth.core.loads.tips_near import TipsTried
from wideberth.core.model import Closest, Mesh, joined

Values = NDArray[np.float64]
FREE_EDGE, ROW, GRID = 0, 1, 2
KINDS = ("past the last that holds it", "from the row that holds it", "from what holds it all round")
LEVEL_ENOUGH_DEG = 60.0
SPACING_MM = 0.7
MOST_SPOTS = 6000
WAYS = 16
THEORY_ENDS = 0.1
"""Plates that give more than this share of their reach are past the theory of small deflections: nothing carries them."""
FAR_ENOUGH, NEAR_ENOUGH = 3.0, 1.45
NEIGHBOURS_MM = 2.5
STRAIGHT = 0.02
"""A rim that turns by less than about a degree goes straight on."""


@dataclass(frozen=True, eq=False)
class Sag:
    """Sag and curl at spots of down-facing surfaces.

    Attributes (arrays of (spots,) unless said otherwise)
    ----------
    points_mm : (spots, 3). sag_mm, curl_mm : how far the young plate gives under the pull, and how far its edge curls.
    reach_mm : to the nearest tip, or to what was printed some layers before. slope_deg : of the surface from the plate.
    pull_n_per_mm2 : p. kind : FREE_EDGE, ROW or GRID. region : spots that belong together where more gives than is allowed, -1.
    inside : on the ceiling of a shell's chamber. beyond : past what plate theory can tell; sag_mm is then where it ends.
    """

    points_mm: Values
    sag_mm: Values
    curl_mm: Values
    reach_mm: Values
    slope_deg: Values
    pull_n_per_mm2: Values
    kind: NDArray[np.int64]
    region: NDArray[np.int64]
    inside: NDArray[np.bool_]
    beyond: NDArray[np.bool_]

    @property
    def regions(self) -> int:
        """How many regions give more than is allowed."""
        return int(self.region.max(initial=-1)) + 1


def plate_sag_mm(
    kind: NDArray[np.int64] | int,
    pull_n_per_mm2: Values | float,
    reach_mm: Values | float,
    thick_mm: Values | float,
    modulus_mpa: Values | float,
) -> Values:
    """How far a young plate gives [mm], (n,) or a number, as its arguments are.

    A cantilever of the reach L: 3 p L⁴/(2 E h³). A clamped span of 2 L between a row of tips: p (2L)⁴/(32 E h³). A square grid of
    point tips whose middle is L away, so √2 L apart: 0.06 p (√2 L)⁴/(E h³).

    Source: Timoshenko and Woinowsky-Krieger (1959), Theory of Plates and Shells.
    """
    factor = np.array([1.5, 16 / 32, 0.06 * 4])[kind]
    return np.asarray(factor * pull_n_per_mm2 * np.asarray(reach_mm) ** 4 / (modulus_mpa * np.asarray(thick_mm) ** 3))


def edge_curl_mm(reach_mm: Values | float, thick_mm: Values | float, layer_mm: float, shrinkage: float) -> Values:
    """How far a free edge curls towards the film [mm]: w = κ L²/2, κ = 6 ε t h/(t + h)³, h the plate without its new layer.

    Source: two layers of like stiffness, Timoshenko (1925), Analysis of Bi-metal Thermostats.
    """
    older = np.asarray(thick_mm) - layer_mm
    bend = 6 * shrinkage * layer_mm * older / (layer_mm + older) ** 3
    return np.asarray(bend * np.asarray(reach_mm) ** 2 / 2)


@dataclass(frozen=True, eq=False)
class Undersides:
    """Spots on the down-facing surfaces of a mesh where it stands, and how far what was printed before them is: all that neither
    tips nor pulls change.

    Attributes (arrays of (spots,) unless said otherwise)
    ----------
    points_mm : (spots, 3). slope_deg : of the surface from the plate. away_mm : (spots, ways) level distance to what was printed
    m layers before, infinite where there is none. extent_mm : how far the first layer over the spot itself reaches, where
    there is none any way. inside : whether the surface is a chamber's.
    """

    points_mm: Values
    slope_deg: Values
    away_mm: Values
    extent_mm: Values
    inside: bool

    @cached_property
    def tips_tried(self) -> TipsTried:
        """What is remembered of tips near the spots."""
        return TipsTried(self.points_mm, WAYS)


def undersides_of(
    mesh: Mesh, layer_mm: float, young_layers: float, filling: Mesh | None = None, inside: bool = False
) -> Undersides:
    """Down-facing surfaces of a mesh, set down on the plate.

    Parameters
    ----------
    mesh : a part's outer surface. young_layers : that many layers are soft.
    filling : what else holds from within. inside : whether the surface is a chamber's.
    """
    t = layer_mm
    surface = Closest(mesh)
    points, slope = _spots(mesh, 2 * t, surface)
    if len(points) == 0:
        return Undersides(points, slope, np.empty((0, WAYS)), np.empty(0), inside)
    walls = surface if filling is None else Closest(joined([mesh, filling]))
    away = _walls_away(walls, points, young_layers * t)
    lone = ~np.isfinite(away).any(axis=1)
    extent = np.zeros(len(points))
    extent[lone] = _own_extent_mm(surface, points[lone], t)
    return Undersides(points, slope, away, extent, inside)


def ceilings_of(cavity: Mesh, filling: Mesh | None, layer_mm: float, young_layers: float) -> Undersides:
    """Ceilings of a shell's chambers, which no tip may hold: between walls, the bars of a lattice and gussets.

    cavity : chambers with their faces outward, into the wall.
    """
    inner = Mesh(cavity.points, np.ascontiguousarray(cavity.faces[:, ::-1]))
    return undersides_of(inner, layer_mm, young_layers, filling, inside=True)


def sag_of(
    under: Undersides,
    touches: tuple[Touch, ...],
    pull_n_per_mm2: Values,
    bench: Bench,
    stiff: Values | float = 1.0,
    grouped: bool = True,
) -> Sag:
    """Sag and curl of the down-facing surfaces of one part where it stands on the plate.

    Parameters
    ----------
    touches : its tips. pull_n_per_mm2 : (layers,) peel over area of each layer. stiff : (layers,) how stiff the young layers
        there are, over the modulus that is stated. grouped : whether spots that give too much are to be told by regions.

    Notes
    -----
    A surface is held by its tips and by whatever of the part was printed m layers earlier, found along level rays that far
    below it; on a slope that is near, which is why slopes carry themselves. Between them a plate of h = m t + ½ L tan θ carries.
    """
    t, laws = bench.print.layer_height_mm, bench.laws
    points, slope = under.points_mm, under.slope_deg
    if len(points) == 0 or len(pull_n_per_mm2) == 0:
        return nothing_sags()
    away = under.tips_tried.away_mm(under.away_mm, touches)
    reach = away.min(axis=1)
    lone = ~np.isfinite(reach)
    reach[lone] = under.extent_mm[lone]
    kind = np.where(lone, FREE_EDGE, _kinds(away, reach))
    layer = np.clip((points[:, 2] / t).astype(np.int64) + 1, 0, len(pull_n_per_mm2) - 1)
    pull = pull_n_per_mm2[layer]
    thick = laws.young_layers * t + 0.5 * reach * np.tan(np.radians(slope))
    modulus = bench.resin.green_modulus_mpa * np.broadcast_to(stiff, len(pull_n_per_mm2))[layer]
    sag = plate_sag_mm(kind, pull, reach, thick, np.maximum(modulus, kernels.LEAST_MPA))
    curl = np.where(kind == FREE_EDGE, edge_curl_mm(reach, thick, t, laws.shrinkage_share), 0.0)
    most = THEORY_ENDS * reach
    beyond = np.maximum(sag, curl) > most
    regions = _regions(points, (np.maximum(sag, curl) > t) & grouped)
    return Sag(
        points,
        np.minimum(sag, most),
        np.minimum(curl, most),
        reach,
        slope,
        pull,
        kind,
        regions,
        np.full(len(points), under.inside),
        beyond,
    )


def nothing_sags() -> Sag:
    """No spots at all."""
    none = np.empty(0)
    return Sag(
        np.empty((0, 3)),
        none,
        none,
        none,
        none,
        none,
        np.empty(0, np.int64),
        np.empty(0, np.int64),
        np.empty(0, bool),
        np.empty(0, bool),
    )


def together(sags: list[Sag]) -> Sag:
    """The sags of several parts as one."""
    if not sags:
        return nothing_sags()
    shifted, count = [], 0
    for s in sags:
        shifted.append(np.where(s.region >= 0, s.region + count, -1))
        count += s.regions
    names = ("points_mm", "sag_mm", "curl_mm", "reach_mm", "slope_deg", "pull_n_per_mm2", "kind", "inside", "beyond")
    together = {name: np.concatenate([getattr(s, name) for s in sags]) for name in names}
    return Sag(**together, region=np.concatenate(shifted))


def _spots(mesh: Mesh, off_plate_mm: float, surface: Closest) -> tuple[Values, Values]:
    """Spots on down-facing surfaces and the surfaces' slopes [°]; the corners of their rims among them, for edges give most.

    They depend on the surface alone, not on how its triangles are cut or listed.
    """
    level = np.cos(np.radians(LEVEL_ENOUGH_DEG))
    under = np.flatnonzero((mesh.normals[:, 2] < -level) & (mesh.corners[:, :, 2].min(axis=1) > off_plate_mm))
    if len(under) == 0:
        return np.empty((0, 3)), np.empty(0)
    part = Mesh(mesh.points, mesh.faces[under])
    flat = float((part.face_area_mm2 * -part.normals[:, 2]).sum())
    points, normals = surface_points(mesh, max(SPACING_MM, float(np.sqrt(flat / (0.7 * MOST_SPOTS)))), (2,), surface)
    below = (normals[:, 2] < -level) & (points[:, 2] > off_plate_mm)
    edges = part.topology
    rim = _corners(mesh.points, edges.ends[edges.uses == 1])
    rim = rim[in_order_of_place(mesh.points[rim] - mesh.low)]
    rim = rim[np.linspace(0, len(rim) - 1, min(len(rim), int(0.3 * MOST_SPOTS))).astype(np.int64)]
    steepest = np.full(len(mesh.points), -2.0)
    np.maximum.at(steepest, part.faces.reshape(-1), np.repeat(part.normals[:, 2], 3))
    down = np.concatenate((normals[below, 2], steepest[rim]))
    return np.concatenate((points[below], mesh.points[rim])), np.degrees(np.arccos(np.clip(-down, -1, 1)))


def _corners(points: Values, edges: NDArray[np.int32]) -> NDArray[np.int64]:
    """Points at which a rim of edges (n, 2) turns; those along a straight stretch of it are left out."""
    if len(edges) == 0:
        return np.empty(0, np.int64)
    ends = np.concatenate((edges, edges[:, ::-1]))
    ways = points[ends[:, 1]] - points[ends[:, 0]]
    ways /= np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-12)
    at, place = np.unique(ends[:, 0], return_inverse=True)
    together = np.stack([np.bincount(place, ways[:, axis]) for axis in range(3)], axis=1)
    straight = (np.bincount(place) == 2) & (np.linalg.norm(together, axis=1) < STRAIGHT)
    return at[~straight].astype(np.int64)


def _own_extent_mm(surface: Closest, points: Values, layer_mm: float) -> Values:
    """How far the first layer over each spot reaches, (n,): as far as nothing carries it where no holder is in sight."""
    if len(points) == 0:
        return np.empty(0)
    turn = 2 * np.pi * np.arange(WAYS) / WAYS
    ways = np.stack([np.cos(turn), np.sin(turn), np.zeros(WAYS)], axis=1)
    start = np.repeat(points + [0, 0, 0.5 * layer_mm], WAYS, axis=0)
    far = surface.first_hit(start, np.tile(ways, (len(points), 1)), 0.0).reshape(len(points), WAYS)
    return np.maximum(np.where(np.isfinite(far), far, 0.0).max(axis=1), layer_mm)


def _walls_away(surface: Closest, points: Values, below_mm: float) -> Values:
    """Level distance [mm] from below each spot to the surface in each of 16 directions, (spots, ways); infinite for none."""
    turn = 2 * np.pi * np.arange(WAYS) / WAYS
    ways = np.stack([np.cos(turn), np.sin(turn), np.zeros(WAYS)], axis=1)
    start = np.repeat(points - [0, 0, below_mm], WAYS, axis=0)
    return surface.first_hit(start, np.tile(ways, (len(points), 1)), 0.0).reshape(len(points), WAYS)


def _kinds(away: Values, reach: Values) -> NDArray[np.int64]:
    """Held on one side only, between two, or all round: by the gaps between the directions of the holders.

    One side: no holder within three times the reach over half the circle. Between two, as in a corridor or a row of tips: two
    wide gaps between those within about √2 of it, where a grid of tips has four and a room none.
    """
    far = np.maximum(FAR_ENOUGH * reach, reach + 1.0)
    near = np.maximum(NEAR_ENOUGH * reach, reach + 0.5)
    one_side = kernels.gaps_within(away, far, WAYS // 2) > 0
    between_two = kernels.gaps_within(away, near, 3) <= 2
    walled = (away <= near[:, None]).sum(axis=1) > WAYS // 2 + 3
    return np.where(one_side, FREE_EDGE, np.where(between_two & ~walled, ROW, GRID))


def _regions(points: Values, much: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Spots that give too much, grouped where they are near each other."""
    region = np.full(len(points), -1)
    own = np.flatnonzero(much)
    if len(own):
        graph = scipy.spatial.cKDTree(points[own]).sparse_distance_matrix(scipy.spatial.cKDTree(points[own]), NEIGHBOURS_MM)
        region[own] = scipy.sparse.csgraph.connected_components(graph, directed=False)[1]
    return region
