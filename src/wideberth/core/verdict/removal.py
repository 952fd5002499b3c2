"""What is said of how a print comes off the plate, and of what it asks for afterwards."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.loads import BY_HAND, DAMAGE, FirstLight, Removal, Snap
from wideberth.core.units import SECONDS_PER_MINUTE
from wideberth.core.verdict.care import Care
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.finding import Finding
from wideberth.core.verdict.table import told

SNIPS_TOLD, NUMBERS_TOLD = 4, 10
Corner = NDArray[np.float64]


def removal_findings(found: tuple[Removal, ...], least: FirstLight | None, bench: Bench) -> list[Finding]:
    """What is hard to scrape off, what bends too far for its thickness, and what a pull at the part would break."""
    findings: list[Finding] = []
    hardest = next((r for r in found if r.effort == DAMAGE), None)
    if hardest is not None:
        spare = least is not None and least.exposure_s < bench.print.first_exposure_s
        gentler = math.ceil(least.exposure_s) if least is not None and spare else None
        message = (
            f"Hard to scrape off: a front of {hardest.front_mm:.0f} mm takes {hardest.effort_n:.0f} N, more than the "
            f"{bench.house.with_blade_n:g} N of a blade that harms nothing."
        )
        remedy = (
            f"First layers of {gentler} s would still grip ×{bench.house.margin_note:g}: {least.effort_n:.0f} N."
            if gentler is not None and least is not None
            else "A narrower base, or ribs that leave gaps for the blade."
        )
        change = None if gentler is None else ("print.first_exposure_s", float(gentler))
        findings += told(
            Code.HARD_TO_SCRAPE, bench.house, message, remedy=remedy, change=change, x_mm=hardest.x_mm, y_mm=hardest.y_mm
        )
    for body in (r for r in found if r.sheet_breaks and r.effort != BY_HAND):
        message = (
            f"A sheet of {body.sheet_mm:.2f} mm on {body.contact_mm2:.0f} mm² bends along a front of {body.front_mm:.0f} mm: it "
            f"wants {body.sheet_least_mm:.2f} mm to bear it."
        )
        findings += told(Code.SHEET_BREAKS, bench.house, message, x_mm=body.x_mm, y_mm=body.y_mm)
    return findings


def bath_findings(care: Care, bench: Bench) -> list[Finding]:
    """A bath that is spent before this print is washed in it."""
    if not care.bath_spent:
        return []
    message = (
        f"The dirty bath of {bench.station.name} holds {care.bath_share:.0%} resin; with the {care.to_bath_g:.0f} g of this "
        f"print {care.bath_share_after:.0%}, and {bench.station.spent_share:.0%} is spent."
    )
    return told(Code.BATH_SPENT, bench.house, message)


def coming_off_lines(found: tuple[Removal, ...], prints: Sequence[tuple[str, Corner, Corner]]) -> list[str]:
    """A line for each body that stands on the plate: its effort, the way to come from, and what not to pull at.

    Parameters
    ----------
    prints : name, and low and high corner (3,) of each print on the plate.
    """
    return [_line(body, _name_at(body, prints) if len(found) > 1 else "Comes off") for body in found]


def _name_at(body: Removal, prints: Sequence[tuple[str, Corner, Corner]]) -> str:
    """The print that a body stands under, or where it stands when that is not one alone."""
    over = [name for name, low, high in prints if low[0] <= body.x_mm <= high[0] and low[1] <= body.y_mm <= high[1]]
    return over[0] if len(over) == 1 else f"At {body.x_mm:.0f}, {body.y_mm:.0f} mm"


def _line(body: Removal, which: str) -> str:
    way = f"blade along {body.direction_deg:.0f}°, widest front {body.front_mm:.0f} mm"
    text = f"{which}: {body.effort}, {body.effort_n:.0f} N ({way})."
    if body.neck_breaks:
        text += (
            f" Hold it at its base: {body.neck_mm2:.1f} mm² at {body.neck_z_mm:.1f} mm would give first, at {body.neck_n:.0f} N."
        )
    if body.sheet_breaks:
        text += f" Its sheet of {body.sheet_mm:.2f} mm wants {body.sheet_least_mm:.2f} mm."
    return text


def taking_off_lines(taken: Sequence[Snap], bench: Bench) -> list[str]:
    """In which order tips come off, by their numbers from one: what to snip first and why, what to pull then, and where snips
    have no way in."""
    share = bench.house.snip_share
    risky = [s for s in taken if s.risk >= share]
    rest = [s for s in taken if s.risk < share]
    lines = []
    for s in risky[:SNIPS_TOLD]:
        lines.append(
            f"Snip tip {s.tip + 1}, do not pull: it takes {s.breaks_n:.1f} N and the {s.neck_mm2:.2f} mm² beside it at "
            f"{s.neck_z_mm:.1f} mm break at {s.neck_n:.1f} N."
        )
    if len(risky) > SNIPS_TOLD:
        lines.append(f"Snip {_numbers(risky[SNIPS_TOLD:])} as well, in this order.")
    if rest:
        then = "Then pull" if risky else "Pull"
        lines.append(f"{then} straight away from the face, from the outside inward: {_numbers(rest)}.")
    shut = [s for s in taken if s.sides == 0]
    if shut:
        lines.append(f"Snips have no level way in to {_numbers(shut)}: cut the post further down, then pull.")
    return lines


def _numbers(taken: Sequence[Snap]) -> str:
    told = ", ".join(str(s.tip + 1) for s in taken[:NUMBERS_TOLD])
    more = f" and {len(taken) - NUMBERS_TOLD} more" if len(taken) > NUMBERS_TOLD else ""
    return f"tip{'s' if len(taken) > 1 else ''} {told}{more}"


def first_light_text(least: FirstLight | None, bench: Bench) -> str:
    """The least first exposure that grips, with its growth and its effort beside the present ones'."""
    wanted = bench.house.margin_note
    if least is None:
        return f"No first exposure grips ×{wanted:g}: a wider base does."
    return (
        f"Grips ×{wanted:g} from first layers of {least.exposure_s:.0f} s (now {bench.print.first_exposure_s:g} s): "
        f"they grow {least.growth_mm:.2f} mm and come off with {least.effort_n:.0f} N."
    )


