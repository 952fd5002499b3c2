"""The section view: the layer at the cursor as it will be exposed."""

from __future__ import annotations

from functools import cache

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QPushButton, QWidget

from wideberth.core.layers import (
    CUP,
    EMPTY,
    FRESH,
    MOST_COLUMNS,
    OPEN,
    PART,
    SEALED,
    SEALED_CUP,
    SUPPORT,
    LayerPicture,
    layer_codes,
)
from wideberth.core.predict import Prediction
from wideberth.core.verdict import is_weak
from wideberth.desktop.section.told import cup_text, told_at
from wideberth.desktop.session import LAYER_KEYS, Session
from wideberth.desktop.style import BODIES, DAY, typeface, worded

HEAD, MARGIN, FOOT = 28, 10, 22
HATCH_PX = 5
LABELLED_TIPS, LABELLED_PULLS = 5, 6
LEAST_PULL_N = 0.1
CLOSEST = 40.0


@cache
def _colours() -> np.ndarray:
    table = np.zeros((256, 3), np.uint8)
    fixed = {EMPTY: DAY.water, SUPPORT: DAY.post, CUP: DAY.water, SEALED_CUP: DAY.water, FRESH: DAY.hazard_pale}
    names = fixed | {PART + n: BODIES[n % len(BODIES)] for n in range(256 - PART)}
    for code, name in names.items():
        colour = QColor(name)
        table[code] = (colour.red(), colour.green(), colour.blue())
    return table


