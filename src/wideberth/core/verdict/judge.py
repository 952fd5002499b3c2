"""The verdict: every finding with its numbers, and what decides the print."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from wideberth.core.bench import Bench, HouseRules, by_layer, first_layer_growth_mm, has_first_motion, motion
from wideberth.core.layers import OPEN, UNKNOWN, Printed, Sections, Trap
from wideberth.core.loads import FirstLight, Loads, Removal, Sag, Snap, least_first_light, removals, snaps
from wideberth.core.units import MM3_PER_ML
from wideberth.core.verdict.care import Care, care_of
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.finding import Finding, Spot, beyond, counted, in_order, spread
from wideberth.core.verdict.hold import hold_findings, sag_findings
from wideberth.core.verdict.holes import HoleRecord, hole_records
from wideberth.core.verdict.level import LevelFace, level_findings
from wideberth.core.verdict.marks import MarkRecord, finishing_min, mark_findings
from wideberth.core.verdict.moves import FIRST, wait_of
from wideberth.core.verdict.necks import PIXELS_THAT_SHOW, neck_findings
from wideberth.core.verdict.records import CupRecord, IslandRecord, TipRecord, cup_records, island_records, tip_records
from wideberth.core.verdict.removal import bath_findings, removal_findings
from wideberth.core.verdict.table import told
from wideberth.core.verdict.totals import Totals, totals

MANY = 12
ALIKE_SHARE, ALIKE_MM = 0.25, 0.5
"""How much two cups may differ in area and place to be one."""
ROUNDING = 1e-6
"""Forces that differ by less of themselves are one."""


@dataclass(frozen=True)
class Verdict:
    """What is predicted for a plate.

    hold_margin, plate_margin : weakest of all layers, None where nothing hangs or stands; *_z_mm where.
    weakest_tip : number in `tips`, or None. pull_n, pull_z_mm : greatest of all layers, of the parts alone; base_pull_n,
    base_pull_z_mm : of base and supports. suction_n, suction_z_mm : greatest of all layers. trapped_ml : for good.
    marks : that supports leave, None where it is not known on what they stand. removals : how bodies come off the plate;
    snaps : how tips come off the part, in their order;
    first_light : the least first exposure that grips as the house wants. care : drip, wash and cure.
    """

    hold_margin: float | None
    hold_z_mm: float
    weakest_tip: int | None
    plate_margin: float | None
    plate_z_mm: float
    pull_n: float
    pull_z_mm: float
    base_pull_n: float
    base_pull_z_mm: float
    suction_n: float
    suction_z_mm: float
    trapped_ml: float
    removals: tuple[Removal, ...]
    snaps: tuple[Snap, ...]
    first_light: FirstLight | None
    care: Care
    totals: Totals
    islands: tuple[IslandRecord, ...]
    cups: tuple[CupRecord, ...]
    tips: tuple[TipRecord, ...]
    holes: tuple[HoleRecord, ...]
    traps: tuple[Trap, ...]
    findings: tuple[Finding, ...]
    marks: tuple[MarkRecord, ...] | None = None

    @property
    def finishing_min(self) -> float | None:
        """Minutes to finish all marks, None where it is not known."""
        return None if self.marks is None else finishing_min(self.marks)

    @property
    def weakest(self) -> float | None:
        """The lesser of the two margins."""
        known = [m for m in (self.hold_margin, self.plate_margin) if m is not None]
        return min(known) if known else None


def judge(
    printed: Printed,
    loads: Loads,
    bench: Bench,
    known: tuple[Finding, ...] = (),
    names: tuple[str, ...] = (),
    sag: Sag | None = None,
    marks: tuple[MarkRecord, ...] | None = None,
    level: tuple[LevelFace, ...] = (),
    brief: bool = False,
) -> Verdict:
    """Weigh the loads.

    Parameters
    ----------
    known : findings that only the recipe can tell (what lies off the plate, useless holes, open meshes). names : of each print,
        to say whose tip is meant when there are several. sag : of the down-facing surfaces, where it was looked at. marks :
        that supports leave, where they are known. level : large flat faces that hang parallel to the plate, the largest first.
    brief : neither traps are looked at, nor how hard bodies come off the plate and supports off the part.
    """
    islands = island_records(printed)
    cups = cup_records(printed, loads)
    tips = tip_records(printed, loads)
    holes = hole_records(printed, loads, bench)
    findings = list(known)
    findings += _island_findings(islands, bench)
    findings += _crumb_findings(printed, bench.house)
    findings += hold_findings(tips, loads, bench, printed.all.grid.layer_mm, names)
    findings += level_findings(level, loads, bench, printed.all.grid.layer_mm)
    findings += mark_findings(marks or (), bench.house, names)
    findings += sag_findings(sag, bench) if sag is not None else []
    findings += _cup_findings(cups, printed, bench)
    findings += _idle_findings(holes, printed, bench.house)
    found = () if brief else tuple(printed.traps)
    findings += _trap_findings(found, bench)
    findings += _unknown_findings(printed, bench.house)
    findings += _jump_findings(printed, loads, bench)
    findings += neck_findings(printed, loads, bench)
    findings += _settling_findings(loads, bench, printed.all.grid.layer_mm)
    off = () if brief else removals(printed, loads, bench)
    findings += _plate_findings(printed, loads, bench, off)
    least = least_first_light(loads, bench, max((r.front_mm for r in off), default=0.0), bench.house.margin_note) if off else None
    care = care_of(loads, bench, printed.all.grid.layer_mm)
    snapping = () if brief else snaps(printed, loads, bench)
    findings += removal_findings(off, least, bench) + bath_findings(care, bench) + _reach_findings(snapping, tips, bench.house)
    z = np.asarray(printed.all.grid.z_of(np.arange(loads.layers)))
    hold_at, hold = _least(loads.hold_margin)
    plate_at, plate = _least(loads.plate_margin)
    weakest = None
    if hold is not None and tips and hold > 0:
        weakest = int(np.argmin(loads.tip_margin))
    pull_at, base_at, suction_at = (_first_greatest(f) for f in (loads.own_pull_n, loads.other_pull_n, loads.suction_n))
    trapped = sum(t.volume_mm3 for t in found if not t.shut_by_supports) / MM3_PER_ML
    return Verdict(
        hold,
        float(z[hold_at]),
        weakest,
        plate,
        float(z[plate_at]),
        float(loads.own_pull_n[pull_at]),
        float(z[pull_at]),
        float(loads.other_pull_n[base_at]),
        float(z[base_at]),
        float(loads.suction_n[suction_at]),
        float(z[suction_at]),
        trapped,
        off,
        snapping,
        least,
        care,
        totals(printed, loads, bench, care.clings_ml),
        islands,
        cups,
        tips,
        holes,
        found,
        in_order(findings),
        marks,
    )


def _least(margin: np.ndarray) -> tuple[int, float | None]:
    if np.isnan(margin).all():
        return 0, None
    at = int(np.nanargmin(margin))
    return at, float(margin[at])


def _first_greatest(force_n: np.ndarray) -> int:
    """Layer of the greatest force; of several that differ by rounding alone the first, whichever machine or run it is."""
    return int(np.argmax(force_n >= force_n.max() * (1 - ROUNDING)))


def _reach_findings(snapping: tuple[Snap, ...], tips: tuple[TipRecord, ...], house: HouseRules) -> list[Finding]:
    """Tips that snips reach from no side."""
    shut = [tips[s.tip] for s in snapping if s.sides == 0]
    if not shut:
        return []
    what = "Snips reach a tip from no side" if len(shut) == 1 else f"Snips reach {len(shut)} tips from no side"
    message = f"{what}, at {spread([t.z_mm for t in shut], 1)} mm: the part is all round."
    return told(Code.NO_WAY_FOR_SNIPS, house, message, shut[0].z_mm, spots=tuple((t.x_mm, t.y_mm, t.z_mm) for t in shut))


def _island_findings(islands: tuple[IslandRecord, ...], bench: Bench) -> list[Finding]:
    """Islands that nothing holds: one finding of those that a tip could hold, one of those in chambers, and one note of those
    under a few pixels, which may not even show."""
    house = bench.house
    shows = PIXELS_THAT_SHOW * bench.printer.pixel_x_mm * bench.printer.pixel_y_mm
    lone = [i for i in islands if not i.supported]
    findings = []
    for inside in (False, True):
        some = [i for i in lone if i.area_mm2 >= shows and i.inside == inside]
        if not some:
            continue
        area, z = spread([i.area_mm2 for i in some]), spread([i.z_mm for i in some])
        one = len(some) == 1
        what = f"An island of {area} mm² begins" if one else f"{len(some):,} islands of {area} mm² begin"
        begins = f"{what} in mid-liquid at {z} mm"
        if inside:
            where = "in a chamber, where no tip may stand and no gusset reaches."
            findings += told(Code.ISLAND_INSIDE, house, f"{begins} {where}", some[0].z_mm, spots=_spots(some))
        else:
            findings += told(
                Code.ISLAND,
                house,
                f"{begins} with nothing to hold {'it' if one else 'them'}.",
                some[0].z_mm,
                figure=1.0,
                remedy=f"Put a tip under {'it' if one else 'each'}, or turn the part.",
                spots=_spots(some),
            )
    small = [i for i in lone if i.area_mm2 < shows]
    if small:
        z = spread([i.z_mm for i in small])
        message = (
            f"{counted(len(small), 'spot')} of under {shows:.3f} mm² ({z} mm) may or may not begin in mid-liquid: they are "
            f"smaller than {PIXELS_THAT_SHOW:g} pixels."
        )
        remedy = "Nothing, or a tip under what must not come loose."
        findings += told(Code.ISLAND, house, message, small[0].z_mm, remedy=remedy, spots=_spots(small))
    return findings


def _spots(of: list[IslandRecord]) -> tuple[Spot, ...]:
    return tuple((i.x_mm, i.y_mm, i.z_mm) for i in of)


def _crumb_findings(printed: Printed, house: HouseRules) -> list[Finding]:
    part, grid = printed.part_sections, printed.all.grid
    if len(printed.alone.crumbs) == 0:
        return []
    first = int(printed.alone.crumbs[0])
    z = float(grid.z_of(int(part.layer[first])))
    count = len(printed.alone.crumbs)
    what = "A spot begins" if count == 1 else f"{count} spots begin"
    message = (
        f"{what} in mid-liquid in a chamber or at a hole's rim, at {z:.2f} mm: no tip may stand there, and a crumb may come "
        "loose."
    )
    x, y = float(part.x_mm[first]), float(part.y_mm[first])
    return told(Code.CRUMB, house, message, z, x_mm=x, y_mm=y)


def _plate_findings(printed: Printed, loads: Loads, bench: Bench, off: tuple[Removal, ...]) -> list[Finding]:
    at, margin = _least(loads.plate_margin)
    findings = []
    t = printed.all.grid.layer_mm
    if margin is not None:
        z = (at + 0.5) * t
        message = (
            f"The plate side holds only ×{margin:.2f} of the pull at {z:.2f} mm ({loads.pull_n[at]:.1f} N, edge moment included)."
        )
        findings += told(Code.PLATE_MARGIN, bench.house, message, z, figure=margin)
    part = printed.part_sections
    on_plate = float(part.area_mm2[part.layer == 0].sum())
    if on_plate > bench.house.face_on_plate_mm2:
        x, y = _largest_at(part, 0)
        under = [r for r in off if r.contact_mm2 >= 0.5 * bench.house.face_on_plate_mm2] if x is not None else []
        own = min(under, key=lambda r: np.hypot(r.x_mm - (x or 0.0), r.y_mm - (y or 0.0)), default=None)
        comes_off = "" if own is None else f", and it comes off {own.effort} ({own.effort_n:.0f} N, roughly)"
        message = (
            f"{on_plate:.0f} mm² of the part lie directly on the plate: their outline grows by about "
            f"{first_layer_growth_mm(bench):.2f} mm{comes_off}."
        )
        figure = on_plate / max(bench.house.face_on_plate_mm2, 1e-9)
        findings += told(Code.FACE_ON_PLATE, bench.house, message, t / 2, figure=figure, x_mm=x, y_mm=y)
    return findings


def _largest_at(part: Sections, layer: int) -> tuple[float, float] | tuple[None, None]:
    """Centroid of the part's largest component in a layer, if it has one."""
    own = np.arange(part.first[layer], part.first[layer + 1])
    if len(own) == 0:
        return None, None
    c = int(own[part.area_mm2[own].argmax()])
    return float(part.x_mm[c]), float(part.y_mm[c])


