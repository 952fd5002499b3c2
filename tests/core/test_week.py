"""A week of runs: nothing overlaps, all ends are met, and none is told where none exists."""

from __future__ import annotations

from datetime import datetime, timedelta
from itertools import combinations, product

import numpy as np

from wideberth.core.bench import Hours, load_named
from wideberth.core.plan import Attendance, Run, Wanted, clash, waits_of, week_of
from wideberth.core.plan.week import SLOT, Begun, _clashes, _ways

MONDAY = datetime(2026, 11, 23, 8)
MIN = timedelta(minutes=1)
CHANGE = 30 * MIN


def wanted(
    name: str, low_h: float, high_h: float, resin: str = "grey", printers: tuple[str, ...] = ("one",), hangs_h: float = 16
) -> Wanted:
    run = Run(timedelta(hours=low_h), timedelta(hours=high_h), 15 * MIN, 60 * MIN, timedelta(hours=hangs_h))
    return Wanted(name, run, resin, printers)


def test_two_runs_on_one_printer_follow_each_other_with_a_change_of_resin() -> None:
    always: Hours = load_named("hours", "always")
    same = week_of([wanted("a", 2, 2), wanted("b", 2, 2)], always, MONDAY, CHANGE)
    other = week_of([wanted("a", 2, 2), wanted("b", 2, 2, "clear")], always, MONDAY, CHANGE)
    assert same is not None and other is not None
    # 15 min + 2 h + 1 h, then the next half hour; 30 min more for the vat
    assert [w.landing.begins for w in same] == [MONDAY, MONDAY + 210 * MIN] and [w.wanted for w in same] == [0, 1]
    assert [w.landing.begins for w in other] == [MONDAY, MONDAY + 240 * MIN]


def test_what_a_run_waits_for_is_told() -> None:
    always: Hours = load_named("hours", "always")
    one = [wanted("a", 2, 2), wanted("b", 2, 2, "clear")]
    week = week_of(one, always, MONDAY, CHANGE)
    assert week is not None and waits_of(week, one, always, MONDAY, CHANGE) == {
        1: "waits for one, taken by a and the vat cleaned"
    }
    two = [wanted("a", 2, 2), wanted("b", 2, 2, printers=("two",))]
    week = week_of(two, always, MONDAY, CHANGE)
    assert week is not None and waits_of(week, two, always, MONDAY, CHANGE) == {
        week[1].wanted: f"waits for hands, busy with {two[week[0].wanted].name}"
    }
    alone = week_of(one[:1], always, MONDAY, CHANGE)
    assert alone is not None and waits_of(alone, one[:1], always, MONDAY, CHANGE) == {}


def test_two_printers_share_one_pair_of_hands() -> None:
    always: Hours = load_named("hours", "always")
    week = week_of([wanted("a", 2, 2), wanted("b", 2, 2, printers=("one", "two"))], always, MONDAY, CHANGE)
    assert week is not None and {w.printer for w in week} == {"one", "two"}
    assert week[1].landing.begins == MONDAY + 60 * MIN  # an hour of work after each, half hours between


def test_a_pinned_run_stays_and_what_cannot_be_is_said() -> None:
    hours: Hours = load_named("hours", "standard")
    settled = Wanted("a", wanted("a", 2, 2).run, "grey", ("one",), MONDAY + 70 * MIN)
    week = week_of([settled, wanted("b", 1, 1)], hours, MONDAY, CHANGE)
    assert week is not None and next(w for w in week if w.wanted == 0).landing.begins == MONDAY + 70 * MIN
    assert week_of([settled, settled], hours, MONDAY, CHANGE) is None
    assert week_of([wanted("a", 30, 60, hangs_h=0.2)], hours, MONDAY, CHANGE) is None


def test_random_weeks_against_all_combinations() -> None:
    """Two or three runs in two days: no clash, every end met, as early in sum as the best of all combinations; none where none
    is."""
    rng = np.random.default_rng(7)
    nones = 0
    for _ in range(12):
        asked = [
            wanted(
                str(n),
                low,
                low + float(rng.uniform(0, 2)),
                str(rng.choice(["grey", "clear"])),
                ("one",),
                float(rng.choice([0.5, 3])),
            )
            for n, low in enumerate(rng.uniform(1, 9, int(rng.integers(2, 4))))
        ]
        hours = Hours("random", *(f"8:00-{rng.integers(11, 19)}:00" for _ in range(7)))
        week = week_of(asked, hours, MONDAY, CHANGE, days=2)
        best = _all_ways(asked, hours)
        nones += best is None
        assert (week is None) == (best is None)
        if week is not None:
            assert not any(clash(a, b, asked, CHANGE) for a, b in combinations(week, 2))
            assert sum((w.landing.done - MONDAY for w in week), timedelta(0)) == best
            assert all(w.landing.hangs <= asked[w.wanted].run.hangs for w in week)
    assert 0 < nones < 12


def _all_ways(asked: list[Wanted], hours: Hours) -> timedelta | None:
    attendance = Attendance(hours, MONDAY, MONDAY + timedelta(days=11))
    slots = [MONDAY + SLOT * k for k in range(96)]
    ways = []
    for number, one in enumerate(asked):
        landed = [attendance.landing(one.run, at) for at in slots]
        ways.append([Begun(number, "one", at) for at in landed if at is not None and at.hangs <= one.run.hangs])
    fitting = (
        sum((w.landing.done - MONDAY for w in chosen), timedelta(0))
        for chosen in product(*ways)
        if not any(clash(a, b, asked, CHANGE) for a, b in combinations(chosen, 2))
    )
    return min(fitting, default=None)


def test_what_clashes_all_at_once_is_what_clashes_pair_by_pair() -> None:
    rng, always = np.random.default_rng(3), load_named("hours", "always")
    for _ in range(10):
        asked = [
            wanted(str(n), low, low + 1, str(rng.choice(["grey", "clear"])), ("one", "two")[: int(rng.integers(1, 3))])
            for n, low in enumerate(rng.uniform(1, 9, 3))
        ]
        ways = _ways(asked, always, MONDAY, 1)
        ways = [ways[n] for n in sorted(rng.choice(len(ways), 40, replace=False).tolist())]
        slow = []
        for a in range(3):
            for b in range(a + 1, 3):
                for n, way in enumerate(ways):
                    against = [m for m, other in enumerate(ways) if other.wanted == b and clash(way, other, asked, CHANGE)]
                    if way.wanted == a and against:
                        slow.append([n, *against])
        assert sorted(_clashes(asked, ways, CHANGE)) == sorted(slow)
