"""The kit leaf: names, left and right, counts, mirrored twins, one scale for all."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit

from wideberth.core.job import LEFT, RIGHT, Job, Part, with_count, with_twin
from wideberth.core.naming import cleaned
from wideberth.core.progress import Progress
from wideberth.core.propose import arranged, propose_places
from wideberth.desktop.session.files import NOT_ALL_FIT
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side
from wideberth.desktop.steps.step import Leaf

SIDES = ("", LEFT, RIGHT)


class KitLeaf(Leaf):
    """How a part belongs to the others."""

    def build(self) -> None:
        box = self.box
        box.addWidget(label("Name", "faint"))
        self.name = QLineEdit()
        self.name.setAccessibleName("name of the part")
        self.name.setMaxLength(80)
        self.name.editingFinished.connect(self._rename)
        box.addWidget(self.name)
        self.side = QComboBox()
        self.side.setAccessibleName("left or right")
        self.side.addItems(["neither side", LEFT, RIGHT])
        self.side.activated.connect(self._set_side)
        box.addWidget(self.side)
        self.count = NumberField("How many", "", 1, 200, 1)
        self.count.entered.connect(self._count)
        box.addWidget(self.count)
        twin = button("Add its mirror twin", self._twin, "", "a mirrored copy; it follows the part with holes and supports")
        box.addWidget(twin)
        self.linked = QCheckBox("one scale for the whole kit")
        self.linked.clicked.connect(self._link)
        box.addWidget(self.linked)
        arrange = button("Arrange all", self._arrange, "quiet", "give every copy a place of its own")
        remove = button("Take it off", self._remove, "quiet")
        box.addWidget(side_by_side(arrange, remove))
        self.whole = label("", "faint")
        box.addWidget(self.whole)
        box.addStretch(1)

    def show_part(self, part: Part | None) -> None:
        """Show how a part belongs to the kit."""
        job = self._step.job
        if part is None:
            return
        if not self.name.hasFocus():
            self.name.setText(part.name)
        self.side.setCurrentIndex(SIDES.index(part.side) if part.side in SIDES else 0)
        self.count.set_value(len(job.placements_of(part.id)))
        self.linked.setChecked(job.linked)
        placements = [p for plate in job.plates for p in plate.placements]
        mirrored, prints = sum(p.mirrored for p in placements), len(placements)
        self.whole.setText(
            f"{len(job.parts)} part{'s' if len(job.parts) != 1 else ''}, {prints} to print"
            + (f", {mirrored} of them mirrored" if mirrored else "")
            + "."
        )

    def _rename(self) -> None:
        part, name = self._step.part, cleaned(self.name.text(), instead="")
        if part is not None and name and name != part.name:
            self._step.change(f"call it {name}", replace(part, name=name))

    def _set_side(self, row: int) -> None:
        part = self._step.part
        if part is not None and SIDES[row] != part.side:
            self._step.change(f"{part.name}: {SIDES[row] or 'neither side'}", replace(part, side=SIDES[row]))

    def _count(self, value: float) -> None:
        part = self._step.part
        if part is not None:
            self._grow(f"{int(value)} of {part.name}", lambda job, id, size, apart: with_count(job, id, int(value), size, apart))

    def _twin(self) -> None:
        part = self._step.part
        if part is not None:
            self._grow(f"mirror twin of {part.name}", with_twin)

    def _grow(self, name: str, make: Callable[[Job, str, tuple[float, float], float], Job]) -> None:
        """Take more prints and arrange them; those that do not fit stand beside the plate, and the findings say so."""
        part, job, stages = self._step.part, self._step.job, self._session.stages
        if part is None:
            return

        def work(progress: Progress) -> tuple[Job, bool]:
            solids = stages.solids(part, job.bench.supports, progress)
            x, y, _ = (float(v) for v in solids.high - solids.low)
            return arranged(job, make(job, part.id, (x, y), job.bench.house.apart_mm), stages)

        def done(result: tuple[Job, bool]) -> None:
            grown, fits = result
            self._session.document.change(name, grown)
            if not fits:
                self._session.messages.say(NOT_ALL_FIT)

        self._session.tasks.act(name, work, done)

    def _link(self, on: bool) -> None:
        self._session.document.change(
            "link the kit's scale" if on else "unlink the kit's scale", replace(self._step.job, linked=on)
        )

    def _arrange(self) -> None:
        job = self._step.job
        self._session.proposing.propose("arranging", lambda _p: propose_places(job, self._session.stages))

    def _remove(self) -> None:
        part = self._step.part
        if part is not None:
            self._session.document.change(f"take off {part.name}", self._step.job.without(self._session.selection.part))
