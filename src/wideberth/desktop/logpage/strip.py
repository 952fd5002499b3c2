"""A run as a borehole log: what was expected and what was measured beside each other, on one axis of heights."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from wideberth.core.logbook import Expected
from wideberth.desktop.heightlog.curves import POINTS, nice_top, thinned
from wideberth.desktop.style import DAY, draw_severity, polygon, typeface

Values = NDArray[np.float64]
GUTTER, HEAD, FOOT, EDGE, GAP = 46.0, 44.0, 10.0, 8.0, 10.0
STEPS_MM = (0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0)
TICK_PX = 44.0
MOST_MARGIN = 99.0
BAND = 0.15
"""Of the pull that is expected, drawn to either side until the load cell is known."""


@dataclass(frozen=True, eq=False)
class Shown:
    """What is drawn: expected, and (layers,) measured with NaN where nothing is yet. fitted_n : what is expected of each layer as
    the load cell is known. layer : the last one, -1 before the first. alarms : severity and layer of each."""

    expected: Expected
    pull_n: Values
    seconds: Values
    vat_c: Values
    fitted_n: Values
    layer: int = -1
    alarms: tuple[tuple[str, int], ...] = field(default=())


class MeasuredLog(QWidget):
    """Tracks of pull, seconds, warmth and margin over height. Signal: pointed (layer under the pointer, -1 for none)."""

    pointed = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.shown: Shown | None = None
        self._at = -1
        self.setMinimumSize(380, 240)
        self.setMouseTracking(True)
        self.setAccessibleName("expected and measured over the height")

    def show_run(self, shown: Shown | None) -> None:
        """Draw a run, or none."""
        self.shown = shown
        self.update()

    @property
    def layer(self) -> int:
        """The layer under the pointer, else the last that was printed."""
        if self.shown is None:
            return -1
        return self._at if self._at >= 0 else self.shown.layer

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        body = self._body()
        if self.shown is None or not body.contains(event.position()):
            self._at = -1
        else:
            share = (body.bottom() - event.position().y()) / body.height()
            self._at = min(int(share * self.shown.expected.layers), self.shown.expected.layers - 1)
        self.pointed.emit(self._at)
        self.update()

    def leaveEvent(self, _event: object) -> None:
        self._at = -1
        self.pointed.emit(-1)
        self.update()

    def _body(self) -> QRectF:
        return QRectF(GUTTER, HEAD, max(self.width() - GUTTER - EDGE, 1.0), max(self.height() - HEAD - FOOT, 1.0))

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        body, shown = self._body(), self.shown
        if shown is None:
            painter.fillRect(body, QColor(DAY.card))
            painter.setPen(QColor(DAY.faint))
            painter.setFont(typeface(10.5, italic=True))
            painter.drawText(body, Qt.AlignmentFlag.AlignCenter, "no run to show")
            return
        _axis(painter, body, shown.expected.layers * shown.expected.layer_mm)
        left = body.left() + 6
        room = body.right() - left - 3 * GAP
        for track, share in ((self._pull, 0.46), (self._seconds, 0.18), (self._warmth, 0.18), (self._margin, 0.18)):
            place = QRectF(left, body.top(), room * share, body.height())
            track(painter, place, shown)
            left += place.width() + GAP
        if shown.layer >= 0 and shown.layer < shown.expected.layers - 1:
            y = _y(body, shown, shown.layer + 1.0)
            painter.setPen(QPen(QColor(DAY.ink), 1.2))
            painter.drawLine(QPointF(body.left(), y), QPointF(body.right(), y))
        for severity, layer in shown.alarms:
            draw_severity(painter, severity, QPointF(body.left(), _y(body, shown, layer + 0.5)), 7.0, DAY)
        if self._at >= 0:
            y = _y(body, shown, self._at + 0.5)
            painter.setPen(QPen(QColor(DAY.hazard), 1.4))
            painter.drawLine(QPointF(body.left(), y), QPointF(body.right(), y))

    def _pull(self, painter: QPainter, place: QRectF, shown: Shown) -> None:
        e, k = shown.expected, self.layer
        most = nice_top(max(float(e.pull_n.max(initial=0.0)) * 1.1, _top(shown.pull_n)))
        here = (
            ""
            if k < 0
            else f"{e.pull_n[k]:.1f} expected"
            + (f", {shown.pull_n[k]:.1f} felt".replace("-", "−") if np.isfinite(shown.pull_n[k]) else "")
        )
        _ground(painter, place, "Pull", f"0–{most:g} N", here)
        painter.save()
        painter.setClipRect(place)
        _band(painter, place, shown, e.pull_n * (1 - BAND), e.pull_n * (1 + BAND), most)
        _line(painter, place, shown, e.pull_n, 0.0, most, QPen(QColor(DAY.ink), 1.2, Qt.PenStyle.DashLine))
        _line(painter, place, shown, shown.fitted_n, 0.0, most, QPen(QColor(DAY.ink), 1.6))
        _dots(painter, place, shown, shown.pull_n, 0.0, most)
        painter.restore()

    def _seconds(self, painter: QPainter, place: QRectF, shown: Shown) -> None:
        e, k = shown.expected, self.layer
        most = nice_top(max(float(np.quantile(e.seconds, 0.98)), 1.0) * 1.3)
        here = "" if k < 0 else f"{shown.seconds[k] if np.isfinite(shown.seconds[k]) else e.seconds[k]:.1f} s"
        _ground(painter, place, "Layer", f"0–{most:g} s", here)
        painter.save()
        painter.setClipRect(place)
        _line(painter, place, shown, e.seconds, 0.0, most, QPen(QColor(DAY.ink), 1.2, Qt.PenStyle.DashLine))
        _line(painter, place, shown, shown.seconds, 0.0, most, QPen(QColor(DAY.post), 1.8))
        painter.restore()

    def _warmth(self, painter: QPainter, place: QRectF, shown: Shown) -> None:
        e, k = shown.expected, self.layer
        known = shown.vat_c[np.isfinite(shown.vat_c)]
        low = np.floor(min(float(e.vat_c.min()), float(known.min(initial=99.0))) - 2)
        high = np.ceil(max(float(e.vat_c.max()), float(known.max(initial=-99.0))) + 2)
        here = "" if k < 0 or not np.isfinite(shown.vat_c[k]) else f"{shown.vat_c[k]:.1f} °C"
        _ground(painter, place, "Vat", f"{low:g}–{high:g} °C", here)
        painter.save()
        painter.setClipRect(place)
        _line(painter, place, shown, e.vat_c, low, high, QPen(QColor(DAY.ink), 1.2, Qt.PenStyle.DashLine))
        _line(painter, place, shown, shown.vat_c, low, high, QPen(QColor(DAY.post), 1.2))
        painter.restore()

    def _margin(self, painter: QPainter, place: QRectF, shown: Shown) -> None:
        e, k = shown.expected, self.layer
        here = "" if k < 0 or not e.hold_margin[k] < MOST_MARGIN else f"×{e.hold_margin[k]:.1f}"
        _ground(painter, place, "Tips", "0–6 ×", here)
        painter.save()
        painter.setClipRect(place)
        for value, colour in ((1.0, DAY.hazard), (2.0, DAY.ink)):
            x = place.left() + value / 6 * place.width()
            painter.setPen(QPen(QColor(colour), 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, place.top()), QPointF(x, place.bottom()))
        _line(painter, place, shown, np.fmin(e.hold_margin, 9.0), 0.0, 6.0, QPen(QColor(DAY.ink), 1.5), lowest=True)
        painter.restore()


def _top(values: Values) -> float:
    """The greatest but for single wild readings."""
    known = values[np.isfinite(values)]
    return float(np.quantile(known, 0.995)) if len(known) else 0.0


def _y(body: QRectF, shown: Shown, layer: float) -> float:
    return body.bottom() - layer / max(shown.expected.layers, 1) * body.height()


def _axis(painter: QPainter, body: QRectF, height_mm: float) -> None:
    painter.setPen(QPen(QColor(DAY.ink), 1.5))
    painter.drawLine(body.topLeft(), body.bottomLeft())
    painter.setFont(typeface(9.5))
    step = next((s for s in STEPS_MM if s / max(height_mm, 1e-9) * body.height() >= TICK_PX), STEPS_MM[-1])
    for n in range(int(height_mm / step + 1e-6) + 1):
        y = body.bottom() - n * step / height_mm * body.height()
        painter.drawLine(QPointF(body.left() - 5, y), QPointF(body.left(), y))
        place = QRectF(0, y - 9, body.left() - 8, 18)
        painter.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{n * step:g}")


def _ground(painter: QPainter, place: QRectF, title: str, scale: str, here: str) -> None:
    painter.setPen(QColor(DAY.ink))
    painter.setFont(typeface(11))
    painter.drawText(QPointF(place.left(), HEAD - 26), title)
    measure = QFontMetricsF(typeface(11))
    used = measure.horizontalAdvance(title) + 8
    painter.setFont(typeface(9.5))
    small = QFontMetricsF(painter.font())
    if here and small.horizontalAdvance(here) <= place.width() - used:
        painter.drawText(QPointF(place.right() - small.horizontalAdvance(here), HEAD - 26), here)
    painter.setPen(QColor(DAY.faint))
    painter.drawText(QPointF(place.right() - small.horizontalAdvance(scale), HEAD - 9), scale)
    painter.fillRect(place, QColor(DAY.card))
    painter.setPen(QPen(QColor(DAY.rule), 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(place)


def _layers_of(count: int, shown: Shown) -> Values:
    """Layers in the middle of the stretches that thinned values stand for."""
    return np.asarray((np.arange(count) + 0.5) / count * shown.expected.layers)


def _line(
    painter: QPainter, place: QRectF, shown: Shown, values: Values, low: float, high: float, pen: QPen, *, lowest: bool = False
) -> None:
    kept = thinned(values, "min" if lowest else "max")
    layers = _layers_of(len(kept), shown)
    known = np.isfinite(kept)
    if not known.any():
        return
    x = place.left() + np.clip((kept[known] - low) / max(high - low, 1e-9), -0.05, 1.1) * place.width()
    y = place.bottom() - layers[known] / shown.expected.layers * place.height()
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(polygon(x, y))


def _band(painter: QPainter, place: QRectF, shown: Shown, low: Values, high: Values, most: float) -> None:
    a, b = thinned(low, "max"), thinned(high, "max")
    layers = _layers_of(len(a), shown)
    y = place.bottom() - layers / shown.expected.layers * place.height()
    x = [place.left() + np.clip(v / most, 0, 1.1) * place.width() for v in (a, b)]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(DAY.water))
    painter.drawPolygon(polygon(np.concatenate((x[0], x[1][::-1])), np.concatenate((y, y[::-1]))))


def _dots(painter: QPainter, place: QRectF, shown: Shown, values: Values, low: float, high: float) -> None:
    """Every reading while they are few, the most of each stretch else; a ring of ink filled with the sea's blue."""
    known = np.flatnonzero(np.isfinite(values))
    if len(known) > 2 * POINTS:
        known = known[:: len(known) // POINTS]
    x = place.left() + np.clip((values[known] - low) / (high - low), -0.02, 1.02) * place.width()
    y = place.bottom() - (known + 0.5) / shown.expected.layers * place.height()
    painter.setPen(QPen(QColor(DAY.post), 2.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    painter.drawPoints(QPolygonF([QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)]))
