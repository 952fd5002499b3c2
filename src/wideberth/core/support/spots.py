"""Where a part wants to be held: islands, free edges of undersides, and undersides every few millimetres."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.layers import Printed, in_order_of_place, surface_points
from wideberth.core.model import Closest, Mesh
from wideberth.core.support.need import NeedKind

SHARP = np.cos(np.radians(44))
EDGE_INSET_MM = 0.15
ON_PLATE_MM = 0.3
STEEPEST_SIDE = -0.05
CANDIDATES_APART = 8**-0.5
"""Rays that look for candidates stand so far apart, as a share of the usual spacing: eight to its square."""
CLOSE_MM, CLOSE_SHARE = 0.4, 250
LEVEL_SINE = np.sin(np.radians(15))
"""An edge that rises by less is held like that of an underside, however steep both its faces are: a keel."""
LEAST_EDGE_MM = 1e-4
STRAIGHT = 0.9998
"""Cosine of about a degree: edges that turn by less are one line, undersides that do one face."""
MOST_AT_CORNER = 4
SAME_PLACE = 1e-6


@dataclass(frozen=True, eq=False)
class Spots:
    """Candidate spots in order of need: points and outward normals on the surface, (n, 3), and why."""

    points: NDArray[np.float64]
    normals: NDArray[np.float64]
    why: list[NeedKind]

    def only(self, which: NDArray[np.bool_]) -> Spots:
        """Some of them, by a mask (n,)."""
        return Spots(
            self.points[which], self.normals[which], [why for why, is_one in zip(self.why, which, strict=True) if is_one]
        )


NO_SPOTS = Spots(np.empty((0, 3)), np.empty((0, 3)), [])


def wanted_spots(mesh: Mesh, printed: Printed, settings: SupportSettings, apart_mm: float) -> tuple[Spots, Spots]:
    """Spots to hold a posed part at, and the candidates that were left out for being too near to one.

    printed : the mesh by itself, which begins where its layers tell.

    Each spot keeps others away: by the usual spacing under a level surface, by 1.6 times that where it just carries
    itself, by less along free edges; those before it as well, which come back where loads or layers ask for them.
    """
    parts = [_islands(mesh, printed, apart_mm), _edges(mesh, settings, apart_mm), _undersides(mesh, settings, apart_mm)]
    parts = [tuple(values[in_order_of_place(part[0] - mesh.low)] for values in part) for part in parts]  # type: ignore[misc]
    points = np.concatenate([p for p, _, _ in parts])
    normals = np.concatenate([n for _, n, _ in parts])
    why = [NeedKind.ISLAND] * len(parts[0][0]) + [NeedKind.FREE_EDGE] * len(parts[1][0]) + [NeedKind.UNDERSIDE] * len(parts[2][0])
    reach = np.concatenate([r for _, _, r in parts]) * apart_mm
    if len(points) == 0:
        return NO_SPOTS, NO_SPOTS
    neighbours = scipy.spatial.cKDTree(points)
    state = np.zeros(len(points), np.int8)
    for i in range(len(points)):
        if state[i] == 0:
            state[neighbours.query_ball_point(points[i], reach[i])] = 2
            state[i] = 1
    spots = Spots(points, normals, why)
    return spots.only(state == 1), spots.only(state == 2)


def close_spots(mesh: Mesh, settings: SupportSettings, near_mm: NDArray[np.float64], reach_mm: float) -> Spots:
    """Spots that look down, as close as thin limbs have them, no farther than `reach_mm` from one of some points (m, 3)."""
    apart = max(CLOSE_MM, float(mesh.extents_mm.max()) / CLOSE_SHARE) / CANDIDATES_APART
    return side_spots(mesh, settings, apart, near_mm, reach_mm, True)


def side_spots(
    mesh: Mesh,
    settings: SupportSettings,
    apart_mm: float,
    near_mm: NDArray[np.float64] | None = None,
    reach_mm: float = np.inf,
    level: bool = False,
) -> Spots:
    """Spots on steep sides that need no tip for themselves, and with `level` on undersides too, to steady what hangs on too few;
    all, or those near some points."""
    carry = -1.0 if level else -np.cos(np.radians(settings.carry_slope_deg))
    points, normals = surface_points(mesh, apart_mm * CANDIDATES_APART, near_mm=near_mm, reach_mm=reach_mm)
    steep = (normals[:, 2] >= carry) & (normals[:, 2] < STEEPEST_SIDE) & (points[:, 2] > ON_PLATE_MM)
    return Spots(points[steep], normals[steep], [NeedKind.STEADIES] * int(steep.sum()))


def together(a: Spots, b: Spots) -> Spots:
    """These and those."""
    return Spots(np.concatenate((a.points, b.points)), np.concatenate((a.normals, b.normals)), a.why + b.why)


def under_islands(printed: Printed, surface: Closest) -> Spots:
    """A spot on the part's surface under each island that no tip holds yet."""
    sections, everything, grid = printed.part_sections, printed.sections, printed.part.grid
    lone = [c for c in printed.islands if not everything.rests_on_something[printed.part_in_all[c]]]
    points = []
    for c in lone:
        mine = np.flatnonzero(sections.label == c)
        first = int(mine[len(mine) // 2])
        x = 0.5 * (sections.runs.x0[first] + sections.runs.x1[first])
        ray = int(np.searchsorted(sections.runs.offsets, first, side="right")) - 1
        y = grid.y0_mm + (ray % grid.rows) * grid.pitch_mm
        points.append((x, y, float(sections.layer[c]) * grid.layer_mm))
    at = surface.nearest(np.array(points))[2] if points else np.empty((0, 3))
    return Spots(at, np.tile([0.0, 0.0, -1.0], (len(at), 1)), [NeedKind.ISLAND] * len(at))


Candidates = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]


def _islands(mesh: Mesh, printed: Printed, apart_mm: float) -> Candidates:
    """Every place where the part begins in mid-liquid, lowest first; long ones at half the usual spacing."""
    labelled, grid = printed.part_sections, printed.part.grid
    row = labelled.runs.row_index() % grid.rows
    by_component = np.argsort(labelled.label, kind="stable")
    first = np.searchsorted(labelled.label[by_component], np.arange(labelled.count + 1))
    points = []
    for c in printed.islands:
        width = 2 * labelled.area_mm2[c] / labelled.perimeter_mm[c]
        if width > 0.5 * apart_mm:  # a whole underside: its own spots follow
            continue
        apart = 0.5 * apart_mm
        mine = by_component[first[c] : first[c + 1]]
        chosen: list[NDArray[np.float64]] = []
        rows_y = np.asarray(grid.y0_mm + row[mine] * grid.pitch_mm, np.float64)
        for target in _along_runs(
            labelled.runs.x0[mine], labelled.runs.x1[mine], rows_y, (labelled.x_mm[c], labelled.y_mm[c]), 0.5 * apart
        ):
            if all(np.hypot(*(target - t)) >= apart for t in chosen):
                chosen.append(target)
        z = labelled.layer[c] * grid.layer_mm
        points += [(x, y, z) for x, y in chosen]
    at = Closest(mesh).nearest(np.array(points).reshape(-1, 3))[2]
    return at, np.tile([0.0, 0.0, -1.0], (len(at), 1)), np.full(len(at), 0.35)


def _along_runs(
    x0: NDArray[np.float64], x1: NDArray[np.float64], y: NDArray[np.float64], centre: tuple[float, float], step: float
) -> NDArray[np.float64]:
    """Points along runs no more than `step` apart, (n, 2), those nearest to the centre first."""
    count = np.maximum(1, np.ceil((x1 - x0) / step).astype(np.int64))
    run = np.repeat(np.arange(len(count)), count)
    place = np.arange(len(run)) - np.repeat(np.cumsum(count) - count, count)
    x = x0[run] + (place + 0.5) * ((x1 - x0) / count)[run]
    points = np.stack([x, y[run]], axis=1)
    return points[np.argsort(np.hypot(x - centre[0], y[run] - centre[1]), kind="stable")]


def _edges(mesh: Mesh, settings: SupportSettings, apart_mm: float) -> Candidates:
    """Spots along sharp convex edges of undersides, drawn in a little so that the whole tip lands.

    Edges that run on in one line between the same two faces count as one, so that it does not matter into how many triangles
    these are cut.
    """
    carry = -np.cos(np.radians(settings.carry_slope_deg))
    topology = mesh.topology
    start, listed = topology.faces_of_edge
    twin = np.flatnonzero(topology.uses == 2)
    a, b = listed[start[twin]], listed[start[twin] + 1]
    n = mesh.normals
    middle = mesh.corners.mean(axis=1)
    convex = ((middle[b] - middle[a]) * n[a]).sum(axis=1) < 0
    sharp = (n[a] * n[b]).sum(axis=1) < SHARP
    under_a, under_b = n[a, 2] < carry, n[b, 2] < carry
    way = np.diff(mesh.points[topology.ends[twin]], axis=1)[:, 0]
    keel = (n[a, 2] < 0) & (n[b, 2] < 0) & (np.abs(way[:, 2]) < LEVEL_SINE * np.linalg.norm(way, axis=1))
    keep = convex & sharp & (under_a | under_b | keel)
    first = _comes_first(b, a, n, middle)
    edge, face = topology.ends[twin][keep], np.where(np.where(under_a == under_b, ~first, under_a), a, b)[keep]
    if len(edge) == 0:
        return np.empty((0, 3)), np.empty((0, 3)), np.empty(0)
    ends, normals, inward = _straight(mesh, edge, n[face], middle[face])
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    count = np.maximum(2, np.ceil(length / (0.4 * apart_mm)).astype(np.int64) + 1)
    which = np.repeat(np.arange(len(ends)), count)
    step = np.arange(len(which)) - np.repeat(np.cumsum(count) - count, count)
    inset = np.minimum(EDGE_INSET_MM, 0.25 * length)[which]
    along = (ends[:, 1] - ends[:, 0]) / length[:, None]
    at = inset + step / np.maximum(count[which] - 1, 1) * (length[which] - 2 * inset)
    points = ends[which, 0] + at[:, None] * along[which] + inset[:, None] * inward[which]
    off_plate = points[:, 2] > ON_PLATE_MM
    return points[off_plate], normals[which][off_plate], np.full(int(off_plate.sum()), 0.8)


def _comes_first(
    one: NDArray[np.int64], other: NDArray[np.int64], normals: NDArray[np.float64], middle: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """Whether faces look farther down than others, or as far and lie lower, nearer in y, then in x: by place, not by number."""
    keys = np.column_stack((normals[:, 2], middle[:, [2, 1, 0]]))
    differ = np.round((keys[one] - keys[other]) / SAME_PLACE)
    first = (differ != 0).argmax(axis=1)
    return np.asarray(differ[np.arange(len(differ)), first] < 0)


def _straight(
    mesh: Mesh, edge: NDArray[np.int32], normal: NDArray[np.float64], middle: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Edges that follow each other in one line along one underside as one: ends (n, 2, 3), normal of the underside, and the way
    into it square to the edge."""
    way = mesh.points[edge[:, 1]] - mesh.points[edge[:, 0]]
    length = np.linalg.norm(way, axis=1)
    kept = length > LEAST_EDGE_MM
    edge, normal, middle = edge[kept], normal[kept], middle[kept]
    way = way[kept] / length[kept][:, None]
    if len(edge) == 0:
        return np.empty((0, 2, 3)), np.empty((0, 3)), np.empty((0, 3))
    # at each corner, edges that leave it opposite ways along like undersides go on in one line
    corner, owner = edge.reshape(-1), np.repeat(np.arange(len(edge)), 2)
    outward = np.stack([way, -way], axis=1).reshape(-1, 3)
    order = np.argsort(corner, kind="stable")
    pairs = []
    for apart in range(1, MOST_AT_CORNER):
        a, b = order[:-apart], order[apart:]
        joins = (
            (corner[a] == corner[b])
            & ((outward[a] * outward[b]).sum(axis=1) < -STRAIGHT)
            & ((normal[owner[a]] * normal[owner[b]]).sum(axis=1) > STRAIGHT)
        )
        pairs.append(np.stack([owner[a[joins]], owner[b[joins]]], axis=1))
    linked = np.concatenate(pairs)
    graph = scipy.sparse.coo_matrix((np.ones(len(linked)), (linked[:, 0], linked[:, 1])), (len(edge), len(edge)))
    count, line = scipy.sparse.csgraph.connected_components(graph, directed=False)
    _, first = np.unique(line, return_index=True)
    start = mesh.points[edge[first, 0]]
    along = way[first]
    at = ((mesh.points[edge] - start[line][:, None]) * along[line][:, None]).sum(axis=2)
    low, high = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(low, line, at.min(axis=1))
    np.maximum.at(high, line, at.max(axis=1))
    inward = np.cross(along, normal[first])
    inward *= np.sign(((middle[first] - start) * inward).sum(axis=1))[:, None]
    inward /= np.maximum(np.linalg.norm(inward, axis=1, keepdims=True), 1e-12)
    ends = np.stack([start + low[:, None] * along, start + high[:, None] * along], axis=1)
    return ends, normal[first], inward


def _undersides(mesh: Mesh, settings: SupportSettings, apart_mm: float) -> Candidates:
    """Spots spread over surfaces too level to carry themselves, lowest first."""
    carry = -np.cos(np.radians(settings.carry_slope_deg))
    points, normals = surface_points(mesh, apart_mm * CANDIDATES_APART, (2,))
    under = (normals[:, 2] < carry) & (points[:, 2] > ON_PLATE_MM)
    points, normals = points[under], normals[under]
    slope = np.degrees(np.arccos(np.clip(-normals[:, 2], -1, 1)))
    return points, normals, 1 + 0.6 * slope / settings.carry_slope_deg
