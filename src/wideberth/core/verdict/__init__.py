"""Findings, remedies and totals, and what decides them."""

from wideberth.core.verdict.aftercare import aftercare_findings
from wideberth.core.verdict.care import Care
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.drained import DrainFacts, drain_findings
from wideberth.core.verdict.finding import DOUBTFUL, LOST, NOTE, RANK, Finding, counted, in_order, spread
from wideberth.core.verdict.hold import failure_text
from wideberth.core.verdict.holes import HoleRecord
from wideberth.core.verdict.judge import Verdict, judge
from wideberth.core.verdict.level import LevelFace
from wideberth.core.verdict.marks import MarkRecord
from wideberth.core.verdict.moves import motion_explained, wait_of
from wideberth.core.verdict.necks import weak_necks
from wideberth.core.verdict.prints import PrintFacts, print_findings
from wideberth.core.verdict.records import CupRecord, IslandRecord, TipRecord
from wideberth.core.verdict.removal import care_lines, coming_off_lines, first_light_text, taking_off_lines
from wideberth.core.verdict.settings import settings_findings
from wideberth.core.verdict.strongest import Strongest, usual_pull
from wideberth.core.verdict.table import TABLE, by_margin, is_weak
from wideberth.core.verdict.totals import Totals
from wideberth.core.verdict.why import FIGURES, Chain, Link, source_text, why

__all__ = [
    "DOUBTFUL",
    "FIGURES",
    "LOST",
    "NOTE",
    "RANK",
    "TABLE",
    "Care",
    "Chain",
    "Code",
    "CupRecord",
    "DrainFacts",
    "Finding",
    "HoleRecord",
    "IslandRecord",
    "LevelFace",
    "Link",
    "MarkRecord",
    "PrintFacts",
    "Strongest",
    "TipRecord",
    "Totals",
    "Verdict",
    "aftercare_findings",
    "by_margin",
    "care_lines",
    "coming_off_lines",
    "counted",
    "drain_findings",
    "failure_text",
    "first_light_text",
    "in_order",
    "is_weak",
    "judge",
    "motion_explained",
    "print_findings",
    "settings_findings",
    "source_text",
    "spread",
    "taking_off_lines",
    "usual_pull",
    "wait_of",
    "weak_necks",
    "why",
]
