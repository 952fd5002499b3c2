"""Work off the interface thread, with progress, cancel and one place where errors come out."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal, Slot

from wideberth.core.errors import Cancelled, WideBerthError
from wideberth.core.progress import Progress


class _Messages(QObject):
    advanced = Signal(float, str)
    finished = Signal(object)
    failed = Signal(str)
    cancelled = Signal()


def _nothing(*_: Any) -> None:
    """Heard and left alone."""


class _Listener(QObject):
    """Lives on the interface thread, so that what a task sends is queued and handled there."""

    def __init__(self) -> None:
        super().__init__()
        self.when_advanced: Callable[[float, str], None] = _nothing
        self.when_finished: Callable[[Any], None] = _nothing
        self.when_failed: Callable[[str], None] = _nothing
        self.when_cancelled: Callable[[], None] = _nothing

    @Slot(float, str)
    def advanced(self, fraction: float, phrase: str) -> None:
        self.when_advanced(fraction, phrase)

    @Slot(object)
    def finished(self, result: object) -> None:
        self.when_finished(result)

    @Slot(str)
    def failed(self, text: str) -> None:
        self.when_failed(text)

    @Slot()
    def cancelled(self) -> None:
        self.when_cancelled()


class Task(QRunnable):
    """One piece of work in the thread pool. Set the `heard.when_...` callables, then `start` it."""

    def __init__(self, work: Callable[[Progress], Any]) -> None:
        super().__init__()
        self.setAutoDelete(False)
        self._work = work
        self.messages = _Messages()
        self.heard = _Listener()
        self.messages.advanced.connect(self.heard.advanced)
        self.messages.finished.connect(self.heard.finished)
        self.messages.failed.connect(self.heard.failed)
        self.messages.cancelled.connect(self.heard.cancelled)
        self.progress = Progress(self.messages.advanced.emit)

    def run(self) -> None:
        """Do the work; called by the pool. When the window is gone meanwhile, nobody is told."""
        with suppress(RuntimeError):  # the signals' owner was deleted as the program ended
            self._run()

    def _run(self) -> None:
        try:
            result = self._work(self.progress)
        except Cancelled:
            self.messages.cancelled.emit()
        except WideBerthError as error:
            self.messages.failed.emit(error.text)
        except Exception as error:
            self.messages.failed.emit(f"Something went wrong that should not have ({type(error).__name__}: {error}). "
                                      "The job is as it was.")  # fmt: skip
        else:
            self.messages.finished.emit(result)

    def cancel(self) -> None:
        self.progress.cancel()


_running: set[Task] = set()


def start(task: Task) -> None:
    """Hand a task to the pool; it is kept alive until one of its messages has been heard."""
    _running.add(task)
    for name in ("when_finished", "when_failed", "when_cancelled"):
        setattr(task.heard, name, _then_forget(task, getattr(task.heard, name)))
    QThreadPool.globalInstance().start(task)


def _then_forget(task: Task, act: Callable[..., None]) -> Callable[..., None]:
    def acted(*values: Any) -> None:
        _running.discard(task)
        act(*values)

    return acted
