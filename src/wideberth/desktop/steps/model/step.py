"""The model's controls: open, choose a part, and four leaves: its health, size, measures, and the kit it belongs to."""

from __future__ import annotations

from html import escape
from pathlib import Path

from PySide6.QtWidgets import QComboBox, QFileDialog

from wideberth.core.job import Part
from wideberth.desktop.steps.fields import button, label
from wideberth.desktop.steps.model.examiner import Examiner
from wideberth.desktop.steps.model.health import HealthLeaf
from wideberth.desktop.steps.model.kit import KitLeaf
from wideberth.desktop.steps.model.measure import MeasureLeaf
from wideberth.desktop.steps.model.measuring import Measuring
from wideberth.desktop.steps.model.size import SizeLeaf
from wideberth.desktop.steps.model.unit_question import UnitQuestion
from wideberth.desktop.steps.step import LeavedStep
from wideberth.desktop.words import MODEL_FILTER


class ModelStep(LeavedStep):
    """Parts of the job, their health and size."""

    name = "model"
    why = "load it, look at its health, bring it to size"

    def build(self) -> None:
        self.box.addWidget(button("Open models…", self._open, "main", "STL, OBJ, PLY, 3MF, or a zip of them; or drop them here"))
        self.examiner, self.measuring = Examiner(self.session), Measuring(self.session)
        self.unit_question = UnitQuestion(self.session)
        self.box.addWidget(self.unit_question)
        self.parts = QComboBox()
        self.parts.setAccessibleName("part")
        self.parts.activated.connect(lambda row: self.session.selection.choose_part(self.job.parts[row].id))
        self.box.addWidget(self.parts)
        self.summary = label("", "faint", rich=True)
        self.box.addWidget(self.summary)
        self.health, self.size = HealthLeaf(self, self.examiner), SizeLeaf(self)
        self.measure, self.kit = MeasureLeaf(self, self.measuring), KitLeaf(self)
        self.add_leaves({"Health": self.health, "Size": self.size, "Measure": self.measure, "Kit": self.kit})
        self.scale, self.height_field = self.size.scale, self.size.sides[2]

    def turned_to(self, name: str) -> None:
        if name != "Measure":
            self.measuring.stop()
        if name != "Health":
            self.health.walls.setChecked(False)

    def hideEvent(self, _event: object) -> None:
        self.measuring.stop()
        self.health.walls.setChecked(False)

    def show_job(self, part: Part | None) -> None:
        names = [_listed(p, len(self.job.placements_of(p.id))) for p in self.job.parts]
        if names != [self.parts.itemText(i) for i in range(self.parts.count())]:
            self.parts.clear()
            self.parts.addItems(names)
        self.parts.setEnabled(part is not None)
        self.tabs.setVisible(part is not None)
        self.holder.setVisible(part is not None)
        if part is None:
            self.summary.setText("Nothing on the plate yet. Models can be dropped on the window.")
            return
        self.parts.setCurrentIndex([p.id for p in self.job.parts].index(part.id))
        mesh = self.session.stages.at_hand(lambda s: s.scaled(part)) or part.source.mesh
        x, y, z = part.source.mesh.extents_mm * part.factors if mesh is part.source.mesh else mesh.extents_mm
        colour = f' · <span style="color:{escape(part.source.colour, quote=True)}">■</span>' if part.source.colour else ""
        self.summary.setText(f"{x:.1f} × {y:.1f} × {z:.1f} mm<br>{mesh.triangles:,} triangles{colour}")
        super().show_job(part)

    def _open(self) -> None:
        chosen, _ = QFileDialog.getOpenFileNames(self, "Open models", "", MODEL_FILTER)
        if chosen:
            self.session.files.open([Path(c) for c in chosen])


def _listed(part: Part, count: int) -> str:
    """A part as the list names it, with its side and count."""
    side = f", {part.side}" if part.side else ""
    return f"{part.name}{side}" + (f" × {count}" if count > 1 else "")
