"""Where drain holes should go: low, through a thin wall, out of sight, two for each chamber."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, vat_viscosity
from wideberth.core.drain.probe import Probe
from wideberth.core.layers import SEALED, Printed, cast, grid_over
from wideberth.core.loads import hole_resistance
from wideberth.core.model import Mesh, solid_stretches
from wideberth.core.progress import Progress, quiet
from wideberth.core.units import N_PER_MM2_PER_PA, mm_per_s

CANDIDATES = 60
CLEAR_MM = 1.0
REFUSED_MM = 3.0
"""No hole comes nearer to one that was refused."""
TIP_ROOM_MM = 1.2
LEVELS = 5
DIRECTIONS = 24
ROOMY = 3.0
"""A chamber is wide when its box is at least so many times as wide as the house's wider hole."""
HIDDEN_FROM = 0.5
"""Walls that look down by at least this share do not show."""
AIR_WORTH = 1.5
"""A millimetre between the first hole and one for air is worth so many of cost, of which one of height has two."""
SHOWS_MM = 3.0
"""A hole that looks straight up is as bad as one that lies so much higher."""


@dataclass(frozen=True)
class Spot:
    """A good place for a hole: a point on the outer surface of the posed part, the way in, its wall, and the reason."""

    point_mm: tuple[float, float, float]
    along: tuple[float, float, float] | None
    wall_mm: float
    diameter_mm: float
    why: str


def hole_diameter_mm(bench: Bench) -> float:
    """Usual diameter for the resin at its temperature: pressure first, draining second."""
    viscous = vat_viscosity(bench) >= bench.house.viscous_from_pa_s
    return bench.house.viscous_hole_mm if viscous else bench.house.thin_hole_mm


def wide_enough_mm(chamber: Mesh, bench: Bench) -> float:
    """Diameter that leaves no more suction than the house allows, with the usual number of holes.

    F = (1 - φ) v A² R / n, A the chamber's largest section, R of a hole through the usual wall; in steps of half a
    millimetre from the usual diameter to the widest.
    """
    grid = grid_over(chamber.low, chamber.high, 0.5, 0.5)
    area = float(cast(chamber.points, chamber.faces, grid).layer_area_mm2().max())
    drawn = (1 - bench.film.follow_share) * mm_per_s(bench.print.lift_mm_per_min) * area
    diameter = hole_diameter_mm(bench)
    while diameter < bench.house.widest_hole_mm:
        resistance = hole_resistance(diameter / 2, bench.house.wall_mm, vat_viscosity(bench))
        if drawn * resistance / bench.house.holes_per_chamber * N_PER_MM2_PER_PA * area <= bench.house.suction_limit_n:
            break
        diameter += 0.5
    return diameter


def near_refused(point_mm: NDArray[np.float64], refused_mm: NDArray[np.float64] | None) -> bool:
    """Whether a point (3,) lies where a hole was refused."""
    return refused_mm is not None and bool((np.linalg.norm(refused_mm - point_mm, axis=1) < REFUSED_MM).any())


