"""The holes' leaf: place, move, resize and close them, or have them proposed."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QComboBox, QListWidget, QPushButton

from wideberth.core.drain import OUTLINES, Hole, hole_diameter_mm
from wideberth.core.job import Part
from wideberth.core.propose import propose_drain
from wideberth.desktop.steps.drain.driller import Driller
from wideberth.desktop.steps.fields import NumberField, button, captioned, label, side_by_side
from wideberth.desktop.steps.step import Leaf, LeavedStep

LIST_HEIGHT = 118


class HolesLeaf(Leaf):
    """Fields tell the chosen hole, or the next one when none is chosen."""

    def __init__(self, step: LeavedStep, driller: Driller) -> None:
        self._driller = driller
        super().__init__(step)

    def build(self) -> None:
        box = self.box
        self.diameter = NumberField("Diameter", "mm", 0.5, 20, 0.5)
        self.taper = NumberField("Taper", "°", 0, 20, 1, "each side leans out by so much, for a plug that wedges")
        self.diameter.set_value(hole_diameter_mm(self._session.job.bench))
        self.taper.set_value(0.0)
        self.diameter.entered.connect(lambda _: self._reshape())
        self.taper.entered.connect(lambda _: self._reshape())
        box.addWidget(side_by_side(self.diameter, self.taper))
        self.outline = QComboBox()
        self.outline.setAccessibleName("outline")
        for number, (name, words) in enumerate(OUTLINES.items()):
            self.outline.addItem(name, name)
            self.outline.setItemData(number, words, 3)  # tool tip
        self.outline.activated.connect(lambda _: self._reshape())
        hint = "how far the drill goes on behind the wall; 0 for a radius"
        self.margin = NumberField("Beyond the wall", "mm", 0, 20, 0.25, hint)
        self.margin.entered.connect(lambda _: self._reshape())
        box.addWidget(side_by_side(captioned("Outline", self.outline), self.margin))
        self.meaning = label("", "faint")
        box.addWidget(self.meaning)
        self.place = QPushButton("Place in the 3D view")
        self.place.setCheckable(True)
        self.place.clicked.connect(self._place)
        box.addWidget(self.place)
        box.addWidget(button("Propose holes", self._propose, "main"))
        self.list = QListWidget()
        self.list.setMaximumHeight(LIST_HEIGHT)
        self.list.setAccessibleName("drain holes")
        self.list.currentRowChanged.connect(self._chosen)
        box.addWidget(self.list)
        self.told = label("")
        box.addWidget(self.told)
        self.move_button = button("Move", self._move, "", "then click where it is to go")
        close, close_all = (button("Close it", self._remove, "quiet"), button("All", self._clear, "quiet", "close all holes"))
        box.addWidget(side_by_side(self.move_button, close, close_all))
        box.addStretch(1)
        self._session.sight.tool_changed.connect(lambda: self.place.setChecked(self._driller.in_hand))
        self._shown: Part | None = None

    def show_part(self, part: Part | None) -> None:
        """The part's holes, each with what it does."""
        self._shown = part
        chosen = self.list.currentRow()
        self.list.blockSignals(True)
        self.list.clear()
        for number, hole in enumerate(part.holes if part is not None else ()):
            self.list.addItem(f"{number + 1} · {hole.diameter_mm:g} mm{self._wall(number)}")
        self.list.setCurrentRow(min(chosen, self.list.count() - 1))
        self.list.blockSignals(False)
        self._tell()

    def _hole(self) -> Hole | None:
        row = self.list.currentRow()
        return self._shown.holes[row] if self._shown is not None and 0 <= row < len(self._shown.holes) else None

    def _wall(self, number: int) -> str:
        p = self._session.prediction
        solids = p.solids_of(self._session.selection.part) if p is not None and p.job is self._session.job else None
        bores = solids.bores if solids is not None else ()
        return f", wall {bores[number].wall_mm:.1f} at {bores[number].z_mm:.1f}" if number < len(bores) else ""

    def _chosen(self, _row: int) -> None:
        if self._driller.moving:
            self._driller.stop()
        self._tell()

    def _tell(self) -> None:
        hole, driller = self._hole(), self._driller
        if hole is not None:
            self.diameter.set_value(hole.diameter_mm)
            self.taper.set_value(hole.taper_deg)
            self.outline.setCurrentIndex(self.outline.findData(hole.outline))
            self.margin.set_value(hole.margin_mm or 0.0)
        else:
            self.diameter.set_value(driller.diameter_mm or hole_diameter_mm(self._session.job.bench))
            self.taper.set_value(driller.taper_deg)
            self.outline.setCurrentIndex(self.outline.findData(driller.outline))
            self.margin.set_value(driller.margin_mm or 0.0)
        self.meaning.setText(OUTLINES[self.outline.currentData()])
        self.move_button.setEnabled(hole is not None)
        p, text = self._session.prediction, self._session.proposing.why("drain", self._shown)
        if hole is not None:
            text = f"{hole.why[:1].upper()}{hole.why[1:]}."
            if p is not None and p.job is self._session.job:
                solids = p.solids_of(self._session.selection.part)
                own = solids.number if solids is not None else -1
                work = next((h for h in p.verdict.holes if h.part == own and h.id == hole.id), None)
                text += f"\nIt {work.words}." if work is not None else ""
        self.told.setText(text)

    def _reshape(self) -> None:
        """Change the chosen hole, or what the next one will be."""
        hole, driller = self._hole(), self._driller
        size, taper, outline = self.diameter.value, self.taper.value, self.outline.currentData()
        margin = self.margin.value or None
        self.meaning.setText(OUTLINES[outline])
        if hole is None or self._shown is None:
            driller.diameter_mm, driller.taper_deg, driller.outline, driller.margin_mm = size, taper, outline, margin
            return
        row = self.list.currentRow()
        made = replace(hole, diameter_mm=size, taper_deg=taper, outline=outline, margin_mm=margin)
        holes = (*self._shown.holes[:row], made, *self._shown.holes[row + 1 :])
        self._step.change(f"reshape hole {row + 1}", replace(self._shown, holes=holes))

    def _place(self, on: bool) -> None:
        if on:
            self.list.setCurrentRow(-1)
            self._driller.start()
        else:
            self._driller.stop()

    def _move(self) -> None:
        hole = self._hole()
        if hole is not None:
            self._driller.start(moving=hole.id)

    def _propose(self) -> None:
        session, id, job = self._session, self._session.selection.part, self._session.job
        if self._shown is not None:
            session.proposing.propose("looking for drain holes", lambda p: propose_drain(job, id, session.stages, p))

    def _remove(self) -> None:
        row = self.list.currentRow()
        if self._shown is not None and 0 <= row < len(self._shown.holes):
            holes = self._shown.holes[:row] + self._shown.holes[row + 1 :]
            self._step.change(f"close hole {row + 1}", replace(self._shown, holes=holes))

    def _clear(self) -> None:
        if self._shown is not None and self._shown.holes:
            self._step.change("close all holes", replace(self._shown, holes=()))
