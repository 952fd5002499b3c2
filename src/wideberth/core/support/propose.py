"""Supports for a posed part: spots, routes, then sizes that follow each tip's predicted load."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.layers import PREVIEW_CELLS, Printed, cast, grid_over, union
from wideberth.core.loads import loads
from wideberth.core.model import Mesh, stand_in
from wideberth.core.progress import Progress, quiet
from wideberth.core.support.route import Clearance, route
from wideberth.core.support.solids import supports_mesh, touches
from wideberth.core.support.spots import Spots, wanted_spots
from wideberth.core.support.tip import Tip

TRIANGLES = 150_000
SIZING_LAYER_MM = 0.2
SIZING_PITCH_MM = 0.3
ROUNDS = 4
MARGIN_RESERVE = 1.15


@dataclass(frozen=True)
class SupportProposal:
    """Proposed tips, spots that no support could reach, and the reason in one line."""

    tips: tuple[Tip, ...]
    unreached: tuple[tuple[float, float, float], ...]
    why: str


def propose_tips(outer: Mesh, bench: Bench, progress: Progress | None = None) -> SupportProposal:
    """Tips for a part's outer mesh in its pose, around its own place (x = y = 0).

    Only the outer mesh counts: shell and holes make no difference, so hollowing before or after supporting gives the
    same tips, and none stands in a chamber. Sizes are for the solid part, whose pull is the larger.
    """
    progress = progress or quiet()
    settings = bench.supports
    progress.at(0.02, "finding undersides")
    light = stand_in(outer, TRIANGLES)
    spots, spare = wanted_spots(light, settings)
    progress.at(0.25, "making room")
    room = Clearance(light, settings)
    tips: list[Tip] = []
    unreached: list[tuple[float, float, float]] = []
    _route_all(spots, room, bench, tips, unreached, progress.part(0.3, 0.6))
    for round_number in range(ROUNDS):
        progress.at(0.6 + 0.1 * round_number, "sizing tips by their load")
        tips, overloaded = _sized(light, tips, bench)
        if not overloaded or round_number == ROUNDS - 1:
            break
        extra = _between(spare, tips, overloaded, settings.spacing_mm)
        if len(extra.points) == 0:
            break
        _route_all(extra, room, bench, tips, [], progress.part(0.6, 0.9))
    kinds = {w: sum(t.why.startswith(w) for t in tips) for w in ("island", "free edge", "underside")}
    counted = ", ".join(f"{n} {w}{'s' if n > 1 else ''}" for w, n in kinds.items() if n)
    return SupportProposal(tuple(tips), tuple(unreached), f"{len(tips)} tips: {counted}" if tips else "nothing to hold")


def _route_all(spots: Spots, room: Clearance, bench: Bench, tips: list[Tip],
               unreached: list[tuple[float, float, float]], progress: Progress) -> None:  # fmt: skip
    """Add a support for each spot that one can reach; posts first found carry later twigs."""
    for i in range(len(spots.points)):
        if i % 20 == 0:
            progress.at(i / len(spots.points), "leading posts to the plate")
        found = route(spots.points[i], spots.normals[i], spots.why[i], room, bench.supports, tips)
        if found is None:
            x, y, z = (float(v) for v in spots.points[i])
            unreached.append((x, y, z))
        else:
            tips.append(found)


def _sized(mesh: Mesh, tips: list[Tip], bench: Bench) -> tuple[list[Tip], list[int]]:
    """Tips with diameters that give the wanted margin, and the numbers of those that would need more than allowed."""
    settings = bench.supports
    if not tips:
        return tips, []
    supports = supports_mesh(tuple(tips), settings)
    assert supports is not None
    low, high = np.minimum(mesh.low, supports.low), np.maximum(mesh.high, supports.high)
    layer = max(SIZING_LAYER_MM, bench.print.layer_height_mm)
    grid = grid_over(low, high, SIZING_PITCH_MM, layer)
    part, rest = cast(mesh.points, mesh.faces, grid), cast(supports.points, supports.faces, grid)
    everything = union(part, rest)
    coarse = replace(bench, print=replace(bench.print, first_layers=0, transition_layers=0))
    held = touches(tuple(tips), settings, 0, 0.0, 0.0)
    found = loads(Printed(part, part, everything, everything, rest, (), held), coarse, PREVIEW_CELLS)
    worst: NDArray[np.float64] = found.tip_load_n.max(axis=0)
    strength = bench.resin.green_strength_mpa
    need = np.sqrt(4 * np.maximum(worst, 0) * settings.wanted_margin * MARGIN_RESERVE / (np.pi * strength))
    size = np.clip(np.ceil(need / 0.05) * 0.05, settings.smallest_tip_mm, settings.largest_tip_mm)
    sized = [
        replace(t, diameter_mm=float(d), why=f"{t.why.split(',')[0]}, carries {w:.2f} N")
        for t, d, w in zip(tips, size, worst, strict=True)
    ]
    return sized, [int(i) for i in np.flatnonzero(need > settings.largest_tip_mm)]


def _between(spare: Spots, tips: list[Tip], overloaded: list[int], spacing_mm: float) -> Spots:
    """Left-out candidates near overloaded tips, at half the usual spacing from every tip."""
    chosen: list[int] = []
    have = np.array([t.spot_mm for t in tips])
    heavy = have[overloaded]
    for i, point in enumerate(spare.points):
        if np.linalg.norm(heavy - point, axis=1).min() > 1.6 * spacing_mm:
            continue
        others = np.concatenate((have, spare.points[chosen])) if chosen else have
        if np.linalg.norm(others - point, axis=1).min() >= 0.5 * spacing_mm:
            chosen.append(i)
    return Spots(spare.points[chosen], spare.normals[chosen], [spare.why[i] for i in chosen])
