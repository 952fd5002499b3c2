"""Text as it is: names, errors and currencies may hold what looks like markup."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QLabel, QWidget

LEAST_PX = 40


class PlainLabel(QLabel):
    """A label that shows its text and no markup."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)


class ElidedLabel(PlainLabel):
    """A plain label that ends in dots where there is no room for it, and never asks for more than there is."""

    def minimumSizeHint(self) -> QSize:
        return QSize(LEAST_PX, super().minimumSizeHint().height())

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.setFont(self.font())
        painter.setPen(self.palette().color(self.foregroundRole()))
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), self.alignment(), text)


class PlainGrid(QGridLayout):
    """Plain labels in rows and columns that are kept from one showing to the next: another text is set at once, while a new
    label has to be dressed by the style sheet. head : role of the first row's labels, by column; below : of all others'."""

    def __init__(self, head: Sequence[str], below: Sequence[str]) -> None:
        super().__init__()
        self._head, self._below = head, below
        self._cells: dict[tuple[int, int], PlainLabel] = {}

    def show_rows(self, rows: Sequence[Sequence[str]]) -> None:
        """Show these texts and no others; columns past the last role have its role."""
        wanted = {(r, c): text for r, row in enumerate(rows) for c, text in enumerate(row)}
        for at, text in wanted.items():
            if at not in self._cells:
                self._cells[at] = self._made(*at)
            self._cells[at].setText(text)
        for at, cell in self._cells.items():
            cell.setVisible(at in wanted)

    def _made(self, row: int, column: int) -> PlainLabel:
        roles = self._below if row else self._head
        cell = PlainLabel()
        cell.setProperty("role", roles[min(column, len(roles) - 1)])
        self.addWidget(cell, row, column)
        return cell


def worded(wordings: Sequence[str], measure: QFontMetricsF, room_px: float) -> str:
    """The first of several wordings, longest first, that there is room for; the last one ends in dots if none is."""
    fitting = (wording for wording in wordings if measure.horizontalAdvance(wording) <= room_px)
    return next(fitting, measure.elidedText(wordings[-1], Qt.TextElideMode.ElideRight, room_px))


def tip(text: str) -> str:
    """A text for a tool tip, which would take some for markup."""
    return f"<span>{escape(text)}</span>" if Qt.mightBeRichText(text) else text
