"""The holes' controls: by hand in the 3D view, or proposed."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QListWidget, QPushButton

from wideberth.core.drain import hole_diameter_mm
from wideberth.core.job import PartRecipe, propose_drain
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side
from wideberth.desktop.steps.step import Step


class DrainStep(Step):
    """Drain holes: for pressure first, for draining second."""

    name = "drain"
    why = "holes for pressure first, for draining second"

    def build(self) -> None:
        self.diameter = NumberField("Diameter", "mm", 0.5, 20, 0.5)
        self.diameter.set_value(hole_diameter_mm(self.job.bench))
        self.diameter.entered.connect(self._remember)
        self.box.addWidget(self.diameter)
        self.place = QPushButton("Place in the 3D view")
        self.place.setCheckable(True)
        self.place.toggled.connect(self.session.hole_wanted.emit)
        self.box.addWidget(self.place)
        self.box.addWidget(button("Propose holes", self._propose, "main"))
        self.list = QListWidget()
        self.list.setMaximumHeight(130)
        self.list.setAccessibleName("drain holes")
        self.box.addWidget(self.list)
        remove = button("Close this one", self._remove, "quiet")
        clear = button("Close all", self._clear, "quiet")
        self.box.addWidget(side_by_side(remove, clear))
        self.box.addWidget(
            label("Low holes relieve the most layers; a second one lets air in. Keep the plugs.", "faint")
        )

    def _remember(self, value: float) -> None:
        self.session.hole_mm = value

    def hideEvent(self, _event: object) -> None:
        self.place.setChecked(False)

    def show_job(self, part: PartRecipe | None) -> None:
        chosen = self.list.currentRow()
        self.list.clear()
        if part is not None:
            p = self.session.prediction
            bores = p.solids_of(self.session.part).bores if p is not None and p.job is self.job else ()
            for number, hole in enumerate(part.holes):
                wall = (
                    f", wall {bores[number].wall_mm:.1f} mm at {bores[number].z_mm:.1f}" if number < len(bores) else ""
                )
                self.list.addItem(f"{number + 1} · {hole.diameter_mm:g} mm{wall}")
                self.list.item(number).setToolTip(hole.why)
            self.list.setCurrentRow(min(chosen, len(part.holes) - 1))
        self.reason.setText(self.session.last_reason.get("drain", ""))

    def _propose(self) -> None:
        index, job = self.session.part, self.job
        if self.part is not None:
            self.session.propose("looking for drain holes", lambda p: propose_drain(job, index, self.session.stages, p))

    def _remove(self) -> None:
        row = self.list.currentRow()
        if self.part is not None and 0 <= row < len(self.part.holes):
            holes = self.part.holes[:row] + self.part.holes[row + 1 :]
            self.change(f"close hole {row + 1}", replace(self.part, holes=holes))

    def _clear(self) -> None:
        if self.part is not None and self.part.holes:
            self.change("close all holes", replace(self.part, holes=()))
