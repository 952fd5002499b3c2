"""By hand: where the chosen print stands, and what is done to all that are chosen."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QCheckBox, QComboBox

from wideberth.core.job import Part, Placement
from wideberth.core.plate import Line
from wideberth.desktop.steps.fields import NumberField, button, captioned, label, side_by_side, slim
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import count

if TYPE_CHECKING:
    from wideberth.desktop.steps.plate.step import PlateStep

TURN_DEG = 15.0
SPREAD = {"evenly across": 0, "evenly front to back": 1}


class ByHandLeaf(Leaf):
    """Acts on the prints that are chosen in the plan."""

    _step: PlateStep

    def build(self) -> None:
        self.hands = self._step.hands
        self.which = label("", "head")
        self.x = NumberField("x", "mm", -1000, 1000, 1, "from the plate's middle")
        self.y = NumberField("y", "mm", -1000, 1000, 1, "from the plate's middle")
        for field in (self.x, self.y):
            field.entered.connect(self._move)
        self.turn = NumberField("Turned", "°", -360, 360, TURN_DEG, "counter-clockwise seen from above; with its supports")
        self.turn.entered.connect(self._turn)
        quarter = button("A quarter more", lambda: self.hands.turn(90.0), "quiet", "all that are chosen, each about its place")
        self.pin = QCheckBox("Pinned")
        self.pin.setToolTip("it stays where it is when others are arranged, and cannot be dragged")
        self.pin.clicked.connect(self.hands.pin)
        more = button("One more", self.hands.one_more, "quiet", "a print of the same part, where there is room (Insert)")
        off = button("Take off", self.hands.take_off, "quiet", "the chosen prints (Delete); the last one of a part stays")
        self.line = QComboBox()
        self.line.setAccessibleName("bring the chosen prints in line")
        self.line.addItem("in line or evenly …")
        for line in Line:
            self.line.addItem(str(line), line)
        for words in SPREAD:
            self.line.addItem(words)
        slim(self.line)
        self.line.activated.connect(self._in_line)
        self.other = QComboBox()
        self.other.setAccessibleName("move the chosen prints to another plate")
        slim(self.other)
        self.other.activated.connect(self._to_plate)
        self.moving = captioned("To another plate", self.other)
        for widget in (
            self.which, side_by_side(self.x, self.y), side_by_side(self.turn, captioned(" ", quarter)), self.pin,
            side_by_side(more, off), captioned("Bring the chosen", self.line), self.moving,
            label("In the plan: drag prints, or the ring to turn them; a drag over the water chooses several. Arrows move by "
                  "1 mm, with Shift by 10.", "faint"),
        ):  # fmt: skip
            self.box.addWidget(widget)
        self.hands.chosen_changed.connect(lambda: self.show_part(self._session.selection.present))

    def show_part(self, part: Part | None) -> None:
        chosen, placement = self.hands.chosen, self._placement()
        names = {p.placement.id: p.name for p in self.hands.placed}
        self.which.setText(
            "nothing is chosen" if placement is None else names[placement.id] if len(chosen) == 1 else count(len(chosen), "print")
        )
        for field in (self.x, self.y, self.turn):
            field.setEnabled(placement is not None and len(chosen) == 1)
        if placement is not None:
            self.x.set_value(placement.x_mm)
            self.y.set_value(placement.y_mm)
            self.turn.set_value(placement.turn_deg)
        self.pin.setEnabled(placement is not None)
        self.pin.setChecked(bool(chosen) and all(self.hands.placement(i).pinned for i in chosen))
        plates = [p for p in self._session.job.plates if p.id != self.hands.plate]
        self.other.clear()
        self.other.addItem("choose one …")
        for plate in plates:
            self.other.addItem(plate.name, plate.id)
        self.moving.setVisible(bool(plates))

    def _placement(self) -> Placement | None:
        """Where the print that was chosen last stands."""
        return self.hands.placement(self.hands.chosen[-1]) if self.hands.chosen else None

    def _move(self, _value: float) -> None:
        placement = self._placement()
        if placement is not None:
            self._put(replace(placement, x_mm=self.x.value, y_mm=self.y.value), "move")

    def _turn(self, turn_deg: float) -> None:
        placement = self._placement()
        if placement is not None:
            self._put(replace(placement, turn_deg=turn_deg % 360), f"turn to {turn_deg:g}°:")

    def _put(self, placement: Placement, what: str) -> None:
        """As typed, even where it touches: the prediction says so."""
        name = {p.placement.id: p.name for p in self.hands.placed}[placement.id]
        self._session.document.change(f"{what} {name}", self._session.job.with_placement(placement))

    def _in_line(self, row: int) -> None:
        line, words = self.line.itemData(row), self.line.itemText(row)
        self.line.setCurrentIndex(0)
        if words in SPREAD:
            self.hands.spread(SPREAD[words])
        elif line is not None:
            self.hands.align(Line(line))

    def _to_plate(self, row: int) -> None:
        if plate := self.other.itemData(row):
            self.hands.to_plate(plate)