def propose_for_chamber(
    outer: Mesh,
    cavity: Mesh,
    chamber: Mesh,
    bench: Bench,
    tips_mm: NDArray[np.float64],
    progress: Progress | None = None,
    refused_mm: NDArray[np.float64] | None = None,
) -> list[Spot]:
    """Holes for one chamber of a posed shell (plate frame).

    The first is as low as the shape allows, which relieves the most layers; the next ones are low too, and far from
    the first, so that air can come in. Only walls that lead outside, with room for the drill and material left beside it, are
    taken, and none where a tip stands (`tips_mm`, (n, 3)) or where the part begins, which wants a tip. Walls that look down are
    preferred: supports mark them anyway. There the hole is the house's wider one, if the chamber is wide. None
    comes near to a spot that was refused (`refused_mm`, (n, 3)).
    """
    progress = progress or quiet()
    diameter = wide_enough_mm(chamber, bench)
    hidden_mm = diameter
    if float(chamber.extents_mm.min()) >= ROOMY * bench.house.hidden_hole_mm:
        hidden_mm = max(diameter, bench.house.hidden_hole_mm)
    beside = Probe(outer, cavity, (), (), 0.0, bench.house.wall_mm)
    spots: list[tuple[NDArray[np.float64], float, float, NDArray[np.float64]]] = []
    lowest = outer.points[outer.faces[:, 0]]
    lowest = lowest[lowest[:, 2].argmin()]
    keep_off = np.concatenate((np.asarray(tips_mm).reshape(-1, 3), [lowest]))
    for number, (start, towards) in enumerate(_low_candidates(chamber, diameter)):
        progress.at(number / CANDIDATES, "looking for drain holes")
        stretches = solid_stretches(outer, cavity, start - 0.05 * towards, towards)
        ahead = stretches[stretches[:, 1] > 0]
        if len(ahead) == 0:
            continue
        wall = float(ahead[0, 1] - max(ahead[0, 0], 0))
        free = float(ahead[1, 0] - ahead[0, 1]) if len(ahead) > 1 else math.inf
        mouth = start + towards * (ahead[0, 1] - 0.05)
        if free < max(CLEAR_MM, diameter) or wall > 4 * bench.house.wall_mm + 1 or mouth[2] < diameter / 2 + 0.3:
            continue
        behind = stretches[stretches[:, 1] <= 0]
        if len(behind) and -behind[-1, 1] < max(CLEAR_MM, diameter):
            continue
        if np.linalg.norm(keep_off - mouth, axis=1).min() < diameter / 2 + TIP_ROOM_MM or near_refused(mouth, refused_mm):
            continue
        spots.append((mouth, wall, float(start[2] - 0.5 * diameter * np.hypot(towards[0], towards[1])), -towards))
    chosen: list[Spot] = []
    if not spots:
        return chosen
    mouths = np.array([m for m, _, _, _ in spots])
    walls = np.array([w for _, w, _, _ in spots])
    begins = np.array([z for _, _, z, _ in spots])
    size = float(np.linalg.norm(chamber.extents_mm))
    ways = np.array([w for _, _, _, w in spots])
    shows = np.maximum(-ways[:, 2], 0)  # the hole looks the other way than it is drilled
    refused = np.zeros(len(spots), bool)
    while len(chosen) < bench.house.holes_per_chamber:
        cost = 2 * begins + 0.2 * mouths[:, 2] + walls + SHOWS_MM * shows
        cost[refused] = np.inf
        if chosen:
            others = np.array([s.point_mm for s in chosen])
            apart = np.linalg.norm(mouths[:, None] - others[None], axis=2).min(axis=1)
            worth = AIR_WORTH * np.minimum(apart, 0.5 * size)
            cost = np.where(apart < 1.5 * max(s.diameter_mm for s in chosen), np.inf, cost - worth)
        best = int(cost.argmin())
        if not math.isfinite(cost[best]):
            break
        x, y, z = (float(v) for v in mouths[best])
        hidden = ways[best, 2] > HIDDEN_FROM
        room = 2 * (float(np.linalg.norm(keep_off - mouths[best], axis=1).min()) - TIP_ROOM_MM)
        wide = hidden_mm if hidden and hidden_mm <= room else diameter
        thin = beside.material_beside_mm(mouths[best], ways[best], float(walls[best]), wide)
        if thin < bench.house.hole_edge_mm and wide > diameter:
            wide = diameter
            thin = beside.material_beside_mm(mouths[best], ways[best], float(walls[best]), wide)
        if thin < bench.house.hole_edge_mm:
            refused[best] = True
            continue
        reason = f"lowest way out of the chamber, {walls[best]:.1f} mm of wall"
        if chosen:
            reason = f"lets air in, {np.linalg.norm(mouths[best] - chosen[0].point_mm):.0f} mm from the first"
        if hidden:
            reason += ", looks to the plate where supports leave marks anyway"
        chosen.append(Spot((x, y, z), _triple(ways[best]), float(walls[best]), wide, reason))
    return chosen


