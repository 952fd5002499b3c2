"""Findings: what is wrong or worth a word, where, how bad, why, and what to do."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.verdict.code import Code

LOST, DOUBTFUL, NOTE = "lost", "doubtful", "note"
RANK = {LOST: 0, DOUBTFUL: 1, NOTE: 2}

Spot = tuple[float, float, float]
"""x, y, z on the plate [mm]."""


@dataclass(frozen=True)
class Finding:
    """One finding.

    Attributes
    ----------
    x_mm, y_mm : where on the plate, if it is at a spot. step : the step whose controls help. change : the bench value that the
    remedy names, if it is one: key and value. spots : all places of one thing that is found at several, the worst first.
    seen_z_mm : where it is seen on the print, if that is not at the height of the layer that it is found in.
    """

    code: Code
    severity: str
    z_mm: float
    message: str
    remedy: str
    step: str = "predict"
    x_mm: float | None = None
    y_mm: float | None = None
    change: tuple[str, float] | None = None
    spots: tuple[Spot, ...] = ()
    seen_z_mm: float | None = None

    @property
    def count(self) -> int:
        """At how many places it is found."""
        return max(1, len(self.spots))

    @property
    def places(self) -> tuple[tuple[float | None, float | None, float], ...]:
        """Every place, one after the other."""
        return self.spots or ((self.x_mm, self.y_mm, self.z_mm),)

    @property
    def seen(self) -> tuple[tuple[float, float, float], ...]:
        """Every place that is on the print, where it is seen there."""
        if self.seen_z_mm is not None and self.x_mm is not None and self.y_mm is not None:
            return ((self.x_mm, self.y_mm, self.seen_z_mm),)
        return tuple((x, y, z) for x, y, z in self.places if x is not None and y is not None)


def in_order(findings: list[Finding]) -> tuple[Finding, ...]:
    """Worst first, then from the plate up."""
    return tuple(sorted(findings, key=lambda f: (RANK[f.severity], f.z_mm)))


def counted(count: int, one: str, many: str = "") -> str:
    """A count with its word: "1 tip", "3 tips"; `many` where an s does not do."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def beyond(figure: float, limit: float, digits: int = 1) -> str:
    """A figure beyond its limit with as many digits, up to four, as do not read like the limit itself."""
    read = (f"{figure:.{n}f}" for n in range(digits, 5))
    return next((text for text in read if (float(text) - limit) * (figure - limit) > 0), f"{figure:.4f}")


def spread(values: list[float], digits: int = 2) -> str:
    """The range of some values, "0.10 to 0.30", or one of them where both ends read the same."""
    low, high = f"{min(values):.{digits}f}", f"{max(values):.{digits}f}"
    return low if low == high else f"{low} to {high}"
