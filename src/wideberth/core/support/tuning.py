"""Supports tuned: a base that is wide enough, fewer tips, sizes anew, and back where less would not hold."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterable, Set
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from math import ceil

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.loads import SPECK_PULL_N, Loads, Undersides, first_adrift
from wideberth.core.progress import Progress
from wideberth.core.support.bearing import Trial, least, sized
from wideberth.core.support.graph import Supports
from wideberth.core.support.solids import touches, without_touch
from wideberth.core.support.standing import Tilting, feet_of, outriggers, widest, with_outriggers
from wideberth.core.support.thinning import AIM, LEAST_TIPS, STAYS, UNSTEADY, Asked, Bounds, Order, refitted, slimmed, thinned

LEAST_PLATE_MARGIN = 1.6
"""Up to that tips are set for the plate's sake; pads that carry nothing up to what is wanted of tips."""
RESIZING_ROUNDS, SURER = 3, (1.0, 0.85, 0.7, 0.5)
NEARLY_STANDS, FEW_FEET = 1.25, 8
"""What feet bear is estimated within a fifth: what looks worse than that is not looked at closely. Beside more feet than a few a
pad more or less is next to nothing."""
COARSER, NEARLY, MOST_FINER = (4, 2), 0.15, 2.0
"""Layers that are taken as one while tips are tried, and how far the weakest margin may differ by it."""
BY_HALVES, MOST_LOOKS = 6, 24
"""So many tips that the plate cannot do without are looked for by halves; where there are more, it is looked at at each step, so
often at most."""
LEAST_TO_THIN, NEARLY_HOLDS, SLACK = 4, 0.97, 1e-6
"""Fewer tips than `LEAST_TO_THIN` are all needed."""
ROUNDS_TO_BETTER, TRIED_BACK = 1, 10
NEARLY_BEST, SOME = 1.2, 40
"""Where the base may not get wider, ways in which tips are thinned out are sized anew up to so many times as long to finish as
the best: sizes settle otherwise. Else, and of more tips than some, only that is: the ends shall differ, and many take long."""
COME_BACK = (1, 1, 2, 3, 5, 8, 13, 21, 34)
"""So many come back from round to round."""
STOUT_MM = 6.0
"""Tips so near to what hangs unsteadily stay as thick as they were."""


@dataclass(frozen=True, eq=False)
class _Weak:
    """Where supports hold too little: at a spot (3,), None for at the plate's edge, and up to what height a tip helps there: what
    is printed later comes too late. shaky : whether it hangs unsteadily, or on nothing beside a tip, so that thicker tips help as
    well as more."""

    spot_mm: NDArray[np.float64] | None = None
    by_mm: float = np.inf
    shaky: bool = False


def steadied(supports: Supports, trial: Trial, progress: Progress) -> Supports:
    """With pads of the base that carry nothing, as few and as near as the plate asks for, and no others; none where it holds, or
    where none would help. Where none do, those stay that help most, be it those that are there."""
    came, supports, aim = supports, supports.without_outriggers(), grip_aim(trial.bench)
    feet, pad = feet_of(supports), trial.bench.supports.pad_mm
    borne = trial.borne(supports)
    best, grip = supports, least(borne.plate_margin)
    if len(feet) == 0 or grip >= aim:
        return supports
    progress.at(0.0, "widening the base")
    tilting = Tilting.by(borne.part_pulls.tug().pulls, borne.layers)
    most = tilting.hardest_n(feet, pad) * grip / aim
    for share in SURER:  # how feet bear is an estimate
        made = with_outriggers(supports, outriggers(feet, tilting, share * most, pad))
        margin = least(trial.borne(made).plate_margin)
        if margin > grip + SLACK:
            best, grip = made, margin
        if grip >= aim:
            return best
    return came if came.outriggers and least(trial.borne(came).plate_margin) > grip + SLACK else best


def grip_aim(bench: Bench) -> float:
    """The margin that the plate is to have where pads can give it."""
    return AIM * bench.supports.wanted_margin


