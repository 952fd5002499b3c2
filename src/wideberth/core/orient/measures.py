"""What a pose costs, by the engine and the laws of the verdict on a coarse grid; what tips it will want is told beforehand."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, Drawn, HouseRules, as_printed, mark_min
from wideberth.core.layers import (
    POSE_SQUEEZE,
    Bore,
    Grid,
    Printed,
    Runs,
    Sections,
    cast,
    difference,
    empty,
    grid_over,
    intersection,
    squeeze_integrals,
)
from wideberth.core.loads import (
    Finish,
    bond_factors,
    layer_seconds,
    layer_temperatures,
    layer_viscosities,
    line_n,
    spacing_mm,
    suction,
    viscous_n,
)
from wideberth.core.model import SURFACES, Bored, Closest, Mesh, Surface, rods
from wideberth.core.orient.pose import Pose, placing

Values = NDArray[np.float64]
PITCH_MM = 0.8
LAYER_MM = 0.4
ACROSS = 80
"""So many layers of 1 mm at most: larger parts are looked at more coarsely."""
SPREAD_FLOOR_MM2 = 4.0
DOES_NOT_FIT = 1e6
STEEPEST_SIDE = -0.05
"""Height of a unit normal up to which a side takes a tip."""
LEVEL = 0.9998
"""Height of a unit normal from which a face is level and has no steps."""
SPECK_ROWS2 = 4.0
"""An island of less than so many rows squared is a cusp that the rows cut off."""


@dataclass(frozen=True)
class PoseCost:
    """What a pose costs.

    Attributes
    ----------
    peak_n, mean_n : greatest and mean pull of a layer. young_n : greatest pull on a fresh down-facing area. suction_n : greatest.
    support_mm2 : undersides that do not carry themselves, as seen from the plate. lever_n : pull times its offset from what can
    be supported, in spreads of that area. height_mm : of the part. fits : on the printer, with its gap.
    tip_load_n : greatest pull of a layer for each tip that there is room for by then. jump_mm2 : greatest change of area between
    layers. islands : beginnings in mid-liquid. tips : that it will want; mark_min : minutes to finish their marks; mark_min_of :
    these by kind of surface, where that is known. clean_tips : those that only faces offer on which marks are forbidden.
    support_ml : of posts and base. layers, hours : of the print. footprint_mm : across the plate. step_mm : mean height of the
    layers' steps on what has to look well: clean faces, or else all smooth and flat ones. stays_ml : resin that stays in hollows
    as it hangs. out_of_round_mm : between both diameters of the bore or peg that comes out worst.
    """

    pose: Pose
    peak_n: float
    young_n: float
    suction_n: float
    support_mm2: float
    lever_n: float
    height_mm: float
    fits: bool
    mean_n: float = 0.0
    tip_load_n: float = 0.0
    jump_mm2: float = 0.0
    islands: int = 0
    tips: float = 0.0
    mark_min: float = 0.0
    support_ml: float = 0.0
    layers: int = 0
    hours: float = 0.0
    footprint_mm: tuple[float, float] = (0.0, 0.0)
    mark_min_of: tuple[tuple[str, float], ...] = ()
    clean_tips: float = 0.0
    step_mm: float = 0.0
    stays_ml: float = 0.0
    out_of_round_mm: float = 0.0

    @property
    def up(self) -> Values:
        """The plate's upright in the part's own frame, (3,)."""
        return self.pose.rotation[2]

    def total(self, house: HouseRules) -> float:
        """One figure to rank by, in newtons: each cost by the weight that the house gives it; what does not fit comes last."""
        pulls = self.peak_n + house.young_weight * self.young_n + house.suction_weight * self.suction_n
        pulls += house.lever_weight * self.lever_n
        rest = house.support_weight_n_per_mm2 * self.support_mm2 + house.height_weight_n_per_mm * self.height_mm
        rest += house.stays_weight_n_per_ml * self.stays_ml + house.round_weight_n_per_mm * self.out_of_round_mm
        marks = house.finishing_weight_n_per_min * self.mark_min + house.clean_weight_n * self.clean_tips
        return pulls + rest + marks + (0 if self.fits else DOES_NOT_FIT)

    @property
    def why(self) -> str:
        return (
            f"{self.young_n:.1f} N on fresh undersides, peak {self.peak_n:.1f} N, suction {self.suction_n:.1f} N, "
            f"{self.tip_load_n:.2f} N a tip, about {self.tips:.0f} tips and {self.mark_min:.0f} min of finishing, "
            f"{self.support_ml:.1f} mL of supports, {self.hours:.1f} h, {self.height_mm:.0f} mm tall"
        )


@dataclass(frozen=True, eq=False)
class Inside:
    """What a pose matters to beside the surface, in the part's own frame.

    cavity : its chambers. bores : drain holes. rounds : bores and pegs of the shape's own. stays_ml : of resin that stays in
    hollows with a direction (3,) pointing up to the plate; None where it closes in no void.
    """

    cavity: Mesh | None = None
    bores: tuple[Bore, ...] = ()
    rounds: tuple[Bored, ...] = ()
    stays_ml: Callable[[Values], float] | None = None


SOLID = Inside()


@dataclass(frozen=True, eq=False)
class Light:
    """A light mesh with what does not change when it is turned: area, normal and middle of its faces, how each is finished where
    that is known, and what is inside, its chambers on a stand-in too."""

    mesh: Mesh
    area_mm2: Values
    normals: Values
    middles: Values
    finish: Finish | None = None
    inside: Inside = SOLID

    @classmethod
    def of(cls, mesh: Mesh, finish: Finish | None = None, inside: Inside = SOLID) -> Light:
        """A stand-in made ready. finish : of its faces. inside : with as light a cavity."""
        a, b, c = (mesh.points[mesh.faces[:, k]] for k in range(3))
        return cls(mesh, mesh.face_area_mm2, mesh.normals, (a + b + c) / 3, finish, inside)


def finish_on(light: Mesh, mesh: Mesh, finish: Finish) -> Finish:
    """How the faces of a stand-in are finished: each as the face of the mesh (whose `finish` is given) nearest to its middle."""
    return finish.of(Closest(mesh).nearest(light.corners.mean(axis=1))[1])


@dataclass(frozen=True, eq=False)
class _Down:
    """Faces of a mesh that is set down: area, height of the unit normal, middle, how many times as long a mark takes there, and
    whether it is forbidden."""

    area_mm2: Values
    slope: Values
    middles: Values
    times: Values
    barred: NDArray[np.bool_]

    @classmethod
    def of(cls, light: Light, matrix: Values) -> _Down:
        none, own = np.ones(len(light.area_mm2)), light.finish
        times, barred = (none, none < 0) if own is None else (own.times, own.barred)
        middles = light.middles @ matrix[:3, :3].T + matrix[:3, 3]
        return cls(light.area_mm2, light.normals @ matrix[2, :3], middles, times, barred)


def weigh_pose(light: Light, pose: Pose, bench: Bench) -> PoseCost:
    """Cost of one pose."""
    plain = replace(bench, print=replace(bench.print, first_layers=0, transition_layers=0))
    matrix = placing(light.mesh, pose)
    set_down = light.mesh.transformed(matrix)
    down = _Down.of(light, matrix)
    extents = set_down.extents_mm
    coarse = max(1.0, float(extents.max()) / ACROSS)
    grid = grid_over(set_down.low, set_down.high, PITCH_MM * coarse, LAYER_MM * coarse)
    runs, cavities = cast(set_down.points, set_down.faces, grid), None
    if light.inside.cavity is not None:
        chambers = light.inside.cavity.transformed(matrix)
        cavities = cast(chambers.points, chambers.faces, grid)
        runs = difference(runs, cavities)
    bores = tuple(b.moved(matrix) for b in light.inside.bores)
    drills = _drilled(bores, grid) if bores else None
    drilled, plugs = (runs, None) if drills is None else (difference(runs, drills), intersection(runs, drills))
    printed = Printed(drilled, empty(grid), plugs, bores, cavities=cavities)
    part = printed.part_sections
    area = part.per_layer(part.area_mm2)
    layers, seconds = _time(area, grid.layer_mm, float(set_down.high[2]), bench)
    vat_c = np.interp((np.arange(grid.layers) + 0.5) * grid.layer_mm, *_warmth(seconds, plain))
    viscosity = layer_viscosities(vat_c, plain)
    peel = _peel(part, viscosity, plain)
    sucked = suction(printed, plain, viscosity)
    drawn = np.bincount(printed.openings.layer, sucked.force_n, grid.layers)
    pull = part.per_layer(peel)
    wants = _wants(down, printed, bench, float((pull + drawn).max(initial=0.0)))
    return PoseCost(
        pose,
        float(pull.max()),
        _young(area, pull),
        float(drawn.max(initial=0.0)),
        float(wants.shade_mm2.sum()),
        _lever(printed, peel, down, wants.shade_mm2),
        float(extents[2]),
        _fits(extents, pose, bench),
        float(pull[area > 0].mean()) if (area > 0).any() else 0.0,
        float(((pull + drawn) / np.maximum(wants.room_by_layer(grid.layers, grid.layer_mm), 1.0)).max()),
        float(np.abs(np.diff(area)).max(initial=0.0)),
        wants.islands,
        wants.tips,
        float(wants.mark_min.sum()),
        wants.support_ml,
        layers,
        float(seconds.sum()) / 3600,
        (float(extents[0]), float(extents[1])),
        _by_kind(wants.mark_min, light.finish),
        wants.clean_tips,
        _step_mm(down, light.finish, bench.print.layer_height_mm),
        0.0 if light.inside.stays_ml is None else light.inside.stays_ml(pose.rotation[2]),
        _out_of_round_mm(light.inside.rounds, pose.rotation[2], bench),
    )


def _out_of_round_mm(rounds: tuple[Bored, ...], up: Values, bench: Bench) -> float:
    """Of the bore or peg that comes out worst, by how its axis leans."""
    worst = 0.0
    for each in rounds:
        upright = min(abs(float(np.asarray(each.axis) @ up)), 1.0)
        drawn = Drawn(each.diameter_mm, each.is_hole, float(np.degrees(np.arccos(upright))))
        worst = max(worst, as_printed(drawn, bench).out_of_round_mm)
    return worst


def _by_kind(mark_min: Values, finish: Finish | None) -> tuple[tuple[str, float], ...]:
    """Minutes of finishing on each kind of surface, by its name; none where kinds are not known."""
    if finish is None:
        return ()
    minutes = np.bincount(finish.surface, mark_min, len(SURFACES))
    return tuple((str(kind), float(m)) for kind, m in zip(SURFACES, minutes, strict=True))


def _step_mm(down: _Down, finish: Finish | None, layer_mm: float) -> float:
    """Mean height of the layers' steps on what has to look well: t |n_z|, none on a level or an upright face.

    Source: the cusp height of layered surfaces (A. Dolenc and I. Mäkelä, 1994).
    """
    shown = down.barred if down.barred.any() else np.ones(len(down.slope), bool)
    if finish is not None and not down.barred.any():
        shown = finish.surface < SURFACES.index(Surface.BUSY)
    step = layer_mm * np.abs(down.slope) * (np.abs(down.slope) < LEVEL)
    return float((step * down.area_mm2)[shown].sum() / max(float(down.area_mm2[shown].sum()), 1e-9))


def _drilled(bores: tuple[Bore, ...], grid: Grid) -> Runs:
    """Bores as round drills from mouth to mouth."""
    outer, inner, wide = (np.array([getattr(b, at) for b in bores]) for at in ("outer_mm", "inner_mm", "radius_mm"))
    drills = rods(outer, inner, 2 * wide, 2 * wide, 16)
    return cast(drills.points, drills.faces, grid)


def _peel(part: Sections, viscosity: Values, bench: Bench) -> Values:
    """Peel of each component of the part, (components,)."""
    squeeze, _ = squeeze_integrals(part, POSE_SQUEEZE)
    bond = bond_factors(1, bench)[0]
    viscous = viscous_n(part.area_mm2, squeeze, bench, viscosity[part.layer], bench.print.lift_mm_per_min)
    return np.asarray(bond * (line_n(part.perimeter_mm, bench) + viscous))


def _time(area: Values, coarse_mm: float, top_mm: float, bench: Bench) -> tuple[int, Values]:
    """How many layers will be printed, and the seconds of each."""
    t = bench.print.layer_height_mm
    count = max(1, int(np.ceil(top_mm / t - 1e-6)))
    at = np.minimum(((np.arange(count) + 0.5) * t / coarse_mm).astype(np.int64), len(area) - 1)
    return count, layer_seconds(area[at], bench)


def _warmth(seconds: Values, bench: Bench) -> tuple[Any, Any]:
    """Heights of the printed layers, and the vat's temperature there."""
    return (np.arange(len(seconds)) + 0.5) * bench.print.layer_height_mm, layer_temperatures(seconds, bench)


