"""The verdict: every finding with its numbers, and what decides the print."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.bench import Bench, first_layer_growth_mm
from wideberth.core.layers import UNKNOWN, Printed, Sections, Trap
from wideberth.core.loads import Loads, Sag
from wideberth.core.units import MM3_PER_ML
from wideberth.core.verdict.finding import DOUBTFUL, LOST, NOTE, Finding, counted, in_order, margin_severity, spread
from wideberth.core.verdict.hold import hold_findings, sag_findings
from wideberth.core.verdict.holes import HoleRecord, hole_records
from wideberth.core.verdict.records import (
    CupRecord,
    IslandRecord,
    TipRecord,
    cup_records,
    island_records,
    tip_records,
)
from wideberth.core.verdict.totals import Totals, totals

MANY = 12
HEAVY_SUCTION = 5.0
NECKS_APART_MM = 3.0
SETTLED = 2.0
"""Time constants after which a layer counts as settled."""
GROWTH_WORTH_A_WORD_MM2 = 20.0
PIXELS_THAT_SHOW = 2.0
"""Less than so many pixels may show or not."""
ROWS_THAT_SHOW = 2.0


@dataclass(frozen=True)
class Verdict:
    """What is predicted for a plate.

    hold_margin, plate_margin : weakest of all layers, None where nothing hangs or stands; *_z_mm where.
    weakest_tip : number in `tips`, or None. suction_n, suction_z_mm : greatest of all layers. trapped_ml : for good.
    """

    hold_margin: float | None
    hold_z_mm: float
    weakest_tip: int | None
    plate_margin: float | None
    plate_z_mm: float
    pull_n: float
    pull_z_mm: float
    suction_n: float
    suction_z_mm: float
    trapped_ml: float
    totals: Totals
    islands: tuple[IslandRecord, ...]
    cups: tuple[CupRecord, ...]
    tips: tuple[TipRecord, ...]
    holes: tuple[HoleRecord, ...]
    traps: tuple[Trap, ...]
    findings: tuple[Finding, ...]

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
) -> Verdict:
    """Weigh the loads.

    Parameters
    ----------
    known : findings that only the recipe can tell (what lies off the plate, useless holes, open meshes). names : of each print,
        to say whose tip is meant when there are several. sag : of the down-facing surfaces, where it was looked at.
    """
    islands = island_records(printed)
    cups = cup_records(printed, loads)
    tips = tip_records(printed, loads)
    holes = hole_records(printed, loads, bench)
    found = list(known)
    found += _island_findings(islands, bench)
    found += _crumb_findings(printed)
    found += hold_findings(tips, loads, bench, printed.all.grid.layer_mm, names)
    found += _plate_findings(printed, loads, bench)
    found += sag_findings(sag, bench) if sag is not None else []
    found += _cup_findings(cups, bench)
    found += _idle_findings(holes, printed)
    found += _trap_findings(printed.traps, bench)
    found += _unknown_findings(printed)
    found += _jump_findings(printed, loads, bench)
    found += _neck_findings(printed, loads, bench)
    found += _settling_findings(loads, bench, printed.all.grid.layer_mm)
    z = np.asarray(printed.all.grid.z_of(np.arange(loads.layers)))
    hold_at, hold = _least(loads.hold_margin)
    plate_at, plate = _least(loads.plate_margin)
    weakest = None
    if hold is not None and tips and hold > 0:
        weakest = int(np.argmin(loads.tip_margin))
    pull_at, suction_at = int(loads.pull_n.argmax()), int(loads.suction_n.argmax())
    trapped = sum(t.volume_mm3 for t in printed.traps if not t.shut_by_supports) / MM3_PER_ML
    return Verdict(
        hold, float(z[hold_at]), weakest, plate, float(z[plate_at]), float(loads.pull_n[pull_at]), float(z[pull_at]),
        float(loads.suction_n[suction_at]), float(z[suction_at]), trapped, totals(printed, loads, bench), islands, cups,
        tips, holes, tuple(printed.traps), in_order(found),
    )  # fmt: skip


def _least(margin: np.ndarray) -> tuple[int, float | None]:
    if np.isnan(margin).all():
        return 0, None
    at = int(np.nanargmin(margin))
    return at, float(margin[at])


def _island_findings(islands: tuple[IslandRecord, ...], bench: Bench) -> list[Finding]:
    """Islands that nothing holds: one finding of those that a tip could hold, one of those in chambers, and one note of those
    under a few pixels, which may not even show."""
    shows = PIXELS_THAT_SHOW * bench.printer.pixel_x_mm * bench.printer.pixel_y_mm
    lone = [i for i in islands if not i.supported]
    found = []
    for inside in (False, True):
        some = [i for i in lone if i.area_mm2 >= shows and i.inside == inside]
        if not some:
            continue
        area, z = spread([i.area_mm2 for i in some]), spread([i.z_mm for i in some])
        one = len(some) == 1
        what = f"An island of {area} mm² begins" if one else f"{len(some):,} islands of {area} mm² begin"
        if inside:
            where = "in a chamber, where no tip may stand and no gusset reaches."
            said = _said("island_inside", LOST, some, f"{what} in mid-liquid at {z} mm {where}",
                         "Turn the part, close its floor, or keep it solid.", "hollow")  # fmt: skip
        else:
            held = f"with nothing to hold {'it' if one else 'them'}."
            said = _said("island", LOST, some, f"{what} in mid-liquid at {z} mm {held}",
                         f"Put a tip under {'it' if one else 'each'}, or turn the part.", "support")  # fmt: skip
        found.append(said)
    small = [i for i in lone if i.area_mm2 < shows]
    if small:
        z = spread([i.z_mm for i in small])
        message = (
            f"{counted(len(small), 'spot')} of under {shows:.3f} mm² ({z} mm) may or may not begin in mid-liquid: they are "
            f"smaller than {PIXELS_THAT_SHOW:g} pixels."
        )
        remedy = "Nothing, or a tip under what must not come loose."
        found.append(_said("island", NOTE, small, message, remedy, "support"))
    return found


def _said(code: str, severity: str, of: list[IslandRecord], message: str, remedy: str, step: str) -> Finding:
    """A finding at all of some islands."""
    spots = tuple((i.x_mm, i.y_mm, i.z_mm) for i in of)
    return Finding(code, severity, of[0].z_mm, message, remedy, step, of[0].x_mm, of[0].y_mm, spots=spots)


def _crumb_findings(printed: Printed) -> list[Finding]:
    part, grid = printed.part_sections, printed.all.grid
    if len(printed.crumbs) == 0:
        return []
    first = int(printed.crumbs[0])
    z = float(grid.z_of(int(part.layer[first])))
    count = len(printed.crumbs)
    what = "A spot begins" if count == 1 else f"{count} spots begin"
    return [
        Finding("crumb", NOTE, z,
                f"{what} in mid-liquid in a chamber or at a hole's rim, at {z:.2f} mm: no tip may stand there, and a crumb "
                "may come loose.",
                "Turn the part, thicken the wall, or wash the chamber well.", "hollow", float(part.x_mm[first]),
                float(part.y_mm[first]))
    ]  # fmt: skip


def _plate_findings(printed: Printed, loads: Loads, bench: Bench) -> list[Finding]:
    at, margin = _least(loads.plate_margin)
    found = []
    t = printed.all.grid.layer_mm
    if margin is not None and (severity := margin_severity(margin)):
        found.append(
            Finding("plate_margin", severity, (at + 0.5) * t,
                    f"The plate side holds only ×{margin:.2f} of the pull at {(at + 0.5) * t:.2f} mm ({loads.pull_n[at]:.1f} N, "
                    "edge moment included).",
                    "A wider base, or first layers exposed longer.", "support")
        )  # fmt: skip
    part = printed.part_sections
    on_plate = float(part.area_mm2[part.layer == 0].sum())
    if on_plate > GROWTH_WORTH_A_WORD_MM2:
        growth = first_layer_growth_mm(bench)
        found.append(
            Finding("face_on_plate", NOTE, t / 2,
                    f"{on_plate:.0f} mm² of the part lie directly on the plate: their outline grows by about "
                    f"{growth:.2f} mm and is hard to scrape off.",
                    "Stand it on posts if that face must be true.", "orient", *_largest_at(part, 0))
        )  # fmt: skip
    return found


def _largest_at(part: Sections, layer: int) -> tuple[float, float] | tuple[None, None]:
    """Centroid of the part's largest component in a layer, if it has one."""
    own = np.arange(part.first[layer], part.first[layer + 1])
    if len(own) == 0:
        return None, None
    c = int(own[part.area_mm2[own].argmax()])
    return float(part.x_mm[c]), float(part.y_mm[c])


