"""Lift, return and waits read over by a colleague, of the first layers and of the others, and what each value does."""

from __future__ import annotations

import math

from wideberth.core.bench import Bench, Motion, coldest_c, has_first_motion, motion, vat_viscosity
from wideberth.core.loads import film_follow_mm, needed_lift_mm
from wideberth.core.units import MM_PER_INCH
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.finding import Finding
from wideberth.core.verdict.strongest import Strongest, usual_pull
from wideberth.core.verdict.table import told

USUAL_LIFT_MM = (3.0, 15.0)
SLOWEST_MM_PER_MIN = 6.0
SHORTEST_VISCOUS_WAIT_S = 2.0
FIRST = "first_"
"""What the keys of the first layers' own motion begin with."""


def motions(bench: Bench) -> dict[str, Motion]:
    """The motions of a print by what their keys begin with: that of the first layers only where it is their own."""
    own = {FIRST: motion(bench, first=True)} if has_first_motion(bench) else {}
    return {"": motion(bench)} | own


def motion_findings(bench: Bench, strongest: Strongest, first: Strongest | None = None) -> list[Finding]:
    """What a colleague would say of how the plate moves.

    Parameters
    ----------
    strongest : strongest pull. first : that of the first layers, where they move in a way of their own.
    """
    findings: list[Finding] = []
    for prefix, moved in motions(bench).items():
        pull = first if prefix and first is not None else strongest
        findings += _lift(bench, prefix, moved, pull) + _speeds(bench, prefix, moved) + _waits(bench, prefix, moved)
    return findings


def _whose(prefix: str) -> str:
    return "first layers' " if prefix else ""


def _lift(bench: Bench, prefix: str, moved: Motion, strongest: Strongest) -> list[Finding]:
    total, whose = moved.total_lift_mm, _whose(prefix)
    low, high = USUAL_LIFT_MM
    if total < 1.0 and low <= total * MM_PER_INCH <= high:
        message = f"A {whose}lift of {total:g} mm looks like inches: {total:g} in are {total * MM_PER_INCH:.1f} mm."
        return told(Code.LIFT_INCHES, bench.house, message, remedy=f"Set the lift to {total * MM_PER_INCH:.1f} mm.")
    needed = needed_lift_mm(strongest.pull_n, strongest.radius_mm, bench)
    if total >= needed:
        return []
    follows = film_follow_mm(strongest.pull_n, strongest.radius_mm, bench)
    message = (
        f"The {whose}lift of {total:g} mm may not let go: under {strongest.pull_n:.1f} N within "
        f"{strongest.radius_mm:.0f} mm ({strongest.what}) the film follows {follows:.1f} mm, and it takes twice that "
        f"and 1 mm more, {needed:.1f} mm."
    )
    remedy = f"Lift by {math.ceil(needed):g} mm or more, or peel more slowly."
    change = (f"print.{prefix}lift_mm", moved.lift_mm + math.ceil(needed) - total)
    return told(Code.LIFT_SHORT, bench.house, message, remedy=remedy, change=change)


def _speeds(bench: Bench, prefix: str, moved: Motion) -> list[Finding]:
    fastest, whose = bench.printer.fastest_mm_per_min, _whose(prefix)
    findings: list[Finding] = []
    speeds = {
        "first lift": moved.lift_mm_per_min,
        "second lift": moved.second_lift_mm_per_min,
        "return": moved.return_mm_per_min,
        "slow return": moved.slow_return_mm_per_min,
    }
    for what, speed in speeds.items():
        if speed > fastest:
            message = (
                f"The {whose}{what} at {speed:g} mm/min is more than the {fastest:g} mm/min that "
                f"{bench.printer.name} does: the time will be longer than promised."
            )
            findings += told(Code.TOO_FAST, bench.house, message, remedy=f"Set it to {fastest:g} mm/min or less.")
        elif speed <= SLOWEST_MM_PER_MIN:
            message = f"The {whose}{what} at {speed:g} mm/min looks like mm/s: that would be {speed * 60:g} mm/min."
            findings += told(Code.TOO_SLOW, bench.house, message, remedy=f"Set it to {min(fastest, speed * 60):g} mm/min.")
    return findings


