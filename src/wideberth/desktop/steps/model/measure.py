"""The measure leaf: distance, angle, bore and wall, picked in the 3D view; and bringing a part to a measured size."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton

from wideberth.core.errors import WideBerthError
from wideberth.core.job import Part, job_scaled
from wideberth.desktop.steps.fields import NumberField, label, side_by_side
from wideberth.desktop.steps.model.measuring import SPOTS_WANTED, Measuring
from wideberth.desktop.steps.step import Leaf, LeavedStep

MODES = {"distance": "Distance", "angle": "Angle", "bore": "Bore", "wall": "Wall"}


class MeasureLeaf(Leaf):
    """Four measures and a way to scale by one of them."""

    def __init__(self, step: LeavedStep, measuring: Measuring) -> None:
        self._measuring = measuring
        super().__init__(step)

    def build(self) -> None:
        box = self.box
        self.modes: dict[str, QPushButton] = {}
        for mode, name in MODES.items():
            made = QPushButton(name)
            made.setCheckable(True)
            made.clicked.connect(lambda on, m=mode: self._measuring.start(m) if on else self._measuring.stop())
            self.modes[mode] = made
        order = list(self.modes.values())
        box.addWidget(side_by_side(*order[:2]))
        box.addWidget(side_by_side(*order[2:]))
        self.result = label("")
        box.addWidget(self.result)
        self.should = NumberField("It should be", "mm", 0.01, 5000, 0.1, "scales the part so that the measure comes out so")
        self.should.entered.connect(self._bring)
        box.addWidget(self.should)
        box.addStretch(1)
        self._measuring.measured.connect(self._show)
        self._show()

    def show_part(self, part: Part) -> None:
        """Nothing here depends on the part alone."""

    def _show(self) -> None:
        measuring, result = self._measuring, self._measuring.result
        for name, made in self.modes.items():
            made.setChecked(name == measuring.mode)
        by_length = result is not None and result.kind != "angle"
        self.should.setVisible(by_length)
        if result is not None:
            self.result.setText(result.text)
            if by_length:
                self.should.set_value(result.value)
        elif measuring.mode:
            left = SPOTS_WANTED[measuring.mode] - len(measuring.spots)
            self.result.setText(f"{left} more to click in the 3D view" if measuring.spots else "Click in the 3D view.")
        else:
            self.result.setText("Choose what to measure, then click in the 3D view. Corners are caught.")

    def _bring(self, value: float) -> None:
        result, part = self._measuring.result, self._step.part
        if result is None or part is None or result.value <= 0:
            return
        try:
            job = job_scaled(self._step.job, self._session.selection.part, part.scale * value / result.value)
        except WideBerthError as error:
            self._session.messages.warn(error.text)
            return
        self._session.document.change(f"bring {result.kind} to {value:g} mm", job)
