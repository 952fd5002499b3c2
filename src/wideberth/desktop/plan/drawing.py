"""The plan as a chart: plate, outlines of prints with their figures, gaps, the ring that turns, and what is in hand."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt
from PySide6.QtGui import QBrush, QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPen

from wideberth.core.bench import Zone
from wideberth.core.job import Placed, Placement
from wideberth.core.plate import Loops, Stood
from wideberth.core.predict import Gap, PrintTold
from wideberth.desktop.plan.ruler import Sheet
from wideberth.desktop.style import DAY, polygon, typeface
from wideberth.desktop.words import margin_text

KEPT_PATHS = 512
RING_PX, HANDLE_PX = 12.0, 5.5
"""How far the ring lies outside the print, and the radius of its handle."""
RING_TICKS = 24
LEAST_NAME_PX = 40.0
"""A print that is narrower has no room for its name."""
BESIDE_PX, END_PX = 3.0, 4.0
ASLANT = 0.95
"""Where outlines are nearer than this share of the gap, it lies between different heights."""


@lru_cache(KEPT_PATHS)
def paths_of(stood: Stood) -> tuple[QPainterPath, QPainterPath]:
    """Outlines of a part and of its supports on the plate [mm] as paths; what is not covered stays open."""
    return _path(stood.part), _path(stood.supports)


def _path(loops: Loops) -> QPainterPath:
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for ring in loops:
        path.addPolygon(polygon(ring[:, 0], ring[:, 1]))
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


def draw_zone(painter: QPainter, sheet: Sheet, zone: Zone) -> None:
    """A zone that is kept free: hatched, with its word where there is room."""
    there = QRectF(sheet.point(zone.left_mm, zone.back_mm), sheet.point(zone.right_mm, zone.front_mm))
    painter.save()
    painter.fillRect(there, QColor(DAY.card))
    painter.setPen(QPen(QColor(DAY.faint), 1.0, Qt.PenStyle.DashLine))
    painter.setBrush(QBrush(QColor(DAY.rule), Qt.BrushStyle.BDiagPattern))
    painter.drawRect(there)
    word = Line("kept free", 8.5, True)
    wide, high = word.size
    if there.width() > wide and there.height() > high:
        painter.setFont(word.font)
        painter.setPen(QColor(DAY.ink))
        painter.drawText(there, Qt.AlignmentFlag.AlignCenter, word.text)
    painter.restore()


def reaches_into(stood: Stood, zone: Zone) -> bool:
    """Whether a print, its supports with it, lies in a zone."""
    there = QRectF(QPointF(zone.left_mm, zone.front_mm), QPointF(zone.right_mm, zone.back_mm))
    return any(path.intersects(there) for path in paths_of(stood))


def draw_print(painter: QPainter, sheet: Sheet, stood: Stood, chosen: bool, wrong: bool, in_hand: bool) -> None:
    """A print's outlines: supports and base as a pale wash, the part over them as land. wrong : it touches, or lies off the
    plate."""
    part, supports = paths_of(stood)
    edge = QColor(DAY.hazard if wrong else DAY.ink)
    wash, land = QColor(DAY.hazard_pale if wrong else DAY.post), QColor(DAY.part)
    wash.setAlpha(90 if in_hand else 70)
    land.setAlpha(150 if in_hand else 225)
    line = Qt.PenStyle.DashLine if in_hand else Qt.PenStyle.SolidLine
    painter.save()
    painter.setTransform(sheet.transform, True)
    for path, fill, wide in ((supports, wash, 0.8), (part, land, 2.2 if chosen else 1.2)):
        painter.fillPath(path, fill)
        painter.strokePath(path, _fine(edge, wide, line))
    painter.restore()


def draw_ghost(painter: QPainter, sheet: Sheet, stood: Stood) -> None:
    """Where what is in hand stood."""
    part, supports = paths_of(stood)
    painter.save()
    painter.setTransform(sheet.transform, True)
    painter.strokePath(part if supports.isEmpty() else supports, _fine(QColor(DAY.faint), 1.0, Qt.PenStyle.DotLine))
    painter.restore()


def _fine(colour: QColor, wide_px: float, line: Qt.PenStyle) -> QPen:
    """A pen that is as wide at every scale."""
    pen = QPen(colour, wide_px, line)
    pen.setCosmetic(True)
    return pen


NEARBY = ((0, 0), (0, 1), (0, -1), (0.8, 0), (-0.8, 0), (0, 2), (0, -2))
"""Where a label may go, in shares of its size."""


@dataclass(frozen=True)
class Line:
    """A line of text: its size in points, and whether it slants."""

    text: str
    points: float
    italic: bool

    @property
    def font(self) -> QFont:
        return typeface(self.points, italic=self.italic)

    @property
    def size(self) -> tuple[float, float]:
        """Width and height [px], with some room at its sides."""
        measure = QFontMetricsF(self.font)
        return measure.horizontalAdvance(self.text) + 6, measure.height()

    def shortened(self, wide_px: float) -> Line:
        """As much of it as there is room for."""
        shorter = QFontMetricsF(self.font).elidedText(self.text, Qt.TextElideMode.ElideRight, wide_px - 6)
        return replace(self, text=shorter)


class Labels:
    """Text that keeps off what was printed before it, and off prints that it is not about."""

    def __init__(self, painter: QPainter, within: QRectF, prints: Sequence[QRectF]) -> None:
        self._painter, self._within, self._prints = painter, within, prints
        self._taken: list[QRectF] = []

    def say_near(self, at: QPointF, line: Line, colour: str) -> None:
        """A line on a point or near it, unless all that is taken."""
        wide, high = line.size
        boxes = [QRectF(at.x() + (dx - 0.5) * wide, at.y() + (dy - 0.5) * high, wide, high) for dx, dy in NEARBY]
        place = next((box for box in map(self._inside, boxes) if self._is_free(box)), None)
        if place is not None:
            self._print(place, [line], colour)

    def say_of(self, own: QRectF, lines: Sequence[Line], colour: str) -> bool:
        """Lines about a print in a box: within it, else beside it, clear of every other; whether there was room."""
        sizes = [line.size for line in lines]
        size = QSizeF(max(w for w, _ in sizes), sum(h for _, h in sizes))
        place = QRectF(QPointF(), size)
        place.moveCenter(own.center())
        if own.contains(place) and self._is_free(place):
            self._print(place, lines, colour)
            return True
        off = QPointF(0.5 * (own.width() + size.width()) + BESIDE_PX, 0.5 * (own.height() + size.height()) + BESIDE_PX)
        for way in (QPointF(0, off.y()), QPointF(0, -off.y()), QPointF(off.x(), 0), QPointF(-off.x(), 0)):
            beside = place.translated(way)
            if self._within.contains(beside) and self._is_free(beside) and not any(beside.intersects(p) for p in self._prints):
                self._print(beside, lines, colour)
                return True
        return False

    def _is_free(self, place: QRectF) -> bool:
        return not any(place.intersects(taken) for taken in self._taken)

    def _print(self, place: QRectF, lines: Sequence[Line], colour: str) -> None:
        ground = QColor(DAY.card)
        ground.setAlpha(205)
        self._painter.fillRect(place, ground)
        self._painter.setPen(QColor(colour))
        y = place.top()
        for line in lines:
            tall = line.size[1]
            self._painter.setFont(line.font)
            self._painter.drawText(QRectF(place.left(), y, place.width(), tall), Qt.AlignmentFlag.AlignCenter, line.text)
            y += tall
        self._taken.append(place.adjusted(-2, -1, 2, 1))

    def _inside(self, place: QRectF) -> QRectF:
        x = min(max(place.left(), self._within.left() + 2), self._within.right() - place.width() - 2)
        y = min(max(place.top(), self._within.top() + 2), self._within.bottom() - place.height() - 2)
        return QRectF(x, y, place.width(), place.height())


def name_print(labels: Labels, own: QRectF, placed: Placed, told: PrintTold | None) -> None:
    """The name of a print in a box, and what it weighs, pulls and holds: as much of it as there is room for."""
    name = Line(("⚓ " if placed.placement.pinned else "") + placed.name, 10.5, False)
    ways = [[name]]
    if told is not None:
        margin = "" if math.isinf(told.margin) else f" · {margin_text(told.margin)}"
        ways.insert(0, [name, Line(f"{told.weight_g:.1f} g · {told.pull_n:.1f} N{margin}", 9.5, True)])
    if own.width() >= LEAST_NAME_PX:
        ways.append([name.shortened(own.width())])
    for lines in ways:
        if labels.say_of(own, lines, DAY.ink):
            return


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
    labels.say_near(0.5 * (a + b) + QPointF(0, -9), Line(text, 9.5, False), DAY.hazard if near else DAY.ink)


def ring_of(sheet: Sheet, stood: Stood, placement: Placement) -> tuple[QPointF, float, QPointF]:
    """Middle, radius and handle [px] of the ring round a print."""
    middle, own = sheet.point(placement.x_mm, placement.y_mm), np.array([placement.x_mm, placement.y_mm])
    reach = max(float(np.linalg.norm(ring - own, axis=1).max()) for ring in stood.part + stood.supports)
    radius = reach * sheet.scale + RING_PX
    turn = math.radians(placement.turn_deg + 90.0)
    return middle, radius, middle + QPointF(radius * math.cos(turn), -radius * math.sin(turn))


def draw_ring(painter: QPainter, sheet: Sheet, stood: Stood, placement: Placement) -> None:
    """A graduated ring with a handle at the part's own back edge."""
    middle, radius, handle = ring_of(sheet, stood, placement)
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
