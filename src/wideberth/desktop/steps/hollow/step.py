"""The shell's controls, in three leaves: the shell itself, places with a thicker wall, and whether it pays."""

from __future__ import annotations

from wideberth.desktop.steps.hollow.pays import PaysLeaf
from wideberth.desktop.steps.hollow.places import PlacesLeaf
from wideberth.desktop.steps.hollow.shell import ShellLeaf
from wideberth.desktop.steps.step import LeavedStep


class HollowStep(LeavedStep):
    """A shell of a given wall, or solid."""

    name = "hollow"
    why = "less resin, where it pays"

    def build(self) -> None:
        self.shell, self.places, self.pays = ShellLeaf(self), PlacesLeaf(self), PaysLeaf(self)
        self.wall = self.shell.wall
        self.add_leaves({"Shell": self.shell, "Places": self.places, "Does it pay?": self.pays})

    def turned_to(self, name: str) -> None:
        if name != "Places":
            self.places.stop()

    def hideEvent(self, _event: object) -> None:
        self.places.stop()
