"""The plan as a chart: plate, outlines of prints with their figures, gaps, the ring that turns, and what is in hand."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPen

from wideberth.core.job import Placed, Placement
from wideberth.core.plate import Loops
from wideberth.core.predict import Gap, PrintTold
from wideberth.desktop.plan.ruler import Sheet
from wideberth.desktop.style import DAY, polygon, typeface
from wideberth.desktop.words import margin_text

RING_PX, HANDLE_PX = 12.0, 5.5
"""How far the ring lies outside the print, and the radius of its handle."""
RING_TICKS = 24
END_PX = 4.0
ASLANT = 0.95
"""Where outlines are nearer than this share of the gap, it lies between different heights."""


def path_of(loops: Loops, sheet: Sheet) -> QPainterPath:
    """Outlines as one path; what is not covered stays open."""
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    middle = sheet.area.center()
    for ring in loops:
        x = middle.x() + (ring[:, 0] - sheet.middle_mm[0]) * sheet.scale
        y = middle.y() - (ring[:, 1] - sheet.middle_mm[1]) * sheet.scale
        path.addPolygon(polygon(x, y))
        path.closeSubpath()
    return path


def draw_plate(painter: QPainter, sheet: Sheet, size_mm: tuple[float, float]) -> None:
    """The plate with lines at round steps from its middle."""
    x, y = 0.5 * size_mm[0], 0.5 * size_mm[1]
    plate = QRectF(sheet.point(-x, y), sheet.point(x, -y))
    painter.fillRect(plate, QColor(DAY.sand))
    step = sheet.step(18.0)
    painter.setPen(QPen(QColor(DAY.rule), 0.8))
    for n in range(-int(x // step), int(x // step) + 1):
        painter.drawLine(sheet.point(n * step, -y), sheet.point(n * step, y))
    for n in range(-int(y // step), int(y // step) + 1):
        painter.drawLine(sheet.point(-x, n * step), sheet.point(x, n * step))
    middle = sheet.point(0, 0)
    painter.setPen(QPen(QColor(DAY.ink), 1.0))
    painter.drawLine(middle + QPointF(-5, 0), middle + QPointF(5, 0))
    painter.drawLine(middle + QPointF(0, -5), middle + QPointF(0, 5))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(DAY.ink), 1.4))
    painter.drawRect(plate)


def draw_print(painter: QPainter, sheet: Sheet, loops: tuple[Loops, Loops], chosen: bool, wrong: bool, in_hand: bool) -> None:
    """A print's outlines: supports and base as a pale wash, the part over them as land. wrong : it touches, or lies off the
    plate."""
    part, supports = (path_of(each, sheet) for each in loops)
    edge = QColor(DAY.hazard if wrong else DAY.ink)
    wash = QColor(DAY.hazard_pale if wrong else DAY.post)
    wash.setAlpha(90 if in_hand else 70)
    painter.fillPath(supports, wash)
    painter.setPen(QPen(edge, 0.8, Qt.PenStyle.DashLine if in_hand else Qt.PenStyle.SolidLine))
    painter.drawPath(supports)
    land = QColor(DAY.part)
    land.setAlpha(150 if in_hand else 225)
    painter.fillPath(part, land)
    painter.setPen(QPen(edge, 2.2 if chosen else 1.2, Qt.PenStyle.DashLine if in_hand else Qt.PenStyle.SolidLine))
    painter.drawPath(part)


def draw_ghost(painter: QPainter, sheet: Sheet, loops: tuple[Loops, Loops]) -> None:
    """Where what is in hand stood."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(DAY.faint), 1.0, Qt.PenStyle.DotLine))
    painter.drawPath(path_of(loops[1] or loops[0], sheet))


