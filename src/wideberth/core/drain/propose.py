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
from wideberth.core.model import Closest, Mesh, solid_stretches
from wideberth.core.progress import Progress, quiet
from wideberth.core.units import N_PER_MM2_PER_PA, mm_per_s

CANDIDATES, CANDIDATES_BEYOND = 60, 600
"""Of places that are looked at; beyond what must stay clean."""
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
    kept: Closest | None = None,
) -> list[Spot]:
    """Holes for one chamber of a posed shell (plate frame).

    The first is as low as the shape allows, which relieves the most layers; the next ones are low too, and far from
    the first, so that air can come in. Only walls that lead outside, with room for the drill and material left beside it, are
    taken, and none where a tip stands (`tips_mm`, (n, 3)) or where the part begins, which wants a tip. Walls that look down are
    preferred: supports mark them anyway. There the hole is the house's wider one, if the chamber is wide. None
    comes near to a spot that was refused (`refused_mm`, (n, 3)), and none breaks through faces that are `kept` from holes, or
    their rims, as long as there is another way.
    """
    progress = progress or quiet()
    diameter = wide_enough_mm(chamber, bench)
    lowest = outer.points[outer.faces[:, 0]]
    keep_off = np.concatenate((np.asarray(tips_mm).reshape(-1, 3), [lowest[lowest[:, 2].argmin()]]))
    mouths = []
    candidates = _low_candidates(chamber, diameter, CANDIDATES if kept is None else CANDIDATES_BEYOND)
    for number, (start, towards) in enumerate(candidates):
        progress.at(number / len(candidates), "looking for drain holes")
        mouth = _mouth(outer, cavity, start, towards, diameter, bench)
        if mouth is None or near_refused(mouth.at_mm, refused_mm):
            continue
        if np.linalg.norm(keep_off - mouth.at_mm, axis=1).min() >= diameter / 2 + TIP_ROOM_MM:
            mouths.append(mouth)
    open_to_all = [mouth for mouth in mouths if is_clear_of(kept, mouth.at_mm, diameter)]
    only_there = bool(mouths) and not open_to_all
    mouths = open_to_all or mouths
    beside = Probe(outer, cavity, (), (), 0.0, bench.house.wall_mm)
    hidden_mm = max(diameter, bench.house.hidden_hole_mm) if _is_roomy(chamber, bench) else diameter
    half = 0.5 * float(np.linalg.norm(chamber.extents_mm))
    chosen: list[Spot] = []
    while mouths and len(chosen) < bench.house.holes_per_chamber:
        costs = [_cost(mouth, chosen, half) for mouth in mouths]
        best = int(np.argmin(costs))
        if not math.isfinite(costs[best]):
            break
        mouth = mouths.pop(best)
        room = 2 * (float(np.linalg.norm(keep_off - mouth.at_mm, axis=1).min()) - TIP_ROOM_MM)
        for size in dict.fromkeys((hidden_mm if mouth.is_hidden and hidden_mm <= room else diameter, diameter)):
            firm = beside.material_beside_mm(mouth.at_mm, mouth.way, mouth.wall_mm, size) >= bench.house.hole_edge_mm
            if firm and (only_there or is_clear_of(kept, mouth.at_mm, size)):
                chosen.append(_spot(mouth, size, chosen, only_there))
                break
    return chosen


def is_clear_of(kept: Closest | None, point_mm: NDArray[np.float64], diameter_mm: float) -> bool:
    """Whether a hole about a point (3,) leaves faces that are kept from holes alone, its rim included."""
    return kept is None or float(kept.distance(point_mm)[0]) > 0.5 * diameter_mm


@dataclass(frozen=True, eq=False)
class _Mouth:
    """Where a hole could come out. at_mm : (3,) on the outside. begins_mm : height at which its drill begins to open the chamber.
    way : (3,) unit, into the chamber."""

    at_mm: NDArray[np.float64]
    wall_mm: float
    begins_mm: float
    way: NDArray[np.float64]

    @property
    def is_hidden(self) -> bool:
        """Whether it looks to the plate, where supports leave marks anyway."""
        return bool(self.way[2] > HIDDEN_FROM)


def _is_roomy(chamber: Mesh, bench: Bench) -> bool:
    return float(chamber.extents_mm.min()) >= ROOMY * bench.house.hidden_hole_mm


def _mouth(
    outer: Mesh, cavity: Mesh, start: NDArray[np.float64], towards: NDArray[np.float64], diameter: float, bench: Bench
) -> _Mouth | None:
    """Where a hole from a chamber's wall comes out; None where it does not lead outside, or there is no room for the drill."""
    stretches = solid_stretches(outer, cavity, start - 0.05 * towards, towards)
    ahead, behind = stretches[stretches[:, 1] > 0], stretches[stretches[:, 1] <= 0]
    if len(ahead) == 0:
        return None
    clear = max(CLEAR_MM, diameter)
    wall = float(ahead[0, 1] - max(ahead[0, 0], 0))
    free = float(ahead[1, 0] - ahead[0, 1]) if len(ahead) > 1 else math.inf
    mouth = start + towards * (ahead[0, 1] - 0.05)
    if free < clear or wall > 4 * bench.house.wall_mm + 1 or mouth[2] < diameter / 2 + 0.3:
        return None
    if len(behind) and -behind[-1, 1] < clear:
        return None
    return _Mouth(mouth, wall, float(start[2] - 0.5 * diameter * np.hypot(towards[0], towards[1])), -towards)


def _cost(mouth: _Mouth, chosen: list[Spot], half_mm: float) -> float:
    """How little a mouth is worth: low, thin and unseen is best, and far from the holes that are chosen already."""
    shows = max(-float(mouth.way[2]), 0.0)  # the hole looks the other way than it is drilled
    cost = 2 * mouth.begins_mm + 0.2 * float(mouth.at_mm[2]) + mouth.wall_mm + SHOWS_MM * shows
    if not chosen:
        return cost
    apart = min(float(np.linalg.norm(mouth.at_mm - s.point_mm)) for s in chosen)
    if apart < 1.5 * max(s.diameter_mm for s in chosen):
        return math.inf
    return cost - AIR_WORTH * min(apart, half_mm)


def _spot(mouth: _Mouth, diameter_mm: float, chosen: list[Spot], only_there: bool) -> Spot:
    """The hole at a mouth, with its reason."""
    reason = f"lowest way out of the chamber, {mouth.wall_mm:.1f} mm of wall"
    if chosen:
        reason = f"lets air in, {np.linalg.norm(mouth.at_mm - chosen[0].point_mm):.0f} mm from the first"
    if mouth.is_hidden:
        reason += ", looks to the plate where supports leave marks anyway"
    if only_there:
        reason += ", through a face that is kept clean or mates: no other way leads out"
    return Spot(_triple(mouth.at_mm), _triple(mouth.way), mouth.wall_mm, diameter_mm, reason)


def _triple(v: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def _low_candidates(chamber: Mesh, diameter: float, most: int) -> list[tuple[NDArray[np.float64], NDArray[np.float64]]]:
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
        if len(taken) == most:
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
            y = grid.y0_mm + (int(o.ray[row]) % grid.rows) * grid.pitch_mm
            x = 0.5 * (o.left_mm[row] + o.right_mm[row])
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
