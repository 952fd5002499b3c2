"""The vat and the shelf: what is in it, what the run needs of it, and all bottles."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QAbstractItemView, QTableWidgetItem, QVBoxLayout, QWidget

from wideberth.core.plan import filling_lines, filling_of
from wideberth.core.shelf import Bottle
from wideberth.desktop.planpage.level import VatPicture
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import label
from wideberth.desktop.style import DAY, reading_table, typeface

HEADS = ("resin", "lot", "opened", "left mL", "of mL", "used")
RIGHT = (3, 4, 5)


class VatSheet(QWidget):
    """The vat drawn with its mark, what to do about it, and the bottles, of which one may be chosen."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.picture = VatPicture()
        self.told = label("")
        self.table = reading_table(HEADS, 0, "bottles on the shelf")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self._listing = False
        self.table.currentCellChanged.connect(lambda row, *_: self._choose(row))
        self.none = label("No bottle stands on the shelf yet: put one there at the left.", "faint")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.addWidget(self.picture, 3)
        box.addWidget(self.told)
        box.addWidget(label("On the shelf", "head"))
        box.addWidget(self.none)
        box.addWidget(self.table, 4)
        session.shelving.changed.connect(self.refresh)

    def _choose(self, row: int) -> None:
        item = self.table.item(row, 0)
        if item is not None and not self._listing:
            self._session.shelving.chosen = str(item.data(Qt.ItemDataRole.UserRole))

    def showEvent(self, _event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Show what is known, while anyone looks; the chosen bottle stays chosen."""
        if not self.isVisible():
            return
        shelving, job = self._session.shelving, self._session.job
        known, printer = self._session.planning.known, job.bench.printer
        filling = None if known is None else filling_of(known.taking, shelving.vat)
        self.picture.show_vat(shelving.vat, printer, filling)
        if filling is None:
            self.told.setText("Open a model to see what it needs.")
        else:
            lines = filling_lines(filling, shelving.vat, shelving.shelf, job.bench, shelving.clock())
            self.told.setText("\n".join(f"{head}: {text}" for head, text in lines))
        self._list(shelving.shelf.bottles)

    def _list(self, bottles: tuple[Bottle, ...]) -> None:
        shelving = self._session.shelving
        self._listing = True
        self.table.setRowCount(len(bottles))
        for row, bottle in enumerate(bottles):
            for column, text in enumerate(_texts(bottle)):
                item = QTableWidgetItem(text)
                item.setFont(typeface(10.5))
                if column in RIGHT:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if bottle.left_ml < 1:
                    item.setForeground(QColor(DAY.faint))
                item.setData(Qt.ItemDataRole.UserRole, bottle.id)
                self.table.setItem(row, column, item)
            if bottle.id == shelving.chosen:
                self.table.selectRow(row)
        self._listing = False
        self.table.setVisible(bool(bottles))
        self.none.setVisible(not bottles)


def _texts(bottle: Bottle) -> tuple[str, ...]:
    opened = "shut" if bottle.opened is None else f"{bottle.opened:%d %b %Y}"
    used = f"{bottle.used_share:.0%}" if bottle.used_share >= 0.005 else ""
    return bottle.resin, bottle.lot, opened, f"{bottle.left_ml:.0f}", f"{bottle.full_ml:.0f}", used
