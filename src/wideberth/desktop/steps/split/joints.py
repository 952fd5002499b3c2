"""Joints: how the pieces of what was cut go together, in order, and the pieces drawn apart."""

from __future__ import annotations

from typing import TYPE_CHECKING

from wideberth.core.job import Part, assembly_lines
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
        self.lines = label("", "")
        for widget in (self.apart, self.back, self.lines):
            self.box.addWidget(widget)

    def show_part(self, part: Part | None) -> None:
        lines = assembly_lines(self._session.job)
        for act in (self.apart, self.back):
            act.setEnabled(bool(lines))
        self.lines.setText("\n\n".join(lines) or "No part was cut yet: its joints are told here, in the order they are closed.")
