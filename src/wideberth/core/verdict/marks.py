"""Marks that supports leave: where, on what kind of surface, how long each takes to finish, and those that are forbidden."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from wideberth.core.bench import HouseRules
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.finding import Finding, counted
from wideberth.core.verdict.table import told


@dataclass(frozen=True)
class MarkRecord:
    """One mark: of a tip, or of a foot on the part.

    part : which print on the plate. contact : id of the tip's contact, "" for a foot. diameter_mm : as printed. surface : kind
    of the face; marked : what was marked there, "" for nothing. minutes : to finish it. forbidden : whether none may be there.
    """

    part: int
    contact: str
    x_mm: float
    y_mm: float
    z_mm: float
    diameter_mm: float
    surface: str
    marked: str
    minutes: float
    forbidden: bool


def finishing_min(marks: Sequence[MarkRecord]) -> float:
    """Minutes to finish all marks."""
    return sum(m.minutes for m in marks)


def mark_findings(marks: Sequence[MarkRecord], house: HouseRules, names: Sequence[str]) -> list[Finding]:
    """One finding for each print and each kind of face on which no mark may be."""
    findings: list[Finding] = []
    wrong = [m for m in marks if m.forbidden]
    for part, marked in dict.fromkeys((m.part, m.marked) for m in wrong):
        own = sorted((m for m in wrong if (m.part, m.marked) == (part, marked)), key=lambda m: -m.diameter_mm)
        whose = f" of {names[part]}" if len(names) > 1 else ""
        be = "leaves its mark" if len(own) == 1 else "leave their marks"
        what = "tip" if all(m.contact for m in own) else "foot" if not any(m.contact for m in own) else "support"
        many = {"foot": "feet"}.get(what, "")
        widest = f"up to {own[0].diameter_mm:.2f} mm wide"
        message = f"{counted(len(own), what, many)} {be} on a face{whose} that is marked {marked}, {widest}."
        spots = tuple((m.x_mm, m.y_mm, m.z_mm) for m in own)
        findings += told(Code.MARK_FORBIDDEN, house, message, spots[0][2], spots=spots)
    return findings
