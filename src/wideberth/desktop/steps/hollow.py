"""The shell's controls, in three leaves: the shell itself, places with a thicker wall, and whether it pays."""

from __future__ import annotations

from PySide6.QtWidgets import QStackedWidget, QWidget

from wideberth.core.job import PartRecipe
from wideberth.desktop.steps.hollow_pays import PaysLeaf
from wideberth.desktop.steps.hollow_places import PlacesLeaf
from wideberth.desktop.steps.hollow_shell import ShellLeaf
from wideberth.desktop.steps.leaves import Leaves
from wideberth.desktop.steps.step import Step


class HollowStep(Step):
    """A shell of a given wall, or solid."""

    name = "hollow"
    why = "less resin, where it pays"

    def build(self) -> None:
        self.shell, self.places, self.pays = ShellLeaf(self), PlacesLeaf(self), PaysLeaf(self)
        self.wall = self.shell.wall
        self.leaves: dict[str, QWidget] = {"Shell": self.shell, "Places": self.places, "Does it pay?": self.pays}
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
        if name != "Places":
            self.session.driller.stop()

    def hideEvent(self, _event: object) -> None:
        self.session.driller.stop()

    def show_job(self, part: PartRecipe | None) -> None:
        for leaf in (self.shell, self.places, self.pays):
            leaf.show_part(part)
        self.reason.setText("")
