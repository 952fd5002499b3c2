"""The supports' controls, in leaves: what is proposed, tips by hand, the base, and how all comes off."""

from __future__ import annotations

from wideberth.core.job import Part
from wideberth.desktop.steps.step import LeavedStep
from wideberth.desktop.steps.support.base import BaseLeaf
from wideberth.desktop.steps.support.hand import TipsLeaf
from wideberth.desktop.steps.support.off import OffLeaf
from wideberth.desktop.steps.support.propose import ProposeLeaf


class SupportStep(LeavedStep):
    """Tips under islands, free edges and undersides, sized by their load, and changed by hand."""

    name = "support"
    why = "so that each layer lets go of the film"

    def build(self) -> None:
        self.propose, self.tips, self.base = ProposeLeaf(self), TipsLeaf(self), BaseLeaf(self)
        self.off = OffLeaf(self, self.tips.editor)
        self.add_leaves({"Propose": self.propose, "By hand": self.tips, "Base": self.base, "Take off": self.off})

    def show_job(self, part: Part | None) -> None:
        super().show_job(part)
        self.reason.setText(self.propose.told if self.tabs.turned_name == "Propose" else "")

    def turned_to(self, name: str) -> None:
        if name not in ("By hand", "Take off"):
            self.tips.stop()
        if name == "By hand":
            self.tips.set_mode()
        self.show_job(self.part)

    def hideEvent(self, _event: object) -> None:
        self.tips.stop()

    def go_to_weakest(self) -> None:
        """Move the height cursor to what decides the hold."""
        self.propose.go_to_weakest()
