"""How the log is drawn: on the screen, in a picture and in a drawing alike."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from wideberth.core.predict import Prediction
from wideberth.desktop.heightlog.curves import TRACKS, USUAL, Curve, Track, curves_of, heights, scale_of
from wideberth.desktop.style import DAY, draw_severity, polygon, typeface

GUTTER, SIGNS, GAP, HEAD, FOOT, EDGE = 42.0, 36.0, 7.0, 42.0, 9.0, 6.0
TICKS_MM = (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0)
TICK_PX = 42.0
A_TIE_UP_MM = 1e-9
"""The middle of a layer falls between two hundredths: up, as in the section."""
LEAST_WIDTH = 34.0
READABLE_WIDTH = 40.0
MOST_DOTS = 1200
DECIDING = ("hold", "pull", "area", "plate", "time")
"""Tracks that stay in a slim log, the first the longest."""


@dataclass(frozen=True)
class Frame:
    """What is drawn: a stretch of heights of a prediction on some tracks, beside a ghost if there is one."""

    width: float
    height: float
    prediction: Prediction | None
    ghost: Prediction | None = None
    ghost_name: str = ""
    tracks: tuple[tuple[str, float], ...] = USUAL
    low_mm: float = 0.0
    high_mm: float = 1.0
    felt_n: np.ndarray | None = field(default=None, compare=False)
    """Pull that a load cell has felt, (layers,), NaN where it has not yet."""
    covered: tuple[str, ...] = ()
    """Tracks that are not to be seen."""
    scales: dict[str, tuple[float, float]] = field(default_factory=dict, compare=False)

    @property
    def body(self) -> QRectF:
        """Where heights are drawn."""
        return QRectF(GUTTER, HEAD, max(1.0, self.width - GUTTER - EDGE), max(1.0, self.height - HEAD - FOOT))

    def columns(self) -> list[tuple[str, QRectF]]:
        """Tracks and their places, from left to right."""
        body = self.body
        left = body.left() + SIGNS + GAP
        tracks = self._fitting(body.right() - left)
        room = body.right() - left - GAP * (len(tracks) - 1)
        total = sum(share for _, share in tracks) or 1.0
        columns = []
        for key, share in tracks:
            width = max(LEAST_WIDTH, room * share / total)
            columns.append((key, QRectF(left, body.top(), width, body.height())))
            left += width + GAP
        return columns

    def _fitting(self, room: float) -> tuple[tuple[str, float], ...]:
        """The tracks that can be read side by side: in a slim log those that decide, in their places."""
        if room >= (READABLE_WIDTH + GAP) * len(self.tracks):
            return self.tracks
        most = max(1, int(room / (READABLE_WIDTH + GAP)))
        first = sorted(self.tracks, key=lambda t: DECIDING.index(t[0]) if t[0] in DECIDING else len(DECIDING))[:most]
        return tuple(t for t in self.tracks if t in first)

    def y_of(self, z_mm: float | np.ndarray) -> float | np.ndarray:
        body = self.body
        return body.bottom() - (z_mm - self.low_mm) / max(self.high_mm - self.low_mm, 1e-9) * body.height()

    def z_at(self, y: float) -> float:
        body = self.body
        return self.low_mm + (body.bottom() - y) / body.height() * (self.high_mm - self.low_mm)


def paint(painter: QPainter, frame: Frame) -> None:
    """Everything but the cursor."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.fillRect(QRectF(0, 0, frame.width, frame.height), QColor(DAY.paper))
    _axis(painter, frame)
    p = frame.prediction
    if p is not None:
        for key, _ in frame.tracks:
            frame.scales.setdefault(key, scale_of(TRACKS[key], p, frame.ghost, frame.low_mm, frame.high_mm))
    for key, place in frame.columns():
        track = TRACKS[key]
        _head(painter, track, place, frame)
        painter.fillRect(place, QColor(DAY.card))
        if p is not None and key not in frame.covered:
            _fill_track(painter, track, place, frame, p)
        painter.setPen(QPen(QColor(DAY.rule), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(place)
    if p is not None and not frame.covered:
        _signs(painter, frame, p)


def paint_cursor(painter: QPainter, frame: Frame, cursor_mm: float, layer: int, hover: tuple[float, int] | None) -> None:
    """The height cursor with its values, and those under the pointer."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if hover is not None and frame.low_mm <= hover[0] <= frame.high_mm:
        _line(painter, frame, hover[0], hover[1], QColor(DAY.ink), QPen(QColor(DAY.faint), 1.0, Qt.PenStyle.DotLine))
    if frame.low_mm <= cursor_mm <= frame.high_mm:
        colour = QColor(DAY.hazard)
        _line(painter, frame, cursor_mm, layer, colour, QPen(colour, 1.6))
        y = frame.y_of(cursor_mm)
        font = typeface(10)
        text = f"{cursor_mm + A_TIE_UP_MM:.2f}"
        wide = QFontMetricsF(font).horizontalAdvance(text) + 6
        flag = QRectF(max(0.0, GUTTER - wide - 2), y - 9, wide, 18)
        painter.fillRect(flag, colour)
        painter.setFont(font)
        painter.setPen(QColor(DAY.card))
        painter.drawText(flag, Qt.AlignmentFlag.AlignCenter, text)


def _line(painter: QPainter, frame: Frame, z_mm: float, layer: int, colour: QColor, pen: QPen) -> None:
    """A line through all tracks at a height, with the value of each."""
    y = frame.y_of(z_mm)
    painter.setPen(pen)
    painter.drawLine(QPointF(frame.body.left(), y), QPointF(frame.body.right(), y))
    p = frame.prediction
    if p is None:
        return
    font = typeface(10)
    painter.setFont(font)
    measure = QFontMetricsF(font)
    high = measure.height()
    for key, place in frame.columns():
        text = TRACKS[key].text(p, layer)
        wide = measure.horizontalAdvance(text) + 4
        top = y - high - 1 if y - high > place.top() + 1 else y + 2
        tag = QRectF(place.right() - wide - 1, top, wide, high)
        painter.fillRect(tag, QColor(DAY.card))
        painter.setPen(colour)
        painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, text)


def _axis(painter: QPainter, frame: Frame) -> None:
    body = frame.body
    painter.setPen(QPen(QColor(DAY.ink), 1.5))
    painter.drawLine(body.topLeft(), body.bottomLeft())
    per_mm = body.height() / max(frame.high_mm - frame.low_mm, 1e-9)
    step = next((s for s in TICKS_MM if s * per_mm >= TICK_PX), TICKS_MM[-1])
    painter.setFont(typeface(9.5))
    digits = 2 if step < 0.1 else 1 if step < 1 else 0
    for n in range(int(np.ceil(frame.low_mm / step - 1e-6)), int(frame.high_mm / step + 1e-6) + 1):
        y = frame.y_of(n * step)
        painter.setPen(QPen(QColor(DAY.ink), 1.2))
        painter.drawLine(QPointF(body.left() - 5, y), QPointF(body.left(), y))
        painter.drawText(
            QRectF(0, y - 9, body.left() - 8, 18),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            f"{n * step:.{digits}f}",
        )
        half = y - 0.5 * step * per_mm
        if half > body.top():
            painter.setPen(QPen(QColor(DAY.faint), 1.0))
            painter.drawLine(QPointF(body.left() - 3, half), QPointF(body.left(), half))


def _head(painter: QPainter, track: Track, place: QRectF, frame: Frame) -> None:
    painter.setPen(QColor(DAY.ink))
    painter.setFont(typeface(11))
    measure = QFontMetricsF(painter.font())
    title = measure.elidedText(track.title, Qt.TextElideMode.ElideRight, place.width())
    painter.drawText(QPointF(place.left(), HEAD - 24), title)
    if track.key in frame.scales:
        low, top = frame.scales[track.key]
        text = f"{low:g}–{top:,.6g} {track.unit}" if low else f"{top:,.6g} {track.unit}"
        painter.setPen(QColor(DAY.faint))
        painter.setFont(typeface(9.5))
        measure = QFontMetricsF(painter.font())
        if measure.horizontalAdvance(text) > place.width() + 4:
            text = f"{low:g}–{top:,.6g}" if low else f"{top:,.6g}"
        wide = measure.horizontalAdvance(text)
        painter.drawText(QPointF(max(place.left(), place.right() - wide), HEAD - 8), text)  # at the end that it names


def _fill_track(painter: QPainter, track: Track, place: QRectF, frame: Frame, p: Prediction) -> None:
    low, top = frame.scales[track.key]
    painter.save()
    painter.setClipRect(place)
    painter.setPen(QPen(QColor(DAY.rule), 0.8))
    for quarter in (0.25, 0.5, 0.75):
        x = place.left() + quarter * place.width()
        painter.drawLine(QPointF(x, place.top()), QPointF(x, place.bottom()))

    def across(values: np.ndarray) -> np.ndarray:
        return place.left() + np.clip((values - low) / (top - low), -0.05, 1.2) * place.width()

    for curve in curves_of(track, p):
        _curve(painter, curve, across, place, frame, p)
    if track.key == "pull" and frame.felt_n is not None:
        _felt(painter, across, frame, p)
    for value, bad in track.guides(p):
        pen = QPen(QColor(DAY.hazard if bad else DAY.ink), 1.2, Qt.PenStyle.DashLine)
        painter.setPen(pen)
        x = float(across(np.array(value)))
        painter.drawLine(QPointF(x, place.top()), QPointF(x, place.bottom()))
    if frame.ghost is not None:
        last = curves_of(track, frame.ghost)[-1]
        pen = QPen(QColor(DAY.good), 1.6, Qt.PenStyle.DashLine)
        pen.setDashPattern([5, 3])
        _stroke(painter, across(last.values), heights(frame.ghost), frame, pen)
    painter.restore()


def _felt(painter: QPainter, across, frame: Frame, p: Prediction) -> None:  # type: ignore[no-untyped-def]
    """What a load cell has felt, a dot a layer."""
    assert frame.felt_n is not None
    known = np.flatnonzero(np.isfinite(frame.felt_n))
    known = known[:: max(1, len(known) // MOST_DOTS)]
    x, y = across(frame.felt_n[known]), frame.y_of((known + 0.5) * p.layer_mm)
    for colour, wide in ((DAY.card, 5.0), (DAY.post, 2.4)):
        painter.setPen(QPen(QColor(colour), wide, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawPoints(polygon(x, np.asarray(y)))


def _curve(painter: QPainter, curve: Curve, across, place: QRectF, frame: Frame, p: Prediction) -> None:  # type: ignore[no-untyped-def]
    z = heights(p)
    x = across(curve.values)
    if curve.look == "line":
        _stroke(painter, x, z, frame, QPen(QColor(DAY.ink), 1.7))
        return
    other = across(curve.other) if curve.other is not None else np.full_like(x, place.left())
    colour = QColor({"sand": DAY.sand, "deep": DAY.deep, "hazard": DAY.hazard, "band": DAY.good}[curve.look])
    if curve.look == "band":
        colour.setAlpha(80)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    for part in _stretches(x):
        y = frame.y_of(z[part])
        painter.drawPolygon(polygon(np.concatenate((x[part], other[part][::-1])), np.concatenate((y, y[::-1]))))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    if curve.look in ("sand", "deep"):
        _stroke(painter, x, z, frame, QPen(QColor(DAY.ink), 1.2))


def _stroke(painter: QPainter, x: np.ndarray, z: np.ndarray, frame: Frame, pen: QPen) -> None:
    painter.setPen(pen)
    for part in _stretches(x):
        painter.drawPolyline(polygon(x[part], frame.y_of(z[part])))


def _stretches(x: np.ndarray) -> list[slice]:
    """Stretches without gaps."""
    known = np.flatnonzero(~np.isnan(x))
    if len(known) == 0:
        return []
    cuts = np.flatnonzero(np.diff(known) > 1)
    firsts, lasts = known[np.append(0, cuts + 1)], known[np.append(cuts, len(known) - 1)]
    return [slice(int(a), int(b) + 1) for a, b in zip(firsts, lasts, strict=True)]


def _signs(painter: QPainter, frame: Frame, p: Prediction) -> None:
    """Findings, islands and cups at their heights: a diamond or dot, a small triangle, a bracket that spans a cup."""
    left, body = frame.body.left(), frame.body
    painter.save()
    painter.setClipRect(QRectF(left - 8, body.top() - 7, SIGNS + 12, body.height() + 14))
    for z, held in sorted({(round(i.z_mm, 2), i.supported) for i in p.verdict.islands}):
        _island(painter, QPointF(left + 16, frame.y_of(z)), held)
    for cup in p.verdict.cups:
        if cup.state != "open" and cup.peak_suction_n >= p.job.bench.house.quiet_suction_n:
            top, low = frame.y_of(cup.z_to_mm), frame.y_of(cup.z_from_mm)
            low = max(low, top + 4)
            style = Qt.PenStyle.SolidLine if cup.state == "sealed" else Qt.PenStyle.DotLine
            painter.setPen(QPen(QColor(DAY.hazard), 1.6, style))
            x = left + 28
            painter.drawPolyline(QPolygonF([QPointF(x + 5, top), QPointF(x, top), QPointF(x, low), QPointF(x + 5, low)]))
    for f in reversed(p.verdict.findings):
        for z in {round(place[2], 2) for place in f.places}:
            draw_severity(painter, f.severity, QPointF(left, frame.y_of(min(z, frame.high_mm))), 6.5, DAY)
    painter.restore()


def _island(painter: QPainter, at: QPointF, held: bool) -> None:
    """A small triangle standing on its point: open where a tip holds it, filled where none does."""
    painter.setPen(QPen(QColor(DAY.ink if held else DAY.hazard), 1.1))
    painter.setBrush(Qt.BrushStyle.NoBrush if held else QColor(DAY.hazard))
    x, y = at.x(), at.y()
    painter.drawPolygon(QPolygonF([QPointF(x, y), QPointF(x - 3.5, y - 6), QPointF(x + 3.5, y - 6)]))
    painter.setBrush(Qt.BrushStyle.NoBrush)