def _cup_findings(cups: tuple[CupRecord, ...], bench: Bench) -> list[Finding]:
    found = []
    for c in cups:
        if c.peak_suction_n < bench.house.quiet_suction_n:
            continue
        sealed = c.state == "sealed" or (c.state == "vented" and c.vents == 0 and c.narrow_kpa == 0 and not c.cutting)
        heavy = c.peak_suction_n >= HEAVY_SUCTION * bench.house.quiet_suction_n
        holes = f"{c.vents} hole{'s' if c.vents != 1 else ''}" if c.vents else "its own narrow way alone"
        holes += ", while that is being printed" if c.cutting else ""
        if c.vents and c.narrow_kpa > 0.1:
            holes += f" and a narrow way of the model's own that takes {c.narrow_kpa:.1f} kPa"
        found.append(
            Finding(
                "cup_sealed" if sealed else "cup_vented", DOUBTFUL if sealed and heavy else NOTE, c.z_from_mm,
                f"A {'sealed' if sealed else 'vented'} cup of {c.max_area_mm2:.0f} mm² from {c.z_from_mm:.2f} to "
                f"{c.z_to_mm:.2f} mm pulls up to {c.peak_suction_n:.1f} N"
                + (f" at {bench.laws.seal_kpa:g} kPa." if sealed else f" through {holes}."),
                "Drill a hole nearer the plate, or turn the part." if sealed else "A wider or further hole lowers it.",
                "drain", c.x_mm, c.y_mm,
            )
        )  # fmt: skip
    return found