def _young(area: Values, pull: Values) -> float:
    """Greatest pull on what a layer has more than the one before."""
    per_mm2 = np.divide(pull, area, out=np.zeros_like(pull), where=area > 0)
    return float((np.maximum(np.diff(area, prepend=0.0), 0) * per_mm2).max())


def _fits(extents: Values, pose: Pose, bench: Bench) -> bool:
    printer = bench.printer
    return bool(
        extents[0] <= printer.plate_x_mm and extents[1] <= printer.plate_y_mm and extents[2] + pose.gap_mm <= printer.height_mm
    )


@dataclass(frozen=True, eq=False)
class _Wants:
    """Tips that a pose will want, and where there is room for any.

    tips : how many; mark_min : (faces,) minutes to finish their marks on each face; clean_tips : how many find room on such faces
    alone where marks are forbidden. room_z_mm, room : (n,) heights, and how many tips there is room for at each, islands counted;
    steep sides take tips too. shade_mm2 : (faces,) undersides that do not carry themselves, as seen from the plate.
    """

    tips: float
    mark_min: Values
    clean_tips: float
    room_z_mm: Values
    room: Values
    shade_mm2: Values
    islands: int
    support_ml: float

    def room_by_layer(self, layers: int, layer_mm: float) -> Values:
        """How many tips can hold as each layer peels, (layers,)."""
        at = np.clip((self.room_z_mm / layer_mm).astype(np.int64), 0, layers - 1)
        return np.cumsum(np.bincount(at, self.room, layers))


