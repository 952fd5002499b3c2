"""Joints: how the pieces of what was cut go together, in order, and the pieces drawn apart."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from wideberth.core.job import Part, assembly_lines, pieces_beside
from wideberth.core.propose import numbered
from wideberth.desktop.steps.fields import button, label
from wideberth.desktop.steps.step import Leaf

if TYPE_CHECKING:
    from wideberth.desktop.steps.split.step import SplitStep


class JointsLeaf(Leaf):
    """What the assembly sheet says, beside the pieces as they part."""

    _step: SplitStep

    def build(self) -> None:
        show = self._session.sight.show_wanted.emit
        self.apart = button(
            "Draw the pieces apart", lambda: show("apart"), "main", "each moved away from its cuts, in the 3D view"
        )
        self.back = button("On the plate again", lambda: show("margins"), "quiet", "what is printed, as it stands")
        self.number = button(
            "Number the pieces", self._number, "", "engraved in the face of a cut, 0.6 mm deep: hidden once together"
        )
        self.plain = button("Without numbers", self._without, "quiet", "the faces as they were cut")
        self.lines = label("", "")
        for widget in (self.apart, self.back, self.number, self.plain, self.lines):
            self.box.addWidget(widget)

    def _number(self) -> None:
        job, id, stages = self._session.job, self._session.selection.part, self._session.stages
        self._session.proposing.propose("looking for room in the faces", lambda p: numbered(job, id, stages, p))

    def _without(self) -> None:
        job = self._session.job
        for piece in pieces_beside(job, self._session.selection.part):
            job = job.with_part(replace(piece, engraved=""))
        self._session.document.change("take the numbers away", job)

    def show_part(self, part: Part | None) -> None:
        lines = assembly_lines(self._session.job)
        for act in (self.apart, self.back, self.number):
            act.setEnabled(bool(lines))
        self.plain.setVisible(any(p.engraved for p in self._session.job.parts))
        self.lines.setText("\n\n".join(lines) or "No part was cut yet: its joints are told here, in the order they are closed.")
