"""States of the job that were kept, beside the present one: what each comes to is worked out once and remembered."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QObject, Signal

from wideberth.core.job import Job, Variant
from wideberth.core.predict import Stages
from wideberth.core.propose import Compared, compared
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.tasks import Tasks
from wideberth.desktop.work import Task

State = tuple[object, ...]
MOST_KEPT = 40


class Comparing(QObject):
    """Signal: told (another state was worked out)."""

    told = Signal()

    def __init__(self, document: Document, tasks: Tasks, stages: Stages) -> None:
        super().__init__()
        self._document, self._tasks, self._stages = document, tasks, stages
        self._known: dict[State, Compared] = {}
        self._asked: list[Job] = []
        self._failed: set[State] = set()
        self._running: Task | None = None
        tasks.free.connect(self._go_on)

    @staticmethod
    def state_of(job: Job | Variant) -> State:
        """What a comparison follows from."""
        return job.bench, job.parts, job.plates

    def known(self, job: Job | Variant) -> Compared | None:
        """What a state comes to; None while that is not known."""
        return self._known.get(self.state_of(job))

    def failed(self, job: Job | Variant) -> bool:
        """Whether a state could not be worked out."""
        return self.state_of(job) in self._failed

    def ask(self, variants: tuple[Variant, ...]) -> None:
        """Have the present state and some variants worked out, and nothing else that was asked for before."""
        job = self._document.job
        states = [replace(job, bench=v.bench, parts=v.parts, plates=v.plates) for v in variants]
        self._asked = [s for s in (job, *states) if s.parts and self.known(s) is None and not self.failed(s)]
        self._go_on()

    def no_more(self) -> None:
        """Nobody looks at them any longer."""
        self._asked = []

    def _go_on(self) -> None:
        if self._running is not None or self._tasks.acts or not self._asked:
            return
        job, stages = self._asked.pop(0), self._stages

        def over() -> None:
            self._running = None
            self._failed.add(self.state_of(job))
            self.told.emit()
            self._go_on()

        def done(result: Compared) -> None:
            self._running = None
            if len(self._known) >= MOST_KEPT:
                oldest, *_ = self._known
                self._known.pop(oldest)
            self._known[self.state_of(job)] = result
            self.told.emit()
            self._go_on()

        self._running = self._tasks.beside(lambda p: compared(job, stages, p), done, over)