def _idle_findings(holes: tuple[HoleRecord, ...], printed: Printed) -> list[Finding]:
    """Holes that relieve no cup as the part stands; those that are blind are told already."""
    last = printed.mouths.sets[-1] if len(printed.mouths.sets) else np.zeros(0, np.int64)
    return [
        Finding("hole_idle", NOTE, h.z_mm,
                f"Drain hole {h.number + 1} relieves no cup in this pose: its void is open anyway, or closed already.",
                "It may still drain or let air in; else move it nearer the plate.", "drain", *bore.entry_mm[:2])
        for b, (h, bore) in enumerate(zip(holes, printed.bores, strict=True))
        if not h.relieves and UNKNOWN not in last[2 * b : 2 * b + 2]
    ]  # fmt: skip


def _unknown_findings(printed: Printed) -> list[Finding]:
    """Narrow ways of which it is not known what they let through."""
    spots = printed.unknown_ways
    if not spots:
        return []
    x, y, z = spots[0]
    return [
        Finding("way_unknown", NOTE, z,
                f"{counted(len(spots), 'narrow way is', 'narrow ways are')} too fine to solve: whether a cup breathes "
                "there is not known, and it counts as open.",
                "Drill a hole into the cup beside it to be sure.", "drain", x, y, spots=spots)
    ]  # fmt: skip


def _trap_findings(traps: list[Trap], bench: Bench) -> list[Finding]:
    found = []
    for t in traps:
        ml = t.volume_mm3 / MM3_PER_ML
        if ml < bench.house.quiet_trap_ml:
            continue
        if t.shut_by_supports:
            found.append(
                Finding("shut_until_cleaned", NOTE, t.z_from_mm,
                        f"{ml:.2f} mL stay shut in by supports or base until these are off.",
                        "Wash again after taking the supports off.", "support", t.x_mm, t.y_mm)
            )  # fmt: skip
        else:
            found.append(
                Finding("trap", DOUBTFUL, t.z_from_mm,
                        f"{ml:.2f} mL of resin stay trapped between {t.z_from_mm:.2f} and {t.z_to_mm:.2f} mm: the "
                        "part can crack and leak later.",
                        "Drill a drain hole into this chamber.", "drain", t.x_mm, t.y_mm)
            )  # fmt: skip
    return found