def narrowed(supports: Supports, trial: Trial) -> Supports:
    """With as few of the pads that carry nothing as the plate asks for: none, or on few feet one less, or all a little nearer; as
    they are where none of these holds."""
    pads, bare, pad_mm = supports.outriggers, supports.without_outriggers(), trial.bench.supports.pad_mm
    if not pads or len(feet_of(bare)) == 0:
        return supports
    borne, middle = trial.borne(supports), feet_of(bare).mean(axis=0)
    margin = least(borne.plate_margin)
    grip = min(margin, grip_aim(trial.bench))
    tilting = Tilting.by(borne.part_pulls.tug().pulls, borne.layers)
    most = NEARLY_STANDS * tilting.hardest_n(feet_of(supports), pad_mm) * margin / max(grip, SLACK)
    off = np.array([pad.point_mm[:2] for pad in pads]) - middle
    half = 0.5 * pad_mm * off / np.maximum(np.hypot(*off.T), pad_mm)[:, None]
    less_one = [middle + np.delete(off, n, axis=0) for n in range(len(pads))]
    fewer = [*less_one, middle + off - 2 * half, middle + off - half] if len(feet_of(bare)) <= FEW_FEET else []
    for spots in (np.empty((0, 2)), *fewer):
        made = with_outriggers(bare, spots)
        if tilting.hardest_n(feet_of(made), pad_mm) <= most and least(trial.borne(made).plate_margin) >= grip:
            return made
    return supports


def tuned(
    supports: Supports, trial: Trial, under: Undersides, times: dict[str, float], progress: Progress, may_widen: bool = True
) -> Supports:
    """Supports less what idles, sized anew; as they were where less would not hold as well.

    may_widen : whether they may be so few that the plate asks for a wider base.

    Where the plate would then hold too little the outermost of those that went come back, since the base tilts off about its
    edge; where a tip would, or something would hang unsteadily, those next to it.
    """
    if len(supports.contacts) < LEAST_TO_THIN:
        return supports
    bench, before = trial.bench, trial.borne(supports)
    rough = tried_on(supports, trial)
    asked = Asked(trial.printed(supports), rough, under, bench, times, finer_by(supports, before, rough))
    stands = standing(supports, trial, may_widen)
    ways = _thinned_in_all_orders(supports, asked, stands, progress.part(0.0, 0.7))
    best = sorted(ways, key=lambda way: round(asked.minutes(way), 3))
    nearly = [way for way in best if asked.minutes(way) <= NEARLY_BEST * asked.minutes(best[0])]
    fitting, held = _Fitting(supports, trial, before, replace(asked, borne=before, finer={})), []
    tried = nearly if len(supports.contacts) <= SOME and not may_widen else nearly[:1]
    for way, share in zip(tried, progress.part(0.7, 1.0).evenly(len(tried)), strict=True):
        held += fitting.held(way, share)
    return min(held, key=asked.minutes, default=supports)


def _thinned_in_all_orders(
    supports: Supports, asked: Asked, stands: Callable[[Supports], bool], progress: Progress
) -> Iterable[Supports]:
    """What is left of supports in each order, once where orders end alike. Of more tips than some each step is work enough for
    two threads to gain by it."""
    parts = progress.side_by_side(len(Order))
    with ThreadPoolExecutor(2 if len(supports.contacts) > SOME else 1) as side_by_side:
        ends = side_by_side.map(lambda order, part: thinned(supports, asked, part, order, stands), Order, parts)
        return dict.fromkeys(ends)


