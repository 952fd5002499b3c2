"""What stays in a part, what solvent can hardly reach inside it, and what light does not."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.bench import HouseRules
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.finding import Finding
from wideberth.core.verdict.table import told


@dataclass(frozen=True)
class DrainFacts:
    """How the voids of one part drain. Chambers are numbered from 1.

    z_mm : its lowest point. stays_ml : in its best pose, less what is shut in for good; held how : `hold`. hanging_ml : in the
    printer. fullest_ml, ways_out : of the chamber where most stays. held_ml, held_chamber : behind a hole that lets no air in,
    0 when nothing is. tight : the two chambers joined by the narrowest way, and its width, None without any. lit_share : of inner
    walls, None without a shell; dark_mm2 : the rest. has_ways : whether any chamber has a way out.
    """

    part: str
    z_mm: float
    stays_ml: float
    hold: str
    hanging_ml: float
    fullest_ml: float
    ways_out: int
    held_ml: float
    held_chamber: int
    tight: tuple[int, int, float] | None
    lit_share: float | None
    dark_mm2: float
    has_ways: bool


def drain_findings(facts: DrainFacts, house: HouseRules) -> list[Finding]:
    """Findings on how a part drains, washes and cures inside."""
    findings, z, part = [], facts.z_mm, facts.part
    drains = facts.stays_ml <= house.quiet_stays_ml
    if not drains:
        ways = f"{facts.ways_out} way{'s' if facts.ways_out != 1 else ''} out" if facts.ways_out else "no way out"
        message = (
            f"{facts.stays_ml:.1f} mL stay in {part} even in its best pose ({facts.hold}): most in a chamber of "
            f"{facts.fullest_ml:.1f} mL with {ways}; hanging in the printer {facts.hanging_ml:.1f} mL."
        )
        findings += told(Code.DRAINS_BADLY, house, message, z)
    elif facts.held_ml > house.quiet_stays_ml:
        message = (
            f"{facts.held_ml:.1f} mL of chamber {facts.held_chamber} of {part} stay behind a hole that lets no air in: 4 Γ/d "
            "holds the head above it."
        )
        findings += told(Code.AIR_LOCKED, house, message, z)
    if facts.tight is not None and facts.tight[2] < house.narrow_passage_mm:
        one, other, width = facts.tight
        message = f"Chambers {one} and {other} of {part} join by a way of about {width:.1f} mm: solvent hardly gets through."
        findings += told(Code.NARROW_PASSAGE, house, message, z)
    if facts.lit_share is not None and 1 - facts.lit_share > house.dark_share and facts.has_ways:
        message = (
            f"Light reaches {facts.lit_share:.0%} of {part}'s inner walls through its openings; {facts.dark_mm2 / 100:.0f} cm² "
            "stay dark and wet to the touch."
        )
        findings += told(Code.UNCURED_INSIDE, house, message, z)
    return findings
