"""Looking a part over: its health and its walls, once nobody waits."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, Signal

from wideberth.core.job import Part
from wideberth.core.model import Flaw
from wideberth.core.predict import Examined, detail_of, examined
from wideberth.desktop.session import Session
from wideberth.desktop.work import Task

REMEMBERED = 24


class Examiner(QObject):
    """Signals: examined (something new is known of the chosen part)."""

    examined = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._known: dict[Any, Examined] = {}
        self._running: tuple[Any, Task] | None = None
        session.document.changed.connect(self._moved_on)
        session.selection.part_chosen.connect(self._moved_on)
        session.predicting.drawn.connect(self._wake)
        session.predicting.refused.connect(self._wake)  # what cannot be predicted can still be looked over

    def _key(self, part: Part) -> Any:
        return part.shape, detail_of(self._session.job.bench)

    @property
    def present(self) -> Examined | None:
        """What is known of the chosen part."""
        part = self._session.selection.present
        return None if part is None else self._known.get(self._key(part))

    def _moved_on(self) -> None:
        if self._session.prediction is not None:
            self._wake()

    def _wake(self) -> None:
        """Examine the chosen part once a first prediction is out of the way."""
        job, stages, part = self._session.job, self._session.stages, self._session.selection.present
        if part is None or self.present is not None or self._session.tasks.acts:
            return
        key = self._key(part)
        if self._running is not None:
            running, task = self._running
            if running == key and task.is_running:
                return
            task.cancel()

        def done(seen: Examined) -> None:
            self._known[key] = seen
            while len(self._known) > REMEMBERED:
                oldest, *_ = self._known
                self._known.pop(oldest)
            self.examined.emit()

        self._running = key, self._session.tasks.beside(lambda p: examined(part, job.bench, stages, p), done)

    def show_flaw(self, flaw: Flaw) -> None:
        """Show where a flaw is."""
        p, part, seen = self._session.prediction, self._session.selection.present, self.present
        solid = None if p is None or part is None else p.solids_of(part.id)
        if solid is None or part is None:
            return
        at_size = seen is not None and any(flaw is w for w in seen.walls)
        own = flaw.places_mm if at_size else flaw.places_mm * part.factors
        self._session.sight.point_out(own @ solid.matrix[:3, :3].T + solid.matrix[:3, 3])
