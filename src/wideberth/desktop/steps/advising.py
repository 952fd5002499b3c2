"""What would save the job: single changes, each predicted anew, one press takes one."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from wideberth.core.job import Job
from wideberth.core.progress import Progress
from wideberth.core.propose import NONE_HELPS, Advice, advise
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import button, emptied, label
from wideberth.desktop.style import tip
from wideberth.desktop.words import margin_text

SHOWN = 5


class Advising(QWidget):
    """A button that asks, and the answers for the job as it is; another job empties them."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._job: Job | None = None
        self._so_far: tuple[Advice, ...] = ()
        self._shown: tuple[Advice, ...] = ()
        self.ask = button("What would save it?", self._advise, "", "tries single changes, each predicted anew")
        self.said = label("", "faint")
        self.rows = QVBoxLayout()
        self.rows.setSpacing(5)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addWidget(self.ask)
        box.addWidget(self.said)
        box.addLayout(self.rows)
        self.said.hide()
        session.document.changed.connect(self._forget)
        session.tasks.busy.connect(self._follow)

    def _advise(self) -> None:
        session, job = self._session, self._session.job
        if not job.parts:
            return
        self._forget()
        self._job = job
        at_hand, plate = session.prediction if session.is_current else None, session.predicting.plate

        def work(progress: Progress) -> tuple[Advice, ...]:
            return advise(job, session.stages, progress, self._hear, at_hand, plate)

        session.tasks.act("trying changes", work, self._done)

    def _hear(self, so_far: tuple[Advice, ...]) -> None:
        """The best so far, in a worker's thread; shown when the work next tells how far it is."""
        self._so_far = so_far

    def _follow(self, *_: object) -> None:
        if self._so_far and self._so_far is not self._shown and self._job is self._session.job:
            self._show(self._so_far, "so far, coarsely:")

    def _done(self, given: tuple[Advice, ...]) -> None:
        self._so_far = ()
        self._show(given, "each predicted in full:" if given else NONE_HELPS)

    def _show(self, given: tuple[Advice, ...], word: str) -> None:
        self._shown = given
        emptied(self.rows)
        for one in given[:SHOWN]:
            self.rows.addWidget(self._row(one))
        self.said.setText(word)
        self.said.show()

    def _row(self, one: Advice) -> QPushButton:
        made = button(f"{margin_text(one.weakest)}  {one.label}", lambda: self._take(one), "quiet", tip(price_text(one)))
        made.setStyleSheet("text-align: left; padding: 4px 6px;")
        return made

    def _take(self, one: Advice) -> None:
        if self._job is self._session.job:
            self._session.document.change(one.label, one.job)

    def _forget(self) -> None:
        self._so_far = self._shown = ()
        self._job = None
        emptied(self.rows)
        self.said.hide()


def price_text(one: Advice) -> str:
    """What a change gains and what it takes."""
    gains = f"the weakest margin from {margin_text(one.was)} to {margin_text(one.weakest)}"
    return f"{gains}; it takes {one.price or 'nothing more'}"
