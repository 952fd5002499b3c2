"""The plate's controls: which plate, where each print stands on it, and how they are arranged."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox

from wideberth.core.job import Part
from wideberth.desktop.steps.fields import button as made_button
from wideberth.desktop.steps.fields import captioned, side_by_side, slim
from wideberth.desktop.steps.plate.arrange import ArrangeLeaf
from wideberth.desktop.steps.plate.by_hand import ByHandLeaf
from wideberth.desktop.steps.plate.facts import PlateFacts
from wideberth.desktop.steps.plate.hands import Hands
from wideberth.desktop.steps.plate.lost import LossLeaf
from wideberth.desktop.steps.step import LeavedStep
from wideberth.desktop.words import count


class PlateStep(LeavedStep):
    """Place parts so that they do not touch."""

    name = "plate"
    why = "parts that touch print as one and pull as one"

    def build(self) -> None:
        self.facts = PlateFacts(self.session)
        self.hands = Hands(self.session, self.facts)
        self.which = QComboBox()
        self.which.setAccessibleName("plate")
        slim(self.which)
        self.which.activated.connect(lambda row: self.session.selection.choose_plate(self.which.itemData(row)))
        self.box.addWidget(captioned("Plate", self.which))
        self.add = made_button("Add a plate", self._add, "quiet", "an empty one; move prints to it by hand")
        self.drop = made_button("Take it away", self._drop, "quiet", "this plate, once it is empty")
        self.box.addWidget(side_by_side(self.add, self.drop))
        self.add_leaves({"Arrange": ArrangeLeaf(self), "By hand": ByHandLeaf(self), "If one is lost": LossLeaf(self)})
        self.session.selection.plate_chosen.connect(self.refresh)

    def show_job(self, part: Part | None) -> None:
        job, shown = self.job, self.session.selection.plate_shown
        self.which.clear()
        for plate in job.plates:
            self.which.addItem(f"{plate.name} · {count(len(plate.placements), 'print')}", plate.id)
            if plate.id == shown:
                self.which.setCurrentIndex(self.which.count() - 1)
        empty = bool(shown) and not job.plate(shown).placements and len(job.plates) > 1
        self.drop.setEnabled(empty)
        super().show_job(part)
        self.reason.setText(self.session.proposing.why("plate", part))

    def _add(self) -> None:
        job = self.job.with_plate(f"Plate {len(self.job.plates) + 1}")
        self.session.document.change("add a plate", job)
        self.session.selection.choose_plate(job.plates[-1].id)

    def _drop(self) -> None:
        shown = self.session.selection.plate_shown
        name, job = self.job.plate(shown).name, self.job.without_plate(shown)
        self.session.document.change(f"take {name} away", job)
        self.session.selection.choose_plate(job.plates[0].id)
