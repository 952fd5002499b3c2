"""Corners, edges and faces graded where they are; marks by when and how supports came off; pictures."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QListWidget

from wideberth.core.logbook import METHODS, PLACES, SCARS, STAGES, Entry, PartOutcome, Scars, Spot
from wideberth.desktop.session import SpotTool
from wideberth.desktop.steps.fields import NumberField, button, captioned, choice, label, side_by_side, tool_button
from wideberth.desktop.steps.step import Leaf

PICTURES = "Pictures (*.png *.jpg *.jpeg)"
GRADES = ("1, spoilt", "2, poor", "3, fair", "4, good", "5, perfect")


class GradeLeaf(Leaf):
    """Corners, edges and faces graded where they are; marks by when and how supports were taken off; pictures."""

    def build(self) -> None:
        logging = self._session.logging
        self.print = choice("which print", [])
        self.place, self.grade = choice("what is graded", PLACES), choice("how it came out", GRADES)
        self.grade.setCurrentIndex(4)
        self.box.addWidget(captioned("Print", self.print))
        self.box.addWidget(side_by_side(captioned("Place", self.place), captioned("Grade", self.grade)))
        self._tool = SpotTool("click the place that is graded", self._clicked)
        self.click = tool_button("Click it", self._session.sight, self._tool, "the views come in the page's place")
        self._held = False
        self._session.sight.tool_changed.connect(self._tool_changed)
        self.box.addWidget(side_by_side(self.click, button("Anywhere", lambda: self._add_spot(None), "quiet")))
        self.stage, self.method, self.kind = (
            choice("when supports came off", STAGES), choice("how", METHODS), choice("what tips left", SCARS),
        )  # fmt: skip
        self.box.addWidget(label("Marks that tips left", "head"))
        self.box.addWidget(captioned("Taken off", self.stage))
        self.box.addWidget(side_by_side(captioned("How", self.method), captioned("Left", self.kind)))
        self.tip = NumberField("Tips of", "mm", 0.05, 5, 0.05)
        self.tip.set_value(0.4)
        self.many = NumberField("How many", "", 1, 10_000, 1)
        self.many.set_value(10)
        self.box.addWidget(side_by_side(self.tip, self.many))
        self.box.addWidget(button("Add them", self._add_scars))
        self.told = QListWidget()
        self.told.setFixedHeight(96)
        self.told.setMinimumWidth(60)
        self.told.setWordWrap(True)
        self.told.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.told.setAccessibleName("what was graded")
        self.box.addWidget(self.told)
        self.box.addWidget(
            side_by_side(
                button("Take it out", self._drop, "quiet", "the chosen line"),
                button("A picture…", self._picture, "quiet", "kept with the print in the log"),
            )
        )
        logging.chosen.connect(self.show_print)
        self.show_print()

    def _tool_changed(self) -> None:
        """The views stand in the page's place while places are clicked."""
        held = self._session.sight.tool is self._tool
        if held != self._held:
            self._held = held
            self._step.page.setChecked(not held)

    @property
    def _entry(self) -> Entry | None:
        details = self._session.logging.details
        return None if details is None else details.entry

    def show_print(self) -> None:
        """Show the chosen print's parts and what was graded of them."""
        entry = self._entry
        self.setEnabled(entry is not None)
        now = self.print.currentText()
        self.print.clear()
        self.told.clear()
        if entry is None:
            return
        self.print.addItems([p.name for p in entry.parts])
        self.print.setCurrentIndex(max(self.print.findText(now), 0))
        for _, _, text in self._lines(entry):
            self.told.addItem(text)

    def _lines(self, entry: Entry) -> list[tuple[int, Spot | Scars, str]]:
        """Number of the part, what was graded, and its words."""
        made: list[tuple[int, Spot | Scars, str]] = []
        for part in entry.parts:
            made += [(part.number, s, f"{part.name}: {s.place} {s.grade}{_at(s)}") for s in part.spots]
            made += [
                (part.number, s, f"{part.name}: {s.count} {s.kind}, {s.tip_mm:g} mm, {s.method} {s.stage}") for s in part.scars
            ]
        return made

    def _clicked(self, part: str, spot_mm: np.ndarray) -> None:
        """A place on the 3D view: kept in the part's own frame, so that it is found again in any pose."""
        seen = self._session.prediction
        solids = None if seen is None else seen.solids_of(part)
        if solids is None:
            return
        own = np.linalg.inv(solids.matrix) @ np.append(np.asarray(spot_mm, float), 1.0)
        self._add_spot((float(own[0]), float(own[1]), float(own[2])))

    def _add_spot(self, at: tuple[float, float, float] | None) -> None:
        spot = Spot(PLACES[self.place.currentIndex()], self.grade.currentIndex() + 1, at)
        self._change_part(lambda part: replace(part, spots=(*part.spots, spot)))

    def _add_scars(self) -> None:
        stage, method, kind = (c.currentText() for c in (self.stage, self.method, self.kind))
        scars = Scars(stage, method, self.tip.value, kind, round(self.many.value))
        self._change_part(lambda part: replace(part, scars=(*part.scars, scars)))

    def _change_part(self, change: Callable[[PartOutcome], PartOutcome]) -> None:
        """Change what is written of the chosen print."""
        entry, row = self._entry, self.print.currentIndex()
        if entry is not None and row >= 0:
            self._change_number(entry.parts[row].number, change)

    def _change_number(self, number: int, change: Callable[[PartOutcome], PartOutcome]) -> None:
        def changed(entry: Entry) -> Entry:
            return entry.with_part(change(entry.part(number)))

        self._session.logging.change(changed)

    def _drop(self) -> None:
        entry, row = self._entry, self.told.currentRow()
        if entry is None or row < 0:
            return
        number, what, _ = self._lines(entry)[row]

        def without(part: PartOutcome) -> PartOutcome:
            return replace(part, spots=tuple(s for s in part.spots if s != what), scars=tuple(s for s in part.scars if s != what))

        self._change_number(number, without)

    def _picture(self) -> None:
        entry = self._entry
        chosen, _ = QFileDialog.getOpenFileName(self, "A picture of it", "", PICTURES)
        if chosen and entry is not None:
            path, id = Path(chosen), entry.id
            self._session.logging.carry_out(
                lambda book: book.add_picture(id, path.name, path.read_bytes()), f"{path.name} is kept"
            )


def _at(spot: Spot) -> str:
    return "" if spot.at_mm is None else f" at {spot.at_mm[0]:.0f}, {spot.at_mm[1]:.0f}, {spot.at_mm[2]:.0f} mm"
