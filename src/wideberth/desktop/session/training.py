"""The trainer: a model of the shelf on the plate, a guess while the verdict is covered, a simulated print, and points."""

from __future__ import annotations

from dataclasses import asdict, dataclass

import numpy as np
from PySide6.QtCore import QObject, Signal

from wideberth.core.job import Job, job_of, taken_in
from wideberth.core.logbook import Entry, Exercise, utc_now
from wideberth.core.progress import Progress
from wideberth.demo.trainer import SHELF, Awkward, Guess, Points, points_of
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.logging import Logging
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.session.predicting import Predicting
from wideberth.desktop.session.printing import Printing
from wideberth.desktop.session.tasks import Tasks

SPEED = 5000.0
COVERED = "covered until you have said what you expect: Log, Trainer"
"""Where a margin would stand."""


@dataclass(frozen=True)
class Outcome:
    """How an exercise went: the guess, what the verdict was, what was lost, and the points."""

    guess: Guess
    margin: float | None
    z_mm: float
    lost: tuple[str, ...]
    points: Points


class Training(QObject):
    """Signal: changed (another model, a guess, an outcome; what is covered)."""

    changed = Signal()

    def __init__(
        self, document: Document, tasks: Tasks, predicting: Predicting, printing: Printing, logging: Logging, messages: Messages
    ) -> None:
        super().__init__()
        self._document, self._tasks, self._predicting = document, tasks, predicting
        self._printing, self._logging, self._messages = printing, logging, messages
        self.model: Awkward | None = None
        self.guess: Guess | None = None
        self.outcome: Outcome | None = None
        self._seed = 0
        self._begun = False
        document.replaced.connect(self._replaced)
        printing.over.connect(self._over)

    @property
    def covers(self) -> bool:
        """Whether the verdict is covered, until a guess was made."""
        return self.model is not None and self.guess is None

    def begin(self, model: Awkward) -> None:
        """Put a model of the shelf on an empty plate; the job that is open must be saved."""
        if self._document.may_be_lost:
            self._messages.say("save your job first: a model of the shelf takes its place")
            return
        bench = self._document.job.bench

        def work(_: Progress) -> Job:
            return job_of(model.title, bench, (taken_in(model.make()),))

        def done(job: Job) -> None:
            self._begun = True
            self._document.begin(job)
            self._begun = False
            self.model, self.guess, self.outcome = model, None, None
            self._seed = sum(e.model == model.key for e in self._logging.known.exercises) if self._logging.known else 0
            self.changed.emit()

        self._tasks.act(f"making {model.title}", work, done)

    def leave(self) -> None:
        """No exercise any more; the job stays as it is."""
        self.model = self.guess = self.outcome = None
        self.changed.emit()

    def say(self, guess: Guess) -> None:
        """Say a guess: the verdict is uncovered, and the plate is printed."""
        if not self.covers:
            return
        if not self._predicting.is_current:
            self._messages.say("wait for the prediction")
            return
        self._printing.start_simulated(self._seed, SPEED)
        if self._printing.is_running:
            self.guess = guess
            self.changed.emit()

    def _replaced(self) -> None:
        if not self._begun and self.model is not None:
            self.leave()

    def _over(self, entry: Entry | None) -> None:
        live, model, guess = self._printing.live, self.model, self.guess
        if model is None or guess is None or self.outcome is not None:
            return
        if entry is None or live is None or entry.failed is None:
            self.guess = None
            self.changed.emit()
            return
        e = live.expected
        known = np.isfinite(e.hold_margin)
        weakest = int(np.nanargmin(e.hold_margin)) if known.any() else 0
        z_mm, height = (weakest + 0.5) * e.layer_mm, e.layers * e.layer_mm
        lost = tuple(p.name for p in entry.parts if p.fate == "lost")
        points = points_of(guess, e.weakest, z_mm, height, bool(lost))
        self.outcome = Outcome(guess, e.weakest, z_mm, lost, points)
        result: dict[str, float | str] = {
            "margin": -1.0 if e.weakest is None else e.weakest,
            "z_mm": z_mm,
            "lost": ", ".join(lost),
            **asdict(points),
        }
        exercise = Exercise(utc_now(), model.key, self._seed, dict(asdict(guess)), result, points.total)
        self._logging.carry_out(lambda book: book.add_exercise(exercise))
        self.changed.emit()

    def best(self, model: Awkward) -> int | None:
        """The most points that anyone got for a model; None for one that was not tried."""
        known = self._logging.known
        tried = [e.score for e in known.exercises if e.model == model.key] if known is not None else []
        return max(tried, default=None)

    @property
    def shelf(self) -> tuple[Awkward, ...]:
        """All models."""
        return SHELF