def _waits(bench: Bench, prefix: str, moved: Motion) -> list[Finding]:
    whose = _whose(prefix)
    if moved.spare_s < 0:
        assert moved.rest_s is not None
        least = math.ceil(moved.rest_s - moved.spare_s)
        message = (
            f"A {whose}rest of {moved.rest_s:g} s from light-off, motion included, is shorter than the motion: lift, return and "
            f"overhead alone take {moved.rest_s - moved.spare_s:.1f} s, so nothing is left to settle."
        )
        change = (f"print.{prefix}rest_s", float(least))
        return told(Code.REST_SHORT, bench.house, message, remedy=f"Rest {least} s or more.", change=change, figure=moved.spare_s)
    viscosity, cold = vat_viscosity(bench), coldest_c(bench.print)
    if viscosity < bench.house.viscous_from_pa_s or moved.wait_before_s >= SHORTEST_VISCOUS_WAIT_S:
        return []
    message = (
        f"{bench.resin.name} has {viscosity:.2f} Pa·s at {cold:g} °C and gets {moved.wait_before_s:g} s to settle "
        f"before the {whose}light: layers come out too thick."
    )
    remedy = f"Wait {SHORTEST_VISCOUS_WAIT_S:g} s or more before the light, or warm the resin."
    change = wait_of(moved, prefix, SHORTEST_VISCOUS_WAIT_S)
    return told(Code.NO_WAIT, bench.house, message, remedy=remedy, change=change, figure=moved.wait_before_s)


def wait_of(moved: Motion, prefix: str, wait_s: float) -> tuple[str, float]:
    """The bench's key and value for a wait before the light: the wait itself, or the rest that leaves it."""
    if moved.rest_s is None:
        return f"print.{prefix}wait_before_s", wait_s
    return f"print.{prefix}rest_s", math.ceil(10 * (moved.rest_s - moved.spare_s + wait_s)) / 10


def motion_explained(bench: Bench, strongest: Strongest | None = None) -> list[tuple[str, str]]:
    """What each motion value does in this print, with its numbers: (key, sentence)."""
    pull = strongest or usual_pull(bench)
    follows = film_follow_mm(pull.pull_n, pull.radius_mm, bench)
    rate = (2.0**bench.laws.rate_power - 1) * 100
    told_of: list[tuple[str, str]] = []
    for prefix, moved in motions(bench).items():
        (peels, lifts), (falls, closes) = moved.lift_s, moved.return_s
        total, slow = moved.total_lift_mm, moved.slow_mm
        told_of += [
            (
                f"{prefix}lift_mm",
                f"The layer peels here: under {pull.pull_n:.1f} N ({pull.what}) the film follows {follows:.1f} mm before it "
                f"lets go. {peels:.1f} s a layer.",
            ),
            (
                f"{prefix}lift_mm_per_min",
                f"Sets the pull: twice as fast is {rate:.0f} % more of the viscous share, and suction through holes doubles.",
            ),
            (f"{prefix}second_lift_mm", f"Room for fresh resin. {lifts:.1f} s a layer, {total:g} mm lifted in all."),
            (
                f"{prefix}return_mm_per_min",
                f"{total - slow:g} mm down through open resin, {falls:.1f} s a layer; it only costs time.",
            ),
            (
                f"{prefix}slow_return_mm_per_min",
                f"The last {slow:g} mm press resin out from under the part and push on its posts: {closes:.1f} s a layer.",
            ),
            (
                f"{prefix}wait_before_s",
                f"Lets the resin settle to one layer before the light: {vat_viscosity(bench):.2f} Pa·s when coldest."
                + ("" if moved.rest_s is None else f" The rest leaves {moved.wait_before_s:.1f} s."),
            ),
            (
                f"{prefix}rest_s",
                f"From light-off to light, motion included: {moved.moving_s:.1f} s of it move, {moved.overhead_s:g} s overhead, "
                f"{moved.wait_before_s:.1f} s are left to settle.",
            ),
        ]
    return told_of
