"""The size leaf: by factor, by side, from one model scale to another, in inches, mirrored."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox

from wideberth.core.errors import WideBerthError
from wideberth.core.job import Part, job_scaled, resized
from wideberth.core.units import MM_PER_INCH
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side
from wideberth.desktop.steps.step import Leaf


class SizeLeaf(Leaf):
    """Every way to a part's size."""

    def build(self) -> None:
        box = self.box
        self.scale = NumberField("Scale", "", 1e-4, 1e4, 0.05, "a factor, or arithmetic such as 12/8")
        self.scale.entered.connect(self._scale)
        self.sides = [
            NumberField(name, "mm", 0.01, 5000, 1, "mm; `3 in` is understood") for name in ("along x", "along y", "along z")
        ]
        for axis, field in enumerate(self.sides):
            field.entered.connect(lambda value, a=axis: self._side(a, value))
        box.addWidget(side_by_side(self.scale, self.sides[0]))
        box.addWidget(side_by_side(*self.sides[1:]))
        self.keep = QCheckBox("keep proportions")
        self.keep.setChecked(True)
        box.addWidget(self.keep)
        self.was = NumberField("Drawn at 1 :", "", 0.01, 10000, 1, "the model's own scale, such as 12 for 1:12")
        self.wanted = NumberField("wanted 1 :", "", 0.01, 10000, 1, "the scale it should come out at")
        self.was.set_value(12.0)
        self.wanted.set_value(8.0)
        box.addWidget(side_by_side(self.was, self.wanted))
        box.addWidget(button("Bring to that scale", self._to_scale, "quiet"))
        inches = button("It was in inches", lambda: self._scale(self._now * MM_PER_INCH), "quiet", f"scale by {MM_PER_INCH}")
        mirror = button("Mirror", self._mirror, "quiet", "left and right exchanged, across x")
        box.addWidget(side_by_side(inches, mirror))
        self.linked = label("", "faint")
        box.addWidget(self.linked)
        box.addStretch(1)

    @property
    def _now(self) -> float:
        return self._step.part.scale if self._step.part is not None else 1.0

    def show_part(self, part: Part | None) -> None:
        """Show a part's size, once it is known."""
        if part is None:
            return
        mesh = self._session.stages.at_hand(lambda s: s.scaled(part))
        self.scale.set_value(part.scale)
        for axis, field in enumerate(self.sides):
            field.setEnabled(mesh is not None)
            if mesh is not None:
                field.set_value(float(mesh.extents_mm[axis]))
        words = ["The kit is linked: all parts grow together."] if self._step.job.linked else []
        if part.mirrored:
            words.append("It is mirrored.")
        if part.stretch != (1.0, 1.0, 1.0):
            words.append("Stretched " + " × ".join(f"{s:.3g}" for s in part.stretch) + ".")
        self.linked.setText(" ".join(words))

    def _scale(self, value: float) -> None:
        part = self._step.part
        if part is None:
            return
        try:
            self._session.document.change(
                f"scale {part.name} to {value:.3g}", job_scaled(self._step.job, self._session.selection.part, value)
            )
        except WideBerthError as error:
            self._session.messages.warn(error.text)

    def _side(self, axis: int, value: float) -> None:
        part = self._step.part
        if part is None:
            return
        mesh = self._session.stages.at_hand(lambda s: s.scaled(part))
        if mesh is None:
            return
        by = value / float(mesh.extents_mm[axis])
        if self.keep.isChecked():
            self._scale(part.scale * by)
            return
        x, y, z = (s * by if a == axis else s for a, s in enumerate(part.stretch))
        self._resize(f"stretch {part.name}", (x, y, z), part.mirrored)

    def _to_scale(self) -> None:
        self._scale(self._now * self.was.value / self.wanted.value)

    def _mirror(self) -> None:
        if self._step.part is not None:
            self._resize(f"mirror {self._step.part.name}", self._step.part.stretch, not self._step.part.mirrored)

    def _resize(self, name: str, stretch: tuple[float, float, float], mirrored: bool) -> None:
        part = self._step.part
        assert part is not None
        try:
            self._step.change(name, resized(part, part.scale, stretch, mirrored))
        except WideBerthError as error:
            self._session.messages.warn(error.text)
