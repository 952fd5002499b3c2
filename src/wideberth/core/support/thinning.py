"""Thinning: tips that the others can do without go, the dearest to finish first, and what takes over grows to its new load."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, HouseRules, mark_min
from wideberth.core.layers import Printed, Touch
from wideberth.core.loads import SPECK_PULL_N, Loads, OneOther, Others, Tug, Undersides, others, sag_of, second_touches
from wideberth.core.progress import Progress
from wideberth.core.support.graph import Supports
from wideberth.core.support.need import NeedKind
from wideberth.core.support.sizes import allowed_mm, fitting_mm, most_mm2, needed_mm
from wideberth.core.support.solids import resized, touches, without_touch

Values = NDArray[np.float64]
STAYS = (NeedKind.BY_HAND, NeedKind.FINDING)
"""Whoever set these had a reason that the loads do not tell."""
AIM = 1.05
"""Of the margin to reach: what is tried on coarser layers may hold a little less on the printed ones."""
UNSTEADY = 1.0
ROWS_THAT_SHOW = 2.0
"""Sections of less than so many rows squared are cusps."""
SLACK = 1e-6
LEAST_TIPS = 3
"""What hangs on fewer is steady by the loads alone, and by nothing else."""
OFF_MM = 0.0137
"""Places are told apart by tenths of a millimetre, off those on which symmetric parts have theirs: order must not hang on
rounding."""


@dataclass(frozen=True, eq=False)
class Asked:
    """What a part asks of its tips, whatever tips it stands on.

    printed : the part on all its tips, as finely as its beginnings want. borne : its loads, on coarser layers, for what is tried
    many times. under : its undersides. times : how many times as long as on a usual face a mark takes, by the id of a contact,
    or of a post that stands on the part. finer : how many times as great as on the coarser layers a tip's margin is on the
    printed ones, by contact.
    """

    printed: Printed
    borne: Loads
    under: Undersides
    bench: Bench
    times: dict[str, float]
    finer: dict[str, float]

    def margins(self, tug: Tug) -> Values:
        """Least margin of each tip, as it would be on the printed layers, (tips,)."""
        finer = np.array([self.finer.get(t.contact, 1.0) for t in tug.printed.touches])
        return np.asarray(tug.tip_margin.min(axis=0, initial=np.inf) * finer)

    def weakest(self, tug: Tug) -> float:
        """The least margin of all tips, 0 where nothing hangs on them; what hangs on nothing is counted elsewhere."""
        weakest = float(self.margins(tug).min(initial=np.inf))
        return 0.0 if np.isinf(weakest) else weakest

    def fitting_mm(self, tug: Tug) -> Values:
        """Diameters within the allowed sizes for what tips carry, (tips,)."""
        return fitting_mm(self._finely_n(tug, np.arange(len(tug.printed.touches))), tug.tips, self.bench)

    def fitting_if_any_mm(self, tug: Tug) -> Values | None:
        """The same; None where one would have to be thicker than allowed."""
        needed = needed_mm(self._finely_n(tug, np.arange(len(tug.printed.touches))), tug.tips, self.bench)
        return None if (needed > self.bench.supports.largest_tip_mm).any() else allowed_mm(needed, tug.tips, self.bench)

    def too_weak(self, tug: Tug, which: NDArray[np.int64]) -> bool:
        """Whether one of some tips, by number, would have to be thicker than allowed for what it carries."""
        needed = needed_mm(self._finely_n(tug, which), tug.tips.only(which), self.bench)
        return bool((needed > self.bench.supports.largest_tip_mm).any())

    def _finely_n(self, tug: Tug, which: NDArray[np.int64]) -> Values:
        """Loads on some tips, by number, as they would be on the printed layers, (layers, which)."""
        finer = np.array([self.finer.get(tug.printed.touches[n].contact, 1.0) for n in which])
        return np.asarray(tug.tip_load_n[:, which] / finer)

    def fitted(self, supports: Supports) -> Supports:
        """Supports with each tip as thin as its load asks for."""
        fitting = self.fitting_mm(self.tug(touches(supports, self.bench.supports, 0, 0.0, 0.0)))
        return supports.sized({c.id: round(float(d), 3) for c, d in zip(supports.contacts, fitting, strict=True)})

    def minutes(self, supports: Supports) -> float:
        """See `minutes_to_finish`."""
        return minutes_to_finish(supports, self.times, self.bench.house)

    def minutes_of(self, contact: str, supports: Supports) -> float:
        """To finish the mark of a contact, and that of its foot where it stands on the part."""
        post = supports.routes[contact].post
        foot = supports.feet_on_part.get(post)
        return self._minutes(contact, supports.contact[contact].diameter_mm) + (self._minutes(post, foot) if foot else 0.0)

    def _minutes(self, id: str, diameter_mm: float) -> float:
        return self.times.get(id, 1.0) * float(mark_min(np.array(diameter_mm), self.bench.house))

    def tug(self, held: tuple[Touch, ...]) -> Tug:
        """How tips share the pulls."""
        return self.borne.part_pulls.tug(held, by_cause=False)

    def could_bear_mm2(self, tug: Tug) -> dict[str, float]:
        """Load over strength up to which tips need not be thicker than allowed, by contact, whatever size they have."""
        could = most_mm2(tug.tips, self.bench)
        return {t.contact: float(c) * self.finer.get(t.contact, 1.0) for t, c in zip(tug.printed.touches, could, strict=True)}

    def overloads(
        self, tug: Tug, least: float, most: int = 0, could_mm2: dict[str, float] | None = None, instead: Others | None = None
    ) -> Callable[[str], bool]:
        """Tells of each contact whether for sure more than `most` tips hold less than `least` without it, or with what is there
        `instead`: as many, of which one is tried; or whether one of them could not bear as much then: see `could_bear_mm2`.
        """
        held = tug.printed.touches
        other, number = OneOther(tug, instead), {touch.contact: n for n, touch in enumerate(held)}
        finer = np.array([self.finer.get(touch.contact, 1.0) for touch in held])
        could = None if could_mm2 is None else np.array([could_mm2[touch.contact] for touch in held])
        return lambda contact: other.overloads(number[contact], least / finer, most, could)

    def neck_margin(self, tug: Tug) -> float:
        """Least margin of the part's own necks, no more than what is worth no word."""
        part, grid = tug.printed.part_sections, tug.printed.part.grid
        shows = part.area_mm2 >= (ROWS_THAT_SHOW * grid.pitch_mm) ** 2
        margin = tug.neck_strength_n_per_mm2 / np.maximum(tug.necks.stress_n_per_mm2, 1e-9)
        return min(float(margin[shows].min(initial=np.inf)), self.bench.house.margin_note)

    def gives_mm(self, held: tuple[Touch, ...]) -> float:
        """Sum of what undersides give beyond one layer between tips."""
        pull, stiff = self._sheets
        sag = sag_of(self.under, held, pull, self.bench, stiff, grouped=False)
        return float(np.maximum(np.maximum(sag.sag_mm, sag.curl_mm) - self.bench.print.layer_height_mm, 0.0).sum())

    @cached_property
    def _sheets(self) -> tuple[Values, Values]:
        """Peel over area of each printed layer, and how stiff its sheet is over what is stated, (layers,) each."""
        t, grid = self.bench.print.layer_height_mm, self.borne.part_pulls.printed.part.grid
        heights, at = np.arange(0.5 * t, grid.layers * grid.layer_mm + t, t), grid.z_of(np.arange(grid.layers))
        pull = self.borne.peel_n / np.maximum(self.borne.area_mm2, 1e-9)
        return np.interp(heights, at, pull), np.interp(heights, at, self.borne.sheet_stiff)

    def alone_under(self, held: tuple[Touch, ...]) -> set[str]:
        """Contacts that are the only ones under a beginning in mid-liquid, by their middle or their rim."""
        printed = self.printed.with_touches(held)
        again, second = second_touches(printed, self.printed.touches)
        begins, component = set(printed.islands.tolist()), [*printed.touched.tolist(), *second.tolist()]
        holders = [*held, *(held[n] for n in again)]
        return {t.contact for t, c in zip(holders, component, strict=True) if c in begins and component.count(c) == 1}


