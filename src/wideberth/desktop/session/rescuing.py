"""Keeping unsaved work every now and then, so that a program that is killed loses none of it."""

from __future__ import annotations

from PySide6.QtCore import QObject, QThreadPool, QTimer, Signal

from wideberth.core.job import Job, LeftBehind, Rescue
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.selection import Selection
from wideberth.desktop.work import Task

EVERY_MS = 120_000


class Rescuing(QObject):
    """Signals: shared (the file that was opened is open in another window)."""

    shared = Signal()

    def __init__(self, document: Document, selection: Selection, rescue: Rescue) -> None:
        super().__init__()
        self._document, self.rescue = document, rescue
        self._kept: Job | None = None
        self._in_turn = QThreadPool(self)  # one after the other, so that nothing is cleared that was kept later
        self._in_turn.setMaxThreadCount(1)
        self._keeping: Task | None = None
        timer = QTimer(self)
        timer.setInterval(EVERY_MS)
        timer.timeout.connect(self.keep)
        timer.start()
        selection.step_chosen.connect(self.keep)
        document.filed.connect(self._filed)
        document.replaced.connect(self._filed)

    def adopt(self, left: LeftBehind) -> None:
        """Keep what was left behind as this window's own, and only then throw it away there."""
        job, path = self._document.job, self._document.path

        def done(kept: bool) -> None:
            if kept:
                self._kept = job
                left.throw_away()

        Task(lambda _: self.rescue.keep(job, path), done).start(self._in_turn)

    def keep(self, *_: object) -> None:
        """Keep the job as it is now, if it is not saved and was not kept yet."""
        document, job = self._document, self._document.job
        if not document.may_be_lost or job is self._kept or (self._keeping is not None and self._keeping.is_running):
            return
        path = document.path

        def done(kept: bool) -> None:
            if document.may_be_lost:
                self._kept = job if kept else None

        self._keeping = Task(lambda _: self.rescue.keep(job, path), done).start(self._in_turn)

    def _filed(self) -> None:
        """Another file, or the same one with all that is in the job."""
        path = self._document.path
        if not self._document.may_be_lost:
            self._kept = None
            Task(lambda _: self.rescue.clear()).start(self._in_turn)
        if path is None:
            self.rescue.give_back()
        elif not self.rescue.take(path):
            self.shared.emit()
