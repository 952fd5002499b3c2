"""Text as it is: names, errors and currencies may hold what looks like markup."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel, QWidget

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


def tip(text: str) -> str:
    """A text for a tool tip, which would take some for markup."""
    return f"<span>{escape(text)}</span>" if Qt.mightBeRichText(text) else text
