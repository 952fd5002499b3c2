"""A run on a printer: followed layer by layer, watched, and written down as it goes."""

from __future__ import annotations

import queue
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING

from wideberth.core.bench import Bench
from wideberth.core.devices.messages import LayerDone, LookedAt, Now
from wideberth.core.devices.printer import Printer
from wideberth.core.logbook import Alarm, Ended, Entry, Expected, Sample, Watch, alarm_text, ended_entry, followed, had_warned

if TYPE_CHECKING:
    from wideberth.core.logbook import Logbook

WRITE_EVERY_S = 0.25
MOST_UNWRITTEN = 200
SILENCE_TIMES = 3.0
"""Times the longest layer expected after which a printer that says nothing counts as gone."""
LEAST_SILENCE_S = 30.0
OVER: dict[str, Ended] = {"done": "done", "stopped": "stopped", "idle": "stopped"}


@dataclass(frozen=True)
class Heard:
    """What a run has told: a layer with its alarms, or another state."""

    sample: Sample | None
    alarms: tuple[Alarm, ...] = ()
    state: str = ""


class Run:
    """One run: its printer, its entry in the log, and what is expected of it."""

    def __init__(self, printer: Printer, log: Logbook, entry: Entry, expected: Expected, bench: Bench) -> None:
        self._printer, self._log, self._expected, self._bench = printer, log, expected, bench
        self.entry = entry
        self.watch = Watch(expected, bench)
        self._asked: queue.SimpleQueue[str] = queue.SimpleQueue()
        self._notes: queue.SimpleQueue[str] = queue.SimpleQueue()
        self._layer = 0
        self._unwritten: list[Sample] = []
        self._written_at = time.monotonic()

    def ask(self, what: str) -> None:
        """From any thread: `pause`, `resume` or `stop`; heeded within a fifth of a second."""
        self._asked.put(what)

    def note(self, text: str) -> None:
        """From any thread: a note on the run, kept with the layer that is printed then."""
        self._notes.put(text)

    def follow(self, heard: Callable[[Heard], None]) -> Entry:
        """Begin it, and hear it until it is over; what was told until then is in the log however it ends.

        Raises
        ------
        BadDevice : after the entry was written, when the printer hung up or said what cannot be. Cancelled, and whatever else
            `heard` raises: after that too.
        """
        with followed(self._log.path, self.entry.id):
            return self._follow(heard)

    def _follow(self, heard: Callable[[Heard], None]) -> Entry:
        self._log.begin(self.entry, self._expected, self._bench)
        longest = max(LEAST_SILENCE_S, SILENCE_TIMES * float(self._expected.seconds.max(initial=0.0)))
        ended: Ended = "lost touch"
        trouble: BaseException | None = None
        try:
            self._printer.do("start")
            for told in self._printer.follow(longest):
                while not self._asked.empty():
                    self._printer.do(self._asked.get())
                self._take_notes()
                if isinstance(told, LayerDone):
                    heard(self._heard_of(told))
                elif isinstance(told, Now):
                    ended = OVER.get(told.state, ended)
                    heard(Heard(None, (), told.state))
                self._write(at_once=False)
        except BaseException as error:  # whatever it is: what was told is written down first
            trouble = error
        self._write(at_once=True)
        self._take_notes()
        measured, seen = self._log.measured(self.entry.id), self._printer.looked_at

        def over(entry: Entry) -> Entry:
            entry = ended_entry(entry, ended, measured)
            return entry if seen is None else looked_at(entry, seen)

        self.entry = self._log.finish(self.entry.id, over)
        if trouble is not None:
            raise trouble
        return self.entry

    def _heard_of(self, told: LayerDone) -> Heard:
        sample = Sample(told.layer, told.at_s, told.seconds, told.pull_n, told.vat_g, told.vat_c)
        self._unwritten.append(sample)
        self._layer = sample.layer
        alarms = tuple(self.watch.heard(sample))
        if alarms:
            texts = tuple(alarm_text(a, self._expected, self._bench) for a in alarms)
            self.entry = self._log.change(self.entry.id, lambda e: replace(e, alarms=e.alarms + texts))
        return Heard(sample, alarms)

    def _take_notes(self) -> None:
        while not self._notes.empty():
            line = f"layer {self._layer + 1}: {self._notes.get()}"
            self.entry = self._log.change(self.entry.id, partial(_noted, line))

    def _write(self, at_once: bool) -> None:
        now = time.monotonic()
        if at_once or now - self._written_at > WRITE_EVERY_S or len(self._unwritten) >= MOST_UNWRITTEN:
            self._log.add_samples(self.entry.id, self._unwritten)
            self._unwritten.clear()
            self._written_at = now


def _noted(line: str, entry: Entry) -> Entry:
    """An entry with one line more in its note."""
    return replace(entry, note=f"{entry.note}\n{line}".strip())


def looked_at(entry: Entry, told: LookedAt) -> Entry:
    """The entry with what a simulated print was found to be like."""
    lost = {one.print: one.layer for one in told.lost}
    if told.off_plate is not None:
        lost = dict.fromkeys((part.number for part in entry.parts), told.off_plate) | lost
    cause = "plate" if told.off_plate is not None else "tips" if lost else ""
    return replace(
        entry,
        parts=tuple(replace(p, fate="lost" if p.number in lost else "good", lost_layer=lost.get(p.number)) for p in entry.parts),
        warned=had_warned(cause, entry.findings) if cause else None,
        off_plate=told.off_plate,
        film_torn=told.torn is not None,
        resin_g=round(told.used_g, 1),
        cause=cause,
        lost_tips=tuple(told.tips),
    )
