"""The pose's controls: turn, raise, propose."""

from __future__ import annotations

from dataclasses import replace

from wideberth.core.job import Part, posed, turned_part
from wideberth.core.orient import UPRIGHT
from wideberth.core.propose import propose_orient
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side
from wideberth.desktop.steps.step import Step


class OrientStep(Step):
    """Turn a part about the plate's axes, or let the pull decide."""

    name = "orient"
    why = "which faces carry marks, and how the pull grows"

    def build(self) -> None:
        self.angle = NumberField("Turn by", "°", -360, 360, 5)
        self.angle.set_value(15)
        self.box.addWidget(self.angle)
        for axis, name in enumerate("xyz"):
            back = button(f"−  {name}", lambda a=axis: self._turn(a, -1), "quiet", f"turn back about {name}")
            forth = button(f"+  {name}", lambda a=axis: self._turn(a, 1), "quiet", f"turn about {name}")
            self.box.addWidget(side_by_side(back, forth))
        self.gap = NumberField("Above the plate", "mm", 0, 200, 0.5, "lowest point to the plate; 0 stands on it")
        self.gap.entered.connect(self._raise)
        self.box.addWidget(self.gap)
        self.box.addWidget(button("Propose a pose", self._propose, "main"))
        self.box.addWidget(button("As it came", self._reset, "quiet"))
        self.box.addWidget(label("Turning drops the part's tips: they belong to its pose. Undo brings both back.", "faint"))

    def show_job(self, part: Part | None) -> None:
        if part is not None:
            self.gap.set_value(part.pose.gap_mm)
        self.reason.setText(self.session.proposing.reasons.get("orient", ""))

    def _turn(self, axis: int, way: int) -> None:
        if self.part is not None:
            degrees = way * self.angle.value
            self.change(f"turn {degrees:g}° about {'xyz'[axis]}", turned_part(self.part, axis, degrees))

    def _raise(self, gap: float) -> None:
        if self.part is not None:
            self.change(f"set {gap:g} mm above the plate", posed(self.part, replace(self.part.pose, gap_mm=gap)))

    def _reset(self) -> None:
        if self.part is not None:
            self.change("turn back to as it came", posed(self.part, replace(self.part.pose, turn=UPRIGHT)))

    def _propose(self) -> None:
        id, job = self.session.selection.part, self.job
        if self.part is not None:
            self.session.proposing.propose("weighing poses", lambda p: propose_orient(job, id, self.session.stages, p))
