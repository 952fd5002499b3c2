"""Small samples of the hatchings that tell what faces are marked as."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap

from wideberth.desktop.style.palette import DAY

WIDE, HIGH = 44, 28
SLANTS = {"keep clean": ((1,), 6), "may carry marks": ((-1,), 16), "hidden": ((0,), 9), "mating": ((1, -1), 9)}
"""Ways the lines of each hatching lean, and how far they are apart [pixels]."""


def hatch_icon(kind: str) -> QIcon:
    """A sample of a hatching by what it tells; bare card for anything else."""
    picture = QPixmap(WIDE, HIGH)
    picture.setDevicePixelRatio(2.0)
    picture.fill(QColor(DAY.part))
    with QPainter(picture) as painter:
        painter.scale(0.5, 0.5)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(DAY.ink), 2.0))
        ways, apart = SLANTS.get(kind, ((), 9))
        for way in ways:
            for x in range(-HIGH, WIDE + HIGH, apart):
                low = QPointF(x + 0.5, HIGH - 1.0)
                painter.drawLine(low, QPointF(x + way * HIGH + 0.5, 1.0) if way else QPointF(x + 0.5, 1.0))
        painter.setPen(QPen(QColor(DAY.ink), 2.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(1, 1, WIDE - 2, HIGH - 2))
    return QIcon(picture)
