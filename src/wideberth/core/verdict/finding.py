"""Findings: what is wrong or worth a word, where, how bad, why, and what to do."""

from __future__ import annotations

from dataclasses import dataclass

LOST, DOUBTFUL, NOTE = "lost", "doubtful", "note"
RANK = {LOST: 0, DOUBTFUL: 1, NOTE: 2}

MARGIN_DOUBTFUL = 1.5
MARGIN_NOTE = 2.0


@dataclass(frozen=True)
class Finding:
    """One finding.

    Attributes
    ----------
    x_mm, y_mm : where on the plate, if it is at a spot. step : the step whose controls help. change : the bench value that the
    remedy names, if it is one: key and value.
    """

    code: str
    severity: str
    z_mm: float
    message: str
    remedy: str
    step: str = "predict"
    x_mm: float | None = None
    y_mm: float | None = None
    change: tuple[str, float] | None = None


def margin_severity(margin: float) -> str | None:
    """Severity of a margin: below 1 it lets go, to 1.5 is doubtful, to 2 deserves a note."""
    if margin < 1:
        return LOST
    if margin < MARGIN_DOUBTFUL:
        return DOUBTFUL
    return NOTE if margin < MARGIN_NOTE else None


def in_order(findings: list[Finding]) -> tuple[Finding, ...]:
    """Worst first, then from the plate up."""
    return tuple(sorted(findings, key=lambda f: (RANK[f.severity], f.z_mm)))