@dataclass(frozen=True, eq=False)
class _Fitting:
    """Some of a part's supports, sized anew, with as many of the others back as it takes to hold as well.

    supports : all of them; before : what they bear. asked : on the printed layers.
    """

    supports: Supports
    trial: Trial
    before: Loads
    asked: Asked

    def held(self, fewer: Supports, progress: Progress) -> list[Supports]:
        """All that hold of those that were looked at, from `fewer` of the supports on; none where none do."""
        supports, before, bench = self.supports, self.before, self.trial.bench
        held: list[Supports] = []
        stout: set[str] = set()
        for number, here in enumerate(progress.rounds(len(COME_BACK))):
            here.at(0.0, "sizing tips anew")
            made = _resized(fewer, shared(fewer, before, bench), bench)
            if stout:
                made = made.sized({id: max(made.contact[id].diameter_mm, supports.contact[id].diameter_mm) for id in stout})
            failed = self._fails(made, held, here)
            if failed is None:
                break
            weak, wants = failed
            if number == 0 and weak.spot_mm is not None:  # what is as thick as allowed draws more where all others get thinner
                slim = slimmed(fewer, self.asked)
                self._fails(_resized(slim, shared(slim, before, bench), bench, thinner=False), held, here)
            elif held and number > ROUNDS_TO_BETTER:
                break
            went = [c.id for c in supports.contacts if c.id not in fewer.contact]
            if not went:
                break
            back = _come_back(supports, made, went, weak, before, bench)[: max(COME_BACK[number], wants)]
            if weak.shaky:  # what comes back for it has to be as thick at once: a thinner rim meets the part later
                stout |= {*_stout_there(made, weak), *back}
            sizes = {c.id: c.diameter_mm for c in made.contacts}
            fewer = supports.without(set(went) - set(back)).sized(sizes)
        return held

    def _fails(self, made: Supports, held: list[Supports], progress: Progress) -> tuple[_Weak, int] | None:
        """Where it holds too little, and how many tips it wants there at least; None, and kept, where it holds, if need be on a
        wider base. What is too weak by its shares of the pulls before is not looked at closely."""
        before, trial, bench = self.before, self.trial, self.trial.bench
        hold = min(AIM * bench.supports.wanted_margin, least(before.tip_margin))
        layer_mm, rim_mm = self.asked.printed.part.grid.layer_mm, 0.5 * bench.supports.largest_tip_mm
        for look in (lambda: shared(made, before, bench), lambda: trial.borne(made)):
            weak = weak_spot(made, before, look(), hold, layer_mm, rim_mm)
            if weak is not None:
                return weak, 1
        if least(trial.borne(made).plate_margin) < grip_aim(bench):
            widens = least(before.plate_margin) >= grip_aim(bench)  # else it is as wide as helps already
            share = trial.grip(made, before, LEAST_PLATE_MARGIN) / NEARLY_HOLDS
            if widens or share < 1:  # pads that stood well beside all feet may not beside fewer
                made = steadied(made, trial, progress)
                share = trial.grip(made, before, LEAST_PLATE_MARGIN) / NEARLY_HOLDS
            if share < 1:  # it goes about with the number of feet
                return _Weak(), ceil(len(made.contacts) * (1 / max(share, 0.5) - 1))
        held.append(made)
        return None


def standing(supports: Supports, trial: Trial, may_widen: bool = True) -> Callable[[Supports], bool]:
    """Tells whether the plate would hold others about as well as is wanted, from how it holds these; if need be on a wider
    base."""
    pad, borne = trial.bench.supports.pad_mm, trial.borne(supports)
    tilting = Tilting.by(borne.part_pulls.tug().pulls, borne.layers)
    most = tilting.hardest_n(feet_of(supports), pad) * max(1.0, least(borne.plate_margin) / LEAST_PLATE_MARGIN)

    def stands(rest: Supports) -> bool:
        feet = feet_of(rest)
        if tilting.hardest_n(feet, pad) <= most or len(feet) == 0:
            return True
        return may_widen and tilting.hardest_n(widest(feet_of(rest.without_outriggers()), pad), pad) <= most

    return stands


def without_idle(supports: Supports, trial: Trial, under: Undersides, times: dict[str, float]) -> Supports:
    """Supports less what still idles on the printed layers, the dearest to finish first: every tip that is left lowers a margin
    under what is wanted, or loosens something else, when it alone is taken away.

    Their plate is looked at once all are gone, and at a step only where its feet look far too weak. Where it would hold too
    little then, the one that lost it is looked for by halves and stays; after the second, feet that look as weak as where it was
    lost are looked at too. Where the plate is what holds least a look at each step would take minutes: after `MOST_LOOKS` what
    is in doubt stays.
    """
    pad_mm, borne, looks = trial.bench.supports.pad_mm, trial.borne(supports), 0
    tilting = Tilting.by(borne.part_pulls.tug().pulls, borne.layers)

    def hardest_n(rest: Supports) -> float:
        return tilting.hardest_n(feet, pad_mm) if len(feet := feet_of(rest)) else 0.0

    def grips(rest: Supports) -> bool:
        return trial.grip(rest, borne, LEAST_PLATE_MARGIN) >= NEARLY_HOLDS

    def looked(rest: Supports) -> bool:
        nonlocal looks
        looks += 1
        return looks <= MOST_LOOKS and grips(rest)

    sure_n, lost_n = NEARLY_STANDS * hardest_n(supports) * max(1.0, least(borne.plate_margin) / LEAST_PLATE_MARGIN), np.inf

    def stands(rest: Supports) -> bool:
        nonlocal sure_n
        hardest = hardest_n(rest)
        if hardest <= sure_n and hardest < lost_n:
            return True
        held = looked(rest)
        if held:
            sure_n = max(sure_n, NEARLY_STANDS * hardest)
        return held

    needed: set[str] = set()
    for number in range(BY_HALVES):
        steps = _without_idle(supports, trial, under, times, stands, needed)
        if grips(steps[-1]):
            return steps[-1]
        last = bisect_left(range(len(steps)), True, key=lambda n: n > 0 and not grips(steps[n])) - 1
        supports = steps[last]
        needed |= set(supports.contact) - set(steps[last + 1].contact)
        if number:
            lost_n = min(lost_n, hardest_n(steps[last + 1]))
    return _without_idle(supports, trial, under, times, looked, needed)[-1]


