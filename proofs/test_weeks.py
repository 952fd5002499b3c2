"""A thousand random weeks: nothing overlaps, every end is met in time, or none exists, which a second search agrees with."""

from __future__ import annotations

from datetime import datetime, timedelta
from itertools import combinations

import numpy as np

from wideberth.core.bench import Hours
from wideberth.core.plan import Attendance, Run, Wanted, clash, week_of
from wideberth.core.plan.week import SLOT, Begun

MONDAY = datetime(2026, 11, 23, 8)
MIN = timedelta(minutes=1)
CHANGE = 30 * MIN
WEEKS = 1000


def test_a_thousand_random_weeks() -> None:
    rng, none, placed = np.random.default_rng(2026), 0, 0
    for _ in range(WEEKS):
        hours = Hours("random", *(_day(rng) for _ in range(5)), "", "")
        asked = [_wanted(rng, str(n)) for n in range(int(rng.integers(1, 5)))]
        days = int(rng.integers(1, 5))
        week = week_of(asked, hours, MONDAY, CHANGE, days)
        if week is None:
            none += 1
            assert not _any_way(asked, hours, days)
            continue
        placed += len(week)
        assert sorted(w.wanted for w in week) == list(range(len(asked)))
        assert not any(clash(a, b, asked, CHANGE) for a, b in combinations(week, 2))
        attendance = Attendance(hours, MONDAY, MONDAY + timedelta(days=days + 9))
        for one in week:
            run = asked[one.wanted].run
            assert one.landing == attendance.landing(run, one.landing.begins) and one.landing.hangs <= run.hangs
            assert one.printer in asked[one.wanted].printers
            spans = attendance.there
            assert any(a <= one.landing.begins and one.landing.printing <= b for a, b in spans)
            assert any(a <= one.landing.done - run.after and one.landing.done <= b for a, b in spans)
    assert 20 < none < WEEKS - 200
    print(f"| {WEEKS:,} weeks | {placed:,} runs placed | {none} weeks of which none exists |")


def _day(rng: np.random.Generator) -> str:
    begin = int(rng.integers(6, 11))
    return "" if rng.random() < 0.1 else f"{begin}:00-{int(rng.integers(begin + 2, 21))}:00"


def _wanted(rng: np.random.Generator, name: str) -> Wanted:
    low = float(rng.uniform(1, 16))
    run = Run(
        timedelta(hours=low),
        timedelta(hours=low * float(rng.uniform(1, 1.3))),
        int(rng.integers(5, 30)) * MIN,
        int(rng.integers(20, 90)) * MIN,
        float(rng.choice([0.5, 4, 14])) * 60 * MIN,
    )
    printers = ("one",) if rng.random() < 0.7 else ("one", "two")
    return Wanted(name, run, str(rng.choice(["grey", "clear"])), printers)


def _any_way(asked: list[Wanted], hours: Hours, days: int) -> bool:
    """Whether any week exists at all, by trying one run after the other and going back."""
    attendance = Attendance(hours, MONDAY, MONDAY + timedelta(days=days + 9))
    slots = [MONDAY + SLOT * k for k in range(int(timedelta(days=days) / SLOT))]
    ways = []
    for number, one in enumerate(asked):
        landed = [attendance.landing(one.run, at) for at in slots]
        good = [at for at in landed if at is not None and at.hangs <= one.run.hangs]
        ways.append([Begun(number, printer, at) for at in good for printer in one.printers])
    ways.sort(key=len)

    def place(chosen: list[Begun]) -> bool:
        if len(chosen) == len(ways):
            return True
        return any(
            place([*chosen, way]) for way in ways[len(chosen)] if not any(clash(way, other, asked, CHANGE) for other in chosen)
        )

    return place([])
