"""The cut's controls: a plane across an axis, and both pieces stay."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox

from wideberth.core.job import Part
from wideberth.core.propose import Proposal, only, propose_split, with_pieces
from wideberth.core.split import Cut
from wideberth.desktop.steps.fields import NumberField, button, label
from wideberth.desktop.steps.step import Step

NORMALS = {"across x": (1.0, 0.0, 0.0), "across y": (0.0, 1.0, 0.0), "across z": (0.0, 0.0, 1.0)}


class SplitStep(Step):
    """Cut a part in two with a plane."""

    name = "split"
    why = "too big? turn it, scale it, or cut it"

    def build(self) -> None:
        self.axis = QComboBox()
        self.axis.addItems(list(NORMALS))
        self.axis.setCurrentIndex(2)
        self.axis.setAccessibleName("direction of the cut")
        self.axis.currentIndexChanged.connect(self.refresh)
        self.place = NumberField("At", "mm", -5000, 5000, 1, "mm from the part's lower side along that axis")
        self.box.addWidget(self.axis)
        self.box.addWidget(self.place)
        self.size = label("", "faint")
        self.box.addWidget(self.size)
        self.cut_button = button("Cut here", self._cut, "main")
        self.box.addWidget(self.cut_button)
        self.box.addWidget(button("Propose a cut", self._propose))
        self.box.addWidget(
            label("Both pieces are capped and stay in the job. Print mating faces upward and glue them before curing.", "faint")
        )

    def show_job(self, part: Part | None) -> None:
        self.cut_button.setEnabled(part is not None)
        self.reason.setText(self.session.proposing.reasons.get("split", ""))
        if part is None:
            return
        axis = self.axis.currentIndex()
        mesh = self.session.stages.at_hand(lambda s: s.cut(part))
        self.size.setText("" if mesh is None else f"{mesh.extents_mm[axis]:.1f} mm long that way")
        if mesh is not None and not 0 < self.place.value < float(mesh.extents_mm[axis]):
            self.place.set_value(round(float(mesh.extents_mm[axis]) / 2, 1))

    def _cut(self) -> None:
        part = self.part
        if part is None:
            return
        axis, normal = self.axis.currentIndex(), NORMALS[self.axis.currentText()]
        place, id, job = self.place.value, self.session.selection.part, self.job
        stages = self.session.stages

        def work(_progress: object) -> Proposal:
            mesh = stages.cut(part)
            cut = Cut(normal, float(mesh.low[axis]) + place, 1)
            return only("split", f"cut {part.name}", f"cut at {place:g} mm", with_pieces(job, id, cut, stages))

        self.session.proposing.propose("cutting", work)

    def _propose(self) -> None:
        id, job = self.session.selection.part, self.job
        if self.part is not None:
            self.session.proposing.propose("looking for a cut", lambda _p: propose_split(job, id, self.session.stages))