def care_lines(care: Care, bench: Bench) -> list[tuple[str, str]]:
    """Drip, wash and cure in a sentence each: (head, sentence)."""
    resin, station = bench.resin, bench.station
    spent = "it is spent" if care.bath_spent else f"it takes {care.bath_prints} such print{'s' if care.bath_prints != 1 else ''}"
    inner = (
        f"behind walls of {bench.house.wall_mm:g} mm none comes through: shine in by the holes"
        if care.inner_min is None
        else f"inner walls behind {bench.house.wall_mm:g} mm take {care.inner_min:.0f} min"
    )
    usual = station.cure_s / SECONDS_PER_MINUTE
    few, many = care.station_j_per_cm2 < resin.cure_low_j_per_cm2, care.station_j_per_cm2 > resin.cure_high_j_per_cm2
    word = "too little" if few else "too much" if many else "enough"
    brittle = {"yes": " More than that makes it brittle.", "no": "", "disputed": " Whether more makes it brittle is disputed."}[
        resin.brittle_overcured
    ]
    return [
        (
            "Drip",
            f"After {care.drip_min:g} min {care.clings_ml:.1f} mL cling, up to {care.thickest_mm:.2f} mm thick; half of that is "
            f"gone by {care.half_min:.0f} min. At {bench.house.minutes_per_ml:g} min a millilitre {care.worth_min:.0f} min are "
            "worth waiting; every change of tilt begins anew.",
        ),
        (
            "Wash",
            f"Dirty bath first, {care.wash_each_min:.0f} min in each. {care.to_bath_g:.0f} g of resin go into it: "
            f"{care.bath_share:.1%} before, {care.bath_share_after:.1%} after; {spent} "
            f"({station.spent_share:.0%}); {care.to_clean_g:.2g} g are carried into the clean one. No longer wet than "
            f"{resin.longest_wet_min:g} min.",
        ),
        (
            "Cure",
            f"{care.cure_low_min:.0f} to {care.cure_high_min:.0f} min under {station.lamp_mw_per_cm2:g} mW/cm² at "
            f"{station.lamp_nm:g} nm; the station's own {usual:.0f} min are {word}. The light reaches {care.lit_mm:.2f} mm; "
            f"{inner}.{brittle}",
        ),
        ("Paint", f"Not before {resin.rest_before_paint_h:g} h after the cure."),
    ]
