"""The plate's controls: where each part stands."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QComboBox

from wideberth.core.job import Part, Placement
from wideberth.core.plate import Goal
from wideberth.core.propose import propose_places
from wideberth.desktop.steps.fields import NumberField, button, captioned, label, side_by_side, slim
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
        self.turn = NumberField(
            "Turned", "°", -360, 360, 15, "on the plate, counter-clockwise seen from above; with its supports"
        )
        self.turn.entered.connect(self._turn)
        self.goal = QComboBox()
        self.goal.setAccessibleName("what the plate is arranged for")
        for goal in Goal:
            self.goal.addItem(str(goal))
        slim(self.goal)
        self.box.addWidget(self.turn)
        self.box.addWidget(button("Turn it a quarter more", self._quarter, "quiet", "with its supports"))
        self.box.addWidget(captioned("Arranged for", self.goal))
        self.box.addWidget(
            button("Arrange all parts", self._arrange, "main", "by their outlines at all heights, supports included")
        )
        self.box.addWidget(label("Click a part in the 3D view to choose it.", "faint"))

    def show_job(self, part: Part | None) -> None:
        self.reason.setText(self.session.proposing.reasons.get("plate", ""))
        self.which.setText(part.name if part is not None else "no part")
        placement = self._placement()
        if placement is not None:
            self.x.set_value(placement.x_mm)
            self.y.set_value(placement.y_mm)
            self.turn.set_value(placement.turn_deg)

    def _placement(self) -> Placement | None:
        """Where the first print of the chosen part stands."""
        have = self.job.placements_of(self.session.selection.part)
        return have[0] if have else None

    def _move(self, _value: float) -> None:
        placement = self._placement()
        if self.part is not None and placement is not None:
            moved = replace(placement, x_mm=self.x.value, y_mm=self.y.value)
            self.session.document.change(f"move {self.part.name}", self.job.with_placement(moved))

    def _turn(self, turn_deg: float) -> None:
        placement = self._placement()
        if self.part is not None and placement is not None:
            turned = replace(placement, turn_deg=turn_deg % 360)
            self.session.document.change(f"turn {self.part.name} to {turn_deg:g}° on the plate", self.job.with_placement(turned))

    def _quarter(self) -> None:
        placement = self._placement()
        if placement is not None:
            self._turn((placement.turn_deg + 90) % 360)

    def _arrange(self) -> None:
        job, goal = self.job, Goal(self.goal.currentText())
        if self.part is not None:
            self.session.proposing.propose("arranging", lambda p: propose_places(job, self.session.stages, "", goal, p))
