"""A made-up past for the demo's logbook: a season of runs on a simulated printer, without its process."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta
from functools import partial

import numpy as np

from wideberth.core.devices import looked_at
from wideberth.core.logbook import (
    CAME_OFF,
    SIMULATED,
    CameOff,
    Entry,
    Expected,
    Logbook,
    Scars,
    ended_entry,
    entry_for,
    measured_of,
    told_of,
    utc_now,
)
from wideberth.core.predict import Prediction
from wideberth.demo.simulated import Play, hidden_of, mishap_of

JOBS = ("Touch table", "Touch table, second set", "Whelks for the shop", "Lamp room", "School visit", "Bell, recast")
WEAKEST, WIDEST = 0.75, 2.6
"""Margins that these runs were said to have."""


def add_past(
    book: Logbook, seen: Prediction, expected: Expected, seed: int, count: int, until: datetime | None = None
) -> list[Entry]:
    """Write so many runs of a predicted plate, one every second day until a time (UTC, now where none is told), each with tips of
    another strength.

    Parameters
    ----------
    seed : of the printer's hidden truth.
    """
    draw, bench = np.random.default_rng(seed), seen.job.bench
    hidden, made, end = hidden_of(seed, bench), [], until or utc_now()
    for number in range(count):
        margin = float(np.exp(draw.uniform(np.log(WEAKEST), np.log(WIDEST))))
        of = with_margin(expected, margin)
        luck = seed * 1000 + number
        play = Play(of, bench, hidden, luck, mishap_of(luck, of) if number % 4 == 3 else None)
        samples = list(play.layers())
        measured = measured_of(samples)
        began = end - timedelta(days=2 * (count - number), hours=float(draw.uniform(0, 9)))
        low, high = of.weakest_range or (None, None)
        told = replace(told_of(seen), margin=of.weakest, margin_low=low, margin_high=high)
        entry = replace(
            entry_for(seen, f"{SIMULATED}, seed {seed}"),
            began=began,
            job=f"Harbour museum, {JOBS[number % len(JOBS)].lower()}",
            told=told,
        )
        book.begin(entry, of, bench)
        book.add_samples(entry.id, samples)
        ended = looked_at(ended_entry(entry, "power cut" if play.truth.power_cut else "done", measured), play.truth.told())
        parts = tuple(p if p.fate == "lost" else replace(p, scars=_scars(draw)) for p in ended.parts)
        last = replace(ended, parts=parts, finished=began + timedelta(seconds=ended.seconds or 0.0), came_off=_came_off(draw))
        entry = book.finish(entry.id, partial(_itself, last))
        made.append(entry)
    return made


def _came_off(draw: np.random.Generator) -> CameOff:
    return CAME_OFF[1 + int(draw.integers(3))]


def _itself(entry: Entry, _before: Entry) -> Entry:
    return entry


def with_margin(expected: Expected, margin: float) -> Expected:
    """The same print on tips of another strength, so that the weakest has a margin."""
    if expected.weakest is None or expected.weakest <= 0:
        return expected
    by = margin / expected.weakest
    return replace(
        expected,
        hold_margin=expected.hold_margin * by,
        hold_low=expected.hold_low * by,
        hold_high=expected.hold_high * by,
        tip_margin=expected.tip_margin * by,
        tip_holds_n=expected.tip_holds_n * by,
        tip_so_far=expected.tip_so_far / by,
        tip_bears_n=expected.tip_bears_n * by,
    )


def _scars(draw: np.random.Generator) -> tuple[Scars, ...]:
    clean = int(draw.integers(15, 25))
    stage = ("after the first wash", "after the cure")[int(draw.integers(2))]
    bad = int(draw.integers(0, 3 if stage == "after the first wash" else 7))
    return (Scars(stage, "pulled", 0.4, "clean", clean), Scars(stage, "pulled", 0.4, "crater", bad))