def _cup_findings(cups: tuple[CupRecord, ...], printed: Printed, bench: Bench) -> list[Finding]:
    findings, quiet = [], bench.house.quiet_suction_n
    for c in cups:
        if c.peak_suction_n < quiet:
            continue
        sealed = c.state == "sealed" or (c.state == "vented" and c.vents == 0 and c.narrow_kpa == 0 and not c.cutting)
        holes = counted(c.vents, "hole") if c.vents else "its own narrow way alone"
        holes += ", while that is being printed" if c.cutting else ""
        if c.vents and c.narrow_kpa > 0.1:
            holes += f" and a narrow way of the model's own that takes {c.narrow_kpa:.1f} kPa"
        message = (
            f"A {'sealed' if sealed else 'vented'} cup of {c.max_area_mm2:.0f} mm² from {c.z_from_mm:.2f} to "
            f"{c.z_to_mm:.2f} mm pulls up to {c.peak_suction_n:.1f} N"
            + (f" at {bench.laws.seal_kpa:g} kPa." if sealed else f" through {holes}.")
        )
        code, times = Code.CUP_SEALED if sealed else Code.CUP_VENTED, c.peak_suction_n / max(quiet, 1e-9)
        if sealed and _is_of_supports(c, printed):
            code, message = Code.CUP_OF_SUPPORTS, f"{message[:-1]}: base or supports close it in."
        findings += told(code, bench.house, message, c.z_from_mm, figure=times, x_mm=c.x_mm, y_mm=c.y_mm)
    return findings


