"""Picks side by side: a small picture, all figures, and what each differs by from the present pose."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from wideberth.core.model import Mesh
from wideberth.core.orient import PoseCost, Turn
from wideberth.desktop.orientpage.measures import MEASURES, sentence
from wideberth.desktop.style import DAY, tip, typeface
from wideberth.desktop.thumb import thumb

PICTURE = QSize(56, 44)
WHERE_ANY = ("clean", "left", "round")
"""Columns that show only where some row has any of it."""


class PickTable(QTableWidget):
    """Rows are the present pose and the picks. Signals: chosen (the pick's number), looked_at (the same, or -1 for the
    present)."""

    chosen = Signal(int)
    looked_at = Signal(int)

    def __init__(self) -> None:
        super().__init__(0, 2 + len(MEASURES))
        heads = ["", "pick", *(f"{m.head}\n{m.unit}" for m in MEASURES)]
        self.setHorizontalHeaderLabels(heads)
        for column, measure in enumerate(MEASURES):
            self.horizontalHeaderItem(column + 2).setToolTip(tip(measure.name))
        self.verticalHeader().setVisible(False)
        self.setShowGrid(False)
        self.setIconSize(PICTURE)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        header.setMinimumSectionSize(36)
        self.setAccessibleName("picks of ways up")
        self._pictures: dict[Turn, QIcon] = {}
        self._mesh: Mesh | None = None
        self.cellDoubleClicked.connect(lambda row, _: self._choose(row))
        self.currentCellChanged.connect(lambda row, *_: self.looked_at.emit(row - 1))

    def show_picks(self, mesh: Mesh, now: PoseCost, picks: dict[str, PoseCost]) -> None:
        """The present pose, then the picks by name; those that are one and the same share a row."""
        self.blockSignals(True)
        rows = [("as it is now", now), *picks.items()]
        self.setRowCount(len(rows))
        if mesh is not self._mesh:
            self._mesh, self._pictures = mesh, {}
        for row, (name, cost) in enumerate(rows):
            picture = QTableWidgetItem()
            picture.setIcon(self._picture(mesh, cost))
            self.setItem(row, 0, picture)
            told = QTableWidgetItem(name if row == 0 else f"{row}  {name}")
            told.setToolTip(tip(sentence(cost, now, name)))
            self.setItem(row, 1, told)
            for column, measure in enumerate(MEASURES):
                by = "" if row == 0 else measure.difference(cost, now)
                item = QTableWidgetItem(measure.text(cost) + (f"\n{by}" if by else ""))
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                item.setFont(typeface(9.5))
                if by.startswith("−"):
                    item.setForeground(QColor(DAY.good))
                elif by:
                    item.setForeground(QColor(DAY.ink))
                self.setItem(row, column + 2, item)
            self.setRowHeight(row, PICTURE.height() + 2)
        for column, measure in enumerate(MEASURES):
            if measure.head in WHERE_ANY:
                self.setColumnHidden(column + 2, not any(measure.of(c) for _, c in rows))
        self.blockSignals(False)

    def _picture(self, mesh: Mesh, cost: PoseCost) -> QIcon:
        """A small picture of a pose, drawn once."""
        turn = cost.pose.turn
        if turn not in self._pictures:
            sharp = self.devicePixelRatioF()
            self._pictures[turn] = QIcon(thumb(mesh, cost.pose.rotation, PICTURE.width(), PICTURE.height(), sharp))
        return self._pictures[turn]

    def _choose(self, row: int) -> None:
        if row > 0:
            self.chosen.emit(row - 1)