def _wants(down: _Down, printed: Printed, bench: Bench, pull_n: float) -> _Wants:
    """One tip under each island, one to a square of the spacing under undersides that do not carry themselves, and as many more,
    on steep sides, as it takes for all of them of the usual size to hold the greatest pull with the wanted margin; these keep off
    faces where marks are forbidden as long as there are others."""
    settings, apart = bench.supports, spacing_mm(bench)
    slope, middle = down.slope, down.middles[:, 2]
    seen = down.area_mm2 * np.maximum(-slope, 0)
    shade = seen * (slope < -np.cos(np.radians(settings.carry_slope_deg)))
    sides = down.area_mm2 * (slope < STEEPEST_SIDE)
    on, begins = _islands(down, printed)
    capacity = bench.resin.green_strength_mpa * np.pi / 4 * settings.tip_mm**2 / settings.wanted_margin
    needed = shade / apart**2 + np.bincount(on, minlength=len(shade))
    more = max(0.0, pull_n / capacity - float(needed.sum()))
    takes = sides * ~down.barred if (sides * ~down.barred).any() else sides
    spread = needed + more * takes / max(float(takes.sum()), 1e-9)
    post = np.pi * settings.post_mm**2 / 4
    pad = np.pi * settings.pad_mm**2 / 4 * settings.pad_height_mm
    tips = float(spread.sum())
    return _Wants(
        tips,
        spread * down.times * mark_min(settings.tip_mm, bench.house),
        float(spread[down.barred].sum()),
        np.concatenate((middle[sides > 0], begins)),
        np.concatenate((sides[sides > 0] / apart**2, np.ones(len(begins)))),
        shade,
        len(begins),
        (float((spread * middle).sum()) * post + tips * pad) / 1000,
    )


