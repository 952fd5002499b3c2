"""Work off the interface thread, with progress, cancel and one place where errors come out.

What a worker thread holds are plain objects: an object of Qt's that the garbage collector finds in a worker thread would be taken
apart there, beside the window that uses it. For the same reason garbage is collected on the interface thread alone.
"""

from __future__ import annotations

import ctypes
import gc
import os
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from functools import cache
from typing import Any

from PySide6.QtCore import QCoreApplication, QObject, QThreadPool, QTimer, Signal

from wideberth.core import unexpected
from wideberth.core.errors import Cancelled, WideBerthError
from wideberth.core.progress import Progress

COLLECT_MS = 500
TOLD_EVERY_S = 0.05
MALLOC = ((-8, 2), (-3, 1 << 22), (-1, 1 << 22))
"""Options of the C library's memory: heaps at most; bytes from which an array is taken from the system; free bytes kept."""
TURN_S = 0.001
AFTER_THE_WINDOW = 5
"""How far behind the interface thread work comes where both want a core (niceness)."""
YOUNG, OLD = 5_000, 200
"""Objects made since young garbage was last collected, and how many such rounds until all is gone through."""


class _Bridge(QObject):
    """Lives on the interface thread, so that what is told from a worker thread is queued and heard there."""

    told = Signal(object, str, tuple)

    def __init__(self) -> None:
        super().__init__()
        self.told.connect(self._hear)

    def _hear(self, task: Task, what: str, values: tuple[Any, ...]) -> None:
        task.hear(what, values)


@cache
def _bridge() -> _Bridge:
    """The one bridge; made on the interface thread, as it is first asked for there."""
    return _Bridge()


class Task:
    """One piece of work in the thread pool, and who hears of it on the interface thread.

    when_finished gets the result, when_failed a sentence, when_advanced a share and a phrase; one of the first three is called,
    once.
    """

    comes_after_the_window = False
    """Whether its thread lets the interface thread have a core first; so in the program, from its start on."""

    def __init__(
        self,
        work: Callable[[Progress], Any],
        when_finished: Callable[[Any], None] | None = None,
        when_failed: Callable[[str], None] | None = None,
        when_cancelled: Callable[[], None] | None = None,
        when_advanced: Callable[[float, str], None] | None = None,
    ) -> None:
        self._work: Callable[[Progress], Any] | None = work
        self._hearers: dict[str, Callable[..., None] | None] = {
            "finished": when_finished,
            "failed": when_failed,
            "cancelled": when_cancelled,
            "advanced": when_advanced,
        }
        self.progress = Progress(self._advance)
        self._told = (0.0, "")
        self.is_running = False
        """From its start until its end was heard."""

    def start(self, threads: QThreadPool | None = None) -> Task:
        """Hand it to a pool of threads, or to the program's own."""
        _bridge()
        self.is_running = True
        (threads or QThreadPool.globalInstance()).start(self._run)
        return self

    def cancel(self) -> None:
        self.progress.cancel()

    def hear(self, what: str, values: tuple[Any, ...]) -> None:
        """What was told, on the interface thread."""
        hearer = self._hearers.get(what)
        if what != "advanced":
            self._hearers.clear()
            self._work, self.is_running = None, False
        if hearer is not None:
            hearer(*values)

    def _advance(self, share: float, phrase: str) -> None:
        """Tell how far it is, no oftener than anyone sees."""
        when, before = self._told
        now = time.monotonic()
        if now - when >= TOLD_EVERY_S or phrase != before:
            self._told = (now, phrase)
            self._tell("advanced", share, phrase)

    def _tell(self, what: str, *values: Any) -> None:
        with suppress(RuntimeError):  # the program ends: nobody is told
            _bridge().told.emit(self, what, values)

    def _run(self) -> None:
        work = self._work
        assert work is not None
        if Task.comes_after_the_window:
            _come_after_the_window()
        try:
            result = work(self.progress)
        except Cancelled:
            self._tell("cancelled")
        except WideBerthError as error:
            self._tell("failed", error.text)
        except Exception as error:
            self._tell("failed", unexpected.told(error))
        else:
            self._tell("finished", result)


def let_the_window_go_first() -> None:
    """Let the interface thread have a core first from here on: the renderer wants both, and so does a prediction."""
    Task.comes_after_the_window = True


def _come_after_the_window() -> None:
    """Put this thread behind the window, and with it those that it makes from here on."""
    thread = threading.get_native_id()
    with suppress(OSError):  # where it may not be asked for, nothing is lost
        if os.getpriority(os.PRIO_PROCESS, thread) < AFTER_THE_WINDOW:
            os.setpriority(os.PRIO_PROCESS, thread, AFTER_THE_WINDOW)


def keep_memory_together() -> None:
    """Take large arrays straight from the system, and all else from few heaps: what threads free is then given back at once. To
    be called before there are threads."""
    with suppress(OSError, AttributeError):
        system = ctypes.CDLL(None)
        for option, value in MALLOC:
            system.mallopt(option, value)


def take_short_turns() -> None:
    """Let whoever waits for the interpreter have it sooner: a prediction waits for it at every array it makes, and the window
    at every call while one is made."""
    sys.setswitchinterval(TURN_S)


class Collector(QTimer):
    """Collects garbage on the interface thread, and nowhere else."""

    def __init__(self, parent: QCoreApplication) -> None:
        super().__init__(parent)
        gc.disable()
        self._rounds = 0
        self.setInterval(COLLECT_MS)
        self.timeout.connect(self._collect)
        self.start()

    def _collect(self) -> None:
        if gc.get_count()[0] < YOUNG:
            return
        self._rounds += 1
        gc.collect(2 if self._rounds % OLD == 0 else 1)
