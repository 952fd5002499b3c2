"""When to begin a run: by hand, and minute by minute against the slow way."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np
import pytest

from wideberth.core.bench import Bench, Hours, load_named, spans_of
from wideberth.core.errors import BadBench
from wideberth.core.plan import Attendance, Run, landings, lasting, later, least_hanging, present

MONDAY = datetime(2026, 11, 23)
MIN = timedelta(minutes=1)


def run(low: float, high: float, before: float = 15, after: float = 60, hangs: float = 30) -> Run:
    """Hours of printing, minutes of the rest."""
    return Run(timedelta(hours=low), timedelta(hours=high), before * MIN, after * MIN, hangs * MIN)


@pytest.fixture
def weekdays() -> Hours:
    return load_named("hours", "standard")  # type: ignore[no-any-return]


@pytest.fixture
def clocks_change(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """A place where clocks go forward on 28 March 2027 at 2:00 and back on 31 October at 3:00."""
    monkeypatch.setenv("TZ", "CET-1CEST,M3.5.0,M10.5.0/3")
    time.tzset()
    yield
    monkeypatch.undo()
    time.tzset()


@pytest.mark.usefixtures("clocks_change")
@pytest.mark.parametrize(("day", "hour"), [((2027, 3, 27), 8), ((2027, 10, 30), 6), ((2027, 6, 12), 7)])
def test_a_run_through_the_night_in_which_clocks_change_ends_an_hour_off(day: tuple[int, int, int], hour: int) -> None:
    """12 h from 19:00 on: 7:00 by the clock, but for one night in spring and one in autumn."""
    begins, always = datetime(*day, 18, 45), load_named("hours", "always")
    (one,) = (o for o in landings(run(12, 12), always, begins, 1) if o.begins == begins)
    assert one.printing == begins + 15 * MIN and one.earliest == datetime(*day, hour) + timedelta(days=1)
    assert one.done == one.latest + timedelta(hours=1) and one.hangs == timedelta(0)
    assert lasting(one.printing, one.latest) == timedelta(hours=12) and later(one.latest, -timedelta(hours=12)) == one.printing


def test_spans_of_a_day() -> None:
    assert spans_of("8:00-12:00, 13:00–17:30") == ((480, 720), (780, 1050)) and spans_of("") == ()
    assert spans_of("0:00-24:00") == ((0, 1440),)


@pytest.mark.parametrize("text", ["8-12", "12:00-8:00", "8:00-25:00", "8:61-9:00", "8:00-12:00, 11:00-13:00", "morning"])
def test_times_that_are_none_are_refused(bench: Bench, text: str) -> None:
    with pytest.raises(BadBench):
        bench.with_value("hours.monday", text)


def test_days_meet_at_midnight() -> None:
    always = load_named("hours", "always")
    assert present(always, MONDAY, MONDAY + timedelta(days=3)) == [(MONDAY, MONDAY + timedelta(days=3))]


def test_a_short_run_ends_before_the_hour_of_work_that_follows(weekdays: Hours) -> None:
    """3 h exactly: begun at 8:00 it prints from 8:15 to 11:15 and an hour of work would end after 12, so it hangs till 13."""
    last = run(3, 3, hangs=120)
    one = next(landings(last, weekdays, MONDAY + 8 * 60 * MIN))
    assert one.begins == MONDAY + 8 * 60 * MIN and one.earliest == MONDAY + (11 * 60 + 15) * MIN
    assert one.hangs == 105 * MIN and one.done == MONDAY + 14 * 60 * MIN
    in_time = next(landings(run(3, 3, hangs=30), weekdays, MONDAY + 8 * 60 * MIN))
    assert in_time.begins == MONDAY + (9 * 60 + 15) * MIN  # ends at 12:30, half an hour before someone is back


def test_a_night_run_that_would_hang_too_long_is_not_offered(weekdays: Hours) -> None:
    """14 h begun at 17:15 at the latest ends at 7:30 at the latest: half an hour before someone comes."""
    assert next(landings(run(14, 14), weekdays, MONDAY + 13 * 60 * MIN)).begins == MONDAY + (17 * 60 + 15) * MIN
    wide = run(13, 17)  # 6:30 to 10:30
    assert not any(one.begins.date() == MONDAY.date() and one.begins.hour >= 17 for one in landings(wide, weekdays, MONDAY))


def test_nothing_fits_and_the_least_bad_is_told(weekdays: Hours) -> None:
    mornings = replace(weekdays, **{day: "8:00-9:30" for day in ("monday", "tuesday", "wednesday", "thursday", "friday")})
    long = run(10, 12)
    assert next(landings(long, mornings, MONDAY), None) is None
    best = least_hanging(long, mornings, MONDAY)
    assert best is not None and best.hangs == timedelta(hours=12, minutes=30)  # 9:30 + 10 h to 8:00


def test_nothing_hangs_in_daylight(weekdays: Hours) -> None:
    sunny = replace(weekdays, bright="7:00-19:00")
    for one in landings(run(14, 14, hangs=600), sunny, MONDAY, days=4):
        assert not one.hangs or one.earliest.hour >= 19 or one.earliest.hour < 7
        assert one.earliest == one.done - 60 * MIN - one.hangs and one.hangs == timedelta(0)


def test_against_every_minute_in_random_weeks() -> None:
    """The worst wait over all minutes at which a run may end, walked through one by one."""
    rng = np.random.default_rng(18)
    for _ in range(60):
        hours = Hours("random", *(_random_day(rng) for _ in range(7)))
        low = int(rng.integers(30, 1200))
        one = Run(
            low * MIN,
            (low + int(rng.integers(0, 240))) * MIN,
            int(rng.integers(0, 30)) * MIN,
            int(rng.integers(1, 90)) * MIN,
            MIN,
        )
        until = MONDAY + timedelta(days=14)
        attendance = Attendance(hours, MONDAY, until)
        there = _every_minute(hours, 14 * 1440)
        for begins in rng.integers(0, 7 * 1440, 40):
            told = attendance.landing(one, MONDAY + int(begins) * MIN)
            worst = _slow(there, int(begins), one)
            assert (told is None) == (worst is None)
            if told is not None:
                assert timedelta(0) <= told.hangs - worst * MIN <= MIN  # type: ignore[operator]  # just after a minute, not at it


def _random_day(rng: np.random.Generator) -> str:
    marks = sorted(rng.choice(24 * 4, size=2 * int(rng.integers(0, 4)), replace=False).tolist())
    return ", ".join(f"{a // 4}:{a % 4 * 15:02d}-{b // 4}:{b % 4 * 15:02d}" for a, b in zip(marks[::2], marks[1::2], strict=True))


def _every_minute(hours: Hours, count: int) -> np.ndarray:
    """Whether someone is there during each minute."""
    there = np.zeros(count, bool)
    for day in range(count // 1440):
        for a, b in hours.spans(day % 7):
            there[day * 1440 + a : day * 1440 + b] = True
    return there


def _slow(there: np.ndarray, begins: int, one: Run) -> int | None:
    """Longest wait [min] of all ends on whole minutes; None where nobody begins it or comes in time."""
    low, high, before, after = (int(t / MIN) for t in (one.low, one.high, one.before, one.after))
    if not there[begins : begins + before].all() or (before == 0 and not (there[begins] or there[begins - 1])):
        return None
    ready = np.flatnonzero(np.convolve(there, np.ones(after, int), "valid") == after)  # minutes from which all the work is done
    ends = np.arange(begins + before + low, begins + before + high + 1)
    at = np.searchsorted(ready, ends)
    return None if (at == len(ready)).any() else int((ready[at] - ends).max())
