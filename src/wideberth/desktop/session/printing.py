"""A run that is under way: begun on a printer, followed in a thread of its own, and what it has told so far."""

from __future__ import annotations

import threading
from collections.abc import Callable
from contextlib import ExitStack
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QThreadPool, Signal

from wideberth.core.bench import Bench
from wideberth.core.devices import Heard, Printer, Run, package_of
from wideberth.core.job import Job
from wideberth.core.logbook import Alarm, Entry, Expected, alarm_text, entry_for, expected_of
from wideberth.core.predict import Prediction
from wideberth.core.progress import Progress
from wideberth.demo.simulated import nature_beside, simulated_printer
from wideberth.desktop.session.logging import Logging
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.session.predicting import Predicting
from wideberth.desktop.work import Task

PREPARED = 0.5
Values = NDArray[np.float64]


@dataclass(eq=False)
class Live:
    """What a run has told so far; arrays are filled from its thread, layer by layer.

    job : that is printed. fitted_n : pull that was expected of each layer as its load cell is known by then. told : alarms,
    each with its sentence. state : of the printer. entry : of the log; the last one once it is over.
    """

    job: Job
    expected: Expected
    bench: Bench
    entry: Entry
    run: Run
    pull_n: Values = field(init=False)
    seconds: Values = field(init=False)
    vat_c: Values = field(init=False)
    vat_g: Values = field(init=False)
    layer: int = -1
    at_s: float = 0.0
    state: str = "loaded"
    told: list[tuple[Alarm, str]] = field(default_factory=list)
    is_over: bool = False

    def __post_init__(self) -> None:
        self.pull_n, self.seconds, self.vat_c, self.vat_g = (np.full(self.expected.layers, np.nan) for _ in range(4))

    @property
    def fitted_n(self) -> Values:
        return self.run.watch.fitted_n

    @property
    def left_s(self) -> float:
        """What is left of it, at the pace that it has shown."""
        done = float(self.expected.seconds[: self.layer + 1].sum())
        pace = self.at_s / done if done > 0 and self.at_s > 0 else 1.0
        return pace * float(self.expected.seconds[self.layer + 1 :].sum())

    def hear(self, heard: Heard) -> None:
        """A layer, alarms, another state."""
        if heard.state:
            self.state = heard.state
        s = heard.sample
        if s is not None and 0 <= s.layer < self.expected.layers:
            for array, value in ((self.pull_n, s.pull_n), (self.vat_c, s.vat_c), (self.vat_g, s.vat_g)):
                array[s.layer] = np.nan if value is None else value
            self.seconds[s.layer] = s.seconds
            self.layer, self.at_s = s.layer, s.at_s
        self.told += [(alarm, alarm_text(alarm, self.expected, self.bench)) for alarm in heard.alarms]


class Printing(QObject):
    """Signals: moved (it has told something), alarmed (a sentence), over (the entry, or None when it came to nothing)."""

    moved = Signal()
    alarmed = Signal(str)
    over = Signal(object)

    def __init__(self, predicting: Predicting, logging: Logging, messages: Messages) -> None:
        super().__init__()
        self._predicting, self._logging, self._messages = predicting, logging, messages
        self.live: Live | None = None
        """The run that is under way, or the last one."""
        self.phrase = ""
        self._share = 0.0
        self._task: Task | None = None
        self._threads = QThreadPool(self)
        self._ended = threading.Event()
        self._told = 0

    @property
    def is_running(self) -> bool:
        return self._task is not None

    @property
    def share(self) -> float:
        """How far all of it is, 0 to 1."""
        return self._share

    def start_simulated(self, seed: int, speed: float, mishap: str = "") -> None:
        """Print the plate that is shown on a simulated printer of its own."""

        def port(stack: ExitStack) -> int:
            return stack.enter_context(simulated_printer(seed, speed, mishap, self._logging.book().count())).port

        self._start(port)

    def start_at(self, port: int) -> None:
        """Print the plate that is shown on the printer, or its bridge, at a port of this machine."""

        self._start(lambda _: port)

    def ask(self, what: str) -> None:
        """`pause`, `resume` or `stop` it; while it is not begun yet, `stop` leaves it."""
        live = self.live
        if live is not None and self.is_running:
            live.run.ask(what)
        elif what == "stop" and self._task is not None:
            self._task.cancel()

    def end(self) -> None:
        """Nobody follows it any more, before the window goes."""
        if self._task is not None:
            self._task.cancel()
            self._ended.wait(3.0)

    def _start(self, port: Callable[[ExitStack], int]) -> None:
        seen = self._predicting.prediction
        if self.is_running:
            self._messages.say("something is being printed")
            return
        if seen is None or not self._predicting.is_current or seen.fineness.light:
            self._messages.say("wait for the prediction")
            return
        self._told, self.live, self._share = 0, None, 0.0
        self._ended.clear()

        def work(progress: Progress) -> Entry:
            try:
                return self._follow(seen, port, progress)
            finally:
                self._ended.set()

        self._task = Task(work, self._done, self._failed, lambda: self._failed(""), self._advanced)
        self._task.start(self._threads)
        self.moved.emit()

    def _follow(self, seen: Prediction, port: Callable[[ExitStack], int], progress: Progress) -> Entry:
        """In the run's own thread: prepare, begin, follow."""
        expected, bench = expected_of(seen), seen.job.bench
        with ExitStack() as stack:
            package = stack.enter_context(package_of(seen, progress.part(0.0, PREPARED)))
            printer = Printer(port(stack))
            stack.callback(printer.close)
            progress.at(PREPARED, "the printer reads the layers")
            printer.load(package, nature_beside(package, expected, bench) if printer.is_simulated else None)
            run = Run(printer, self._logging.book(), entry_for(seen, printer.source), expected, bench)
            live = self.live = Live(seen.job, expected, bench, run.entry, run)

            def heard(of: Heard) -> None:
                live.hear(of)
                progress.at(PREPARED + (1 - PREPARED) * (live.layer + 1) / expected.layers, "printing")

            return run.follow(heard)

    def _advanced(self, share: float, phrase: str) -> None:
        self._share, self.phrase = share, phrase
        self._tell_alarms()
        self.moved.emit()

    def _tell_alarms(self) -> None:
        """Say what was told since the last time."""
        told = [] if self.live is None else self.live.told[self._told :]
        self._told += len(told)
        for _, text in told:
            self.alarmed.emit(text)
            self._messages.say(text)

    def _done(self, entry: Entry) -> None:
        self._over()
        if self.live is not None:
            self.live.entry = entry
        self._logging.read()
        self.over.emit(entry)
        self.moved.emit()

    def _failed(self, text: str) -> None:
        self._over()
        if text:
            self._messages.warn(text)
        self._logging.read()
        self.over.emit(None)
        self.moved.emit()

    def _over(self) -> None:
        self._tell_alarms()
        self._task, self.phrase = None, ""
        if self.live is not None:
            self.live.is_over = True
