"""What only the recipe can tell of a print: where it reaches, how its mesh is, what stands on it, holes that serve nothing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from wideberth.core.bench import Bench, HouseRules
from wideberth.core.layers import UNKNOWN, Printed
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.finding import Finding, Spot, counted, spread
from wideberth.core.verdict.table import told

HAIR_MM = 1e-6


@dataclass(frozen=True)
class PrintFacts:
    """One print on the plate.

    low_mm, high_mm : corners of its box, supports included. The rest is the same for all prints of a part and told once:
    watertight : its sound copy; sound_changes : what was done for that. wall_mm : of its shell, None when it is to be solid.
    chambers : how many came out. feet : where posts stand on it. left_out : spots of tips that would stand in a drain hole.
    through : where supports run through it.
    """

    name: str
    part: str
    low_mm: Spot
    high_mm: Spot
    watertight: bool
    sound_changes: tuple[str, ...]
    wall_mm: float | None
    chambers: int
    feet: tuple[Spot, ...]
    left_out: tuple[Spot, ...]
    through: tuple[Spot, ...] = ()


def print_findings(prints: Sequence[PrintFacts], printed: Printed, bench: Bench) -> list[Finding]:
    """Findings of all prints of a plate, and of what was cast of them."""
    findings: list[Finding] = []
    seen: set[str] = set()
    for facts in prints:
        findings += _reach(facts, bench)
        if facts.part not in seen:
            findings += _part(facts, bench.house)
            seen.add(facts.part)
    findings += _in_zones(prints, printed, bench)
    if printed.part.broken_rays:
        message = f"{printed.part.broken_rays:,} rows did not close and were mended."
        findings += told(Code.BROKEN_ROWS, bench.house, message)
    return findings + _hole_findings(printed, bench.house)


def _reach(facts: PrintFacts, bench: Bench) -> list[Finding]:
    """Beyond the printer's height, or over the plate's edge."""
    findings, printer, top = [], bench.printer, facts.high_mm[2]
    if top > printer.height_mm + HAIR_MM:
        message = f"{facts.name} reaches {top:.1f} mm; the printer ends at {printer.height_mm:g} mm."
        findings += told(Code.TOO_TALL, bench.house, message, float(printer.height_mm))
    over = max(
        facts.high_mm[0] - printer.plate_x_mm / 2,
        -printer.plate_x_mm / 2 - facts.low_mm[0],
        facts.high_mm[1] - printer.plate_y_mm / 2,
        -printer.plate_y_mm / 2 - facts.low_mm[1],
    )
    if over > HAIR_MM:
        message = f"{facts.name} reaches {over:.1f} mm over the edge of the plate."
        findings += told(Code.OFF_PLATE, bench.house, message)
    return findings


def _in_zones(prints: Sequence[PrintFacts], printed: Printed, bench: Bench) -> list[Finding]:
    """What reaches into zones of the plate that are kept free."""
    findings, grid = [], printed.all.grid
    for zone in bench.printer.zones:
        low, high = (zone.left_mm, zone.front_mm), (zone.right_mm, zone.back_mm)
        area = printed.all.layer_area_within_mm2(low, high)
        there = np.flatnonzero(area > grid.pitch_mm**2)
        if len(there):
            names = [
                f.name
                for f in prints
                if (np.array(f.low_mm[:2]) < high).all() and (np.array(f.high_mm[:2]) > low).all()  # boxes tell who
            ]
            reach = "reaches" if len(names) == 1 else "reach"
            z = float(grid.z_of(int(there[0])))
            where = f"{zone.left_mm:g} to {zone.right_mm:g}, {zone.front_mm:g} to {zone.back_mm:g} mm".replace("-", "−")
            message = (
                f"{', '.join(names)} {reach} into a zone that is kept free, with up to {area.max():.1f} mm² "
                f"({where} from the middle)."
            )
            x, y = 0.5 * (zone.left_mm + zone.right_mm), 0.5 * (zone.front_mm + zone.back_mm)
            findings += told(Code.IN_KEPT_FREE, bench.house, message, z, x_mm=x, y_mm=y)
    return findings


def _part(facts: PrintFacts, house: HouseRules) -> list[Finding]:
    """What is the same for all prints of a part, told of the first one."""
    findings, name, low = [], facts.name, facts.low_mm[2]
    if not facts.watertight:
        message = f"{name} is not watertight: rows that did not close were mended from their neighbours."
        findings += told(Code.OPEN_MESH, house, message, low)
    elif facts.sound_changes:
        changes = ", ".join(facts.sound_changes)
        message = f"{name} is predicted and printed as a sound copy of its mesh: {changes}."
        findings += told(Code.SOUND_COPY, house, message, low)
    if facts.wall_mm is not None and not facts.chambers:
        message = f"A wall of {facts.wall_mm:g} mm leaves no chamber in {name}: it is printed solid."
        findings += told(Code.NO_CHAMBER, house, message, low)
    if facts.feet:
        count, heights = len(facts.feet), spread([z for _, _, z in facts.feet], 1)
        stand = "post stands" if count == 1 else "posts stand"
        message = f"{count} {stand} on {name} itself, at {heights} mm: each foot leaves a mark there."
        findings += told(Code.FOOT_ON_PART, house, message, facts.feet[0][2], spots=facts.feet)
    if facts.left_out:
        message = f"{counted(len(facts.left_out), 'tip')} of {name} would stand in a drain hole and had to be left out."
        findings += told(Code.TIP_IN_HOLE, house, message, facts.left_out[0][2], spots=facts.left_out)
    if facts.through:
        pieces = counted(len(facts.through), "piece of the supports runs", "pieces of the supports run")
        heights = spread([z for _, _, z in facts.through], 1)
        message = f"{pieces} through {name} itself, at {heights} mm: they grow into one with it."
        findings += told(Code.LIMB_IN_PART, house, message, facts.through[0][2], spots=facts.through)
    return findings


def _hole_findings(printed: Printed, house: HouseRules) -> list[Finding]:
    """Holes with solid at a mouth, or with the same void at both."""
    findings = []
    for b, bore in enumerate(printed.bores):
        inner, outer = (int(s) for s in printed.mouths.sets[-1, 2 * b : 2 * b + 2])
        if UNKNOWN in (inner, outer):
            which = "its inner mouth ends in solid" if inner == UNKNOWN else "its outer mouth is blocked"
            message = f"Drain hole {bore.number + 1} serves nothing: {which} (wall {bore.wall_mm:.1f} mm)."
            x, y, _ = bore.entry_mm
            findings += told(Code.HOLE_BLIND, house, message, bore.z_mm, x_mm=x, y_mm=y)
    return findings
