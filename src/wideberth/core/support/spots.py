"""Where a part wants to be held: islands, free edges of undersides, and undersides every few millimetres."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.layers import cast, grid_over, sections
from wideberth.core.model import Mesh, nearest_on

ISLAND_LAYER_MM = 0.1
ISLAND_PITCH_MM = 0.25
SHARP = np.cos(np.radians(45))
EDGE_INSET_MM = 0.15
ON_PLATE_MM = 0.3
STEEPEST_SIDE = -0.05


@dataclass(frozen=True, eq=False)
class Spots:
    """Candidate spots in order of need: points and outward normals on the surface, (n, 3), and why."""

    points: NDArray[np.float64]
    normals: NDArray[np.float64]
    why: list[str]


def wanted_spots(mesh: Mesh, settings: SupportSettings) -> tuple[Spots, Spots]:
    """Spots to hold a posed part at, and the candidates that were left out for being too near to one.

    Each spot keeps others away: by the usual spacing under a level surface, by 1.6 times that where it just carries
    itself, by less along free edges.
    """
    parts = [_islands(mesh, settings), _edges(mesh, settings), _undersides(mesh, settings)]
    points = np.concatenate([p for p, _, _ in parts])
    normals = np.concatenate([n for _, n, _ in parts])
    why = ["island"] * len(parts[0][0]) + ["free edge"] * len(parts[1][0]) + ["underside"] * len(parts[2][0])
    reach = np.concatenate([r for _, _, r in parts]) * settings.spacing_mm
    if len(points) == 0:
        none = Spots(points, normals, [])
        return none, none
    neighbours = scipy.spatial.cKDTree(points)
    state = np.zeros(len(points), np.int8)
    for i in range(len(points)):
        if state[i] == 0:
            state[neighbours.query_ball_point(points[i], reach[i])] = 2
            state[i] = 1
    return _pick(points, normals, why, state == 1), _pick(points, normals, why, state == 2)


def side_spots(mesh: Mesh, settings: SupportSettings) -> Spots:
    """Spots on steep sides that need no tip for themselves, to steady what hangs on too few."""
    carry = -np.cos(np.radians(settings.carry_slope_deg))
    steep = (mesh.normals[:, 2] >= carry) & (mesh.normals[:, 2] < STEEPEST_SIDE)
    points, normals = _spread(mesh, np.flatnonzero(steep), settings)
    return Spots(points, normals, ["steadies"] * len(points))


def _pick(points: NDArray[np.float64], normals: NDArray[np.float64], why: list[str], mask: NDArray[np.bool_]) -> Spots:
    return Spots(points[mask], normals[mask], [w for w, m in zip(why, mask, strict=True) if m])


Candidates = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]


def _islands(mesh: Mesh, settings: SupportSettings) -> Candidates:
    """Every place where the part begins in mid-liquid, lowest first; long ones at half the usual spacing."""
    grid = grid_over(mesh.low, mesh.high, ISLAND_PITCH_MM, ISLAND_LAYER_MM)
    found = sections(cast(mesh.points, mesh.faces, grid))
    islands = np.flatnonzero(~found.rests_on_something & (found.layer > 0))
    row = found.runs.row_index() % grid.rows
    by_component = np.argsort(found.label, kind="stable")
    first = np.searchsorted(found.label[by_component], np.arange(found.count + 1))
    points = []
    for c in islands:
        width = 2 * found.area_mm2[c] / found.perimeter_mm[c]
        if width > 0.5 * settings.spacing_mm:  # a whole underside: its own spots follow
            continue
        apart = 0.5 * settings.spacing_mm
        mine = by_component[first[c] : first[c + 1]]
        chosen: list[NDArray[np.float64]] = []
        rows_y = np.asarray(grid.y0_mm + row[mine] * grid.pitch_mm, np.float64)
        for target in _along_runs(found.runs.x0[mine], found.runs.x1[mine], rows_y,
                                  (found.x_mm[c], found.y_mm[c]), 0.5 * apart):  # fmt: skip
            if all(np.hypot(*(target - t)) >= apart for t in chosen):
                chosen.append(target)
        z = found.layer[c] * grid.layer_mm
        points += [nearest_on(mesh, np.array([x, y, z]))[1] for x, y in chosen]
    at = np.array(points).reshape(-1, 3)
    return at, np.tile([0.0, 0.0, -1.0], (len(at), 1)), np.full(len(at), 0.35)


def _along_runs(x0: NDArray[np.float64], x1: NDArray[np.float64], y: NDArray[np.float64], centre: tuple[float, float],
                step: float) -> NDArray[np.float64]:  # fmt: skip
    """Points along runs no more than `step` apart, (n, 2), those nearest to the centre first."""
    count = np.maximum(1, np.ceil((x1 - x0) / step).astype(np.int64))
    run = np.repeat(np.arange(len(count)), count)
    place = np.arange(len(run)) - np.repeat(np.cumsum(count) - count, count)
    x = x0[run] + (place + 0.5) * ((x1 - x0) / count)[run]
    points = np.stack([x, y[run]], axis=1)
    return points[np.argsort(np.hypot(x - centre[0], y[run] - centre[1]), kind="stable")]


def _edges(mesh: Mesh, settings: SupportSettings) -> Candidates:
    """Spots along sharp convex edges of undersides, drawn in a little so that the whole tip lands."""
    carry = -np.cos(np.radians(settings.carry_slope_deg))
    f = mesh.faces
    sides = np.concatenate((f[:, [0, 1]], f[:, [1, 2]], f[:, [2, 0]]))
    owner = np.tile(np.arange(len(f)), 3)
    key = np.sort(sides, axis=1)
    order = np.lexsort((key[:, 1], key[:, 0]))
    key, owner = key[order], owner[order]
    twin = np.flatnonzero((key[1:] == key[:-1]).all(axis=1))
    a, b = owner[twin], owner[twin + 1]
    n = mesh.normals
    middle = mesh.corners.mean(axis=1)
    convex = ((middle[b] - middle[a]) * n[a]).sum(axis=1) < 0
    sharp = (n[a] * n[b]).sum(axis=1) < SHARP
    under_a, under_b = n[a, 2] < carry, n[b, 2] < carry
    keep = convex & sharp & (under_a | under_b)
    edge, face = key[twin][keep], np.where(under_a, a, b)[keep]
    ends = mesh.points[edge]
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    count = np.maximum(2, np.ceil(length / (0.4 * settings.spacing_mm)).astype(np.int64) + 1)
    which = np.repeat(np.arange(len(edge)), count)
    step = np.arange(len(which)) - np.repeat(np.cumsum(count) - count, count)
    share = step / np.maximum(count[which] - 1, 1)
    points = ends[which, 0] + share[:, None] * (ends[which, 1] - ends[which, 0])
    inward = middle[face[which]] - points
    size = np.linalg.norm(inward, axis=1, keepdims=True)
    points = points + inward / np.maximum(size, 1e-9) * np.minimum(EDGE_INSET_MM, 0.5 * size)
    normals = n[face[which]]
    off_plate = points[:, 2] > ON_PLATE_MM
    low_first = np.argsort(points[off_plate, 2], kind="stable")
    return points[off_plate][low_first], normals[off_plate][low_first], np.full(int(off_plate.sum()), 0.8)


def _undersides(mesh: Mesh, settings: SupportSettings) -> Candidates:
    """Spots spread over surfaces too level to carry themselves, lowest first."""
    carry = -np.cos(np.radians(settings.carry_slope_deg))
    points, normals = _spread(mesh, np.flatnonzero(mesh.normals[:, 2] < carry), settings)
    slope = np.degrees(np.arccos(np.clip(-normals[:, 2], -1, 1)))
    return points, normals, 1 + 0.6 * slope / settings.carry_slope_deg


def _spread(
    mesh: Mesh, faces: NDArray[np.int64], settings: SupportSettings
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Random points on some faces, about eight to a spacing squared, lowest first, with their normals."""
    faces = faces[mesh.corners[faces, :, 2].mean(axis=1) > ON_PLATE_MM]
    chance = np.random.default_rng(11)
    wanted = mesh.face_area_mm2[faces] * 8 / settings.spacing_mm**2
    count = np.floor(wanted + chance.random(len(wanted))).astype(np.int64)
    face = np.repeat(faces, count)
    u, v = chance.random(len(face)), chance.random(len(face))
    flip = u + v > 1
    u[flip], v[flip] = 1 - u[flip], 1 - v[flip]
    c = mesh.corners[face]
    points = c[:, 0] + u[:, None] * (c[:, 1] - c[:, 0]) + v[:, None] * (c[:, 2] - c[:, 0])
    order = np.argsort(points[:, 2], kind="stable")
    return points[order], mesh.normals[face][order]
