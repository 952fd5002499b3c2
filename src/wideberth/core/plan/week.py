"""Several runs on several printers: when to begin each, so that no printer and no pair of hands is wanted twice at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from itertools import combinations

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import coo_array

from wideberth.core.bench import Hours
from wideberth.core.errors import BadJob
from wideberth.core.plan.presence import Attendance, Landing, Run, lasting, later

MINUTE, SLOT = timedelta(minutes=1), timedelta(minutes=30)
DAYS = 7
MOST_SECONDS = 60.0
FEASIBLE, OUT_OF_TIME, INFEASIBLE = 0, 1, 2


@dataclass(frozen=True)
class Wanted:
    """A run that is to be placed in the week. printers : that can take it. pinned : when it begins, if that is settled."""

    name: str
    run: Run
    resin: str
    printers: tuple[str, ...]
    pinned: datetime | None = None


@dataclass(frozen=True)
class Begun:
    """A run in the week: which of those wanted, on which printer, and how it goes."""

    wanted: int
    printer: str
    landing: Landing


def week_of(wanted: Sequence[Wanted], hours: Hours, now: datetime, change: timedelta, days: int = DAYS) -> list[Begun] | None:
    """The week in which all runs are done soonest, in the order in which they begin; None where no such week exists.

    Every start on a grid of half hours is weighed against every other, by whole numbers and branch and bound, so that what is
    told is the best there is on that grid, and none is none. A run that is pinned begins when it says, on the grid or not.

    Parameters
    ----------
    change : work on a vat between runs of different resins.

    Raises
    ------
    BadJob : when no answer was found in a minute.
    """
    ways = _ways(wanted, hours, now, days)
    if any(not any(w.wanted == number for w in ways) for number in range(len(wanted))):
        return None
    if not wanted:
        return []
    ways = _worth_weighing(wanted, ways, change)
    rows = [[n for n, w in enumerate(ways) if w.wanted == number] for number in range(len(wanted))]
    clashes = _clashes(wanted, ways, change)
    lead = [lasting(now, w.landing.done) / SLOT for w in ways]
    answer = milp(
        np.array(lead),
        integrality=np.ones(len(ways)),
        bounds=Bounds(0, 1),
        constraints=[_sums(rows, len(ways), 1, 1), *([_sums(clashes, len(ways), 0, 1)] if clashes else [])],
        options={"time_limit": MOST_SECONDS},
    )
    if answer.status == INFEASIBLE:
        return None
    if answer.status != FEASIBLE:
        raise BadJob("no week was found in a minute.", remedy="Plan fewer runs at once, or pin some.")
    chosen = sorted((ways[n] for n in np.flatnonzero(np.round(answer.x))), key=lambda w: w.landing.begins)
    return _in_their_order(wanted, chosen)


def _in_their_order(wanted: Sequence[Wanted], week: list[Begun]) -> list[Begun]:
    """A week with runs that are alike but for their names in the order in which they were wanted."""
    alike: dict[Wanted, list[int]] = {}
    for number, one in enumerate(wanted):
        alike.setdefault(replace(one, name=""), []).append(number)
    return [replace(w, wanted=alike[replace(wanted[w.wanted], name="")].pop(0)) for w in week]


def _ways(wanted: Sequence[Wanted], hours: Hours, now: datetime, days: int) -> list[Begun]:
    """Every start of every run on every printer at which someone is there for it."""
    first = now.replace(second=0, microsecond=0) + timedelta(minutes=-now.minute % (SLOT.seconds // 60))
    longest = max((w.run.high for w in wanted), default=timedelta(0))
    attendance = Attendance(
        hours, min([first, *(w.pinned for w in wanted if w.pinned)]), first + timedelta(days=days + 7) + longest
    )
    slots = [first + SLOT * k for k in range(int(timedelta(days=days) / SLOT))]
    ways = []
    for number, one in enumerate(wanted):
        for begins in slots if one.pinned is None else [one.pinned]:
            landing = attendance.landing(one.run, begins)
            if landing is not None and landing.hangs <= one.run.hangs:
                ways += [Begun(number, printer, landing) for printer in one.printers]
    return ways


def _worth_weighing(wanted: Sequence[Wanted], ways: list[Begun], change: timedelta) -> list[Begun]:
    """The ways that may be part of a week as good as the one that takes each run in turn at its first free start: of any other
    way that run alone is done too late, were all the others done as soon as they can be. All of them where that week is none.
    """
    by_end = sorted(ways, key=lambda w: w.landing.done)
    taken: list[Begun] = []
    for number in range(len(wanted)):
        free = (w for w in by_end if w.wanted == number and not any(clash(w, t, wanted, change) for t in taken))
        first = next(free, None)
        if first is None:
            return ways
        taken.append(first)
    soonest = [min(w.landing.done for w in ways if w.wanted == number) for number in range(len(wanted))]
    spare = sum((t.landing.done - s for t, s in zip(taken, soonest, strict=True)), timedelta(0))
    return [w for w in ways if w.landing.done - soonest[w.wanted] <= spare]


def waits_of(
    week: Sequence[Begun], wanted: Sequence[Wanted], hours: Hours, now: datetime, change: timedelta, days: int = DAYS
) -> dict[int, str]:
    """What the runs of a week wait for that would be done sooner by themselves, by their numbers: another run on the same
    printer, with the vat to be cleaned between where resins differ, or the same pair of hands."""
    told = {}
    for begun in week:
        alone = _ways([wanted[begun.wanted]], hours, now, days)
        sooner = min((w for w in alone if w.printer == begun.printer), key=lambda w: w.landing.done, default=None)
        if sooner is None or sooner.landing.done >= begun.landing.done:
            continue
        would = replace(sooner, wanted=begun.wanted)
        in_the_way = [b for b in week if b.wanted != begun.wanted and clash(would, b, wanted, change)]
        for other in in_the_way[:1]:
            name, other_resin = wanted[other.wanted].name, wanted[other.wanted].resin != wanted[begun.wanted].resin
            where = f"{begun.printer}, taken by {name}" if other.printer == begun.printer else f"hands, busy with {name}"
            cleaned = " and the vat cleaned" if other.printer == begun.printer and other_resin else ""
            told[begun.wanted] = f"waits for {where}{cleaned}"
    return told


def clash(one: Begun, other: Begun, wanted: Sequence[Wanted], change: timedelta) -> bool:
    """Whether two runs want the same printer, or the same hands, at once. Hands are wanted for the work before, and for the work
    after where a run takes longest."""
    if one.printer == other.printer:
        first, second = sorted((one, other), key=lambda w: w.landing.begins)
        wait = change if wanted[first.wanted].resin != wanted[second.wanted].resin else timedelta(0)
        if second.landing.begins < later(first.landing.done, wait):
            return True
    return any(a < d and c < b for a, b in _hands(one, wanted) for c, d in _hands(other, wanted))


def _hands(way: Begun, wanted: Sequence[Wanted]) -> tuple[tuple[datetime, datetime], tuple[datetime, datetime]]:
    at = way.landing
    return (at.begins, at.printing), (later(at.done, -wanted[way.wanted].run.after), at.done)


def _clashes(wanted: Sequence[Wanted], ways: list[Begun], change: timedelta) -> list[list[int]]:
    """Sets of ways of which at most one can be taken: for each way of a run, all ways of another that clash with it.

    At most one of the other's ways is ever taken, so that a sum over them is as good as a pair for each.
    """
    of_run = [np.array([n for n, w in enumerate(ways) if w.wanted == number]) for number in range(len(wanted))]
    printers = {name: n for n, name in enumerate(dict.fromkeys(w.printer for w in ways))}
    printer = np.array([printers[w.printer] for w in ways])
    first = min(w.landing.begins for w in ways)
    hands = np.array([[(lasting(first, a) / MINUTE, lasting(first, b) / MINUTE) for a, b in _hands(w, wanted)] for w in ways])
    begins, done = hands[:, 0, 0], hands[:, 1, 1]
    found = []
    for a, b in combinations(range(len(wanted)), 2):
        wait = change / MINUTE if wanted[a].resin != wanted[b].resin else 0.0
        here, there = of_run[a][:, None], of_run[b][None, :]
        same = printer[here] == printer[there]
        bad = same & (begins[there] < done[here] + wait) & (begins[here] < done[there] + wait)
        for one in (0, 1):
            for other in (0, 1):
                bad |= (hands[here, one, 0] < hands[there, other, 1]) & (hands[there, other, 0] < hands[here, one, 1])
        found += [[int(n), *of_run[b][row].tolist()] for n, row in zip(of_run[a], bad, strict=True) if row.any()]
    return found


def _sums(rows: list[list[int]], columns: int, low: float, high: float) -> LinearConstraint:
    """Bounds on sums over sets of columns."""
    row = np.concatenate([np.full(len(r), n) for n, r in enumerate(rows)])
    column = np.concatenate(rows)
    return LinearConstraint(coo_array((np.ones(len(row)), (row, column)), (len(rows), columns)).tocsr(), low, high)
