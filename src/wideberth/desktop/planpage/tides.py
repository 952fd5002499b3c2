"""The tide table: a strip for each day, when someone is there, and the run over it; dragged to another start."""

from __future__ import annotations

import math
from datetime import datetime, time, timedelta

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from wideberth.core.plan import Begun, Landing, Span, bright, later, present
from wideberth.desktop.session.planning import Planned, Planning
from wideberth.desktop.style import DAY, typeface

DAYS = 8
TOP, LEFT, RIGHT, FOOT = 26.0, 96.0, 14.0, 22.0
BAND = 0.56
"""Share of a strip that the run's line takes."""
DAY_LONG = timedelta(days=1)
GRAIN = timedelta(minutes=5)


class TideTable(QWidget):
    """Signals: dragged (to a start, in local time)."""

    dragged = Signal(object)

    def __init__(self, planning: Planning) -> None:
        super().__init__()
        self._planning = planning
        self._from: float | None = None
        self._held: Begun | None = None
        self._grip = timedelta(0)
        self._to: datetime | None = None
        """Where another run that is held would begin if it were let go now."""
        self.setMinimumSize(420, 300)
        self.setAccessibleName("the next days: when someone is there, and how the run goes")
        planning.planned.connect(self.update)
        planning.chosen.connect(self.update)

    @property
    def first(self) -> datetime:
        """The midnight at which the table begins."""
        known = self._planning.known
        now = known.now if known is not None else self._planning.clock()
        return datetime.combine(now.date(), time())

    @property
    def _tall(self) -> float:
        return (self.height() - TOP - FOOT) / DAYS

    @property
    def _wide(self) -> float:
        return self.width() - LEFT - RIGHT

    def pieces(self, begin: datetime, end: datetime, low: float, high: float) -> list[QRectF]:
        """Where a stretch of time lies: one piece on each day, from one share of its strip to another."""
        made = []
        for day in range(DAYS):
            midnight = self.first + day * DAY_LONG
            a, b = max(begin, midnight), min(end, midnight + DAY_LONG)
            if a < b:
                x0, x1 = (LEFT + self._wide * ((t - midnight) / DAY_LONG) for t in (a, b))
                y = TOP + day * self._tall
                made.append(QRectF(x0, y + low * self._tall, x1 - x0, (high - low) * self._tall))
        return made

    def spot(self, at: datetime) -> QPointF | None:
        """Where a moment lies, in the middle of its strip; None beyond the table."""
        day = (at - self.first) // DAY_LONG
        if not 0 <= day < DAYS:
            return None
        share = (at - self.first - day * DAY_LONG) / DAY_LONG
        return QPointF(LEFT + self._wide * share, TOP + (day + 0.5) * self._tall)

    # drawing

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), QColor(DAY.card))
            known = self._planning.known
            self._draw_days(painter, known)
            self._draw_hours(painter)
            if known is not None:
                self._draw_now(painter, known)
                for other in self._planning.others:
                    self._draw_other(painter, self._planning.wanted[other.wanted].name, other.landing)
                if self._held is not None and self._to is not None:
                    self._draw_held(painter, self._to, self._held)
                landing = self._planning.landing
                if landing is not None:
                    self._draw_run(painter, known, landing)
                elif self._planning.begin is not None:
                    self._draw_nobody(painter, self._planning.begin)

    def _draw_days(self, painter: QPainter, known: Planned | None) -> None:
        beyond = self.first + DAYS * DAY_LONG
        there: list[Span] = present(known.job.bench.hours, self.first, beyond) if known is not None else []
        light: list[Span] = bright(known.job.bench.hours, self.first, beyond) if known is not None else []
        for day in range(DAYS):
            strip = QRectF(LEFT, TOP + day * self._tall, self._wide, self._tall)
            painter.fillRect(strip.adjusted(0, 2, 0, -2), QColor(DAY.water))
            midnight = self.first + day * DAY_LONG
            painter.setFont(typeface(11, "medium") if day == 0 else typeface(11))
            painter.setPen(QColor(DAY.ink))
            painter.drawText(
                QRectF(0, strip.top(), LEFT - 10, self._tall),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                f"{midnight:%a %d %b}",
            )
        for begin, end in there:
            for piece in self.pieces(begin, end, 0.0, 1.0):
                painter.fillRect(piece.adjusted(0, 2, 0, -2), QColor(DAY.sand))
        for begin, end in light:
            for piece in self.pieces(begin, end, 0.0, 0.16):
                painter.fillRect(piece.adjusted(0, 2, 0, 0), QBrush(QColor(DAY.faint), Qt.BrushStyle.BDiagPattern))

    def _draw_hours(self, painter: QPainter) -> None:
        painter.setFont(typeface(10))
        measure = QFontMetricsF(typeface(10))
        for hour in range(0, 25, 2):
            x = LEFT + self._wide * hour / 24
            painter.setPen(QPen(QColor(DAY.rule), 1.0))
            painter.drawLine(QPointF(x, TOP), QPointF(x, TOP + DAYS * self._tall))
            text = f"{hour}"
            painter.setPen(QColor(DAY.ink))
            painter.drawText(QPointF(x - measure.horizontalAdvance(text) / 2, TOP - 8), text)
        painter.setPen(QPen(QColor(DAY.ink), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(LEFT, TOP, self._wide, DAYS * self._tall))
        painter.setPen(QColor(DAY.faint))
        painter.setFont(typeface(10, italic=True))
        legend = "sand: someone is there · line: printing · hatched: it may end here · box: the work that follows"
        fitting = QFontMetricsF(painter.font()).elidedText(legend, Qt.TextElideMode.ElideRight, self._wide)
        painter.drawText(QPointF(LEFT, self.height() - 6), fitting)

    def _draw_now(self, painter: QPainter, known: Planned) -> None:
        at = self.spot(known.now)
        if at is not None:
            painter.setPen(QPen(QColor(DAY.hazard), 1.6))
            painter.drawLine(QPointF(at.x(), at.y() - self._tall / 2), QPointF(at.x(), at.y() + self._tall / 2))

    def _draw_run(self, painter: QPainter, known: Planned, landing: Landing) -> None:
        ink, late = QColor(DAY.ink), landing.hangs.total_seconds() > 60 * known.job.bench.resin.longest_wet_min
        edge = QColor(DAY.hazard) if late else ink
        half = BAND / 2
        painter.setPen(Qt.PenStyle.NoPen)
        for piece in self.pieces(landing.begins, landing.printing, 0.5 - half, 0.5 + half):
            painter.fillRect(piece, ink)
        for piece in self.pieces(landing.printing, landing.earliest, 0.44, 0.56):
            painter.fillRect(piece, ink)
        for piece in self.pieces(landing.earliest, landing.latest, 0.5 - half, 0.5 + half):
            painter.fillRect(piece, QBrush(edge, Qt.BrushStyle.FDiagPattern))
            painter.setPen(QPen(edge, 1.2))
            painter.drawRect(piece)
        after = later(landing.done, -timedelta(minutes=known.job.bench.hours.after_min))
        painter.setPen(QPen(edge, 1.4, Qt.PenStyle.DotLine))
        for piece in self.pieces(landing.latest, max(landing.latest, after), 0.5, 0.5):
            painter.drawLine(piece.topLeft(), piece.topRight())
        painter.setPen(QPen(ink, 1.4))
        painter.setBrush(QColor(DAY.card))
        for piece in self.pieces(after, landing.done, 0.5 - half, 0.5 + half):
            painter.drawRect(piece)
        self._draw_moments(painter, known, landing)

    def _draw_other(self, painter: QPainter, name: str, landing: Landing) -> None:
        """Another run than the shown one: its outline over the days, and its name."""
        painter.setPen(QPen(QColor(DAY.post), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        pieces = self.pieces(landing.begins, landing.done, 0.5 - BAND / 2, 0.5 + BAND / 2)
        for piece in pieces:
            painter.drawRect(piece)
        painter.setFont(typeface(10))
        for piece in pieces[:1]:
            place = piece.adjusted(4, 0, -2, 0)
            text = QFontMetricsF(typeface(10)).elidedText(name, Qt.TextElideMode.ElideRight, place.width())
            painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)

    def _draw_held(self, painter: QPainter, to: datetime, held: Begun) -> None:
        """The outline of a run that is being dragged."""
        painter.setPen(QPen(QColor(DAY.hazard), 1.4, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for piece in self.pieces(to, to + (held.landing.done - held.landing.begins), 0.5 - BAND / 2, 0.5 + BAND / 2):
            painter.drawRect(piece)

    def _draw_moments(self, painter: QPainter, known: Planned, landing: Landing) -> None:
        """When the part is first seen: a ring on the line."""
        painter.setPen(QPen(QColor(DAY.ink), 1.4))
        painter.setBrush(QColor(DAY.card))
        for moment in known.moments:
            at = self.spot(later(landing.printing, timedelta(seconds=moment.after_s)))
            if at is not None and moment.name == "look":
                painter.drawEllipse(at, 5.0, 5.0)

    def _draw_nobody(self, painter: QPainter, begin: datetime) -> None:
        at = self.spot(begin)
        if at is None:
            return
        painter.setPen(QPen(QColor(DAY.hazard), 1.6))
        painter.setBrush(QColor(DAY.card))
        painter.drawPolygon([at + QPointF(0, -7), at + QPointF(7, 0), at + QPointF(0, 7), at + QPointF(-7, 0)])
        painter.setFont(typeface(10.5))
        painter.drawText(at + QPointF(12, 4), "nobody is there to begin it, or in time when it ends")

    # the mouse

    def moment_at(self, at: QPointF) -> datetime:
        """The time under a spot, to five minutes, within the table."""
        day = min(max(math.floor((at.y() - TOP) / self._tall), 0), DAYS - 1)
        share = min(max((at.x() - LEFT) / self._wide, 0.0), 1.0)
        return self.first + day * DAY_LONG + round(share * DAY_LONG / GRAIN) * GRAIN

    def _under(self, at: QPointF) -> Begun | None:
        """The other run whose outline lies under a spot."""
        for other in reversed(self._planning.others):
            landing = other.landing
            if any(p.contains(at) for p in self.pieces(landing.begins, landing.done, 0.5 - BAND / 2, 0.5 + BAND / 2)):
                return other
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._planning.known is None:
            return
        self._held, self._to = self._under(event.position()), None
        if self._held is None:
            self.dragged.emit(self.moment_at(event.position()))
        else:
            self._grip = self.moment_at(event.position()) - self._held.landing.begins

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if not event.buttons() & Qt.MouseButton.LeftButton or self._planning.known is None:
            return
        if self._held is None:
            self.dragged.emit(self.moment_at(event.position()))
        else:
            self._to = self.moment_at(event.position()) - self._grip
            self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        if self._held is not None and self._to is not None:
            self._planning.pin(self._held.wanted, self._to)
        self._held = self._to = None
        self.update()