def _neck_findings(printed: Printed, loads: Loads, bench: Bench) -> list[Finding]:
    """The weakest neck of each stretch of heights, when its margin deserves a word."""
    part, grid, stress = printed.part_sections, printed.all.grid, loads.necks.stress_n_per_mm2
    if part.count == 0:
        return []
    strength = bench.resin.green_strength_mpa
    found: list[Finding] = []
    apart = NECKS_APART_MM / grid.layer_mm
    shows = max(
        PIXELS_THAT_SHOW * bench.printer.pixel_x_mm * bench.printer.pixel_y_mm, (ROWS_THAT_SHOW * grid.pitch_mm) ** 2
    )
    stress = np.where(part.area_mm2 >= shows, stress, 0.0)
    taken: list[int] = []
    for c in np.argsort(-stress)[: MANY * 50]:
        margin = strength / max(float(stress[c]), 1e-12)
        severity = margin_severity(margin)
        if severity is None or len(taken) == MANY:
            break
        if any(abs(int(part.layer[c]) - int(part.layer[t])) < apart for t in taken):
            continue
        taken.append(int(c))
        z, peeling = float(grid.z_of(int(part.layer[c]))), float(grid.z_of(int(loads.necks.peeling[c])))
        force, moment = float(loads.necks.pull_n[c]), float(loads.necks.moment_nmm[c])
        found.append(
            Finding("neck", severity, z,
                    f"A neck of {part.area_mm2[c]:.2f} mm² at {z:.2f} mm alone holds what hangs beyond it: at {peeling:.2f} mm "
                    f"it carries {force:.2f} N and {moment:.1f} N·mm, "
                    + (f"{stress[c]:.1f} of {strength:g} MPa, margin ×{margin:.2f}." if margin > 0.1
                       else f"over ten times what {strength:g} MPa hold."),
                    "Put a tip beyond it, turn the part, or thicken it.", "support", float(part.x_mm[c]), float(part.y_mm[c]))
        )  # fmt: skip
    return found


def _settling_findings(loads: Loads, bench: Bench, layer_mm: float) -> list[Finding]:
    """Layers that are lit before the resin under them has been squeezed to one layer's height."""
    needed = SETTLED * loads.settling_s
    late = np.flatnonzero(needed > bench.print.wait_before_s)
    if len(late) == 0:
        return []
    worst = int(needed.argmax())
    first, last = late[0] * layer_mm, (late[-1] + 1) * layer_mm
    return [
        Finding("settles_slowly", NOTE, (worst + 0.5) * layer_mm,
                f"Between {first:.1f} and {last:.1f} mm layers are lit before they have settled: the largest needs "
                f"{needed[worst]:.1f} s (squeeze integral {loads.squeeze_mm4[worst]:,.0f} mm⁴, arm of "
                f"{bench.printer.stiffness_n_per_m:,.0f} N/m) and gets {bench.print.wait_before_s:g} s. They come out too thick.",
                f"Wait {np.ceil(needed[worst] * 2) / 2:g} s before the light, or turn the part to smaller sections.", "bench",
                change=("print.wait_before_s", float(np.ceil(needed[worst] * 2) / 2)))
    ]  # fmt: skip


def _jump_findings(printed: Printed, loads: Loads, bench: Bench) -> list[Finding]:
    """The largest jump of the part's area between layers, when it is worth a word."""
    area = printed.part.layer_area_mm2()
    jump = np.diff(area)
    share = np.abs(jump) / np.maximum(np.maximum(area[1:], area[:-1]), 1e-9)
    begins = (area[:-1] > 0) & (area[1:] > 0)
    worth = np.flatnonzero((share > bench.house.jump_share) & (np.abs(jump) > bench.house.jump_mm2) & begins)
    if len(worth) == 0:
        return []
    t = printed.all.grid.layer_mm
    worst = int(worth[np.abs(jump[worth]).argmax()])
    z = (worst + 1) * t
    grows = jump[worst] > 0
    return [
        Finding("area_jump", NOTE, z,
                f"The part's area {'grows' if grows else 'shrinks'} by {abs(jump[worst]):.0f} mm² "
                f"({share[worst]:.0%}) in one layer at {z:.2f} mm: the pull jumps and a line may show.",
                "A slight tilt spreads the jump over many layers.", "orient",
                *_largest_at(printed.part_sections, worst + 1 if grows else worst))
    ]  # fmt: skip