class SectionView(QWidget):
    """One layer from above: bodies in their own tints, what is new since the layer below, cups hatched, the pull at each
    component, each tip as a ring with the margin of the weakest.

    The wheel and the arrow keys step layers; Ctrl with the wheel zooms, a drag moves, a double click shows all. A click says what
    is there. With the ruler a drag measures.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._image: QImage | None = None
        self._layer: LayerPicture | None = None
        self._shown: tuple[object, ...] | None = None
        self._zoom, self._middle = 1.0, np.zeros(2)
        self._taken: list[QRectF] = []
        self._low = 0.0  # where labels end
        self._press: QPointF | None = None
        self._known: tuple[Prediction, np.ndarray, np.ndarray] | None = None
        self._measured: tuple[np.ndarray, np.ndarray] | None = None
        self.told = ""
        self.setMinimumSize(150, 150)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Section at the height cursor")
        self.setToolTip("wheel: layers · Ctrl with wheel: zoom · drag: move · double click: all · click: what is there")
        self.ruler = QPushButton("Ruler", self)
        self.ruler.setCheckable(True)
        self.ruler.setProperty("role", "quiet")
        self.ruler.setStyleSheet("padding: 0 6px; min-height: 17px;")
        self.ruler.setToolTip("drag from one spot to another to measure between them")
        self.ruler.toggled.connect(self._ruler_toggled)
        session.predicting.predicted.connect(self.refresh)
        session.cursor.moved.connect(self.refresh)

    # what is drawn

    def refresh(self) -> None:
        """Draw the layer at the cursor, unless it is drawn already."""
        p = self._session.prediction
        if p is None:
            self._image, self._layer, self._shown = None, None, None
            self.update()
            return
        low, high = self._window(p)
        shown = (id(p), self._session.cursor.layer, *low.tolist(), *high.tolist())
        if shown == self._shown:
            return
        if self._shown is not None and shown[:2] != self._shown[:2]:
            self.told = ""
        self._shown = shown
        columns = min(MOST_COLUMNS, int(1.5 * self.width() * self.devicePixelRatioF()))
        self._layer = layer_codes(p.printed, self._session.cursor.layer, low, high, columns)
        rgb = np.ascontiguousarray(_colours()[self._layer.codes[::-1]])
        rows, width = self._layer.codes.shape
        self._image = QImage(rgb.data, width, rows, 3 * width, QImage.Format.Format_RGB888).copy()
        self.update()

    def _bounds(self, p: Prediction) -> tuple[np.ndarray, np.ndarray]:
        """Corners [mm] of all that is printed, kept for the prediction at hand."""
        if self._known is None or self._known[0] is not p:
            low = np.min([s.low for s in p.solids], axis=0)[:2] - p.fineness.pitch_mm
            high = np.max([s.high for s in p.solids], axis=0)[:2] + p.fineness.pitch_mm
            self._known = (p, low, high)
        return self._known[1], self._known[2]

    def _scale(self, p: Prediction) -> float:
        """Pixels to a millimetre."""
        low, high = self._bounds(p)
        size = np.maximum(high - low, 1e-6)
        fit = min((self.width() - 2 * MARGIN) / size[0], (self.height() - HEAD - FOOT) / size[1])
        return float(max(fit, 1e-3) * self._zoom)

    def _window(self, p: Prediction) -> tuple[np.ndarray, np.ndarray]:
        """Corners [mm] of what is shown."""
        low, high = self._bounds(p)
        if self._zoom <= 1.0:
            self._middle = 0.5 * (low + high)
            return low, high
        self._middle = np.clip(self._middle, low, high)  # what is printed may lie elsewhere by now
        half = 0.5 * np.array([self.width(), self.height() - HEAD]) / self._scale(p)
        return np.maximum(low, self._middle - half), np.minimum(high, self._middle + half)

    def _origin(self) -> QPointF:
        """Where the middle of what is shown lies in the widget."""
        return QPointF(0.5 * self.width(), HEAD + 0.5 * (self.height() - HEAD - FOOT))

    def spot_mm(self, at: QPointF) -> np.ndarray:
        """Place on the plate [mm] under a point of the widget, (2,)."""
        p = self._session.prediction
        if p is None:
            return np.zeros(2)
        off, scale = at - self._origin(), self._scale(p)
        return self._middle + np.array([off.x(), -off.y()]) / scale

    def point_of(self, x_mm: float, y_mm: float) -> QPointF:
        """Point of the widget over a place on the plate."""
        p = self._session.prediction
        if p is None:
            return QPointF()
        scale, origin = self._scale(p), self._origin()
        return QPointF(origin.x() + (x_mm - self._middle[0]) * scale, origin.y() - (y_mm - self._middle[1]) * scale)

    # drawing

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), QColor(DAY.water))
        p, picture = self._session.prediction, self._layer
        self.ruler.setVisible(p is not None)
        self.ruler.move(self.width() - self.ruler.width() - 5, 4)
        if p is None or self._image is None or picture is None:
            self._frame(painter, "Section")
            return
        k = self._session.cursor.layer
        scale = self._scale(p)
        cell = picture.cell_mm
        corner = self.point_of(picture.x_mm - 0.5 * cell, picture.y_mm + (picture.codes.shape[0] - 0.5) * cell)
        size = self._image.width() * cell * scale, self._image.height() * cell * scale
        painter.save()
        painter.setClipRect(QRectF(1, HEAD - 4, self.width() - 2, self.height() - HEAD + 3))
        painter.drawImage(QRectF(corner.x(), corner.y(), *size), self._image)
        self._hatch_cups(painter, picture, corner, cell * scale)
        self._taken = []
        self._low = self._told_place().top() - 4 if self.told else self.height() - FOOT
        pulls = self._paint_crosses(painter, p, k)
        self._paint_tips(painter, p, k, scale)
        self._paint_cups(painter, p, k)
        self._say_pulls(painter, p, pulls, k, picture)
        self._paint_measure(painter)
        painter.restore()
        self._paint_foot(painter, p, k, scale, picture)
        number, height = str(k * p.fineness.layers_as_one), f"{(k + 0.5) * p.layer_mm:.2f} mm"
        self._frame(painter, f"Section {number} · {height}", f"{number} · {height}", height)

    def _frame(self, painter: QPainter, *titles: str) -> None:
        """The border, and the first title that there is room for."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(DAY.ink), 1.4))
        painter.drawRect(QRectF(self.rect()).adjusted(0.7, 0.7, -0.7, -0.7))
        painter.setFont(typeface(10.5))
        room = (self.ruler.x() if self.ruler.isVisible() else self.width()) - 2 * MARGIN
        painter.drawText(QPointF(MARGIN, 18), worded(titles, QFontMetricsF(painter.font()), room))

    def _say(self, painter: QPainter, at: QPointF, text: str, colour: str) -> bool:
        """Print a label near a point that is seen, where none is yet; whether there was room."""
        if not QRectF(0, HEAD, self.width(), self._low - HEAD).contains(at):
            return False
        measure = QFontMetricsF(painter.font())
        wide, high = measure.horizontalAdvance(text) + 4, measure.height()
        for dx, dy in ((5, -high / 2), (-wide - 5, -high / 2), (-wide / 2, 5), (-wide / 2, -high - 5)):
            x = min(max(at.x() + dx, 4.0), self.width() - wide - 4)
            y = min(max(at.y() + dy, HEAD), self._low - high)
            place = QRectF(x, y, wide, high)
            if not any(place.adjusted(-3, -1, 3, 1).intersects(t) for t in self._taken):
                ground = QColor(DAY.card)
                ground.setAlpha(205)
                painter.fillRect(place, ground)
                painter.setPen(QColor(colour))
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter, text)
                self._taken.append(place)
                return True
        return False

    def _hatch_cups(self, painter: QPainter, picture: LayerPicture, corner: QPointF, step: float) -> None:
        """Slanting lines over cups: ink for vented ones, magenta for sealed."""
        codes = picture.codes[::-1]
        for code, colour in ((CUP, DAY.ink), (SEALED_CUP, DAY.hazard)):
            rows, columns = np.nonzero(codes == code)
            if len(rows) == 0:
                continue
            top, left = int(rows.min()), int(columns.min())
            high, wide = int((rows.max() + 1 - top) * step) + 1, int((columns.max() + 1 - left) * step) + 1
            y, x = np.mgrid[0:high, 0:wide]
            row = np.minimum(top + (y / step).astype(int), codes.shape[0] - 1)
            column = np.minimum(left + (x / step).astype(int), codes.shape[1] - 1)
            drawn = (codes[row, column] == code) & ((x + y) % HATCH_PX == 0)
            ink = QColor(colour)
            pixels = np.zeros((high, wide, 4), np.uint8)
            pixels[drawn] = (ink.red(), ink.green(), ink.blue(), 255)
            hatched = QImage(pixels.data, wide, high, 4 * wide, QImage.Format.Format_RGBA8888)
            painter.drawImage(corner + QPointF(left * step, top * step), hatched.copy())

    def _paint_tips(self, painter: QPainter, p: Prediction, k: int, scale: float) -> None:
        """Tips that carry at this layer, as rings, the weakest on top; over them the margins of those nearest to letting go."""
        load, most = p.loads.tip_load_n[k], p.loads.tip_capacity_n[k]
        carrying = np.flatnonzero(np.abs(load) > 1e-9)
        margin = np.where(load[carrying] > 0, most[carrying] / np.maximum(load[carrying], 1e-12), np.inf)
        weakest_first = [(int(carrying[at]), float(margin[at])) for at in np.argsort(margin)]

        def colour(i: int, holds: float) -> str:
            return DAY.hazard if i == p.verdict.weakest_tip or is_weak(holds, p.job.bench.house) else DAY.ink

        for i, holds in reversed(weakest_first):
            ink = colour(i, holds)
            tip = p.verdict.tips[i]
            painter.setPen(QPen(QColor(ink), 1.6 if ink == DAY.hazard else 0.9))
            painter.setBrush(QColor(DAY.card) if load[i] > 0 else Qt.BrushStyle.NoBrush)
            radius = max(1.8, tip.diameter_mm / 2 * scale)
            painter.drawEllipse(self.point_of(tip.x_mm, tip.y_mm), radius, radius)

        painter.setFont(typeface(9.5))
        for i, holds in weakest_first[: int(LABELLED_TIPS * self._zoom)]:
            if np.isfinite(holds):
                tip = p.verdict.tips[i]
                text = f"{i + 1} · {load[i]:.2f} N ×{holds:.1f}" if self._zoom > 2 else f"{i + 1} ×{holds:.1f}"
                self._say(painter, self.point_of(tip.x_mm, tip.y_mm), text, colour(i, holds))

    def _paint_cups(self, painter: QPainter, p: Prediction, k: int) -> None:
        o = p.printed.openings
        painter.setFont(typeface(9.5))
        for i in np.flatnonzero((o.layer == k) & (o.state != OPEN) & (p.loads.suction.force_n > 0.05))[:6]:
            sealed = o.state[i] == SEALED
            spot = self.point_of(float(o.x_mm[i]), float(o.y_mm[i]))
            self._say(painter, spot, cup_text(p, int(i)), DAY.hazard if sealed else DAY.ink)

    def _paint_crosses(self, painter: QPainter, p: Prediction, k: int) -> list[tuple[int, QPointF]]:
        """A cross at the centroid of each component of the part that pulls, where no label goes; (component, its place)."""
        sections = p.printed.part_sections
        own = np.arange(sections.first[k], sections.first[k + 1])
        own = own[np.argsort(-p.loads.part_peel_n[own])][: int(LABELLED_PULLS * max(self._zoom, 1.0))]
        crosses = []
        for c in own[p.loads.part_peel_n[own] >= LEAST_PULL_N]:
            at = self.point_of(float(sections.x_mm[c]), float(sections.y_mm[c]))
            painter.setPen(QPen(QColor(DAY.ink), 1.2))
            painter.drawLine(at + QPointF(-4, 0), at + QPointF(4, 0))
            painter.drawLine(at + QPointF(0, -4), at + QPointF(0, 4))
            self._taken.append(QRectF(at.x() - 4, at.y() - 4, 8, 8))
            crosses.append((int(c), at))
        return crosses

    def _say_pulls(
        self, painter: QPainter, p: Prediction, crosses: list[tuple[int, QPointF]], k: int, picture: LayerPicture
    ) -> None:
        """The peel of each component with a cross."""
        painter.setFont(typeface(9.5, italic=True))
        for c, at in crosses:
            pull = float(p.loads.part_peel_n[c])
            body = int(picture.body_of[c - p.printed.part_sections.first[k]]) + 1
            self._say(painter, at, f"{body}: {pull:.1f} N" if picture.bodies > 1 else f"{pull:.1f} N", DAY.ink)

    def _paint_measure(self, painter: QPainter) -> None:
        if self._measured is None:
            return
        a, b = (self.point_of(*spot.tolist()) for spot in self._measured)
        painter.setPen(QPen(QColor(DAY.hazard), 1.5))
        painter.drawLine(a, b)
        painter.setBrush(QColor(DAY.card))
        for end in (a, b):
            painter.drawEllipse(end, 3, 3)
        painter.setFont(typeface(10))
        length = float(np.hypot(*(self._measured[1] - self._measured[0])))
        self._say(painter, 0.5 * (a + b), f"{length:.2f} mm", DAY.hazard)

    def _paint_foot(self, painter: QPainter, p: Prediction, k: int, scale: float, picture: LayerPicture) -> None:
        """The layer's sum, a scale bar, and above them what was picked."""
        painter.fillRect(QRectF(1, self.height() - FOOT, self.width() - 2, FOOT - 1), QColor(DAY.water))
        bar = next((mm for mm in (0.5, 1, 2, 5, 10, 20, 50) if mm * scale > 30), 100)
        y, x = self.height() - 6.0, self.width() - 10.0
        painter.setPen(QPen(QColor(DAY.ink), 2.0))
        painter.drawLine(QPointF(x - bar * scale, y), QPointF(x, y))
        painter.setFont(typeface(9.5))
        text = f"{bar:g} mm"
        wide = QFontMetricsF(painter.font()).horizontalAdvance(text)
        painter.drawText(QPointF(x - max(wide, bar * scale), y - 4), text)
        left = x - max(wide, bar * scale) - 8
        f = p.loads
        fresh = int((picture.codes == FRESH).sum()) * picture.cell_mm**2
        area, new = f"{f.area_mm2[k]:.0f} mm²", f", {fresh:.1f} mm² new"
        bodies = f", {picture.bodies} bodies" if picture.bodies > 1 else ""
        sums = area + bodies + new, area + new, area
        painter.setPen(QColor(DAY.faint))
        painter.drawText(QPointF(MARGIN, self.height() - 7), worded(sums, QFontMetricsF(painter.font()), left - MARGIN))
        if self.told:
            self._paint_told(painter)

    def _told_place(self) -> QRectF:
        """Where what was picked stands, in as many lines as it takes."""
        room = QRectF(MARGIN, 0, self.width() - 2 * MARGIN, self.height() - HEAD - FOOT)
        high = QFontMetricsF(typeface(9.5)).boundingRect(room, int(Qt.TextFlag.TextWordWrap), self.told).height()
        return QRectF(MARGIN, self.height() - FOOT - high, room.width(), high)

    def _paint_told(self, painter: QPainter) -> None:
        lines = self._told_place()
        painter.fillRect(QRectF(1, lines.top() - 4, self.width() - 2, lines.height() + 4), QColor(DAY.card))
        painter.setPen(QColor(DAY.ink))
        painter.drawText(lines, Qt.TextFlag.TextWordWrap, self.told)

    # hands

    def _ruler_toggled(self, on: bool) -> None:
        self._measured = None
        self.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self._press = event.position()
        if self.ruler.isChecked():
            spot = self.spot_mm(event.position())
            self._measured = (spot, spot)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            return
        if self._measured is not None and self.ruler.isChecked():
            self._measured = (self._measured[0], self.spot_mm(event.position()))
            self.update()
        elif self._zoom > 1.0 and self._session.prediction is not None:
            off = event.position() - self._press
            self._middle = self._middle - np.array([off.x(), -off.y()]) / self._scale(self._session.prediction)
            self._press = event.position()
            self.refresh()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        p = self._session.prediction
        still = self._press is not None and (event.position() - self._press).manhattanLength() < 4
        self._press = None
        if still and p is not None and self._layer is not None and not self.ruler.isChecked():
            x, y = self.spot_mm(event.position()).tolist()
            self.told = told_at(p, self._session.cursor.layer, x, y, self._layer)
            self.update()

    def mouseDoubleClickEvent(self, _event: QMouseEvent) -> None:
        self._zoom = 1.0
        self.refresh()

    def wheelEvent(self, event: QWheelEvent) -> None:
        p = self._session.prediction
        up = event.angleDelta().y() > 0
        if p is not None and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            before = self.spot_mm(event.position())
            self._zoom = min(max(self._zoom * (1.25 if up else 0.8), 1.0), CLOSEST)
            self._middle = self._middle + before - self.spot_mm(event.position())
            self.refresh()
        elif p is not None:
            self._session.cursor.step_by(1 if up else -1)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if Qt.Key(event.key()) in LAYER_KEYS:
            self._session.cursor.step_by(LAYER_KEYS[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self.refresh()
