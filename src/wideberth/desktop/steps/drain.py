"""The holes' controls, in three leaves: holes by hand or proposed, the chambers and what stays in them, and plugs."""

from __future__ import annotations

from PySide6.QtWidgets import QStackedWidget, QWidget

from wideberth.core.job import PartRecipe
from wideberth.desktop.steps.drain_chambers import ChambersLeaf
from wideberth.desktop.steps.drain_holes import HolesLeaf
from wideberth.desktop.steps.drain_plugs import PlugsLeaf
from wideberth.desktop.steps.leaves import Leaves
from wideberth.desktop.steps.step import Step


class DrainStep(Step):
    """Drain holes: for pressure first, for draining second."""

    name = "drain"
    why = "holes for pressure first, for draining second"

    def build(self) -> None:
        self.holes, self.chambers, self.plugs = HolesLeaf(self), ChambersLeaf(self), PlugsLeaf(self)
        self.leaves: dict[str, QWidget] = {"Holes": self.holes, "Chambers": self.chambers, "Plugs": self.plugs}
        self.stack = QStackedWidget()
        for leaf in self.leaves.values():
            self.stack.addWidget(leaf)
        self.tabs = Leaves(list(self.leaves))
        self.tabs.turned.connect(self.turn_to)
        self.box.addWidget(self.tabs)
        self.box.addWidget(self.stack)

    def turn_to(self, name: str) -> None:
        """Open one of the leaves."""
        self.tabs.show_turned(name)
        self.stack.setCurrentWidget(self.leaves[name])
        if name != "Holes":
            self.session.driller.stop()
        if name == "Chambers":
            self.session.show_wanted.emit("chambers")

    def hideEvent(self, _event: object) -> None:
        self.session.driller.stop()

    def show_job(self, part: PartRecipe | None) -> None:
        for leaf in (self.holes, self.chambers, self.plugs):
            leaf.show_part(part)
        self.reason.setText("")