class Labels:
    """Text that keeps off what was printed before it."""

    def __init__(self, painter: QPainter, within: QRectF) -> None:
        self._painter, self._within = painter, within
        self._taken: list[QRectF] = []

    def keep_off(self, place: QRectF) -> None:
        """Nothing is printed there any more."""
        self._taken.append(place)

    def say(self, at: QPointF, lines: Sequence[tuple[str, float, bool]], colour: str, always: bool = False) -> bool:
        """Lines of (text, points, italic) centred on a point or, where that is taken, a little away; whether there was room.

        always : over whatever is there, when nothing near is free.
        """
        sizes = []
        for text, points, italic in lines:
            measure = QFontMetricsF(typeface(points, italic=italic))
            sizes.append((measure.horizontalAdvance(text) + 6, measure.height()))
        wide, high = max(w for w, _ in sizes), sum(h for _, h in sizes)
        places = [
            QRectF(at.x() + dx * wide - wide / 2, at.y() + dy * high - high / 2, wide, high)
            for dx, dy in ((0, 0), (0, 1), (0, -1), (0.8, 0), (-0.8, 0), (0, 2), (0, -2))
        ]
        inside = [self._inside(place) for place in places]
        free = [place for place in inside if not any(place.intersects(t) for t in self._taken)]
        if not free and not always:
            return False
        place = (free or inside)[0]
        ground = QColor(DAY.card)
        ground.setAlpha(205)
        self._painter.fillRect(place, ground)
        self._painter.setPen(QColor(colour))
        y = place.top()
        for (text, points, italic), (_, tall) in zip(lines, sizes, strict=True):
            self._painter.setFont(typeface(points, italic=italic))
            self._painter.drawText(QRectF(place.left(), y, wide, tall), Qt.AlignmentFlag.AlignCenter, text)
            y += tall
        self._taken.append(place.adjusted(-2, -1, 2, 1))
        return True

    def _inside(self, place: QRectF) -> QRectF:
        x = min(max(place.left(), self._within.left() + 2), self._within.right() - place.width() - 2)
        y = min(max(place.top(), self._within.top() + 2), self._within.bottom() - place.height() - 2)
        return QRectF(x, y, place.width(), place.height())


def name_print(labels: Labels, at: QPointF, placed: Placed, told: PrintTold | None, room_px: float, colour: str) -> None:
    """A print's name, and what it weighs, pulls and holds."""
    name = QFontMetricsF(typeface(10.5)).elidedText(placed.name, Qt.TextElideMode.ElideRight, max(room_px, 90.0))
    lines = [(("⚓ " if placed.placement.pinned else "") + name, 10.5, False)]
    if told is not None:
        margin = "" if math.isinf(told.margin) else f" · {margin_text(told.margin)}"
        lines.append((f"{told.weight_g:.1f} g · {told.pull_n:.1f} N{margin}", 9.5, True))
    labels.say(at, lines, colour, always=True)


def draw_gap(painter: QPainter, labels: Labels, sheet: Sheet, gap: Gap, least_mm: float) -> None:
    """The gap between two prints, as a dimension with its ends."""
    near = gap.gap_mm < least_mm - 1e-6
    a, b = (sheet.point(*spot) for spot in gap.spots_mm)
    painter.setPen(QPen(QColor(DAY.hazard if near else DAY.ink), 1.4 if near else 1.0))
    painter.drawLine(a, b)
    along = b - a
    length = math.hypot(along.x(), along.y())
    if length > 1e-6:
        across = QPointF(-along.y(), along.x()) * (END_PX / length)
        for end in (a, b):
            painter.drawLine(end - across, end + across)
    beside = math.dist(*gap.spots_mm)
    aslant = " aslant" if beside < ASLANT * gap.gap_mm else ""
    text = "they touch" if gap.gap_mm <= 1e-6 else f"{gap.gap_mm:.1f} mm{aslant}"
    labels.say(0.5 * (a + b) + QPointF(0, -9), [(text, 9.5, False)], DAY.hazard if near else DAY.ink)


def ring_of(sheet: Sheet, loops: tuple[Loops, Loops], placement: Placement) -> tuple[QPointF, float, QPointF]:
    """Middle, radius and handle [px] of the ring round a print."""
    middle, own = sheet.point(placement.x_mm, placement.y_mm), np.array([placement.x_mm, placement.y_mm])
    reach = max(float(np.linalg.norm(ring - own, axis=1).max()) for ring in loops[0] + loops[1])
    radius = reach * sheet.scale + RING_PX
    turn = math.radians(placement.turn_deg + 90.0)
    return middle, radius, middle + QPointF(radius * math.cos(turn), -radius * math.sin(turn))


def draw_ring(painter: QPainter, sheet: Sheet, loops: tuple[Loops, Loops], placement: Placement) -> None:
    """A graduated ring with a handle at the part's own back edge."""
    middle, radius, handle = ring_of(sheet, loops, placement)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(DAY.ink), 0.8))
    painter.drawEllipse(middle, radius, radius)
    for n in range(RING_TICKS):
        turn = 2 * math.pi * n / RING_TICKS
        long = 6.0 if n % (RING_TICKS // 4) == 0 else 3.0
        way = QPointF(math.cos(turn), -math.sin(turn))
        painter.drawLine(middle + way * radius, middle + way * (radius - long))
    painter.drawLine(middle + (handle - middle) * 0.82, handle)
    painter.setBrush(QColor(DAY.card))
    painter.setPen(QPen(QColor(DAY.ink), 1.6))
    painter.drawEllipse(handle, HANDLE_PX, HANDLE_PX)
