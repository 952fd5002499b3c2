"""Charts of the present job over one value of its bench: coarse ones at once, fine ones as soon as there is a fine prediction."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from wideberth.core.job import Job
from wideberth.core.predict import Prediction, Stages, predict, preview
from wideberth.core.progress import Progress
from wideberth.core.propose import Swept, swept
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.predicting import Predicting
from wideberth.desktop.session.tasks import Tasks
from wideberth.desktop.work import Task


class Charting(QObject):
    """Signal: drawn (key of the bench value): a chart of the present job is there, or a finer one."""

    drawn = Signal(str)

    def __init__(self, document: Document, tasks: Tasks, predicting: Predicting, stages: Stages) -> None:
        super().__init__()
        self._document, self._tasks, self._predicting, self._stages = document, tasks, predicting, stages
        self._of: Job | None = None
        self._known: dict[str, tuple[Swept, bool]] = {}
        self._asked: list[str] = []
        self._running: Task | None = None
        document.changed.connect(self._forget)
        predicting.plate_turned.connect(self._forget)
        predicting.drawn.connect(self._go_on)
        tasks.free.connect(self._go_on)

    def known(self, key: str) -> tuple[Swept, bool] | None:
        """The chart of the present job over a bench value and whether it is the fine one; None where there is none yet."""
        return self._known.get(key) if self._of is self._document.job else None

    def ask(self, key: str) -> None:
        """Have a chart drawn; what is asked for last comes first."""
        if self._of is not self._document.job:
            self._forget()
        if key in self._asked:
            self._asked.remove(key)
        self._asked.insert(0, key)
        self._go_on()

    def no_more(self, key: str) -> None:
        """Nobody looks at it any longer."""
        if key in self._asked:
            self._asked.remove(key)

    def _forget(self) -> None:
        self._of = self._document.job
        self._known.clear()
        if self._running is not None:
            self._running.cancel()
            self._running = None

    def _go_on(self) -> None:
        """Draw what was asked for: first coarsely, then finely where the prediction at hand is a fine one."""
        seen, job = self._predicting.prediction, self._document.job
        if self._running is not None or self._tasks.acts or not job.parts or self._of is not job:
            return
        at_hand = seen if seen is not None and self._predicting.is_of_now(seen) and not seen.fineness.light else None
        coarse = next((key for key in self._asked if key not in self._known), None)
        finer = next((key for key in self._asked if key in self._known and not self._known[key][1]), None)
        if coarse is not None:
            self._start(job, coarse, None)
        elif finer is not None and at_hand is not None:
            self._start(job, finer, at_hand)

    def _start(self, job: Job, key: str, of: Prediction | None) -> None:
        stages, plate = self._stages, self._predicting.plate

        def work(progress: Progress) -> Swept:
            return swept(
                of or predict(job, stages, preview(job.bench), progress.part(0, 0.3), plate), key, stages, progress.part(0.3, 1)
            )

        def done(chart: Swept) -> None:
            if task is self._running:
                self._running = None
            if job is self._document.job and plate == self._predicting.plate:
                self._known[key] = (chart, of is not None)
                self.drawn.emit(key)
                self._go_on()

        def over() -> None:
            if task is self._running:
                self._running = None

        task = self._running = self._tasks.beside(work, done, over)