def _is_of_supports(cup: CupRecord, printed: Printed) -> bool:
    """Whether the part alone has no such cup in the layers of one: previews do not look."""
    if printed.across is None or not printed.supports.x0.size:
        return False
    own, t = printed.alone.openings, printed.all.grid.layer_mm
    there = (own.layer >= round(cup.z_from_mm / t)) & (own.layer < round(cup.z_to_mm / t)) & (own.state != OPEN)
    reach = ALIKE_MM + 0.1 * np.sqrt(cup.max_area_mm2)
    near = np.hypot(own.x_mm - cup.x_mm, own.y_mm - cup.y_mm) < reach
    return not (there & near & (own.area_mm2 > (1 - ALIKE_SHARE) * cup.max_area_mm2)).any()


def _idle_findings(holes: tuple[HoleRecord, ...], printed: Printed, house: HouseRules) -> list[Finding]:
    """Holes that relieve no cup as the part stands; those that are blind are told already."""
    last = printed.mouths.sets[-1] if len(printed.mouths.sets) else np.zeros(0, np.int64)
    findings = []
    for b, (h, bore) in enumerate(zip(holes, printed.bores, strict=True)):
        if not h.relieves and UNKNOWN not in last[2 * b : 2 * b + 2]:
            message = f"Drain hole {h.number + 1} relieves no cup in this pose: its void is open anyway, or closed already."
            x, y, _ = bore.entry_mm
            findings += told(Code.HOLE_IDLE, house, message, h.z_mm, x_mm=x, y_mm=y)
    return findings


