"""When someone is there, and when a run may be started so that it ends in good hands."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta

from wideberth.core.bench import Hours, spans_of

STEP = timedelta(minutes=5)
DAYS_AHEAD = 14
Span = tuple[datetime, datetime]


def later(at: datetime, by: timedelta) -> datetime:
    """What the clock on the wall shows so much later, or earlier where `by` is negative, whether clocks change between or not."""
    return (at.astimezone(UTC) + by).astimezone().replace(tzinfo=None)


def lasting(begin: datetime, end: datetime) -> timedelta:
    """How long it truly is from one time on the wall's clock to another."""
    return end.astimezone(UTC) - begin.astimezone(UTC)


def present(hours: Hours, begin: datetime, end: datetime) -> list[Span]:
    """When someone is there between two times; what meets at midnight is one span."""
    return _within(begin, end, lambda day: hours.spans(day.weekday()))


def bright(hours: Hours, begin: datetime, end: datetime) -> list[Span]:
    """When daylight falls on the printer between two times."""
    spans = spans_of(hours.bright)
    return _within(begin, end, lambda _: spans)


def _within(begin: datetime, end: datetime, of_day: Callable[[date], tuple[tuple[int, int], ...]]) -> list[Span]:
    found: list[Span] = []
    day = begin.date()
    while datetime.combine(day, time()) < end:
        for first, last in of_day(day):
            a, b = max(begin, _at(day, first)), min(end, _at(day, last))
            if a < b and found and found[-1][1] == a:
                found[-1] = (found[-1][0], b)
            elif a < b:
                found.append((a, b))
        day += timedelta(days=1)
    return found


def _at(day: date, minutes: int) -> datetime:
    """A time of a day; 24:00 is the next midnight."""
    return datetime.combine(day, time()) + timedelta(minutes=minutes)


@dataclass(frozen=True)
class Run:
    """How long a run takes at least and at most, and the work before and after it. hangs : how long it may hang before someone
    takes it off."""

    low: timedelta
    high: timedelta
    before: timedelta
    after: timedelta
    hangs: timedelta


@dataclass(frozen=True)
class Landing:
    """A run from its work before to its work after, as the clock on the wall tells it.

    printing : when the light starts. earliest, latest : between these it ends. hangs : how long it then hangs at most, until
    someone takes it off. done : when the work after is over, at the latest.
    """

    begins: datetime
    printing: datetime
    earliest: datetime
    latest: datetime
    hangs: timedelta
    done: datetime


class Attendance:
    """When someone is there, and when daylight falls on the printer, over some days."""

    def __init__(self, hours: Hours, begin: datetime, end: datetime) -> None:
        self.there, self.light = present(hours, begin, end), bright(hours, begin, end)
        self._ready: dict[timedelta, list[Span]] = {}

    def landing(self, run: Run, begins: datetime) -> Landing | None:
        """How a run goes that is begun at a time; None where nobody is there to begin it or, whenever it ends, to take it off and
        do all the work that follows in one go, or where it would hang in daylight. Whether it hangs too long is not asked."""
        printing = later(begins, run.before)
        if not any(a <= begins and printing <= b for a, b in self.there):
            return None
        earliest, latest = later(printing, run.low), later(printing, run.high)
        ready = self._ready_for(run.after)
        ends = [(earliest, False), (latest, False), *((b, True) for _, b in ready if earliest <= b < latest)]
        waits: list[Span] = []
        for end, missed in ends:  # just after a last chance was missed it waits longest
            off = next((max(a, end) for a, b in ready if end < b or (end == b and not missed)), None)
            if off is None:
                return None
            waits.append((end, off))
        if any(a < off and end < b for end, off in waits if end < off for a, b in self.light):
            return None
        hangs = max(lasting(end, off) for end, off in waits)
        return Landing(begins, printing, earliest, latest, hangs, later(waits[1][1], run.after))

    def _ready_for(self, work: timedelta) -> list[Span]:
        """When so much work may be begun that is done in one go."""
        if work not in self._ready:
            self._ready[work] = [(a, later(b, -work)) for a, b in self.there if lasting(a, b) >= work]
        return self._ready[work]


def landings(run: Run, hours: Hours, now: datetime, days: int = DAYS_AHEAD) -> Iterator[Landing]:
    """All ways to begin a run from now on, in steps of five minutes, at whose end someone is there in time, the next first."""
    for one in _all_landings(run, hours, now, days):
        if one.hangs <= run.hangs:
            yield one


def least_hanging(run: Run, hours: Hours, now: datetime, days: int = DAYS_AHEAD) -> Landing | None:
    """The way to begin a run at which it hangs the shortest, the next one of several; None where there is none at all."""
    return min(_all_landings(run, hours, now, days), key=lambda one: one.hangs, default=None)


def _all_landings(run: Run, hours: Hours, now: datetime, days: int) -> Iterator[Landing]:
    first = now.replace(second=0, microsecond=0) + timedelta(minutes=-now.minute % 5)
    beyond = first + timedelta(days=days)
    attendance = Attendance(hours, first, beyond + run.before + run.high + timedelta(days=7))
    begins = first
    while begins < beyond:
        one = attendance.landing(run, begins)
        if one is not None:
            yield one
        begins += STEP
