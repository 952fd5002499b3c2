"""The model's controls: open, choose a part, bring it to size."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QComboBox, QFileDialog

from wideberth.core.errors import WideBerthError
from wideberth.core.job import PartRecipe, scaled
from wideberth.core.units import MM_PER_INCH
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side
from wideberth.desktop.steps.step import Step
from wideberth.desktop.words import MODEL_FILTER


class ModelStep(Step):
    """Parts of the job, their health and size."""

    name = "model"
    why = "load it, look at its health, bring it to size"

    def build(self) -> None:
        self.box.addWidget(button("Open a model…", self._open, "main"))
        self.parts = QComboBox()
        self.parts.setAccessibleName("part")
        self.parts.activated.connect(self.session.choose_part)
        self.box.addWidget(self.parts)
        self.health = label("", "faint")
        self.box.addWidget(self.health)
        self.scale = NumberField("Scale", "", 1e-4, 1e4, 0.05, "a factor, or arithmetic such as 12/8")
        self.scale.entered.connect(self._scale)
        self.height = NumberField("Height", "mm", 0.01, 5000, 1, "mm; `3 in` is understood")
        self.height.entered.connect(self._to_height)
        self.box.addWidget(side_by_side(self.scale, self.height))
        inches = button("It was in inches", self._inches, "quiet", f"scale by {MM_PER_INCH}")
        remove = button("Take it off", self._remove, "quiet")
        self.box.addWidget(side_by_side(inches, remove))

    def show_job(self, part: PartRecipe | None) -> None:
        names = [p.name for p in self.job.parts]
        if names != [self.parts.itemText(i) for i in range(self.parts.count())]:
            self.parts.clear()
            self.parts.addItems(names)
        for widget in (self.parts, self.scale, self.height):
            widget.setEnabled(part is not None)
        if part is None:
            self.health.setText("Nothing on the plate yet. Models can be dropped on the window.")
            return
        self.parts.setCurrentIndex(self.session.part)
        mesh = part.source.mesh
        size = self.session.stages.scaled(part).extents_mm
        self.scale.set_value(part.scale)
        self.height.set_value(float(size[2]))
        sound = "watertight" if mesh.watertight else "not watertight"
        notes = "".join(f"\n{note}" for note in part.source.notes)
        x, y, z = size
        self.health.setText(f"{mesh.triangles:,} triangles, {sound}\n{x:.1f} × {y:.1f} × {z:.1f} mm{notes}")

    def _open(self) -> None:
        chosen, _ = QFileDialog.getOpenFileNames(self, "Open models", "", MODEL_FILTER)
        if chosen:
            self.session.open_files([Path(c) for c in chosen])

    def _scale(self, value: float) -> None:
        if self.part is None:
            return
        try:
            self.change(f"scale {self.part.name} to {value:.3g}", scaled(self.part, value))
        except WideBerthError as error:
            self.session.failed.emit(error.text)

    def _to_height(self, value: float) -> None:
        if self.part is not None:
            self._scale(value / float(self.part.source.mesh.extents_mm[2]))

    def _inches(self) -> None:
        if self.part is not None:
            self._scale(self.part.scale * MM_PER_INCH)

    def _remove(self) -> None:
        if self.part is not None:
            self.session.change(f"take off {self.part.name}", self.job.without(self.session.part))