def _without_idle(
    supports: Supports,
    trial: Trial,
    under: Undersides,
    times: dict[str, float],
    grips: Callable[[Supports], bool],
    needed: Set[str],
) -> list[Supports]:
    """Supports, and what is left of them each time that one of their tips has gone. needed : contacts that are not tried."""
    settings, wanted = trial.bench.supports, trial.bench.supports.wanted_margin
    asked = Asked(trial.printed(supports), trial.borne(supports), under, trial.bench, times, {})
    held = touches(supports, settings, 0, 0.0, 0.0)
    now, alone = asked.tug(held), asked.alone_under(held)
    bounds = Bounds.of(held, asked, now)
    bounds = replace(bounds, least=min(bounds.least, wanted))
    free = [c for c in supports.contacts if not c.pinned and c.need.kind not in STAYS and c.id not in needed]
    overloads, steps = asked.overloads(now, bounds.least - SLACK), [supports]
    for contact in sorted(free, key=lambda c: (-asked.minutes_of(c.id, supports), c.id)):
        if contact.id in alone or len(held) <= LEAST_TIPS or overloads(contact.id):
            continue
        rest, fewer = supports.without((contact.id,)), without_touch(held, contact.id)
        if bounds.hold(fewer, asked, tug := asked.tug(fewer)) and grips(rest):
            supports, held = rest, fewer
            steps.append(supports)
            alone |= asked.alone_under(held)
            overloads = asked.overloads(tug, bounds.least - SLACK)
    return steps


def _come_back(supports: Supports, fewer: Supports, went: list[str], weak: _Weak, before: Loads, bench: Bench) -> list[str]:
    """Contacts that went in the order in which they should come back: the outermost where the base tilts off; else, of those next
    to a weak spot that are there in time, those that help most: with which least hangs on nothing, or unsteadily, and the weakest
    holds most."""
    spots = {id: supports.contact[id].spot_mm for id in went}
    if weak.spot_mm is None:
        middle = np.array([c.spot_mm for c in supports.contacts]).mean(axis=0)
        return sorted(went, key=lambda id: (-round(float(np.hypot(*(spots[id] - middle)[:2])), 3), id))
    away = {id: round(float(np.linalg.norm(spots[id] - weak.spot_mm)), 3) for id in went}
    near = sorted(went, key=lambda id: (spots[id][2] > weak.by_mm, away[id], id))
    stays = {c.id for c in fewer.contacts}
    gains = {}
    for id in near[:TRIED_BACK]:
        more = supports.without(set(supports.contact) - stays - {id}).sized({c.id: c.diameter_mm for c in fewer.contacts})
        tug = before.part_pulls.tug(touches(more, bench.supports, 0, 0.0, 0.0), by_cause=False)
        unheld = tug.shared.unheld_n[tug.shared.unheld_n > SPECK_PULL_N].sum()
        shaky = np.maximum(tug.shared.unsteady - np.maximum(before.unsteady, UNSTEADY), 0.0).sum()
        gains[id] = (round(float(unheld), 4), round(float(shaky), 4), -round(float(tug.tip_margin.min(initial=np.inf)), 4))
    return sorted(gains, key=lambda id: (gains[id], near.index(id))) + near[TRIED_BACK:]


def _stout_there(made: Supports, weak: _Weak) -> set[str]:
    """The contacts that what hangs unsteadily hangs on, which stay as thick as they were."""
    assert weak.spot_mm is not None
    away = {c.id: float(np.linalg.norm(c.spot_mm - weak.spot_mm)) for c in made.contacts if c.z_mm <= weak.by_mm}
    return {id for id, mm in away.items() if mm <= STOUT_MM}


