"""The plate's controls: where each part stands."""

from __future__ import annotations

from dataclasses import replace

from wideberth.core.job import Part, Placement
from wideberth.core.propose import propose_places
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side
from wideberth.desktop.steps.step import Step


class PlateStep(Step):
    """Place parts so that they do not touch."""

    name = "plate"
    why = "parts that touch print as one and pull as one"

    def build(self) -> None:
        self.x = NumberField("x", "mm", -1000, 1000, 1, "from the plate's centre")
        self.y = NumberField("y", "mm", -1000, 1000, 1, "from the plate's centre")
        for field in (self.x, self.y):
            field.entered.connect(self._move)
        self.which = label("", "head")
        self.box.addWidget(self.which)
        self.box.addWidget(side_by_side(self.x, self.y))
        self.box.addWidget(button("Turn 90° on the plate", self._quarter, "quiet", "with its supports"))
        self.box.addWidget(button("Arrange all parts", self._arrange, "main"))
        self.box.addWidget(label("Click a part in the 3D view to choose it.", "faint"))

    def show_job(self, part: Part | None) -> None:
        self.reason.setText(self.session.proposing.reasons.get("plate", ""))
        self.which.setText(part.name if part is not None else "no part")
        placement = self._placement()
        if placement is not None:
            self.x.set_value(placement.x_mm)
            self.y.set_value(placement.y_mm)

    def _placement(self) -> Placement | None:
        """Where the first print of the chosen part stands."""
        have = self.job.placements_of(self.session.selection.part)
        return have[0] if have else None

    def _move(self, _value: float) -> None:
        placement = self._placement()
        if self.part is not None and placement is not None:
            moved = replace(placement, x_mm=self.x.value, y_mm=self.y.value)
            self.session.document.change(f"move {self.part.name}", self.job.with_placement(moved))

    def _quarter(self) -> None:
        placement = self._placement()
        if self.part is not None and placement is not None:
            turned = replace(placement, turn_deg=(placement.turn_deg + 90) % 360)
            self.session.document.change(f"turn {self.part.name} 90° on the plate", self.job.with_placement(turned))

    def _arrange(self) -> None:
        job = self.job
        if self.part is not None:
            self.session.proposing.propose("arranging", lambda _p: propose_places(job, self.session.stages))
