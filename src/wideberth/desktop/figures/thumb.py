"""Small pictures of a part in a pose."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF

from wideberth.core.model import Mesh
from wideberth.desktop.style import DAY

EYE = np.array([0.55, -0.75, 0.36]) / np.linalg.norm([0.55, -0.75, 0.36])
LIGHT = np.array([0.1, -0.6, 0.8]) / np.linalg.norm([0.1, -0.6, 0.8])
ROOM_PX = 4.0


def thumb(mesh: Mesh, rotation: np.ndarray, wide: int, high: int, sharp: float = 1.0) -> QPixmap:
    """A part as it stands, seen from the corner, on the plate's line. mesh : light, in the part's own frame."""
    right = np.cross([0.0, 0.0, 1.0], EYE)
    right /= np.linalg.norm(right)
    up = np.cross(EYE, right)
    points = mesh.points @ rotation.T
    seen = np.column_stack((points @ right, points @ up))
    low, high_corner = seen.min(axis=0), seen.max(axis=0)
    size = np.maximum(high_corner - low, 1e-9)
    scale = min((wide - 2 * ROOM_PX) / size[0], (high - 2 * ROOM_PX) / size[1])
    middle = 0.5 * (low + high_corner)
    at = np.column_stack((0.5 * wide + scale * (seen[:, 0] - middle[0]), 0.5 * high - scale * (seen[:, 1] - middle[1])))
    normals = mesh.normals @ rotation.T
    facing = np.flatnonzero(normals @ EYE > 0)
    depth = (points @ EYE)[mesh.faces[facing]].mean(axis=1)
    bright = np.clip(0.62 + 0.42 * (normals[facing] @ LIGHT), 0.35, 1.0)
    picture = QPixmap(round(wide * sharp), round(high * sharp))
    picture.setDevicePixelRatio(sharp)
    picture.fill(Qt.GlobalColor.transparent)
    base = QColor(DAY.part)
    with QPainter(picture) as painter:
        painter.setPen(QPen(QColor(DAY.rule), 1))
        ground = float(at[:, 1].max()) + 1.5
        painter.drawLine(QPointF(2, ground), QPointF(wide - 2, ground))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for n in np.argsort(depth):
            b = float(bright[n])
            shade = QColor(round(base.red() * b), round(base.green() * b), round(base.blue() * b))
            painter.setPen(QPen(shade, 0.7))
            painter.setBrush(shade)
            painter.drawConvexPolygon(QPolygonF([QPointF(*at[corner]) for corner in mesh.faces[facing[n]]]))
    return picture
