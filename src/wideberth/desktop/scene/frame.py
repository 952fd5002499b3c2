"""The graduated border of a sea chart, round the 3D view."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame

from wideberth.desktop.style import DAY

BAND = 7
SEGMENT = 26


class ChartFrame(QFrame):
    """Alternating bars along all four edges; what it holds lies inside."""

    def __init__(self) -> None:
        super().__init__()
        self.setContentsMargins(BAND, BAND, BAND, BAND)

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        ink, card = QColor(DAY.ink), QColor(DAY.card)
        w, h = self.width(), self.height()
        painter.fillRect(self.rect(), card)
        across, down = max(4, round(w / SEGMENT / 2) * 2 + 1), max(4, round(h / SEGMENT / 2) * 2 + 1)
        for i in range(0, across, 2):
            painter.fillRect(QRectF(i * w / across, 0, w / across, BAND), ink)
            painter.fillRect(QRectF(i * w / across, h - BAND, w / across, BAND), ink)
        for j in range(0, down, 2):
            painter.fillRect(QRectF(0, j * h / down, BAND, h / down), ink)
            painter.fillRect(QRectF(w - BAND, j * h / down, BAND, h / down), ink)
        for x in (0, w - BAND):
            for y in (0, h - BAND):
                painter.fillRect(QRectF(x, y, BAND, BAND), ink)
        painter.setPen(QPen(ink, 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(0.6, 0.6, w - 1.2, h - 1.2))
        painter.drawRect(QRectF(BAND - 0.6, BAND - 0.6, w - 2 * BAND + 1.2, h - 2 * BAND + 1.2))
