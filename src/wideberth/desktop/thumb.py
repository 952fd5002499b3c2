"""Small pictures of a part in a pose."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF

from wideberth.core.model import Mesh, sketch
from wideberth.desktop.style import DAY

ROOM_PX = 4.0


def thumb(mesh: Mesh, rotation: np.ndarray, wide: int, high: int, sharp: float = 1.0) -> QPixmap:
    """A part as it stands, seen from the corner, on the plate's line. mesh : light, in the part's own frame."""
    drawn = sketch([Mesh(mesh.points @ rotation.T, mesh.faces)], wide, high, ROOM_PX)
    picture = QPixmap(round(wide * sharp), round(high * sharp))
    picture.setDevicePixelRatio(sharp)
    picture.fill(Qt.GlobalColor.transparent)
    base = QColor(DAY.part)
    with QPainter(picture) as painter:
        painter.setPen(QPen(QColor(DAY.rule), 1))
        ground = float(drawn.boxes[0, 1, 1]) + 1.5
        painter.drawLine(QPointF(2, ground), QPointF(wide - 2, ground))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for corners, bright in zip(drawn.corners.tolist(), drawn.bright.tolist(), strict=True):
            shade = QColor(round(base.red() * bright), round(base.green() * bright), round(base.blue() * bright))
            painter.setPen(QPen(shade, 0.7))
            painter.setBrush(shade)
            painter.drawConvexPolygon(QPolygonF([QPointF(x, y) for x, y in corners]))
    return picture
