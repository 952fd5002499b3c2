"""Shifting: a tip goes to a spot near by where all of them together are quicker to finish there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.loads import Undersides
from wideberth.core.progress import Progress
from wideberth.core.support.bearing import Trial, least
from wideberth.core.support.graph import Contact, Supports
from wideberth.core.support.need import Need
from wideberth.core.support.routing import Clearance, find_route
from wideberth.core.support.solids import touches
from wideberth.core.support.spots import Spots
from wideberth.core.support.thinning import AIM, STAYS, Asked, Bounds, minutes_to_finish
from wideberth.core.support.tuning import (
    LEAST_PLATE_MARGIN,
    NEARLY_HOLDS,
    SOME,
    finer_by,
    sized_anew,
    standing,
    steadied,
    tried_on,
    tuned,
    weak_spot,
)

FEW = 12
"""With so few tips each has a great share of the minutes; more of them even out, and shifting saves next to nothing."""
ROUNDS, TRIES, LED = 3, 100, 12
"""So many spots are tried in each round, for all tips together, and to so many of the best a way is looked for."""
LEAST_SAVED_MIN = 0.01
FARTHEST = 3.0
"""A tip goes no farther at once than so many times the usual spacing."""


@dataclass(frozen=True, eq=False)
class Pool:
    """Spots that tips may go to. times : how many times as long as on a usual face a mark takes at each, (n,). apart_mm : the
    usual spacing."""

    spots: Spots
    times: NDArray[np.float64]
    apart_mm: float

    def near(self, contact: Contact, supports: Supports, most: int, clear_mm: float) -> list[int]:
        """Those nearest to a contact that are clear of all others, by number."""
        others = np.array([c.spot_mm for c in supports.contacts if c.id != contact.id]).reshape(-1, 3)
        away = np.round(np.linalg.norm(self.spots.points - contact.spot_mm, axis=1), 3)
        inside = np.flatnonzero((away > 0) & (away <= FARTHEST * self.apart_mm))
        room = np.linalg.norm(self.spots.points[inside, None] - others[None], axis=2).min(axis=1, initial=np.inf)
        free = inside[room >= clear_mm]
        return [int(i) for i in free[np.argsort(away[free], kind="stable")][:most]]


def fewest(
    supports: Supports,
    trial: Trial,
    under: Undersides,
    times_of: Callable[[Supports], dict[str, float]],
    pool: Pool,
    room: Clearance,
    progress: Progress,
) -> Supports:
    """Supports with as few tips as hold, where they are quickest to finish: thinned out, and few of them shifted and thinned out
    once more while that leaves fewer.

    Some tips are thinned out both for a base that may get wider and for one that may not: the ways end apart, and the better end
    is kept. times_of : how many times as long as on a usual face their marks take.
    """
    times, house = times_of(supports), trial.bench.house
    wider = (True, False) if len(supports.contacts) <= SOME else (True,)
    ends = []
    for number, (may_widen, share) in enumerate(zip(wider, progress.evenly(len(wider)), strict=True)):
        made = tuned(supports, trial, under, times, share.part(0.0, 0.7), may_widen)
        many, done = np.inf, 0.7
        while 0 < len(made.contacts) <= FEW and len(made.contacts) < many:
            many = len(made.contacts)
            shifting, done = share.part(done, 0.65 * done + 0.35), 0.65 * done + 0.35
            made = shifted(made, trial, under, times_of(made), pool, room, shifting)
            tuning, done = share.part(done, 0.8 * done + 0.2), 0.8 * done + 0.2
            made = tuned(made, trial, under, times_of(made), tuning, may_widen)
        ends.append((round(minutes_to_finish(made, times_of(made), house), 3), number, made))
    return min(ends)[2]


def shifted(
    supports: Supports, trial: Trial, under: Undersides, times: dict[str, float], pool: Pool, room: Clearance, progress: Progress
) -> Supports:
    """Supports with tips where they take fewer minutes to finish, all in all; as they were where none is better, or where what
    comes out holds less well on the printed layers. It pays for `FEW`.

    Those that are the only ones under a beginning stay, and pinned ones, those set by hand, and those on whose post others
    stand.
    """
    bench, before, rough = trial.bench, trial.borne(supports), tried_on(supports, trial)
    asked = Asked(trial.printed(supports), rough, under, bench, times, finer_by(supports, before, rough))
    stands = standing(supports, trial)
    held = touches(supports, bench.supports, 0, 0.0, 0.0)
    bounds, alone = Bounds.of(held, asked), asked.alone_under(held)
    now = _fitted(supports, asked)
    first = asked.minutes(now)
    most = TRIES // len(supports.contacts)
    for number in range(ROUNDS):
        began = asked.minutes(now)
        for contact in sorted(now.contacts, key=lambda c: (-round(asked.minutes_of(c.id, now), 2), c.id)):
            progress.at(number / ROUNDS, "shifting tips")
            if _stays(contact) or contact.id in alone or now.carries_others(contact.id):
                continue
            near = pool.near(contact, now, most, bench.supports.largest_tip_mm)
            for spot in _quickest(now, contact, near, asked, pool)[:LED]:
                made = _moved(now, contact, spot, asked, pool, room)
                if made is None:
                    continue
                there = replace(asked, times=asked.times | {contact.id: float(pool.times[spot])})
                quicker = there.minutes(made) < asked.minutes(now) - LEAST_SAVED_MIN
                if quicker and stands(made) and bounds.hold(touches(made, bench.supports, 0, 0.0, 0.0), there):
                    now, asked = made, there
                    alone |= asked.alone_under(touches(made, bench.supports, 0, 0.0, 0.0))
                    break
        if asked.minutes(now) >= began:
            break
    if asked.minutes(now) >= first:
        return supports
    made, after = sized_anew(steadied(now, trial, progress.part(0.9, 1.0)), trial)
    hold = min(AIM * bench.supports.wanted_margin, least(before.tip_margin))
    weak = weak_spot(made, before, after, hold, asked.printed.part.grid.layer_mm, 0.5 * bench.supports.largest_tip_mm)
    return made if weak is None and trial.grip(made, before, LEAST_PLATE_MARGIN) >= NEARLY_HOLDS else supports


def _quickest(now: Supports, contact: Contact, near: list[int], asked: Asked, pool: Pool) -> list[int]:
    """Those of some spots at which a contact would save minutes, the quickest first, as if it were carried there the same way."""
    held = list(touches(now, asked.bench.supports, 0, 0.0, 0.0))
    at = [touch.contact for touch in held].index(contact.id)
    as_now, saving = asked.minutes(now), []
    for spot in near:
        x, y, z = (float(v) for v in pool.spots.points[spot])
        tug = asked.tug((*held[:at], replace(held[at], x_mm=x, y_mm=y, z_mm=z), *held[at + 1 :]))
        if tug.weakest is None:
            continue
        fitting = asked.fitting_if_any_mm(tug)
        if fitting is None:
            continue
        there = replace(asked, times=asked.times | {contact.id: float(pool.times[spot])})
        sizes = {t.contact: float(d) for t, d in zip(held, fitting, strict=True) if not _stays(now.contact[t.contact])}
        minutes = there.minutes(now.sized(sizes))
        if minutes < as_now - LEAST_SAVED_MIN:
            saving.append((round(minutes, 3), spot))
    return [spot for _, spot in sorted(saving)]


def _moved(now: Supports, contact: Contact, spot: int, asked: Asked, pool: Pool, room: Clearance) -> Supports | None:
    """Supports with a contact at another spot, all as thick as their loads ask for; None where no way leads there, or only one
    from the part where it stood on the plate."""
    point, normal = pool.spots.points[spot], pool.spots.normals[spot]
    route = find_route(point, normal, room, asked.bench.supports, now.without((contact.id,)))
    if route is None or (now.routes[contact.id].on_plate and not route.on_plate):
        return None
    return _fitted(now.rerouted(contact.id, route, contact.diameter_mm, Need(pool.spots.why[spot])), asked)


def _stays(contact: Contact) -> bool:
    """Whether somebody wanted a contact as it is and where it is."""
    return contact.pinned or contact.need.kind in STAYS


def _fitted(supports: Supports, asked: Asked) -> Supports:
    """Supports with each tip as thin as its load asks for, but for those that stay as they are."""
    return asked.fitted(supports).sized({c.id: c.diameter_mm for c in supports.contacts if _stays(c)})
