"""The holes' controls, in three leaves: holes by hand or proposed, the chambers and what stays in them, and plugs."""

from __future__ import annotations

from wideberth.desktop.steps.drain.chambers import ChambersLeaf
from wideberth.desktop.steps.drain.driller import Driller
from wideberth.desktop.steps.drain.holes import HolesLeaf
from wideberth.desktop.steps.drain.plugs import PlugsLeaf
from wideberth.desktop.steps.step import LeavedStep


class DrainStep(LeavedStep):
    """Drain holes: for pressure first, for draining second."""

    name = "drain"
    why = "holes for pressure first, for draining second"

    def build(self) -> None:
        self.driller = Driller(self.session)
        self.holes, self.chambers, self.plugs = HolesLeaf(self, self.driller), ChambersLeaf(self), PlugsLeaf(self)
        self.add_leaves({"Holes": self.holes, "Chambers": self.chambers, "Plugs": self.plugs})

    def turned_to(self, name: str) -> None:
        if name != "Holes":
            self.driller.stop()
        if name == "Chambers":
            self.session.sight.show_wanted.emit("chambers")

    def hideEvent(self, _event: object) -> None:
        self.driller.stop()
