"""Small drawn signs: severities and waypoints. Shape carries the meaning, colour only helps."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from wideberth.desktop.style.palette import Palette


def draw_severity(painter: QPainter, severity: str, at: QPointF, size: float, palette: Palette) -> None:
    """A filled diamond (lost), a hollow one (doubtful) or a dot (note)."""
    colour = QColor(palette.hazard)
    painter.setPen(QPen(colour, 1.6))
    if severity == "note":
        painter.setBrush(QBrush(colour))
        painter.drawEllipse(at, size * 0.45, size * 0.45)
        return
    painter.setBrush(QBrush(colour) if severity == "lost" else QBrush(QColor(palette.card)))
    x, y = at.x(), at.y()
    corners = [QPointF(x, y - size), QPointF(x + size, y), QPointF(x, y + size), QPointF(x - size, y)]
    painter.drawPolygon(QPolygonF(corners))


CASING_PX = 1.2
AROUND = [(dx, dy) for dx in (-1, 0, 1) for dy in (-1, 0, 1) if (dx, dy) != (0, 0)]


def draw_cased(painter: QPainter, at: QPointF, text: str, ink: str, palette: Palette) -> None:
    """Words with a casing of paper round each letter, so that they are read before anything."""
    casing = QColor(palette.card)
    casing.setAlphaF(0.7)
    painter.setPen(casing)
    for dx, dy in AROUND:
        painter.drawText(QPointF(at.x() + CASING_PX * dx, at.y() + CASING_PX * dy), text)
    painter.setPen(QColor(ink))
    painter.drawText(at, text)


def draw_waypoint(painter: QPainter, state: str, at: QPointF, palette: Palette) -> None:
    """A step's state: done (filled), open (ring), not needed (bar), needs a look (hollow diamond)."""
    ink = QColor(palette.ink)
    painter.setPen(QPen(ink, 1.5))
    if state == "look":
        draw_severity(painter, "doubtful", at, 7, palette)
    elif state == "skipped":
        painter.drawLine(QPointF(at.x() - 6, at.y()), QPointF(at.x() + 6, at.y()))
    else:
        painter.setBrush(QBrush(ink) if state == "done" else QBrush(QColor(palette.paper)))
        painter.drawEllipse(at, 5.0, 5.0)
    painter.setBrush(Qt.BrushStyle.NoBrush)