def minutes_to_finish(supports: Supports, times: dict[str, float], house: HouseRules) -> float:
    """The marks of all contacts, and of feet on the part. times : as in `Asked`."""
    marks = [(c.id, c.diameter_mm) for c in supports.contacts] + list(supports.feet_on_part.items())
    longer = np.array([times.get(id, 1.0) for id, _ in marks])
    return float((longer * mark_min(np.array([thick for _, thick in marks]), house)).sum())


class Order(StrEnum):
    """Which tips are asked first whether the others can do without them."""

    DEAREST = "dearest to finish"
    IDLEST = "least loaded"
    HIGHEST = "highest"
    LOWEST = "lowest"
    CROWDED = "nearest to others"


MOST_TAKE_OVER = {Order.DEAREST: 12, Order.IDLEST: 4, Order.HIGHEST: 12, Order.LOWEST: 12, Order.CROWDED: 12}
"""When more tips would have to grow for one that goes, it carries its share. The orders end apart, and the better end is kept."""
NEIGHBOURS = 3
"""So many of the nearest tell how crowded a tip is."""


def thinned(supports: Supports, asked: Asked, progress: Progress, order: Order, stands: Callable[[Supports], bool]) -> Supports:
    """Supports less what the others can do without.

    A tip may go when every other still holds its share with the wanted margin, if need be a little thicker, as long as that is
    quicker to finish all in all; when no beginning loses its only tip, no underside gives more, nothing hangs less steadily and
    the rest `stands`.
    Pinned ones stay, and those that were set by hand or for a finding.
    """
    settings = asked.bench.supports
    held = touches(supports, settings, 0, 0.0, 0.0)
    alone, now = asked.alone_under(held), asked.tug(held)
    bounds = Bounds.of(held, asked, now)
    first = _first_by(order, supports, asked, now)

    asked_for = sorted(
        (c for c in supports.contacts if not c.pinned and c.need.kind not in STAYS and c.id not in alone),
        key=lambda c: (first[c.id], *(-round(v + OFF_MM, 1) for v in (c.z_mm, c.x_mm, c.y_mm))),
    )
    most = MOST_TAKE_OVER[order]
    could = asked.could_bear_mm2(now)
    overloads = asked.overloads(now, bounds.least, most, could)
    for number, contact in enumerate(asked_for):
        progress.at(number / len(asked_for), "thinning out what idles")
        if len(held) <= LEAST_TIPS or contact.id in alone or overloads(contact.id):
            continue
        rest = without_touch(held, contact.id)
        tug = asked.tug(rest)
        grown = _taken_over(rest, tug, asked, bounds, most)
        if grown is None or any(supports.contact[id].pinned for id in grown):
            continue
        fewer, rest = supports.without((contact.id,)).sized(grown), resized(rest, grown)
        if asked.minutes(fewer) < asked.minutes(supports) and stands(fewer) and bounds.hold(rest, asked, None if grown else tug):
            supports, held = fewer, rest
            alone |= asked.alone_under(held)
            overloads = asked.overloads(asked.tug(held) if grown else tug, bounds.least, most, could)
    return supports