def _islands(down: _Down, printed: Printed) -> tuple[NDArray[np.int64], Values]:
    """Beginnings in mid-liquid, but for those in chambers: the face nearest to each, and its height, (n,) each."""
    sections, grid = printed.part_sections, printed.part.grid
    islands = printed.islands[~printed.alone.in_chamber(printed.islands)]
    islands = islands[sections.area_mm2[islands] > SPECK_ROWS2 * grid.pitch_mm**2]
    begins = np.asarray(grid.z_of(sections.layer[islands]), float)
    at = np.stack([sections.x_mm[islands], sections.y_mm[islands], begins], axis=1)
    low = np.flatnonzero(down.slope < STEEPEST_SIDE)
    faces = low if len(low) else np.arange(len(down.slope))
    nearest = [int(faces[((down.middles[faces] - p) ** 2).sum(axis=1).argmin()]) for p in at]
    return np.array(nearest, np.int64), begins


def _lever(printed: Printed, peel_n: Values, down: _Down, shade: Values) -> float:
    """Greatest pull of a layer times its offset from the supportable area's centre, in spreads of that area [N].

    A pile group's most loaded pile carries about (1 + this offset) times the mean. Only area at or below the layer can
    be supported when it peels.
    """
    sections = printed.part_sections
    held = np.flatnonzero(shade > 0)
    order = held[np.argsort(down.middles[held, 2], kind="stable")]
    if len(order) == 0:
        return 0.0
    at, w = down.middles[order], shade[order]
    x, y = at[:, 0], at[:, 1]
    sums = [np.cumsum(w * v) for v in (np.ones_like(x), x, y, x * x, x * y, y * y)]
    pull = np.maximum(sections.per_layer(peel_n), 1e-9)
    px = sections.per_layer(peel_n * sections.x_mm) / pull
    py = sections.per_layer(peel_n * sections.y_mm) / pull
    z = np.asarray(printed.part.grid.z_of(np.arange(sections.layers)))
    upto = np.clip(np.searchsorted(at[:, 2], z) - 1, 0, len(x) - 1)
    n, sx, sy, sxx, sxy, syy = (s[upto] for s in sums)
    n = np.maximum(n, 1e-9)
    mx, my = sx / n, sy / n
    cxx, cxy, cyy = sxx / n - mx**2 + SPREAD_FLOOR_MM2, sxy / n - mx * my, syy / n - my**2 + SPREAD_FLOOR_MM2
    dx, dy = px - mx, py - my
    offset2 = (cyy * dx**2 - 2 * cxy * dx * dy + cxx * dy**2) / np.maximum(cxx * cyy - cxy**2, 1e-9)
    reached = sums[0][upto] > 1.0
    return float((pull * np.sqrt(np.maximum(offset2, 0)) * reached).max())
