"""Prints of the past that are like one, what tips of a kind did, and what to change next time."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from wideberth.core.bench import Bench
from wideberth.core.logbook.record import Entry, Told

MOST_ALIKE = 5
FAR = 3.0
"""Prints farther apart than this are not alike: twice the pull, half the margin and another resin."""


@dataclass(frozen=True)
class Alike:
    """A print of the past, and how far from the one in question: 0 for the same."""

    entry: Entry
    distance: float


def alike(entries: Sequence[Entry], told: Told, bench: Bench, job: str = "", most: int = MOST_ALIKE) -> list[Alike]:
    """The likest prints, nearest first: by printer, resin, film, pull, margin and height; one of the same job comes first."""
    near = [Alike(e, _distance(e, told, bench, job)) for e in entries if e.ended != "printing"]
    return sorted((a for a in near if a.distance <= FAR), key=lambda a: (a.distance, a.entry.id))[:most]


def _distance(entry: Entry, told: Told, bench: Bench, job: str) -> float:
    of = entry.told
    far = 0.5 * (entry.printer != bench.printer.name) + 1.0 * (entry.resin != bench.resin.name)
    far += 0.5 * (entry.film != bench.film.name)
    far += abs(math.log2(max(of.peak_n, 0.1) / max(told.peak_n, 0.1)))
    far += 0.5 * abs(math.log2(max(of.layers, 1) / max(told.layers, 1)))
    if of.margin is not None and told.margin is not None:
        far += abs(math.log2(max(of.margin, 0.05) / max(told.margin, 0.05)))
    return far + 0.1 * (entry.job != job)


@dataclass(frozen=True)
class Tally:
    """Prints of a resin whose weakest margin was under a figure: how many, and how many of them lost something."""

    resin: str
    under: float
    prints: int
    lost: int

    @property
    def text(self) -> str:
        return f"{self.lost} of {self.prints} prints of {self.resin} with a weakest tip under ×{self.under:.1f} lost something"


def tally(entries: Sequence[Entry], resin: str, margin: float) -> Tally | None:
    """Of a resin's prints with a weakest tip as weak as a margin, up to the next of 1.2, 1.4, 1.7, 2 and 3; None where there are
    none."""
    under = next((step for step in (1.2, 1.4, 1.7, 2.0, 3.0) if margin < step), None)
    if under is None:
        return None
    of = [e for e in entries if e.resin == resin and e.failed is not None and e.told.margin is not None and e.told.margin < under]
    return Tally(resin, under, len(of), sum(bool(e.failed) for e in of)) if of else None


@dataclass(frozen=True)
class Change:
    """Something to change on the bench next time, and why."""

    key: str
    value: float
    why: str


def next_time(entry: Entry, bench: Bench) -> list[Change]:
    """What to change on the bench after a print, by the cause that was logged; nothing where it held or no value would help."""
    p, made = bench.print, []
    if entry.cause in ("tips", "island", "neck", "post"):
        wanted = min(bench.supports.wanted_margin + 0.5, 4.0)
        made.append(Change("supports.wanted_margin", wanted, "tips are sized for more, so that the next proposal holds more"))
        slower = round(max(0.75 * p.lift_mm_per_min, 10.0), 1)
        made.append(Change("print.lift_mm_per_min", slower, "a slower lift pulls less, and takes longer"))
    if entry.cause in ("tips", "layers"):
        made.append(Change("print.exposure_s", round(1.15 * p.exposure_s, 2), "more light sets tips harder, and edges grow"))
    if entry.cause == "plate":
        longer = round(1.25 * p.first_exposure_s, 1)
        made.append(Change("print.first_exposure_s", longer, "more light on the first layers grips harder, and comes off harder"))
    if entry.cause == "cold" or (entry.vat_c is not None and entry.vat_c < p.vat_c - 2):
        cold = entry.vat_c if entry.vat_c is not None else p.vat_c - 5
        made.append(Change("print.vat_c", round(cold, 1), "reckon with the vat as it was, or warm it"))
    return [c for c in made if not math.isclose(c.value, float(_value(bench, c.key)))]


def _value(bench: Bench, key: str) -> float:
    section, _, name = key.partition(".")
    return float(getattr(getattr(bench, section), name))


@dataclass(frozen=True)
class ScarTally:
    """Marks that tips left, by when and how supports were taken off: how many, and how many of them were no clean ones."""

    stage: str
    method: str
    marks: int
    bumps: int
    craters: int

    @property
    def text(self) -> str:
        return f"{self.method} {self.stage}: {self.bumps} bumps and {self.craters} craters in {self.marks} marks"


def scar_tallies(entries: Sequence[Entry]) -> list[ScarTally]:
    """What marks the log knows of, the cleanest way first."""
    counts: dict[tuple[str, str], dict[str, int]] = {}
    for entry in entries:
        for part in entry.parts:
            for scars in part.scars:
                of = counts.setdefault((scars.stage, scars.method), {})
                of[scars.kind] = of.get(scars.kind, 0) + scars.count
    made = [
        ScarTally(stage, method, sum(of.values()), of.get("bump", 0), of.get("crater", 0))
        for (stage, method), of in counts.items()
    ]
    return sorted((t for t in made if t.marks), key=lambda t: ((t.bumps + t.craters) / t.marks, t.stage, t.method))
