"""The split step: whether a part fits, cuts that are proposed, and a plane led by hand; keys and their clearance for both."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox

from wideberth.core.propose import JointFit, clearance_of
from wideberth.core.split import Kind
from wideberth.desktop.steps.fields import captioned, side_by_side, slim
from wideberth.desktop.steps.split.by_hand import ByHandLeaf
from wideberth.desktop.steps.split.joints import JointsLeaf
from wideberth.desktop.steps.split.kit_fits import KitFitsLeaf
from wideberth.desktop.steps.split.printers import PrintersLeaf
from wideberth.desktop.steps.split.proposed import ProposedLeaf
from wideberth.desktop.steps.step import LeavedStep

BEST_KEY = "any that fits"


class SplitStep(LeavedStep):
    """Cut a part in pieces that fit and go together one way."""

    name = "split"
    why = "too big? turn it, scale it, or cut it"

    def build(self) -> None:
        self.keys = QComboBox()
        self.keys.setAccessibleName("keys of the joint")
        self.keys.addItem(BEST_KEY, None)
        for kind in Kind:
            self.keys.addItem(str(kind), str(kind))
        self.fit = QComboBox()
        self.fit.setAccessibleName("how the pieces are to sit in each other")
        for fit in JointFit:
            self.fit.addItem(str(fit), str(fit))
        for choice in (self.keys, self.fit):
            slim(choice)
        self.box.addWidget(side_by_side(captioned("Keys", self.keys), captioned("To be", self.fit)))
        self.add_leaves(
            {
                "Propose": ProposedLeaf(self),
                "By hand": ByHandLeaf(self),
                "Printers": PrintersLeaf(self),
                "Fits": KitFitsLeaf(self),
                "Joints": JointsLeaf(self),
            }
        )

    @property
    def kind(self) -> Kind | None:
        """The chosen kind of key; None for whatever there is room for."""
        chosen = self.keys.currentData()
        return None if chosen is None else Kind(chosen)

    @property
    def joint(self) -> JointFit:
        """How the pieces are to sit in each other."""
        return JointFit(self.fit.currentData())

    @property
    def clearance_mm(self) -> float:
        """By how much sockets are wider on each side."""
        return clearance_of(self.joint, self.job.bench.house)

    def turned_to(self, name: str) -> None:
        self.leaves["By hand"].follow()  # type: ignore[attr-defined]

    def hideEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().hideEvent(event)
        self.leaves["By hand"].follow()  # type: ignore[attr-defined]

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.leaves["By hand"].follow()  # type: ignore[attr-defined]
