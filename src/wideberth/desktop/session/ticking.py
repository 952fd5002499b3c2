"""The checklist of the plate that is shown: what is ticked, which timers run, and what a tick means for vat and station."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, QThreadPool, QTimer, Signal

from wideberth.core.plan import NO_TICKS, Item, TickFile, Ticks, key_of
from wideberth.core.shelf import stirred
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.session.planning import Planning
from wideberth.desktop.session.predicting import Predicting
from wideberth.desktop.session.shelving import Shelving
from wideberth.desktop.session.washing import Washing
from wideberth.desktop.work import Task

SECOND_MS, WAIT_MS = 1000, 3000
Line = tuple[str, str]
"""A line of a list: the plate's id, and its key."""


class Ticking(QObject):
    """Signals: changed (something else is ticked, or a timer runs on), rang (a timer is over).

    Ticks of a saved job outlive the program: a run takes longer than a window is open.
    """

    changed = Signal()
    rang = Signal()

    def __init__(
        self,
        document: Document,
        predicting: Predicting,
        planning: Planning,
        shelving: Shelving,
        washing: Washing,
        messages: Messages,
    ) -> None:
        super().__init__()
        self._document, self._predicting, self._planning = document, predicting, planning
        self._shelving, self._washing, self._messages = shelving, washing, messages
        self.folder: Path | None = None
        self.clock: Callable[[], datetime] = lambda: datetime.now(UTC)
        self.on_station = False
        """Whether timers of wash and cure run on the station."""
        self._lists: dict[str, Ticks] = {}
        self._plate = ""
        self._rung: set[Line] = set()
        self._at_station: Line | None = None
        self._begun_there = False
        self._stirred_before: datetime | None = None
        self._threads = QThreadPool(self)
        self._threads.setMaxThreadCount(1)  # so that what is written last is what stays
        self._beat = QTimer(self)
        self._beat.setInterval(SECOND_MS)
        self._beat.timeout.connect(self.look)
        planning.planned.connect(self._follow)
        document.replaced.connect(self._forget)
        document.filed.connect(lambda *_: self._write(*self._lists))
        washing.moved.connect(self._hear_station)

    @property
    def ticks(self) -> Ticks:
        """Of the plate that is shown."""
        return self._lists.get(self._plate, NO_TICKS)

    def has(self, phase: str, item: Item) -> bool:
        """Whether a line is ticked."""
        return key_of(phase, item.key) in self.ticks.at

    def left_s(self, phase: str, item: Item) -> float | None:
        """Until a line's timer rings, 0 for one that is over; None for one that was not started."""
        key, now = key_of(phase, item.key), self._washing.now
        if (self._plate, key) == self._at_station and now is not None:
            return now.left_s if self._at_station not in self._rung else 0.0
        rings = self.ticks.rings.get(key)
        return None if rings is None else max((rings - self.clock()).total_seconds(), 0.0)

    # what hands do

    def tick(self, phase: str, item: Item, on: bool = True) -> None:
        """Tick a line, or take its tick back. That the resin was stirred is told to the vat."""
        key = key_of(phase, item.key)
        self._become(self.ticks.ticked(key, self.clock()) if on else self.ticks.unticked(key))
        if (self._plate, key) == self._at_station:
            self._at_station = None
        if item.key == "stirred" and not self._shelving.vat.is_empty:
            self._tell_vat(on)

    def _tell_vat(self, on: bool) -> None:
        """That its resin was stirred, or not after all: then it is as it was before the tick."""
        printer, now = self._document.job.bench.printer.name, self._shelving.clock()
        if on:
            self._stirred_before = self._shelving.vat.stirred
        at = now if on else self._stirred_before
        self._shelving.do(lambda shelf: stirred(shelf, printer, at), "the vat: stirred just now" if on else "")

    def start(self, phase: str, item: Item) -> None:
        """Start a line's timer, on the station where it is one of its own and that is wanted."""
        if item.timer_min is None:
            return
        key, seconds = key_of(phase, item.key), 60 * item.timer_min
        self._rung.discard((self._plate, key))
        if self.on_station and item.station:
            self._at_station, self._begun_there = (self._plate, key), False
            self._washing.run(item.station, seconds)
        else:
            self._become(self.ticks.timed(key, self.clock() + timedelta(seconds=seconds)))
        self._beat.start()

    def begin_anew(self) -> None:
        """Another run: nothing is ticked."""
        self._rung = {line for line in self._rung if line[0] != self._plate}
        if self._at_station is not None and self._at_station[0] == self._plate:
            self._at_station = None
        self._become(NO_TICKS)

    def look(self) -> None:
        """Ring what is over, on whichever plate."""
        now, pending = self.clock(), False
        for line, rings in [((plate, key), at) for plate, ticks in self._lists.items() for key, at in ticks.rings.items()]:
            if rings > now:
                pending = True
            elif line not in self._rung:
                self._rung.add(line)
                self.rang.emit()
        if not pending:
            self._beat.stop()
        self.changed.emit()

    def end(self) -> None:
        """Let what is being written be written, before the window goes."""
        self._beat.stop()
        self._threads.waitForDone(WAIT_MS)

    # what is kept

    def _become(self, ticks: Ticks) -> None:
        self._lists[self._plate] = ticks
        self._write(self._plate)
        self.changed.emit()

    def _write(self, *plates: str) -> None:
        path = self._document.path
        for plate in plates:
            if path is not None:
                file, ticks = TickFile(path, plate, self.folder), self._lists[plate]
                Task(lambda _, f=file, t=ticks: f.write(t), when_failed=self._messages.say).start(self._threads)

    def _forget(self) -> None:
        self._lists, self._plate, self._rung, self._at_station = {}, "", set(), None
        self._beat.stop()
        self.changed.emit()

    def _follow(self) -> None:
        """Another plate may be shown: its list is read, where a saved job has one."""
        known, path, job = self._planning.known, self._document.path, self._document.job
        if known is None:
            return
        plate = job.plate(self._predicting.plate).id
        if plate == self._plate:
            return
        self._plate = plate
        if plate not in self._lists:
            self._lists[plate] = NO_TICKS
            if path is not None:
                file, now, lasts = TickFile(path, plate, self.folder), self.clock(), known.run.before + known.run.high
                done = partial(self._take, path, plate)
                Task(lambda _: file.read(now, lasts), done, self._messages.say).start(self._threads)
        self.changed.emit()

    def _take(self, path: Path, plate: str, ticks: Ticks) -> None:
        """What was read, unless hands were faster."""
        if self._document.path == path and self._lists.get(plate) == NO_TICKS and ticks != NO_TICKS:
            self._lists[plate] = ticks
            self._rung |= {(plate, key) for key, rings in ticks.rings.items() if rings <= self.clock()}
            self._beat.start()
            self._messages.say("the checklist goes on where it was left")
            self.changed.emit()

    def _hear_station(self) -> None:
        now = self._washing.now
        if self._at_station is None or now is None:
            return
        if now.state != "idle":
            self._begun_there = True
        elif self._begun_there and self._at_station not in self._rung:
            self._rung.add(self._at_station)
            self.rang.emit()
        self.changed.emit()
