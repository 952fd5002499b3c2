"""Which part and which step are looked at."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from wideberth.core.job import Part
from wideberth.desktop.session.document import Document


class Selection(QObject):
    """Signals: part_chosen (its id), step_chosen (its name), plate_chosen (its id). part : id of the chosen part, "" when there
    is none. plate : id of the chosen plate, "" for the first one."""

    part_chosen = Signal(str)
    step_chosen = Signal(str)
    plate_chosen = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.part, self.step, self.plate = "", "model", ""
        document.replaced.connect(self._forget)
        document.changed.connect(self._follow)

    @property
    def present(self) -> Part | None:
        """The chosen part, or None when there is none."""
        job = self._document.job
        return job.part(self.part) if job.has(self.part) else None

    def choose_part(self, id: str) -> None:
        """Choose a part, and a plate that it stands on."""
        self.part = id
        on = [plate.id for plate in self._document.job.plates if any(p.part == id for p in plate.placements)]
        if on and self.plate_shown not in on:
            self.choose_plate(on[0])
        self.part_chosen.emit(id)

    def choose_step(self, step: str) -> None:
        self.step = step
        self.step_chosen.emit(step)

    @property
    def plate_shown(self) -> str:
        """Id of the chosen plate, or of the first one; "" when the job has none."""
        plates = self._document.job.plates
        there = [p.id for p in plates if p.id == self.plate]
        return (there or [p.id for p in plates] or [""])[0]

    def choose_plate(self, id: str) -> None:
        """Choose a plate, and a part that stands on it."""
        if id == self.plate_shown:
            return
        self.plate = id
        self.plate_chosen.emit(id)
        parts = [p.part for p in self._document.job.plate(id).placements]
        if parts and self.part not in parts:
            self.choose_part(parts[0])

    def _forget(self) -> None:
        self.part = self.plate = ""

    def _follow(self) -> None:
        """Where the chosen part is gone, choose a piece of it, else the first."""
        parts = self._document.job.parts
        if not self._document.job.has(self.part):
            pieces = [p.id for p in parts if p.piece is not None and p.piece.of == self.part]
            self.part = (pieces or [p.id for p in parts] or [""])[0]
