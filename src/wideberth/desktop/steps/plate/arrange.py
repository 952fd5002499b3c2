"""Arrange: prints packed by their outlines, spread over plates, and what is left of a plate filled."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QComboBox, QVBoxLayout

from wideberth.core.job import Part
from wideberth.core.plate import Goal
from wideberth.core.propose import Measure, Proposal, propose_division, propose_more, propose_places, propose_plates
from wideberth.desktop.steps.fields import button, captioned, emptied, label, slim
from wideberth.desktop.steps.step import Leaf

if TYPE_CHECKING:
    from wideberth.desktop.steps.plate.step import PlateStep


class ArrangeLeaf(Leaf):
    """Proposals for the whole plate; pinned prints stay."""

    _step: PlateStep

    def build(self) -> None:
        self.goal = QComboBox()
        self.goal.setAccessibleName("what the plate is arranged for")
        for goal in Goal:
            self.goal.addItem(str(goal))
        self.extra = QComboBox()
        self.extra.setAccessibleName("what fills the rest of the plate")
        for choice in (self.goal, self.extra):
            slim(choice)
        for widget in (
            captioned("Arranged for", self.goal),
            button(
                "Arrange this plate", self._arrange, "main", "by outlines at all heights, supports included; pinned ones stay"
            ),
            button("Spread over plates", self._spread, "", "all prints of the job on as few plates as they need"),
            captioned("Fill the rest with", self.extra),
            button("Fill this plate", self._fill, "", "as many more prints as there is room for; nothing is moved"),
            button("One run or several?", self._divide, "", "what a full plate and several come to, predicted coarsely"),
        ):
            self.box.addWidget(widget)
        self.ways = QVBoxLayout()
        self.ways.setSpacing(4)
        self.box.addLayout(self.ways)
        told = "Outlines count at every height, so that one print may stand under another's overhang."
        self.box.addWidget(label(told, "faint"))
        self._made: Proposal | None = None
        self._fits = False

    def show_part(self, part: Part | None) -> None:
        self._show_ways()
        chosen = self.extra.currentData() or (part.id if part is not None else "")
        self.extra.clear()
        for each in self._session.job.parts:
            self.extra.addItem(each.name, each.id)
            if each.id == chosen:
                self.extra.setCurrentIndex(self.extra.count() - 1)

    def _divide(self) -> None:
        job, plate, stages = self._session.job, self._step.hands.plate, self._session.stages
        if self._step.hands.placed:
            self._session.proposing.weigh("weighing runs", lambda p: propose_division(job, stages, plate, p))

    def _show_ways(self) -> None:
        """Ways to divide the plate, with a button for each but the present one."""
        made = self._session.proposing.made.get("divide")
        fits = made is not None and made.candidates[0].job is self._session.job
        if made is self._made and fits is self._fits:
            return
        self._made, self._fits = made, fits
        emptied(self.ways)
        if made is None or not fits:
            return
        for one in made.candidates:
            head = label(one.name, "head")
            lines = " · ".join(f"{m.name} {_figure(m)}" for m in one.measures)
            self.ways.addWidget(head)
            self.ways.addWidget(label(lines, "faint"))
            if one is not made.candidates[0]:
                take = button("Divide it so", lambda one=one: self._session.document.change(one.label, one.job), "quiet")
                self.ways.addWidget(take)

    def _arrange(self) -> None:
        job, goal, plate, stages = self._session.job, Goal(self.goal.currentText()), self._step.hands.plate, self._session.stages
        if self._step.hands.placed:
            self._session.proposing.propose("arranging", lambda p: propose_places(job, stages, plate, goal, p))

    def _spread(self) -> None:
        job, goal, stages = self._session.job, Goal(self.goal.currentText()), self._session.stages
        if job.parts:
            self._session.proposing.propose("arranging", lambda p: propose_plates(job, stages, goal, p))

    def _fill(self) -> None:
        job, plate, part, stages = self._session.job, self._step.hands.plate, self.extra.currentData(), self._session.stages
        if part:
            self._session.proposing.propose("filling", lambda p: propose_more(job, stages, [part], plate, progress=p))


def _figure(measure: Measure) -> str:
    """A measure with its unit, as short as it may be."""
    if measure.name == "runs":
        return f"{measure.value:.0f}"
    sign = "×" if measure.unit == "×" else ""
    return f"{sign}{measure.value:.1f}" if sign else f"{measure.value:.1f} {measure.unit}"
