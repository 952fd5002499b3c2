"""The wash and cure station: its timers begun from here, and what is left of them."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress

from PySide6.QtCore import QObject, QThreadPool, QTimer, Signal

from wideberth.core.devices import Now, WashAndCure
from wideberth.core.errors import BadDevice
from wideberth.core.progress import Progress
from wideberth.demo.simulated import Started, simulated_station
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.work import Task

LOOK_MS = 500
SPEED = 60.0
"""Times as fast as a clock that the simulated one runs: a minute is a second."""


class Washing(QObject):
    """Signal: moved (its state is another one, or less is left)."""

    moved = Signal()

    def __init__(self, messages: Messages) -> None:
        super().__init__()
        self._messages = messages
        self.now: Now | None = None
        self._begun: Started | None = None
        self._station: WashAndCure | None = None
        self._threads = QThreadPool(self)
        self._threads.setMaxThreadCount(1)
        self._beat = QTimer(self)
        self._beat.setInterval(LOOK_MS)
        self._beat.timeout.connect(lambda: self._ask(lambda station: station.state()))

    def run(self, what: str, seconds: float) -> None:
        """Wash or cure for so long, on a simulated station that is begun for it."""
        self._ask(lambda station: station.run(what, seconds))
        self._beat.start()

    def stop(self) -> None:
        """Neither any more."""
        self._ask(lambda station: station.stop())

    def end(self) -> None:
        """End the station, before the window goes."""
        self._beat.stop()
        self._threads.waitForDone(2000)
        with suppress(BadDevice):
            if self._station is not None:
                self._station.close()
        if self._begun is not None:
            self._begun.end()

    def _ask(self, act: Callable[[WashAndCure], Now]) -> None:
        def work(_: Progress) -> Now:
            if self._station is None:
                self._begun = simulated_station(SPEED)
                self._station = WashAndCure(self._begun.port)
            return act(self._station)

        def done(now: Now) -> None:
            before, self.now = self.now, now
            if now.state == "idle":
                self._beat.stop()
                if before is not None and before.state != "idle":
                    self._messages.say("the station is done" if before.left_s < SPEED else "the station was stopped")
            self.moved.emit()

        Task(work, done, self._messages.say).start(self._threads)
