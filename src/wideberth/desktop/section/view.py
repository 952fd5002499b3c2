"""The section view: the layer at the cursor as it will be exposed."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QImage, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from wideberth.core.job import Prediction
from wideberth.desktop.section.picture import CUP, EMPTY, PART, SEALED_CUP, SUPPORT, LayerPicture, layer_codes
from wideberth.desktop.session import Session
from wideberth.desktop.style import DAY, typeface

HEAD = 26
MARGIN = 10


def _colours() -> np.ndarray:
    table = np.zeros((5, 3), np.uint8)
    for code, name in (
        (EMPTY, DAY.water),
        (PART, DAY.sand),
        (SUPPORT, DAY.post),
        (CUP, DAY.deep),
        (SEALED_CUP, DAY.deep),
    ):
        colour = QColor(name)
        table[code] = (colour.red(), colour.green(), colour.blue())
    return table


class SectionView(QWidget):
    """One layer from above, with tips that touch there, suction of cups and a scale bar. The wheel steps layers."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._image: QImage | None = None
        self._layer: LayerPicture | None = None
        self._shown: tuple[int, int] | None = None
        self.setMinimumSize(220, 150)
        self.setAccessibleName("Section at the height cursor")
        session.predicted.connect(self.refresh)
        session.cursor_moved.connect(self.refresh)

    def refresh(self) -> None:
        """Draw the layer at the cursor, unless it is drawn already."""
        p = self._session.prediction
        if p is None:
            self._image, self._layer, self._shown = None, None, None
        else:
            shown = (id(p), self._session.cursor_layer)
            if shown == self._shown:
                return
            self._shown = shown
            low, high = self._bounds(p)
            self._layer = layer_codes(p, self._session.cursor_layer, low, high)
            rgb = np.ascontiguousarray(_colours()[self._layer.codes[::-1]])
            rows, width = self._layer.codes.shape
            self._image = QImage(rgb.data, width, rows, 3 * width, QImage.Format.Format_RGB888).copy()
        self.update()

    @staticmethod
    def _bounds(p: Prediction) -> tuple[np.ndarray, np.ndarray]:
        low = np.min([s.low for s in p.solids], axis=0) - p.fineness.pitch_mm
        high = np.max([s.high for s in p.solids], axis=0) + p.fineness.pitch_mm
        return low, high

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor(DAY.water))
        painter.setPen(QPen(QColor(DAY.ink), 1.4))
        painter.drawRect(QRectF(self.rect()).adjusted(0.7, 0.7, -0.7, -0.7))
        painter.setFont(typeface(10.5))
        p = self._session.prediction
        if p is None or self._image is None or self._layer is None:
            painter.drawText(QPointF(MARGIN, 18), "Section")
            return
        k = self._session.cursor_layer
        printed_layer = k * p.fineness.layers_as_one
        painter.drawText(QPointF(MARGIN, 18), f"Section {printed_layer} · {(k + 0.5) * p.layer_mm:.2f} mm")
        low, _ = self._bounds(p)
        cell = self._layer.cell_mm
        size = (self._image.width() * cell, self._image.height() * cell)
        scale = min((self.width() - 2 * MARGIN) / size[0], (self.height() - HEAD - 2 * MARGIN - 8) / size[1])
        left = (self.width() - size[0] * scale) / 2
        top = HEAD + MARGIN / 2
        painter.drawImage(QRectF(left, top, size[0] * scale, size[1] * scale), self._image)
        y_top = self._layer.y0_mm + (self._image.height() - 0.5) * cell

        def place(x: float, y: float) -> QPointF:
            return QPointF(left + (x - low[0]) * scale, top + (y_top - y) * scale)

        self._paint_cups(painter, p, k, place)
        self._paint_tips(painter, p, k, place, scale)
        self._paint_bar(painter, scale)
        self._paint_sum(painter, p, k)

    def _paint_cups(self, painter: QPainter, p: Prediction, k: int, place) -> None:  # type: ignore[no-untyped-def]
        o = p.printed.openings
        painter.setFont(typeface(9.5))
        for i in np.flatnonzero((o.layer == k) & (p.loads.suction.force_n > 0.05))[:6]:
            state = ("sealed", "vented", "open")[int(o.state[i])]
            text = f"{state} cup {o.area_mm2[i]:.0f} mm² · {p.loads.suction.force_n[i]:.1f} N"
            at = place(float(o.x_mm[i]), float(o.y_mm[i]))
            width = QFontMetricsF(painter.font()).horizontalAdvance(text)
            x = min(max(at.x() - width / 2, 6.0), self.width() - width - 6)
            painter.setPen(QColor(DAY.hazard if state == "sealed" else DAY.ink))
            painter.drawText(QPointF(x, at.y() + 4), text)

    def _paint_tips(self, painter: QPainter, p: Prediction, k: int, place, scale: float) -> None:  # type: ignore[no-untyped-def]
        """Tips that carry at this layer, as rings; the weakest with its margin."""
        for i, tip in enumerate(p.verdict.tips):
            load = p.loads.tip_load_n[k, i]
            if abs(load) < 1e-9:
                continue
            weakest = i == p.verdict.weakest_tip
            painter.setPen(QPen(QColor(DAY.hazard if weakest else DAY.ink), 1.5 if weakest else 0.9))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            at = place(tip.x_mm, tip.y_mm)
            radius = max(1.6, tip.diameter_mm / 2 * scale)
            painter.drawEllipse(at, radius, radius)
            if weakest:
                painter.setFont(typeface(9.5))
                text = f"{i + 1} · ×{tip.margin:.1f}"
                room = self.width() - painter.fontMetrics().horizontalAdvance(text) - 6.0
                painter.drawText(QPointF(min(at.x() + radius + 3, room), at.y() + 16), text)

    def _paint_bar(self, painter: QPainter, scale: float) -> None:
        bar = next(mm for mm in (1, 2, 5, 10, 20, 50, 100) if mm * scale > 30 or mm == 100)
        y, x = self.height() - 12.0, self.width() - 12.0
        painter.setPen(QPen(QColor(DAY.ink), 2.2))
        painter.drawLine(QPointF(x - bar * scale, y), QPointF(x, y))
        painter.setFont(typeface(9.5))
        painter.drawText(
            QRectF(x - bar * scale - 60, y - 20, bar * scale + 60, 16), Qt.AlignmentFlag.AlignRight, f"{bar} mm"
        )

    def _paint_sum(self, painter: QPainter, p: Prediction, k: int) -> None:
        f = p.loads
        painter.setPen(QColor(DAY.faint))
        painter.setFont(typeface(9.5))
        pieces = "piece" if f.components[k] == 1 else "pieces"
        text = f"{f.area_mm2[k]:.0f} mm² in {f.components[k]} {pieces}"
        painter.drawText(QPointF(MARGIN, self.height() - 10), text)

    def wheelEvent(self, event: QWheelEvent) -> None:
        p = self._session.prediction
        if p is not None:
            step = 1 if event.angleDelta().y() > 0 else -1
            self._session.move_cursor((self._session.cursor_layer + step + 0.5) * p.layer_mm)
        event.accept()
