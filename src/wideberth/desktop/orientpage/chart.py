"""The sphere of ways up, drawn as an old chart of two hemispheres."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from wideberth.core.orient import PoseCost, disc_of, hemispheres, level_lines, up_at
from wideberth.desktop.orientpage.measures import MEASURES, Shown
from wideberth.desktop.style import DAY, tip, typeface

LEVELS = 7
BEST_SHARE = 0.12
ROOM_PX, APART_PX, FOOT_PX = 36.0, 14.0, 20.0
NEAR_PX = 14.0
RIM_WORDS = (("back up", 0.0), ("right up", 90.0), ("front up", 180.0), ("left up", -90.0))
"""Words at the rim, and how far round from the top they stand."""


class SphereChart(QWidget):
    """Each place is a way up; contour lines tell what it costs. Signals: chosen (number of the way up that was clicked)."""

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(300, 190)
        self.setMouseTracking(True)
        self.setAccessibleName("chart of ways up")
        self._costs: tuple[PoseCost, ...] = ()
        self._shown: Shown = MEASURES[0]
        self._picks: list[tuple[int, str]] = []
        self._now: PoseCost | None = None
        self._kept = np.zeros(0, bool)
        self._disc, self._at = np.zeros(0, np.int64), np.zeros((0, 2))
        self._lines: list[tuple[float, list[np.ndarray]]] = []
        self._tints: list[QImage] = []

    def show_costs(
        self, costs: tuple[PoseCost, ...], shown: Shown, kept: np.ndarray, picks: list[PoseCost], now: PoseCost | None
    ) -> None:
        """Draw ways up by a measure. kept : (costs,) whether each keeps to the limits. picks : in the order of their numbers."""
        ups = np.array([c.up for c in costs]).reshape(-1, 3)
        values = np.array([shown.of(c) for c in costs])
        self._costs, self._shown, self._kept, self._now = costs, shown, kept, now
        self._disc, self._at = disc_of(ups)
        place = {id(c): n for n, c in enumerate(costs)}
        self._picks = [(place[id(c)], str(number + 1)) for number, c in enumerate(picks) if id(c) in place]
        self._lines, self._tints = [], []
        if len(costs):
            chart, barred = hemispheres(ups, values), hemispheres(ups, (~kept).astype(float))
            low, high = np.quantile(values, [0.02, 0.95])
            levels = [low + (high - low) * (k + 1) / (LEVELS + 1) for k in range(LEVELS)] if high > low else []
            self._lines = [(level, [level_lines(side, level) for side in chart.values]) for level in levels]
            best = np.quantile(values[kept] if kept.any() else values, BEST_SHARE)
            self._tints = [
                _tinted(side <= best, refused > 0.5) for side, refused in zip(chart.values, barred.values, strict=True)
            ]
            self._across = chart.values.shape[1]
        self.update()

    # places

    def _discs(self) -> list[tuple[QPointF, float]]:
        """Middle and radius of both discs: beside each other, or one under the other where that makes them larger."""
        wide, high = self.width(), self.height() - FOOT_PX
        beside = min((wide - APART_PX) / 4 - ROOM_PX, high / 2 - ROOM_PX)
        under = min(wide / 2 - ROOM_PX, (high - APART_PX) / 4 - ROOM_PX)
        if beside >= under:
            middles = [QPointF(wide / 2 + way * (beside + ROOM_PX + APART_PX / 2), high / 2) for way in (-1, 1)]
            return [(m, max(beside, 20.0)) for m in middles]
        middles = [QPointF(wide / 2, high / 2 + way * (under + ROOM_PX + APART_PX / 2)) for way in (-1, 1)]
        return [(m, max(under, 20.0)) for m in middles]

    def _place(self, disc: int, at: np.ndarray) -> QPointF:
        middle, radius = self._discs()[disc]
        return QPointF(middle.x() + radius * float(at[0]), middle.y() - radius * float(at[1]))

    def _nearest(self, point: QPointF) -> int | None:
        """The way up that is nearest to a point of the widget, None far from both discs."""
        if not self._costs:
            return None
        for disc, (middle, radius) in enumerate(self._discs()):
            at = np.array([(point.x() - middle.x()) / radius, (middle.y() - point.y()) / radius])
            if np.hypot(*at) <= 1.0 + NEAR_PX / radius:
                at = at / max(1.0, float(np.hypot(*at)) + 1e-9)
                up = up_at(disc, at[None])[0]
                return int(np.argmax([c.up @ up for c in self._costs]))
        return None

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        number = self._nearest(event.position())
        if number is not None and event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit(number)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip:
            number = self._nearest(QPointF(event.pos()))  # type: ignore[attr-defined]
            if number is not None:
                QToolTip.showText(event.globalPos(), tip(self.told(number)))  # type: ignore[attr-defined]
            return True
        return super().event(event)

    def told(self, number: int) -> str:
        """What a way up costs, in a line."""
        cost = self._costs[number]
        figures = [f"{s.name} {s.text(cost)} {s.unit}".rstrip() for s in MEASURES]
        return ", ".join(figures) + ("" if self._kept[number] else "; it breaks a limit") + ". Click to turn the part so."

    # painting

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            for disc in (0, 1):
                self._paint_disc(painter, disc)
            self._paint_picks(painter)
            painter.setPen(QColor(DAY.faint))
            painter.setFont(typeface(9.5, italic=True))
            unit = f", {self._shown.unit}" if self._shown.unit else ""
            foot = f"contours: {self._shown.name}{unit} · blue: the best of it · hatched: breaks a limit"
            painter.drawText(QRectF(0, self.height() - FOOT_PX, self.width(), FOOT_PX), Qt.AlignmentFlag.AlignCenter, foot)

    def _paint_disc(self, painter: QPainter, disc: int) -> None:
        middle, radius = self._discs()[disc]
        box = QRectF(middle.x() - radius, middle.y() - radius, 2 * radius, 2 * radius)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(DAY.card))
        painter.drawEllipse(middle, radius, radius)
        if self._tints:
            painter.drawImage(box, self._tints[disc])
        painter.setPen(QPen(QColor(DAY.rule), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for lean in (30.0, 60.0):
            ring = radius * np.sqrt(1 - np.cos(np.radians(lean)))
            painter.drawEllipse(middle, ring, ring)
        painter.drawLine(QPointF(box.left(), middle.y()), QPointF(box.right(), middle.y()))
        painter.drawLine(QPointF(middle.x(), box.top()), QPointF(middle.x(), box.bottom()))
        self._paint_lines(painter, disc, box)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(DAY.ink), 1.6))
        painter.drawEllipse(middle, radius, radius)
        painter.drawEllipse(middle, radius + 4, radius + 4)
        painter.setFont(typeface(10.5, medium=True))
        head = "as it came" if disc == 0 else "upside down"
        painter.setPen(QColor(DAY.ink))
        top = QRectF(middle.x() - 80, box.top() - ROOM_PX - 2, 160, 14)
        painter.drawText(top, Qt.AlignmentFlag.AlignCenter, head)
        painter.setPen(QColor(DAY.faint))
        painter.setFont(typeface(9.5, italic=True))
        for word, degrees in RIM_WORDS:
            painter.save()
            painter.translate(middle)
            painter.rotate(degrees if degrees != 180.0 else 0.0)  # no word stands on its head
            at = QRectF(-60, radius + 6 if degrees == 180.0 else -radius - 18, 120, 13)
            painter.drawText(at, Qt.AlignmentFlag.AlignCenter, word)
            painter.restore()

    def _paint_lines(self, painter: QPainter, disc: int, box: QRectF) -> None:
        """Contour lines, each with its value once."""
        if not self._lines:
            return
        scale = box.width() / self._across
        taken: list[QPointF] = []
        painter.setFont(typeface(9.0, italic=True))
        for level, sides in self._lines:
            pieces = sides[disc]
            painter.setPen(QPen(QColor(DAY.ink), 0.8))
            ends = [
                (QPointF(box.left() + (a[0] + 0.5) * scale, box.bottom() - (a[1] + 0.5) * scale),
                 QPointF(box.left() + (b[0] + 0.5) * scale, box.bottom() - (b[1] + 0.5) * scale))
                for a, b in pieces
            ]  # fmt: skip
            for a, b in ends:
                painter.drawLine(a, b)
            for a, _ in ends[len(ends) // 3 :: max(1, len(ends) // 5)]:
                if all(abs(a.x() - t.x()) > 30 or abs(a.y() - t.y()) > 13 for t in taken):
                    taken.append(a)
                    text = f"{level:.{self._shown.digits}f}"
                    wide = painter.fontMetrics().horizontalAdvance(text)
                    painter.fillRect(QRectF(a.x() - wide / 2 - 1, a.y() - 6, wide + 2, 12), QColor(DAY.card))
                    painter.setPen(QColor(DAY.ink))
                    painter.drawText(QPointF(a.x() - wide / 2, a.y() + 4), text)
                    break

    def _paint_picks(self, painter: QPainter) -> None:
        """Every way up as a point; the picks by their numbers; the present pose as a cross."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(DAY.faint))
        for disc, at in zip(self._disc, self._at, strict=True):
            painter.drawEllipse(self._place(int(disc), at), 0.9, 0.9)
        painter.setFont(typeface(9.5, medium=True))
        for number, text in reversed(self._picks):
            at = self._place(int(self._disc[number]), self._at[number])
            painter.setPen(QPen(QColor(DAY.ink), 1.2))
            painter.setBrush(QColor(DAY.sand))
            painter.drawEllipse(at, 8.5, 8.5)
            painter.drawText(QRectF(at.x() - 9, at.y() - 9, 18, 18), Qt.AlignmentFlag.AlignCenter, text)
        if self._now is not None:
            (disc,), (where,) = disc_of(self._now.up[None])
            at = self._place(int(disc), where)
            painter.setPen(QPen(QColor(DAY.hazard), 2.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(at, 11.5, 11.5)
            for x, y in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                painter.drawLine(QPointF(at.x() + 11.5 * x, at.y() + 11.5 * y), QPointF(at.x() + 17 * x, at.y() + 17 * y))


def _tinted(best: np.ndarray, barred: np.ndarray) -> QImage:
    """The best stretch in shoal water, what breaks a limit hatched; rows from below."""
    rows, columns = best.shape
    pixels = np.zeros((rows, columns, 4), np.uint8)
    water, ink = QColor(DAY.water), QColor(DAY.rule)
    pixels[best] = (water.red(), water.green(), water.blue(), 255)
    i, j = np.indices(best.shape)
    pixels[barred & ((i + j) % 5 == 0)] = (ink.red(), ink.green(), ink.blue(), 255)
    flipped = np.ascontiguousarray(pixels[::-1])
    return QImage(flipped.data, columns, rows, 4 * columns, QImage.Format.Format_RGBA8888).copy()