def _first_by(order: Order, supports: Supports, asked: Asked, now: Tug) -> dict[str, float]:
    """How late each contact is asked, by its id."""
    ids = [c.id for c in supports.contacts]
    if order is Order.DEAREST:
        return {id: -round(asked.minutes_of(id, supports), 1) for id in ids}
    if order is Order.IDLEST:
        load = now.tip_load_n.max(axis=0, initial=0.0)
        return {id: round(float(n), 2) for id, n in zip(ids, load, strict=True)}
    spots = np.array([c.spot_mm for c in supports.contacts])
    if order is Order.CROWDED:
        away = np.sort(np.linalg.norm(spots[:, None] - spots[None], axis=2), axis=1)[:, 1 : NEIGHBOURS + 1].mean(axis=1)
        return {id: round(float(mm), 1) for id, mm in zip(ids, away, strict=True)}
    upward = 1.0 if order is Order.LOWEST else -1.0
    return {id: round(upward * float(z), 1) for id, z in zip(ids, spots[:, 2], strict=True)}


@dataclass(frozen=True, eq=False)
class Bounds:
    """What tips have to keep up to, whichever they are: least margin, unsteadiness and what hangs on nothing by layer, what
    undersides give, and the margin of necks."""

    least: float
    steady: Values
    unheld_n: Values
    gives_mm: float
    necks: float

    @classmethod
    def of(cls, held: tuple[Touch, ...], asked: Asked, tug: Tug | None = None) -> Bounds:
        """As good as tips are now, but no more than is wanted; `tug` : theirs, where it is known already."""
        now = tug or asked.tug(held)
        return cls(
            min(AIM * asked.bench.supports.wanted_margin, asked.weakest(now)),
            np.maximum(now.shared.unsteady, UNSTEADY),
            np.maximum(now.shared.unheld_n, SPECK_PULL_N),
            asked.gives_mm(held),
            asked.neck_margin(now),
        )

    def loosens(self, tug: Tug) -> bool:
        """Whether more hangs on nothing in some layer than may."""
        return bool((tug.shared.unheld_n > self.unheld_n + SLACK).any())

    def hold(self, held: tuple[Touch, ...], asked: Asked, tug: Tug | None = None) -> bool:
        """Whether tips keep up to all of it; `tug` : theirs, where it is known already."""
        tug = tug or asked.tug(held)
        holds = asked.weakest(tug) >= self.least - SLACK and not self.loosens(tug)
        holds &= bool((tug.shared.unsteady <= self.steady + SLACK).all())
        return holds and asked.neck_margin(tug) >= self.necks - SLACK and asked.gives_mm(held) <= self.gives_mm + SLACK


