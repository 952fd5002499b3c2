"""Everything that runs off the interface thread: what was asked for, the prediction, and what is done beside them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from wideberth.core.progress import Progress
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.work import Task

Work = Callable[[Progress], Any]


class Tasks(QObject):
    """Signals: busy (fraction, phrase), or (-1, "") when what was told of is over; stopped (the prediction, by the user)."""

    busy = Signal(float, str)
    stopped = Signal()

    def __init__(self, document: Document, messages: Messages) -> None:
        super().__init__()
        self._document, self._messages = document, messages
        self._acting: Task | None = None
        self._predicting: Task | None = None
        self._beside: set[Task] = set()

    @property
    def are_running(self) -> bool:
        return self._acting is not None or self._predicting is not None or bool(self._beside)

    @property
    def predicts(self) -> bool:
        """Whether a prediction is being made."""
        return self._predicting is not None

    def act(self, phrase: str, work: Work, done: Callable[[Any], None]) -> None:
        """Run one long action; its result goes to `done` unless the job has changed meanwhile."""
        if self._acting is not None:
            self._messages.say("something else is running; cancel it first")
            return
        job = self._document.job

        def over() -> None:
            self._acting = None
            self.busy.emit(-1, "")

        def finished(result: Any) -> None:
            over()
            if job is self._document.job:
                done(result)
            else:
                self._messages.say(f"{phrase}: the job has changed meanwhile, nothing was taken over")

        def failed(text: str) -> None:
            over()
            self._messages.warn(text)

        def cancelled() -> None:
            over()
            self._messages.say(f"{phrase}: cancelled, nothing was changed")

        self._acting = Task(work, finished, failed, cancelled, self.busy.emit).start()
        self.busy.emit(0.0, phrase)

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

        def advanced(fraction: float, phrase: str) -> None:
            if task is self._predicting and self._acting is None:
                self.busy.emit(fraction, phrase)

        task = Task(work, finished, failed, when_advanced=advanced)
        self._predicting = task.start()

    def drop_prediction(self) -> None:
        """The prediction that runs is of no use any more."""
        if self._predicting is not None:
            self._predicting.cancel()
            self._predicting = None

    def beside(self, work: Work, done: Callable[[Any], None]) -> Task:
        """Run something that nobody waits for; what goes wrong is said in the status line."""

        def over() -> None:
            self._beside.discard(task)

        def finished(result: Any) -> None:
            over()
            done(result)

        def failed(text: str) -> None:
            over()
            self._messages.say(text)

        task = Task(work, finished, failed, over)
        self._beside.add(task)
        return task.start()

    def cancel(self) -> None:
        """Stop the long action, or the prediction if none is running."""
        if self._acting is not None:
            self._acting.cancel()
        elif self._predicting is not None:
            self.drop_prediction()
            self.busy.emit(-1, "")
            self._messages.say("prediction stopped; it starts again with the next change")
        self.stopped.emit()