def _triple(v: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def _low_candidates(chamber: Mesh, diameter: float) -> list[tuple[NDArray[np.float64], NDArray[np.float64]]]:
    """Points on a chamber's surface, lowest first and well spread, with the way out of the chamber there."""
    middle = chamber.corners.mean(axis=1)
    order = np.argsort(middle[:, 2])
    taken: list[int] = []
    cell = max(diameter, float(np.linalg.norm(chamber.extents_mm)) / 25)
    seen: set[tuple[int, ...]] = set()
    for face in order:
        key = tuple(np.floor(middle[face] / cell).astype(int))
        if key not in seen and chamber.normals[face, 2] < 0.3:
            seen.add(key)
            taken.append(int(face))
        if len(taken) == CANDIDATES:
            break
    return [(middle[face], chamber.normals[face]) for face in taken]


def propose_for_cups(outer: Mesh, cavity: Mesh | None, printed: Printed, bench: Bench) -> list[Spot]:
    """Holes for the cups of a posed part that would suck more than the house allows and that no hole ever opens."""
    o = printed.openings
    drawn = o.area_mm2 * bench.laws.seal_kpa * 1e-3
    spots: list[Spot] = []
    for cup in np.unique(o.cup):
        rows = np.flatnonzero(o.cup == cup)
        if (o.state[rows] != SEALED).any() or drawn[rows].max() < bench.house.suction_limit_n:
            continue
        spot = _low_wall(outer, cavity, printed, rows, bench)
        if spot is not None:
            spots.append(spot)
    return spots


def _low_wall(outer: Mesh, cavity: Mesh | None, printed: Printed, rows: NDArray[np.int64], bench: Bench) -> Spot | None:
    """The thinnest wall between the lowest part of a cup and the outside, looking level in all directions."""
    o, grid = printed.openings, printed.all.grid
    diameter = hole_diameter_mm(bench)
    first = int(o.layer[rows].min())
    best: Spot | None = None
    for level in range(LEVELS):
        k = first + round((diameter / 2 + 0.15 + level * 0.75) / grid.layer_mm)
        at = rows[o.layer[rows] == k]
        for row in at[np.argsort(-o.area_mm2[at])][:2]:
            left = int(o.left_run[row])
            ray = int(np.searchsorted(printed.walls.offsets, left, side="right")) - 1
            y = grid.y0_mm + (ray % grid.rows) * grid.pitch_mm
            x = 0.5 * (printed.walls.x1[left] + printed.walls.x0[left + 1])
            z = float(grid.z_of(k))
            starts = [np.array([x, y, z]), np.array([o.x_mm[row], o.y_mm[row], z])]
            for start in starts:
                for turn in range(DIRECTIONS):
                    angle = 2 * math.pi * turn / DIRECTIONS
                    towards = np.array([math.cos(angle), math.sin(angle), 0.0])
                    s = solid_stretches(outer, cavity, start, towards)
                    if ((s[:, 0] < 0) & (s[:, 1] > 0)).any():
                        break
                    ahead = s[s[:, 0] > 0]
                    if len(ahead) == 0:
                        continue
                    wall = float(ahead[0, 1] - ahead[0, 0])
                    free = float(ahead[1, 0] - ahead[0, 1]) if len(ahead) > 1 else math.inf
                    if free < 2 * diameter or (best is not None and wall >= best.wall_mm):
                        continue
                    mouth = start + towards * float(ahead[0, 1])
                    point = (float(mouth[0]), float(mouth[1]), float(mouth[2]))
                    best = Spot(
                        point,
                        _triple(-towards),
                        wall,
                        diameter,
                        f"relieves the cup from {z - diameter / 2:.1f} mm up, {wall:.1f} mm of wall",
                    )
        if best is not None and best.wall_mm < 6:
            return best
    return best
