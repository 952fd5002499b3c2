"""The model's controls: open, choose a part, and four leaves: its health, size, measures, and the kit it belongs to."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QComboBox, QFileDialog, QFrame, QSizePolicy, QVBoxLayout

from wideberth.core.job import Part
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import button, emptied, label
from wideberth.desktop.steps.model_health import HealthLeaf
from wideberth.desktop.steps.model_kit import KitLeaf
from wideberth.desktop.steps.model_measure import MeasureLeaf
from wideberth.desktop.steps.model_size import SizeLeaf
from wideberth.desktop.steps.step import LeavedStep
from wideberth.desktop.words import MODEL_FILTER


class UnitQuestion(QFrame):
    """Asks once whether a model came in another unit."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("question")
        self._session = session
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(10, 8, 10, 8)
        self._box.setSpacing(5)
        session.examiner.asked.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the question, or nothing."""
        emptied(self._box)
        guess = self._session.examiner.guess
        self.setVisible(guess is not None)
        if guess is None:
            return
        self._box.addWidget(label(guess.question))
        answer = self._session.examiner.answer_unit
        for name, factor, size in guess.readings:
            choice = button(f"{name}: {size:,.0f} mm", lambda f=factor: answer(f))
            choice.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)  # never widens the panel
            self._box.addWidget(choice)
        self._box.addWidget(button(f"It is meant so: {guess.longest_mm:,.2f} mm", lambda: answer(1.0), "quiet"))
        self._box.addWidget(label("remembered for its folder", "faint"))


class ModelStep(LeavedStep):
    """Parts of the job, their health and size."""

    name = "model"
    why = "load it, look at its health, bring it to size"

    def build(self) -> None:
        self.box.addWidget(
            button("Open models…", self._open, "main", "STL, OBJ, PLY, 3MF, or a zip of them; or drop them here")
        )
        self.box.addWidget(UnitQuestion(self.session))
        self.parts = QComboBox()
        self.parts.setAccessibleName("part")
        self.parts.activated.connect(lambda row: self.session.choose_part(self.job.parts[row].id))
        self.box.addWidget(self.parts)
        self.summary = label("", "faint")
        self.box.addWidget(self.summary)
        self.health, self.size = HealthLeaf(self), SizeLeaf(self)
        self.measure, self.kit = MeasureLeaf(self), KitLeaf(self)
        self.add_leaves({"Health": self.health, "Size": self.size, "Measure": self.measure, "Kit": self.kit})
        self.scale, self.height_field = self.size.scale, self.size.sides[2]

    def turned_to(self, name: str) -> None:
        if name != "Measure":
            self.session.examiner.start_measuring("")
        if name != "Health":
            self.health.walls.setChecked(False)

    def hideEvent(self, _event: object) -> None:
        self.session.examiner.start_measuring("")
        self.health.walls.setChecked(False)

    def show_job(self, part: Part | None) -> None:
        names = [_listed(p, len(self.job.placements_of(p.id))) for p in self.job.parts]
        if names != [self.parts.itemText(i) for i in range(self.parts.count())]:
            self.parts.clear()
            self.parts.addItems(names)
        self.parts.setEnabled(part is not None)
        self.tabs.setVisible(part is not None)
        self.stack.setVisible(part is not None)
        if part is None:
            self.summary.setText("Nothing on the plate yet. Models can be dropped on the window.")
            return
        self.parts.setCurrentIndex([p.id for p in self.job.parts].index(part.id))
        mesh = self.session.stages.scaled(part)
        x, y, z = mesh.extents_mm
        colour = f' · <span style="color:{part.source.colour}">■</span>' if part.source.colour else ""
        self.summary.setText(f"{x:.1f} × {y:.1f} × {z:.1f} mm<br>{mesh.triangles:,} triangles{colour}")
        super().show_job(part)

    def _open(self) -> None:
        chosen, _ = QFileDialog.getOpenFileNames(self, "Open models", "", MODEL_FILTER)
        if chosen:
            self.session.open_files([Path(c) for c in chosen])


def _listed(part: Part, count: int) -> str:
    """A part as the list names it, with its side and count."""
    side = f", {part.side}" if part.side else ""
    return f"{part.name}{side}" + (f" × {count}" if count > 1 else "")
