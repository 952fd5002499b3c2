"""Prints moved by hand: chosen, dragged, turned, brought in line, pinned, copied and taken off, each as one change."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import lru_cache

import numpy as np
from PySide6.QtCore import QObject, Signal

from wideberth.core.errors import WideBerthError
from wideberth.core.job import Job, Placed, Placement, on_other_plate, without_prints
from wideberth.core.plate import (
    Boxes,
    Footprint,
    Line,
    Outline,
    Stance,
    Stood,
    evenly_spread,
    in_line,
    moved_outline,
    touch,
    turned_outline,
)
from wideberth.core.predict import PartSolids, stance_of
from wideberth.core.propose import propose_more
from wideberth.desktop.session import Session
from wideberth.desktop.steps.plate.facts import PlateFacts
from wideberth.desktop.words import count

ROW_MM = 0.1
"""Places are whole rows from the plate's middle, so that what was seen of a part by itself holds on the plate too."""
KEPT, KEPT_TURNED = 1024, 32


class Hands(QObject):
    """Signals: chosen_changed (others are chosen), lifted (what is dragged is elsewhere now).

    chosen : ids of placements on the plate that is shown, the last one chosen last. in_hand : where prints that are being dragged
    or turned would stand, by their id; empty when none is. may_touch : whether they may be set down where they touch others.
    """

    chosen_changed = Signal()
    lifted = Signal()

    def __init__(self, session: Session, facts: PlateFacts) -> None:
        super().__init__()
        self.session, self.facts = session, facts
        self._chosen: tuple[str, ...] = ()
        self.in_hand: dict[str, Placement] = {}
        self.blocked: frozenset[str] = frozenset()
        """Prints that what is in hand would touch where it is."""
        self.may_touch = False
        self._free: dict[str, Placement] = {}
        self._others: list[tuple[str, Outline]] = []
        """Where the prints stand that are not in hand, by their id."""
        self._stood = lru_cache(KEPT)(Stood)
        self._turned = lru_cache(KEPT_TURNED)(turned_outline)
        session.document.changed.connect(self._follow)
        session.selection.part_chosen.connect(self._choose_of_part)
        session.selection.plate_chosen.connect(lambda _: self.choose(()))

    # what stands there

    @property
    def job(self) -> Job:
        return self.session.job

    @property
    def plate(self) -> str:
        """Id of the plate that is shown."""
        return self.session.selection.plate_shown

    @property
    def placed(self) -> tuple[Placed, ...]:
        """Prints on the plate that is shown."""
        return self.job.placed(self.plate)

    def placement(self, id: str) -> Placement:
        """Where a print stands, or would stand while it is in hand."""
        return self.in_hand.get(id) or {p.placement.id: p.placement for p in self.placed}[id]

    @property
    def chosen(self) -> tuple[str, ...]:
        """Prints that are chosen, of those that stand there now: the job may have changed since."""
        there = {p.placement.id for p in self.placed}
        return tuple(id for id in self._chosen if id in there)

    def stood(self, placement: Placement) -> Stood | None:
        """What a print covers where it stands; while its outlines are not known its box, as it stood when it was last predicted.
        None where that is not known either."""
        footprint = self.facts.footprints.get(placement.part)
        if footprint is not None:
            return self._stood(footprint, stance_of(placement))
        seen = self.session.prediction
        solids = () if seen is None else seen.solids
        home = next((s.at_home for s in solids if s.placed.placement.id == placement.id), None)
        return None if home is None else Stood(_box(home), Stance(placement.x_mm, placement.y_mm))

    # choosing

    def choose(self, ids: Iterable[str]) -> None:
        """Choose prints of the plate that is shown; the part of the last one is the chosen part."""
        there = {p.placement.id: p.part.id for p in self.placed}
        self._chosen = tuple(dict.fromkeys(i for i in ids if i in there))
        self.chosen_changed.emit()
        if self._chosen and there[self._chosen[-1]] != self.session.selection.part:
            self.session.selection.choose_part(there[self._chosen[-1]])

    def _choose_of_part(self, part: str) -> None:
        """Where a part is chosen elsewhere, its first print here."""
        own = [p.placement.id for p in self.placed if p.part.id == part]
        if own and not set(own) & set(self.chosen):
            self.choose(own[:1])

    def _follow(self) -> None:
        self.in_hand = {}
        self.blocked = frozenset()
        self.choose(self.chosen)
        if not self.chosen:
            self._choose_of_part(self.session.selection.part)

    @property
    def _movable(self) -> list[Placement]:
        return [p for p in map(self.placement, self.chosen) if not p.pinned]

    # dragging

    def lift(self) -> bool:
        """Take the chosen prints in hand, without the pinned ones; whether there are any."""
        self.in_hand = {p.id: p for p in self._movable}
        self._free = dict(self.in_hand)
        self._stand_aside(self.in_hand)
        if self.chosen and not self.in_hand:
            self.session.messages.say("pinned: it stays where it is")
        return bool(self.in_hand)

    def carry(self, x_mm: float, y_mm: float) -> None:
        """Hold what is in hand so far from where it stood."""
        stood = {p.placement.id: p.placement for p in self.placed}
        self._hold({i: _moved(stood[i], x_mm, y_mm) for i in self.in_hand if i in stood})

    def swing(self, by_deg: float) -> None:
        """Hold what is in hand turned by so much about its own places."""
        stood = {p.placement.id: p.placement for p in self.placed}
        held = {i: stood[i] for i in self.in_hand if i in stood}
        self._hold({i: replace(p, turn_deg=round((p.turn_deg + by_deg) % 360, 4)) for i, p in held.items()})

    def _hold(self, held: dict[str, Placement]) -> None:
        self.in_hand = held
        self.blocked = self._touching(held)
        if not self.blocked:
            self._free = dict(held)
        self.lifted.emit()

    def _touching(self, held: Mapping[str, Placement]) -> frozenset[str]:
        """Prints that some would touch, of those that are not in hand."""
        found = set()
        for placement in held.values():
            own = self._outline(placement)
            found |= {id for id, outline in self._others if own is not None and touch(own, outline)}
        return frozenset(found)

    def _stand_aside(self, held: Iterable[str]) -> None:
        """Note where all prints stand but some."""
        aside = set(held)
        others = [(p.placement.id, self._outline(p.placement)) for p in self.placed if p.placement.id not in aside]
        self._others = [(id, outline) for id, outline in others if outline is not None]

    def _outline(self, placement: Placement) -> Outline | None:
        """Cells that a print covers where it stands; None while they are not known."""
        footprint = self.facts.footprints.get(placement.part)
        if footprint is None:
            return None
        turned = self._turned(footprint.outline, placement.turn_deg, placement.mirrored)
        return moved_outline(turned, placement.x_mm, placement.y_mm)

    def set_down(self, label: str) -> None:
        """Let what is in hand stand where it is; where it would touch another, at the last place where it did not."""
        blocked = bool(self.blocked) and not self.may_touch
        standing = self._free if blocked else self.in_hand
        job = self.job
        for placement in standing.values():
            job = job.with_placement(placement)
        self.in_hand, self.blocked = {}, frozenset()
        if job != self.job:
            self.session.document.change(label, job)
        self.lifted.emit()
        if blocked:
            self.session.messages.say("set down where it last stood free; with Ctrl held, prints may touch")

    def let_go(self) -> None:
        """Put what is in hand back where it stood."""
        self.in_hand, self.blocked = {}, frozenset()
        self.lifted.emit()

    # by keys and buttons

    def nudge(self, x_mm: float, y_mm: float) -> None:
        """Move the chosen prints a little, unless they would touch another."""
        if self.lift():
            self.carry(x_mm, y_mm)
            self.set_down(f"move {self._names()}")

    def turn(self, by_deg: float) -> None:
        """Turn the chosen prints, each about its own place, unless they would touch another."""
        if self.lift():
            self.swing(by_deg)
            self.set_down(f"turn {self._names()} by {by_deg:g}° on the plate")

    def align(self, line: Line) -> None:
        """Bring the chosen prints in line; pinned ones stay, and so does what would touch another."""
        self._shift(lambda boxes: in_line(boxes, line), f"{line} of {self._names()} in line")

    def spread(self, axis: int) -> None:
        """Make the gaps between the chosen prints equal along an axis."""
        if len(self.chosen) < 3:
            self.session.messages.say("choose three or more prints to spread them evenly")
            return
        self._shift(lambda boxes: evenly_spread(boxes, axis), f"spread {self._names()} evenly")

    def _shift(self, shifts_of, label: str) -> None:  # type: ignore[no-untyped-def]
        known = {i: stood for i in self.chosen if (stood := self.stood(self.placement(i))) is not None}
        ids = list(known)
        if len(ids) < 2:
            self.session.messages.say("choose two or more prints: a drag over the plan, or Shift and a click")
            return
        boxes: Boxes = np.stack([stood.box_mm for stood in known.values()])
        held = {}
        for id, (x, y) in zip(ids, shifts_of(boxes).tolist(), strict=True):
            placement = self.placement(id)
            if not placement.pinned:
                held[id] = _moved(placement, x, y)
        self._stand_aside(held)
        if clashes := self._touching(held) | self._among(held):
            names = [p.name for p in self.placed if p.placement.id in clashes]
            self.session.messages.say(f"not moved: they would touch {', '.join(names)}")
            return
        job = self.job
        for placement in held.values():
            job = job.with_placement(placement)
        if job != self.job:
            self.session.document.change(label, job)

    def _among(self, held: Mapping[str, Placement]) -> frozenset[str]:
        """Those of some prints that would touch another of them."""
        outlines = {i: o for i, p in held.items() if (o := self._outline(p)) is not None}
        return frozenset(i for i, one in outlines.items() for j, other in outlines.items() if i != j and touch(one, other))

    def pin(self, pinned: bool) -> None:
        """Let the chosen prints stay where they are when others are arranged, or not."""
        job = self.job
        for id in self.chosen:
            job = job.with_placement(replace(self.placement(id), pinned=pinned))
        if job != self.job:
            self.session.document.change(f"{'pin' if pinned else 'free'} {self._names()}", job)

    def take_off(self) -> None:
        """Take the chosen prints off the plate; the last print of a part stays."""
        if self.chosen:
            self._try(f"take {self._names()} off", lambda: without_prints(self.job, self.chosen))

    def to_plate(self, plate: str) -> None:
        """Put the chosen prints on another plate."""
        if self.chosen:
            name = self.job.plate(plate).name
            self._try(f"move {self._names()} to {name}", lambda: on_other_plate(self.job, self.chosen, plate))

    def one_more(self) -> None:
        """One more print of the chosen part, where there is room nearest to the middle."""
        job, part, plate, stages = self.job, self.session.selection.part, self.plate, self.session.stages
        if part:
            self.session.proposing.propose("looking for room", lambda p: propose_more(job, stages, [part], plate, 1, p))

    def _try(self, label: str, change) -> None:  # type: ignore[no-untyped-def]
        try:
            self.session.document.change(label, change())
        except WideBerthError as error:
            self.session.messages.warn(error.text)

    def _names(self) -> str:
        names = [p.name for p in self.placed if p.placement.id in self.chosen]
        return names[0] if len(names) == 1 else count(len(names), "print")


def _box(home: PartSolids) -> Footprint:
    """The box of a print, as it is turned, in place of its outlines."""
    (x0, y0), (x1, y1) = home.low[:2], home.high[:2]
    ring = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])
    return Footprint((ring,), (), Outline(np.zeros((1, 0, 0), bool), (0, 0)))


def _moved(placement: Placement, x_mm: float, y_mm: float) -> Placement:
    """A print moved, to whole rows."""
    x, y = (round(round((at + by) / ROW_MM) * ROW_MM, 6) for at, by in ((placement.x_mm, x_mm), (placement.y_mm, y_mm)))
    return replace(placement, x_mm=x, y_mm=y)