def weak_spot(fewer: Supports, before: Loads, after: Loads, hold: float, layer_mm: float, rim_mm: float) -> _Weak | None:
    """Where more is wanted: where a piece hangs on nothing that was held before, at a tip of what hangs less steadily, or at the
    weakest tip; None where all holds. By its rim a tip meets a slope lower than by its axis, and so is there the sooner."""
    adrift = newly_adrift(before.unheld_n, after.unheld_n)
    if adrift.any():
        held = touches(fewer, after.part_pulls.bench.supports, 0, 0.0, 0.0)
        tug, first = after.part_pulls.tug(held, by_cause=False), int(adrift.argmax())
        at = first_adrift(tug.shared, tug.pulls, tug.hanging, np.where(adrift, SPECK_PULL_N, np.inf))
        if at is not None:
            return _Weak(np.array([*at, first * layer_mm]), (first + 1) * layer_mm + rim_mm, True)
    weak, layer = _shaky_tip(before, after)
    shaky = weak >= 0
    if weak < 0 and least(after.tip_margin) < NEARLY_HOLDS * hold:
        weak = int(after.tip_margin.argmin())
        layer = int(after.tip_worst_layer[weak])
    return _Weak(fewer.contacts[weak].spot_mm, (layer + 1) * layer_mm + rim_mm, shaky) if weak >= 0 else None


def newly_adrift(before_n: NDArray[np.float64], after_n: NDArray[np.float64]) -> NDArray[np.bool_]:
    """In which layers something hangs on nothing that did not before, (layers of `after_n`,), from the pulls on what does.

    A piece that hung on nothing in one layer was lost by that: it may do so in those before and after.
    """
    adrift, was = after_n > SPECK_PULL_N, np.zeros(len(after_n), bool)
    layers = min(len(after_n), len(before_n))
    was[:layers] = before_n[:layers] > SPECK_PULL_N
    run = np.cumsum(np.diff(adrift, prepend=False) & adrift)
    return np.asarray(adrift & ~np.isin(run, run[adrift & was]))


def _shaky_tip(before: Loads, after: Loads) -> tuple[int, int]:
    """Number of a tip of what hangs less steadily than before, and too much so, and in which layer; -1 where nothing does."""
    layers = min(len(before.unsteady), len(after.unsteady))
    worse = after.unsteady[:layers] - np.maximum(before.unsteady[:layers], UNSTEADY)
    at = int(worse.argmax()) if len(worse) else 0
    return (int(after.unsteady_tip[at]), at) if len(worse) and worse[at] > SLACK else (-1, 0)


def sized_anew(supports: Supports, trial: Trial) -> tuple[Supports, Loads]:
    """Tips of the size that their loads ask for, and what they bear then."""
    supports = _resized(supports, trial.borne(supports), trial.bench)
    return supports, trial.borne(supports)


def _resized(supports: Supports, borne: Loads, bench: Bench, thinner: bool = True) -> Supports:
    """Tips of the size that what they bear asks for: fitted once where they may get thinner, after that they only grow."""
    return _shared_out(refitted(supports, borne, bench) if thinner else supports, borne, bench)


def sized_for(supports: Supports, borne: Loads, bench: Bench, only_grow: bool) -> tuple[Supports, list[int], bool]:
    """Tips of the size that what they bear asks for, and what sharing it anew between them does; the numbers of those that wanted
    company before that, and whether any grew."""
    supports, wanting, grown = sized(supports, borne, bench, only_grow)
    return _shared_out(supports, borne, bench) if grown else supports, wanting, grown


def _shared_out(supports: Supports, borne: Loads, bench: Bench) -> Supports:
    """Tips grown to their shares of what is borne until none grows: sizes change shares, but hardly what pulls."""
    for _ in range(RESIZING_ROUNDS):
        supports, _, grown = sized(supports, shared(supports, borne, bench), bench, True)
        if not grown:
            break
    return supports


def shared(supports: Supports, borne: Loads, bench: Bench) -> Loads:
    """What tips would bear of the pulls that others bore."""
    return borne.held_as(borne.part_pulls.tug(touches(supports, bench.supports, 0, 0.0, 0.0)))


def finer_by(supports: Supports, fine: Loads, rough: Loads) -> dict[str, float]:
    """How many times as great as on coarser layers the margin of each tip is on the printed ones, by contact."""
    with np.errstate(invalid="ignore", divide="ignore"):
        ratio = fine.tip_margin / rough.tip_margin
    ratio = np.where(np.isfinite(ratio), ratio, 1.0).clip(1 / MOST_FINER, MOST_FINER)
    return {c.id: float(r) for c, r in zip(supports.contacts, ratio, strict=True)}


def tried_on(supports: Supports, trial: Trial) -> Loads:
    """Loads on layers as coarse as tell the weakest margin nearly as well: tips are tried on them many times."""
    borne = trial.borne(supports)
    for coarser in COARSER:
        rough = trial.borne(supports, coarser)
        if abs(least(rough.tip_margin) / max(least(borne.tip_margin), 1e-9) - 1) < NEARLY:
            return rough
    return borne
