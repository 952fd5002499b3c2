"""Everything that runs off the interface thread: what was asked for, the prediction, and what is done beside them."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QThreadPool, Signal

from wideberth.core.progress import Progress, TimeLeft
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.work import Task

Work = Callable[[Progress], Any]
TELL_REST_AFTER_S = 2.0


class Tasks(QObject):
    """What was asked for comes first: while it runs nothing else does, and it never waits for a thread.

    Signals: busy (fraction, phrase), or (-1, "") when what was told of is over; stopped (by the user); free (what was asked
    for is over: who gave way to it may go on).
    """

    busy = Signal(float, str)
    stopped = Signal()
    free = Signal()

    def __init__(self, document: Document, messages: Messages) -> None:
        super().__init__()
        self._document, self._messages = document, messages
        self._acting: Task | None = None
        self._predicting: Task | None = None
        self._beside: set[Task] = set()
        self._threads = QThreadPool(self)  # for what was asked for alone
        self._began, self._left = 0.0, TimeLeft(0.0)

    @property
    def are_running(self) -> bool:
        return self._acting is not None or self._predicting is not None or bool(self._beside)

    @property
    def acts(self) -> bool:
        """Whether something runs that was asked for."""
        return self._acting is not None

    @property
    def are_beside(self) -> bool:
        """Whether something runs that nobody waits for."""
        return bool(self._beside)

    @property
    def predicts(self) -> bool:
        """Whether a prediction is being made."""
        return self._predicting is not None

    def act(self, phrase: str, work: Work, done: Callable[[Any], None], lasting: bool = False) -> None:
        """Run one long action; its result goes to `done`. All else gives way to it.

        When the job has changed meanwhile the result is let go, unless it is a `lasting` one, that is true all the same.
        """
        if self._acting is not None:
            self._messages.say("something else is running; cancel it first")
            return
        job = self._document.job

        def over() -> None:
            self._acting = None
            self.busy.emit(-1, "")

        def finished(result: Any) -> None:
            over()
            if lasting or job is self._document.job:
                done(result)
            else:
                self._messages.say(f"{phrase}: the job has changed meanwhile, nothing was taken over")
            self.free.emit()

        def failed(text: str) -> None:
            over()
            self._messages.warn(text)
            self.free.emit()

        def cancelled() -> None:
            over()
            self._messages.say(f"{phrase}: cancelled, nothing was changed")
            self.free.emit()

        self.drop_prediction()
        for task in self._beside:
            task.cancel()
        self._begin()
        self._acting = Task(work, finished, failed, cancelled, self._advanced).start(self._threads)
        self.busy.emit(0.0, phrase)

    def _begin(self) -> None:
        """From now on it is told how far what runs is."""
        self._began = time.monotonic()
        self._left = TimeLeft(self._began)

    def _advanced(self, share: float, phrase: str) -> None:
        """Tell how far it is, and once it lasts how long it will."""
        now = time.monotonic()
        rest = self._left.after(now, share)
        if rest is not None and now - self._began > TELL_REST_AFTER_S:
            phrase += f" · {rest:.0f} s left" if rest < 90 else f" · {rest / 60:.0f} min left"
        self.busy.emit(share, phrase)

    def predict(self, work: Work, done: Callable[[Any], None], refused: Callable[[str], None]) -> None:
        """Run a prediction of the present job instead of the one that runs; one that was overtaken is not heard."""
        self.drop_prediction()

        def finished(result: Any) -> None:
            if task is self._predicting:
                self._predicting = None
                done(result)

        def failed(text: str) -> None:
            if task is self._predicting:
                self._predicting = None
                refused(text)

        def advanced(share: float, phrase: str) -> None:
            if task is self._predicting and self._acting is None:
                self._advanced(share, phrase)

        if self._acting is None:
            self._begin()
        task = Task(work, finished, failed, when_advanced=advanced)
        self._predicting = task.start()

    def drop_prediction(self) -> None:
        """The prediction that runs is of no use any more."""
        if self._predicting is not None:
            self._predicting.cancel()
            self._predicting = None

    def beside(self, work: Work, done: Callable[[Any], None], stopped: Callable[[], None] | None = None) -> Task:
        """Run something that nobody waits for; what goes wrong is said in the status line. stopped : when it came to nothing."""

        def finished(result: Any) -> None:
            self._beside.discard(task)
            done(result)

        def over() -> None:
            self._beside.discard(task)
            if stopped is not None:
                stopped()

        def failed(text: str) -> None:
            over()
            self._messages.say(text)

        task = Task(work, finished, failed, over)
        self._beside.add(task)
        return task.start()

    def end(self) -> None:
        """Stop all that runs: nobody is there any more to hear of it."""
        for task in (self._acting, *self._beside):
            if task is not None:
                task.cancel()
        self.drop_prediction()

    def cancel_all(self) -> None:
        """Stop all that runs, with a word to whoever waits for it."""
        for task in self._beside:
            task.cancel()
        if self._acting is not None:
            self._acting.cancel()
        if self._predicting is not None:
            self._stop_prediction()

    def _stop_prediction(self) -> None:
        self.drop_prediction()
        self.busy.emit(-1, "")
        self._messages.say("prediction stopped; it starts again with the next change")
        self.stopped.emit()

    def cancel(self) -> None:
        """Stop the long action, or the prediction if none is running."""
        if self._acting is not None:
            self._acting.cancel()
        elif self._predicting is not None:
            self._stop_prediction()
