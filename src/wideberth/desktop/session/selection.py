"""Which part and which step are looked at."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from wideberth.core.job import Part
from wideberth.desktop.session.document import Document


class Selection(QObject):
    """Signals: part_chosen (its id), step_chosen (its name). part : id of the chosen part, "" when there is none."""

    part_chosen = Signal(str)
    step_chosen = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.part, self.step = "", "model"
        document.replaced.connect(self._forget)
        document.changed.connect(self._follow)

    @property
    def present(self) -> Part | None:
        """The chosen part, or None when there is none."""
        job = self._document.job
        return job.part(self.part) if job.has(self.part) else None

    def choose_part(self, id: str) -> None:
        self.part = id
        self.part_chosen.emit(id)

    def choose_step(self, step: str) -> None:
        self.step = step
        self.step_chosen.emit(step)

    def _forget(self) -> None:
        self.part = ""

    def _follow(self) -> None:
        """Where the chosen part is gone, choose a piece of it, else the first."""
        parts = self._document.job.parts
        if not self._document.job.has(self.part):
            pieces = [p.id for p in parts if p.piece is not None and p.piece.of == self.part]
            self.part = (pieces or [p.id for p in parts] or [""])[0]
