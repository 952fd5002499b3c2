"""How good the predictions were: what was said against what happened, on figures that one would show a customer."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from wideberth.core.logbook.learn import chance_of_letting_go
from wideberth.core.logbook.record import Entry, Told

STEPS = (0.0, 1.0, 1.2, 1.5, 2.0, 3.0, float("inf"))
"""Margins between which verdicts are counted together."""
USUAL_RANGE = 0.3
"""Of a margin that was logged without its range."""


@dataclass(frozen=True)
class Step:
    """Verdicts with margins from `low` to below `high`: how many, how many of them were lost, and how many were to be
    expected."""

    low: float
    high: float
    prints: int
    lost: int
    expected: float


@dataclass(frozen=True)
class Errors:
    """Measured over predicted, of one figure. median, low, high : the middle one and the ends of 80 % of them; within : how many
    lay in the range that was told, of those for which one was told."""

    count: int
    median: float
    low: float
    high: float
    within: int = 0
    ranged: int = 0


@dataclass(frozen=True)
class Accuracy:
    """Of some prints.

    looked_at : of which it is known what became of them. lost. brier : mean square of chance told less what happened, 0 for a
    prophet; brier_blind : that of one who tells every print the same share. time, resin : None where nothing was measured.
    """

    prints: int
    looked_at: int
    lost: int
    steps: tuple[Step, ...]
    brier: float | None
    brier_blind: float | None
    time: Errors | None
    resin: Errors | None


def chance_of(told: Told) -> float | None:
    """The chance of a loss that a verdict amounts to: of its weakest tip and of the plate; None for one without a margin."""
    chances = []
    if told.margin is not None:
        ranged = told.margin_low is not None and 0 < told.margin_low < told.margin
        share = told.margin / told.margin_low - 1 if ranged and told.margin_low is not None else USUAL_RANGE
        chances.append(chance_of_letting_go(told.margin, share))
    if told.plate_margin is not None:
        chances.append(chance_of_letting_go(told.plate_margin, USUAL_RANGE))
    if not chances:
        return None
    return float(1 - np.prod([1 - c for c in chances]))


def accuracy_of(entries: Sequence[Entry]) -> Accuracy:
    """How good predictions were."""
    over = [e for e in entries if e.ended != "printing"]
    judged = [(e, chance) for e in over if e.failed is not None and (chance := chance_of(e.told)) is not None]
    steps = []
    for low, high in zip(STEPS, STEPS[1:], strict=False):
        of = [(e, c) for e, c in judged if low <= _margin(e.told) < high]
        if of:
            steps.append(Step(low, high, len(of), sum(bool(e.failed) for e, _ in of), sum(c for _, c in of)))
    happened = np.array([float(bool(e.failed)) for e, _ in judged])
    chances = np.array([c for _, c in judged])
    brier = float(((chances - happened) ** 2).mean()) if len(judged) else None
    blind = float(((happened.mean() - happened) ** 2).mean()) if len(judged) else None
    whole = [e for e in over if e.seconds and e.ended == "done"]
    time = [(e.seconds / e.told.seconds, e.told.seconds_low <= e.seconds <= e.told.seconds_high) for e in whole if e.seconds]
    weighed = [
        used / e.told.resin_ml
        for e in over
        if (used := e.used_ml) is not None and e.ended == "done" and not e.failed and e.told.resin_ml > 0
    ]
    return Accuracy(
        len(over),
        sum(e.failed is not None for e in over),
        sum(bool(e.failed) for e in over),
        tuple(steps),
        brier,
        blind,
        _errors([r for r, _ in time], [w for _, w in time]),
        _errors(weighed, []),
    )


def by_printer(entries: Sequence[Entry]) -> dict[str, Accuracy]:
    """The same for each printer by itself, in the order of their names."""
    return {name: accuracy_of([e for e in entries if e.printer == name]) for name in sorted({e.printer for e in entries})}


def _margin(told: Told) -> float:
    return min(m for m in (told.margin, told.plate_margin) if m is not None)


def _errors(ratios: list[float], within: list[bool]) -> Errors | None:
    if not ratios:
        return None
    low, middle, high = (float(v) for v in np.quantile(ratios, (0.1, 0.5, 0.9)))
    return Errors(len(ratios), middle, low, high, sum(within), len(within))