def _unknown_findings(printed: Printed, house: HouseRules) -> list[Finding]:
    """Narrow ways of which it is not known what they let through."""
    spots = printed.unknown_ways
    if not spots:
        return []
    message = (
        f"{counted(len(spots), 'narrow way is', 'narrow ways are')} too fine to solve: whether a cup breathes there is not "
        "known, and it counts as open."
    )
    lowest = float(printed.part.grid.z_of(int(printed.part_sections.layer.min())))
    remedy = "It lies among posts and pads: move a tip, or take another base." if max(z for _, _, z in spots) < lowest else ""
    return told(Code.WAY_UNKNOWN, house, message, spots[0][2], spots=spots, remedy=remedy)


def _trap_findings(traps: Sequence[Trap], bench: Bench) -> list[Finding]:
    findings = []
    for t in traps:
        ml = t.volume_mm3 / MM3_PER_ML
        if ml < bench.house.quiet_trap_ml:
            continue
        if t.shut_by_supports:
            code, message = (Code.SHUT_UNTIL_CLEANED, f"{ml:.2f} mL stay shut in by supports or base until these are off.")
        else:
            code = Code.TRAP
            message = (
                f"{ml:.2f} mL of resin stay trapped between {t.z_from_mm:.2f} and {t.z_to_mm:.2f} mm: the part can crack and "
                "leak later."
            )
        findings += told(code, bench.house, message, t.z_from_mm, x_mm=t.x_mm, y_mm=t.y_mm)
    return findings