def slimmed(supports: Supports, asked: Asked) -> Supports:
    """Supports with each tip, the dearest to finish first, as thin as its load asks for, where all of them still hold as well."""
    settings = asked.bench.supports
    held = touches(supports, settings, 0, 0.0, 0.0)
    tug = asked.tug(held)
    bounds = Bounds.of(held, asked, tug)
    fitting = [round(float(d), 3) for d in asked.fitting_mm(tug)]
    thinnest = others(tuple(replace(touch, diameter_mm=d) for touch, d in zip(held, fitting, strict=True)), tug)
    free = [n for n, c in enumerate(supports.contacts) if not c.pinned and c.need.kind not in STAYS]
    overloads = asked.overloads(tug, bounds.least - SLACK, instead=thinnest)
    for n in sorted(free, key=lambda n: (-supports.contacts[n].diameter_mm, n)):
        contact = supports.contacts[n]
        if fitting[n] >= contact.diameter_mm or overloads(contact.id):
            continue
        size = {contact.id: fitting[n]}
        tug = asked.tug(thinner := resized(held, size))
        if bounds.hold(thinner, asked, tug):
            supports, held = supports.sized(size), thinner
            overloads = asked.overloads(tug, bounds.least - SLACK, instead=thinnest)
    return supports


def _taken_over(rest: tuple[Touch, ...], tug: Tug, asked: Asked, bounds: Bounds, most: int) -> dict[str, float] | None:
    """What tips of the rest have to grow to for what they take over, by contact; None where more than `most` have to, where one
    would have to be thicker than allowed, or where something hangs on nothing."""
    margins = asked.margins(tug)
    weak = np.flatnonzero(margins < bounds.least)
    if bounds.loosens(tug) or not np.isfinite(margins).any():
        return None
    if len(weak) == 0:
        return {}
    if len(weak) > most or asked.too_weak(tug, weak):
        return None
    fitting = asked.fitting_mm(tug)
    return {rest[n].contact: round(float(max(fitting[n], rest[n].diameter_mm)), 3) for n in weak}


def refitted(supports: Supports, borne: Loads, bench: Bench) -> Supports:
    """Tips of the size that their load asks for, thinner ones too; pinned ones, and those set by hand, stay as they are."""
    size = fitting_mm(borne.tip_load_n, borne.tips, bench)
    free = [not c.pinned and c.need.kind not in STAYS for c in supports.contacts]
    sized = supports.sized({c.id: round(float(d), 3) for c, d, f in zip(supports.contacts, size, free, strict=True) if f})
    loads = borne.tip_load_n.max(axis=0, initial=0.0)
    needs = {c.id: replace(c.need, carries_n=max(float(n), 0.0)) for c, n in zip(supports.contacts, loads, strict=True)}
    return sized.needed_for(needs)
