"""The prediction at hand, which follows the job: coarse, fine, then looked at closer."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer, Signal

from wideberth.core.predict import FirstLooks, Prediction, Stages, fine, look_closer, predict, preview
from wideberth.core.progress import Progress
from wideberth.core.propose import ready_for_posts
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.session.selection import Selection
from wideberth.desktop.session.tasks import Tasks, Work

SETTLE_MS = 60
DRAW_MS = 200
"""The views' time to draw a prediction, before a finer one competes with them for the interpreter."""


class Predicting(QObject):
    """Signals: predicted (another prediction is at hand, or none), drawn (the views had time to draw it), refused (the job cannot
    be predicted), plate_turned (another plate is predicted), ghost_changed (another state to compare with, or none),
    glanced (what is held by the mouse would come to something else, or nothing is held any more)."""

    predicted = Signal()
    drawn = Signal()
    refused = Signal()
    plate_turned = Signal()
    ghost_changed = Signal()
    glanced = Signal()

    def __init__(
        self, document: Document, selection: Selection, tasks: Tasks, messages: Messages, stages: Stages, looks: FirstLooks
    ) -> None:
        super().__init__()
        self._document, self._tasks, self._messages, self._stages, self._looks = (document, tasks, messages, stages, looks)
        self._selection = selection
        self.preparing: list[Callable[[Prediction], object]] = []
        """What views have made ready of a prediction in its thread, before it is shown; they hand in plain objects."""
        self.prediction: Prediction | None = None
        self.ghost: Prediction | None = None
        self.glance: Prediction | None = None
        """Of the job as it would be if what is held by the mouse were let go now; the one at hand is beside it."""
        self._settle = self._timer(SETTLE_MS, self._coarse)
        self._go_on = self._timer(DRAW_MS, self._finer)
        document.replaced.connect(self._forget)
        document.changed.connect(self._follow)
        selection.plate_chosen.connect(lambda _: self._follow())
        selection.plate_chosen.connect(lambda _: self.plate_turned.emit())
        tasks.stopped.connect(self._go_on.stop)
        tasks.free.connect(self._resume)

    def _timer(self, wait_ms: int, act) -> QTimer:  # type: ignore[no-untyped-def]
        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.setInterval(wait_ms)
        timer.timeout.connect(act)
        return timer

    @property
    def is_current(self) -> bool:
        """Whether the prediction at hand is the fine one of the present job."""
        p = self.prediction
        return p is not None and self.is_of_now(p) and not p.fineness.light

    def is_of_now(self, seen: Prediction) -> bool:
        """Whether a prediction is of the present job and the chosen plate."""
        return seen.job is self._document.job and seen.plate == self._selection.plate_shown

    @property
    def plate(self) -> str:
        """Id of the plate that is predicted."""
        return self._selection.plate_shown

    @property
    def is_busy(self) -> bool:
        """Whether a better prediction is on its way."""
        return self._tasks.predicts or self._settle.isActive() or self._go_on.isActive()

    def end(self) -> None:
        """Begin no prediction any more."""
        self._settle.stop()
        self._go_on.stop()

    def keep_ghost(self) -> None:
        """Keep the prediction at hand, to be seen beside later ones."""
        self.ghost = self.prediction
        self._messages.say("kept to compare with: the dashed curves in the log")
        self.ghost_changed.emit()

    def drop_ghost(self) -> None:
        self.ghost = None
        self.ghost_changed.emit()

    def show_glance(self, seen: Prediction | None) -> None:
        """Show what is held by the mouse would come to; None where it is let go."""
        if seen is not self.glance:
            self.glance = seen
            self.glanced.emit()

    def prepared(self, seen: Prediction) -> Prediction:
        """A prediction, once all that views want of it is ready. To be called in a worker's thread."""
        for prepare in self.preparing:
            prepare(seen)
        return seen

    def take(self, seen: Prediction | None, refusal: str = "") -> None:
        """Show a prediction of the present job that was made already, or say why there is none."""
        if seen is not None:
            self._settle.stop()
            self._show(seen)
        elif refusal:
            self._settle.stop()
            self.predicted.emit()
            self._refuse(refusal)

    def _forget(self) -> None:
        """What was predicted is of another job."""
        self.drop_ghost()
        self.show_glance(None)
        self.prediction = None

    def _follow(self) -> None:
        """Predict anew once the changes have settled."""
        if not self._document.job.parts:
            self.prediction = None
        self._tasks.drop_prediction()
        self._go_on.stop()
        self._settle.start()

    def _resume(self) -> None:
        """Go on where the prediction gave way to what was asked for."""
        p = self.prediction
        if p is not None and self.is_of_now(p):
            self._go_on.start()
        elif not self._settle.isActive():
            self._settle.start()

    def _coarse(self) -> None:
        if self._tasks.acts:
            return  # it goes on when that is over
        job, stages, plate = self._document.job, self._stages, self._selection.plate_shown
        if job.parts and job.plate(plate).placements:
            self._run(lambda p: predict(job, stages, preview(job.bench), p, plate))
        else:
            self.prediction = None
            self.predicted.emit()
            self._tasks.busy.emit(-1, "")

    def _finer(self) -> None:
        """After a coarse prediction the fine one, after that the closer look."""
        if self._tasks.acts:
            return
        self.drawn.emit()
        job, seen, stages, looks = self._document.job, self.prediction, self._stages, self._looks
        if seen is None or not self.is_of_now(seen) or self._tasks.predicts:
            return
        if seen.fineness.light:
            self._run(lambda p: predict(job, stages, fine(), p, seen.plate), seen)
        elif seen.may_be_closer:
            self._run(lambda p: look_closer(seen, stages, p), seen)
        else:

            def beside(progress: Progress) -> None:
                looks.keep()
                ready_for_posts(seen, stages, progress)
                self._lay_to_rest(seen)

            self._tasks.beside(beside, lambda _: None)

    def _lay_to_rest(self, seen: Prediction) -> None:
        self._stages.lay_to_rest(seen)

    def _run(self, work: Work, after: Prediction | None = None) -> None:
        """Predict. after : what is shown meanwhile; it rests first, so that it takes no room beside what is large for a while."""

        def made(progress: Progress) -> Prediction:
            if after is not None:
                self._lay_to_rest(after)
            return self.prepared(work(progress))

        def done(seen: Prediction) -> None:
            if self.is_of_now(seen):
                self._show(seen)

        self._tasks.predict(made, done, self._refuse)

    def _show(self, seen: Prediction) -> None:
        """Show a prediction of the present job, and once that is drawn go on to a finer or a closer one."""
        self.prediction = seen
        self.predicted.emit()
        self._tasks.busy.emit(-1, "")
        self._go_on.start()

    def _refuse(self, text: str) -> None:
        self._tasks.busy.emit(-1, "")
        self._messages.warn(text)
        self.refused.emit()
