"""The pose's controls, in three leaves: ways up that are proposed, turning by hand, and marks on faces."""

from __future__ import annotations

from wideberth.core.job import Part
from wideberth.core.support import Idleness
from wideberth.desktop.steps.orient.hand import HandLeaf
from wideberth.desktop.steps.orient.marks import MarksLeaf
from wideberth.desktop.steps.orient.ways import WaysLeaf
from wideberth.desktop.steps.step import LeavedStep


class OrientStep(LeavedStep):
    """Which way up: by what it costs, by hand, and by the faces that must stay clean."""

    name = "orient"
    why = "which faces carry marks, and how the pull grows"

    def build(self) -> None:
        self.add_page("All ways up, on a chart", "every direction with what it costs, and picks side by side", is_open=False)
        self.ways, self.hand, self.marks = WaysLeaf(self), HandLeaf(self), MarksLeaf(self)
        self.add_leaves({"Ways up": self.ways, "By hand": self.hand, "Marks": self.marks})

    def show_job(self, part: Part | None) -> None:
        super().show_job(part)
        said = self.session.proposing.why("orient", part)
        if part is not None and part.supports.idle:
            idle = [i.why for i in part.supports.idle]
            waiting = ", ".join(f"{n} {why}" for why in Idleness if (n := idle.count(why)))
            said = f"{len(part.supports.contacts)} tips carry; waiting for another pose: {waiting}.\n\n{said}".rstrip()
        self.reason.setText(said)

    def turned_to(self, name: str) -> None:
        if name != "Marks":
            self.marks.stop()
        if name != "By hand":
            self.hand.stop()

    def hideEvent(self, _event: object) -> None:
        self.turned_to("")
