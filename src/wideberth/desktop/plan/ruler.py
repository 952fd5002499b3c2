"""How the plan lies in its widget, and the chart border round it, graduated in millimetres of the plate."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QTransform

from wideberth.desktop.style import DAY, typeface

BAND, MARK = 6.0, 15.0
"""Pixels of the border's bars, and of the figures beside them."""
STEPS_MM = (1, 2, 5, 10, 20, 50, 100, 200)
LEAST_BAR_PX, LEAST_FIGURE_PX = 9.0, 44.0


@dataclass(frozen=True)
class Sheet:
    """What part of the plate's plane is shown where. area : the plan's rectangle in the widget, within the border. scale : pixels
    to a millimetre. middle_mm : what lies in the area's middle."""

    area: QRectF
    scale: float
    middle_mm: tuple[float, float]

    def point(self, x_mm: float, y_mm: float) -> QPointF:
        """Point of the widget over a spot of the plate."""
        middle = self.area.center()
        return QPointF(middle.x() + (x_mm - self.middle_mm[0]) * self.scale, middle.y() - (y_mm - self.middle_mm[1]) * self.scale)

    @property
    def transform(self) -> QTransform:
        """From the plate [mm], y upward, to the widget."""
        middle = self.area.center()
        turned = QTransform.fromTranslate(middle.x(), middle.y()).scale(self.scale, -self.scale)
        return turned.translate(-self.middle_mm[0], -self.middle_mm[1])

    def spot(self, at: QPointF) -> tuple[float, float]:
        """Spot of the plate [mm] under a point of the widget."""
        off = at - self.area.center()
        return self.middle_mm[0] + off.x() / self.scale, self.middle_mm[1] - off.y() / self.scale

    def step(self, least_px: float) -> int:
        """The least round step [mm] that is so many pixels long."""
        return next((mm for mm in STEPS_MM if mm * self.scale >= least_px), STEPS_MM[-1])


def draw_border(painter: QPainter, sheet: Sheet) -> None:
    """Bars of equal lengths, dark and light, along all four edges, with figures in mm from the plate's middle."""
    area = sheet.area
    outer = area.adjusted(-BAND, -BAND, BAND, BAND)
    bar = sheet.step(LEAST_BAR_PX)
    figure = max(bar, sheet.step(LEAST_FIGURE_PX))
    ink, card = QColor(DAY.ink), QColor(DAY.card)
    painter.fillRect(QRectF(outer.left(), outer.top(), outer.width(), BAND), card)
    painter.fillRect(QRectF(outer.left(), area.bottom(), outer.width(), BAND), card)
    painter.fillRect(QRectF(outer.left(), area.top(), BAND, area.height()), card)
    painter.fillRect(QRectF(area.right(), area.top(), BAND, area.height()), card)
    left, top = sheet.spot(area.topLeft())
    right, bottom = sheet.spot(area.bottomRight())
    for n in range(int(np.floor(left / bar)), int(np.ceil(right / bar))):
        if n % 2 == 0:
            a, b = (min(max(sheet.point(v * bar, 0).x(), area.left()), area.right()) for v in (n, n + 1))
            painter.fillRect(QRectF(a, outer.top(), b - a, BAND), ink)
            painter.fillRect(QRectF(a, area.bottom(), b - a, BAND), ink)
    for n in range(int(np.floor(bottom / bar)), int(np.ceil(top / bar))):
        if n % 2 == 0:
            a, b = (min(max(sheet.point(0, v * bar).y(), area.top()), area.bottom()) for v in (n + 1, n))
            painter.fillRect(QRectF(outer.left(), a, BAND, b - a), ink)
            painter.fillRect(QRectF(area.right(), a, BAND, b - a), ink)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(ink, 1.2))
    painter.drawRect(outer)
    painter.drawRect(area)
    painter.setFont(typeface(8.5, italic=True))
    measure = QFontMetricsF(painter.font())
    for mm in range(int(np.ceil(left / figure)) * figure, int(right) + 1, figure):
        text = _figure(mm)
        x = sheet.point(mm, 0).x()
        if area.left() + 8 < x < area.right() - 8:
            painter.drawText(QPointF(x - measure.horizontalAdvance(text) / 2, outer.bottom() + MARK - 3), text)
    for mm in range(int(np.ceil(bottom / figure)) * figure, int(top) + 1, figure):
        y = sheet.point(0, mm).y()
        if area.top() + 8 < y < area.bottom() - 8:
            painter.save()
            painter.translate(outer.left() - 4, y)
            painter.rotate(-90)
            text = _figure(mm)
            painter.drawText(QPointF(-measure.horizontalAdvance(text) / 2, 0), text)
            painter.restore()


def _figure(mm: int) -> str:
    return f"{mm} mm" if mm == 0 else f"{mm}".replace("-", "−")