def _settling_findings(loads: Loads, bench: Bench, layer_mm: float) -> list[Finding]:
    """Layers that are lit before the resin under them has been squeezed to one layer's height."""
    needed = bench.house.settled_times * loads.settling_s
    waits = by_layer(bench, loads.layers, lambda m: m.wait_before_s)
    late = np.flatnonzero(needed > waits)
    if len(late) == 0:
        return []
    worst = int((needed - waits).argmax())
    first, last = late[0] * layer_mm, (late[-1] + 1) * layer_mm
    wait = float(np.ceil(needed[worst] * 2) / 2)
    needs = beyond(float(needed[worst]), float(waits[worst]))
    message = (
        f"Between {first:.1f} and {last:.1f} mm layers are lit before they have settled: the largest needs {needs} s "
        f"(squeeze integral {loads.squeeze_mm4[worst]:,.0f} mm⁴, arm of {bench.printer.stiffness_n_per_m:,.0f} N/m) and gets "
        f"{waits[worst]:.3g} s. They come out too thick."
    )
    remedy = f"Wait {wait:g} s before the light, or turn the part to smaller sections."
    of_first = has_first_motion(bench) and worst < bench.print.first_layers
    change = wait_of(motion(bench, of_first), FIRST if of_first else "", wait)
    return told(Code.SETTLES_SLOWLY, bench.house, message, (worst + 0.5) * layer_mm, remedy=remedy, change=change)


def _jump_findings(printed: Printed, loads: Loads, bench: Bench) -> list[Finding]:
    """The largest jump of the part's area between layers, when it is worth a word."""
    area = printed.part.layer_area_mm2()
    jump = np.diff(area)
    share = np.abs(jump) / np.maximum(np.maximum(area[1:], area[:-1]), 1e-9)
    begins = (area[:-1] > 0) & (area[1:] > 0)
    worth = np.flatnonzero((share > bench.house.jump_share) & (np.abs(jump) > bench.house.jump_mm2) & begins)
    if len(worth) == 0:
        return []
    worst = int(worth[np.abs(jump[worth]).argmax()])
    z = (worst + 1) * printed.all.grid.layer_mm
    grows = jump[worst] > 0
    message = (
        f"The part's area {'grows' if grows else 'shrinks'} by {abs(jump[worst]):.0f} mm² ({share[worst]:.0%}) in one layer at "
        f"{z:.2f} mm: the pull jumps and a line may show."
    )
    x, y = _largest_at(printed.part_sections, worst + 1 if grows else worst)
    return told(Code.AREA_JUMP, bench.house, message, z, x_mm=x, y_mm=y)
