"""The 3D view as it is seen: a picture of the scene, and over it findings, weakest margins and the cursor's plane."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QStyle, QWidget

from wideberth.core.predict import Prediction
from wideberth.core.verdict import is_weak
from wideberth.desktop.session import Session
from wideberth.desktop.style import DAY, draw_cased, draw_severity, typeface

SOUNDINGS = 7
SAG_SOUNDINGS = 14
SCRUB_MS = 90
SIGN_PX, CLOSE_PX = 6.0, 24.0
"""Half of a finding's sign; signs of one finding that stand closer are drawn as one."""
MANY_PX = {"lost": 10.5, "doubtful": 10.5, "note": 15.0}
"""Size of a sign that holds a number."""
SHEET = 0.2
"""How much the cutting plane covers of what is behind it."""
ASIDE_PX, MANY_ASIDE_PX = 5.0, 9.0
"""How far a sounding moves aside for its sign."""
VIRIDIS = [QColor(c) for c in ("#46337e", "#3e4c8a", "#33638d", "#297b8e", "#22938c", "#3aaa79", "#71c45a", "#c0db2d")]
Project = Callable[[tuple[float, float, float]], tuple[float, float, float] | None]


class Overlay(QWidget):
    """Paints over a picture of the scene; tells when it has another shape, or is seen again."""

    reshaped = Signal()

    def __init__(self, session: Session, project: Project, on_plate: Callable[[QPointF], tuple[float, float] | None]) -> None:
        super().__init__()
        self._session, self._project_deep, self._sight_on_plate = session, project, on_plate
        self.hint = ""
        self.soundings = "margins"
        self.labels: list[tuple[NDArray[np.float64], str]] = []
        self.told = ""
        self._scrubbing = QTimer(self)
        self._scrubbing.setSingleShot(True)
        self._scrubbing.setInterval(SCRUB_MS)
        self._scrubbing.timeout.connect(self.update)
        self.bare = False
        """Whether what is drawn is not what stands on the plate: nothing that is known of that is painted over it."""
        self.picture: QPixmap | None = None
        self.outgrown = False
        """Whether the picture is of another shape than the view, which is to be pictured anew."""
        self._depth: NDArray[np.float32] | None = None
        self._laid: tuple[list[tuple[float, float, float]], NDArray[np.float32], QImage] | None = None
        """The plane's sheet as it was laid last: for which corners, and before what."""
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.WheelFocus)

    def project(self, point: tuple[float, float, float]) -> QPointF | None:
        """Where a point of the plate is seen, or None behind the eye."""
        seen = self._project_deep(point)
        return None if seen is None else QPointF(seen[0], seen[1])

    def on_plate(self, at: QPointF) -> tuple[float, float] | None:
        """Where the plate is seen at a point of the view."""
        return self._sight_on_plate(at)

    def hold(self, picture: QPixmap, depth: NDArray[np.float32] | None) -> None:
        """Paint over a picture of the scene; without its depth the plane has only a rim."""
        self.picture, self._depth, self.outgrown = picture, depth, False
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.outgrown = True
        self.reshaped.emit()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.reshaped.emit()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        if self.picture is None or self.outgrown:
            self._paint_outgrown(painter)
            return
        painter.drawPixmap(self.rect(), self.picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(typeface(9.5, italic=True))
        painter.setPen(QColor(DAY.ink))
        p, colours, tool = self._session.prediction, self._session.sight.colours, self._session.sight.tool
        if self.hint:
            painter.setPen(QColor(DAY.hazard))
            painter.drawText(QPointF(12, 20), self.hint)
        elif p is None:
            painter.drawText(QPointF(12, 20), "open a model, or drop it here")
        elif colours is not None:
            painter.drawText(QPointF(12, 20), colours.words)
        elif self.soundings == "sag" and not p.sag.regions:
            painter.drawText(QPointF(12, 46), "no underside gives more than one layer")
        elif self.soundings == "cups":
            painter.drawText(QPointF(12, 46), self._told_of_cups())
        elif self.told:
            painter.drawText(QPointF(12, 46), self.told)
        if p is None:
            return
        if self.bare:
            self._paint_labels(painter)
            return
        covered = self._session.training.covers
        self._paint_plane(painter)
        if colours is not None:
            self._paint_scale(painter, colours.top)
        elif self.soundings == "margins" and not covered:
            self._paint_soundings(painter)
        elif self.soundings == "sag" and not covered:
            self._paint_sag(painter)
        self._paint_labels(painter)
        self._paint_places(painter)
        if tool is not None:
            tool.paint(painter, self)
        if not covered:
            self._paint_signs(painter, p)

    def _paint_signs(self, painter: QPainter, p: Prediction) -> None:
        """A sign for each finding where it is, the worst on top; a larger one with their number where some of one are close."""
        painter.setFont(typeface(8.5))
        for severity, at, count in reversed(self._signs(p)):
            draw_severity(painter, severity, at, MANY_PX[severity] if count > 1 else SIGN_PX, DAY)
            if count > 1:
                painter.setPen(QColor(DAY.hazard if severity == "doubtful" else DAY.card))
                painter.drawText(QRectF(at.x() - 10, at.y() - 8, 20, 16), Qt.AlignmentFlag.AlignCenter, str(count))

    def _signs(self, p: Prediction) -> list[tuple[str, QPointF, int]]:
        """Severity, place in the view and number of each sign; a finding's places that would cover each other have one."""
        signs: list[tuple[str, QPointF, int]] = []
        for f in p.verdict.findings:
            left = np.array([at.toTuple() for place in f.seen if (at := self.project(place)) is not None]).reshape(-1, 2)
            while len(left):
                close = np.abs(left - left[0]).sum(axis=1) < CLOSE_PX
                signs.append((f.severity, QPointF(*left[0].tolist()), int(close.sum())))
                left = left[~close]
        return signs

    def _paint_outgrown(self, painter: QPainter) -> None:
        """The picture of another shape, as large as fits, until there is a new one."""
        painter.fillRect(self.rect(), QColor(DAY.water))
        if self.picture is not None:
            size = self.picture.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
            middle = Qt.AlignmentFlag.AlignCenter
            painter.drawPixmap(QStyle.alignedRect(self.layoutDirection(), middle, size, self.rect()), self.picture)

    def _paint_scale(self, painter: QPainter, top: float) -> None:
        """The scale of a part's colours, labelled."""
        steps, width = 8, 22
        for k in range(steps):
            painter.fillRect(QRectF(12 + k * width, 28, width, 9), VIRIDIS[k])
        painter.setPen(QColor(DAY.ink))
        painter.drawRect(QRectF(12, 28, steps * width, 9))
        painter.setFont(typeface(9.5))
        for k in range(0, steps + 1, 2):
            text = f"{top * k / steps:g}" if k < steps else f"≥ {top:g}"
            painter.drawText(QPointF(9 + k * width, 51), text)

    def _paint_labels(self, painter: QPainter) -> None:
        """Names of what lies inside, each on a slip of paper, kept in the view."""
        painter.setFont(typeface(9.5, italic=True))
        taken: list[QPointF] = []
        for place, text in self.labels:
            at = self.project((float(place[0]), float(place[1]), float(place[2])))
            if at is None or any(abs(at.x() - t.x()) < 60 and abs(at.y() - t.y()) < 17 for t in taken):
                continue
            taken.append(at)
            self.slip(painter, at, text)

    def slip(self, painter: QPainter, at: QPointF, text: str) -> None:
        """Words on a slip of paper, kept in the view."""
        wide = painter.fontMetrics().horizontalAdvance(text)
        x = min(max(6.0, at.x() - 0.5 * wide), self.width() - wide - 8.0)
        y = min(max(64.0, at.y()), self.height() - 8.0)
        painter.setPen(QPen(QColor(DAY.rule), 1))
        painter.setBrush(QColor(DAY.card))
        painter.drawRect(QRectF(x - 4, y - 12, wide + 8, 16))
        painter.setPen(QColor(DAY.ink))
        painter.drawText(QPointF(x, y), text)

    def _paint_places(self, painter: QPainter) -> None:
        """Rings round the places that were asked for."""
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(DAY.hazard), 1.6))
        for place in self._session.sight.places_mm:
            at = self.project((float(place[0]), float(place[1]), float(place[2])))
            if at is not None:
                painter.drawEllipse(at, 7.0, 7.0)

    def _paint_soundings(self, painter: QPainter) -> None:
        """Margins of the weakest tips, as small printed numbers that keep clear of each other."""
        p = self._session.prediction
        assert p is not None
        painter.setFont(typeface(9.5, italic=True))
        signs = {(at.x(), at.y()): count for _, at, count in self._signs(p)}
        taken = [QPointF(*at) for at in signs]
        printed = 0
        for tip in sorted(p.verdict.tips, key=lambda t: t.margin):
            if printed == SOUNDINGS or not np.isfinite(tip.margin):
                break
            at = self.project((tip.x_mm, tip.y_mm, tip.z_mm))
            if at is None:
                continue
            own = [s for s in taken[: len(signs)] if (s - at).manhattanLength() < 1.0]  # it stands beside its own sign
            if any(abs(at.x() - t.x()) < 34 and abs(at.y() - t.y()) < 16 for t in taken if t not in own):
                continue
            taken.append(at)
            printed += 1
            aside = max((MANY_ASIDE_PX if signs[s.x(), s.y()] > 1 else ASIDE_PX for s in own), default=0.0)
            at += QPointF(aside, 0.0)
            ink = DAY.hazard if is_weak(tip.margin, p.job.bench.house) else DAY.ink
            draw_cased(painter, QPointF(at.x() + 4, at.y() - 3), f"{tip.margin:.1f}", ink, DAY)

    def _told_of_cups(self) -> str:
        """Which cups there are, or that they are still being looked for."""
        p = self._session.prediction
        if p is None or p.fineness.light:
            return "cups are filled in with the fine prediction"
        states = {c.state for c in p.verdict.cups} - {"open"}
        told = {"vented": "blue: vented", "sealed": "magenta: sealed"}
        return " · ".join(told[s] for s in ("vented", "sealed") if s in states) or "no cup closes on the film"

    def _paint_sag(self, painter: QPainter) -> None:
        """How far undersides give [mm]: the worst spot of each region, and others that keep clear of it."""
        p = self._session.prediction
        assert p is not None
        painter.setFont(typeface(9.5, italic=True))
        give = np.maximum(p.sag.sag_mm, p.sag.curl_mm)
        taken: list[QPointF] = []
        least = 0.5 * p.job.bench.print.layer_height_mm
        for i in np.argsort(-give)[:400]:
            if give[i] < least or len(taken) == SAG_SOUNDINGS:
                break
            x, y, z = (float(v) for v in p.sag.points_mm[i])
            at = self.project((x, y, z))
            if at is None or any(abs(at.x() - t.x()) < 32 and abs(at.y() - t.y()) < 15 for t in taken):
                continue
            taken.append(at)
            bad = p.sag.region[i] >= 0
            ink = DAY.hazard if bad else DAY.ink
            painter.setPen(QColor(ink))
            painter.setBrush(QColor(ink))
            painter.drawEllipse(at, 1.6, 1.6)
            draw_cased(painter, QPointF(at.x() + 4, at.y() - 3), f"{give[i]:.2f}", ink, DAY)

    def scrub(self) -> None:
        """The cursor has moved: only the plane's rim is painted until it rests."""
        self._scrubbing.start()
        self.update()

    def plane(self) -> list[tuple[float, float, float]]:
        """Corners of the cutting plane at the cursor, as seen, with their depth; empty when one cannot be seen."""
        p = self._session.prediction
        if p is None:
            return []
        low = np.min([s.low for s in p.solids], axis=0)
        high = np.max([s.high for s in p.solids], axis=0)
        margin = 0.12 * float(np.hypot(*(high - low)[:2])) + 2
        x0, y0, x1, y1 = low[0] - margin, low[1] - margin, high[0] + margin, high[1] + margin
        z = self._session.cursor.z_mm
        seen = [self._project_deep(corner) for corner in ((x0, y0, z), (x1, y0, z), (x1, y1, z), (x0, y1, z))]
        return [c for c in seen if c is not None] if None not in seen else []

    def _paint_plane(self, painter: QPainter) -> None:
        """The plane as a thin sheet, hidden where the scene is nearer; only its rim while the view turns."""
        deep = self.plane()
        if not deep:
            return
        corners = [QPointF(x, y) for x, y, _ in deep]
        rim = QColor(DAY.hazard)
        if self._depth is not None and not self._scrubbing.isActive():
            if self._laid is None or self._laid[0] != deep or self._laid[1] is not self._depth:
                self._laid = deep, self._depth, self.sheet(deep)
            painter.drawImage(self.rect(), self._laid[2])
            rim.setAlphaF(0.45)
        painter.setPen(QPen(rim, 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolygon(QPolygonF(corners))
        right = max(corners, key=lambda c: c.x())
        painter.setFont(typeface(10.5))
        x = min(right.x() + 6, self.width() - 46.0)
        at = QPointF(x, min(max(right.y() + 4, 14.0), self.height() - 6.0))
        draw_cased(painter, at, f"{self._session.cursor.z_mm:.1f}", DAY.hazard, DAY)

    def sheet(self, corners: list[tuple[float, float, float]]) -> QImage:
        """The pixels of a plane, by its `corners` as seen, that nothing hides: a translucent image of the kept picture's size.

        A plane's depth is linear over the screen, so three corners tell it everywhere.
        """
        assert self._depth is not None
        rows, columns = self._depth.shape
        scale = columns / max(self.width(), 1)
        known = np.array([(x * scale, y * scale, 1.0) for x, y, _ in corners])
        slope_x, slope_y, base = np.linalg.lstsq(known, np.array([d for _, _, d in corners]), rcond=None)[0]
        outline = QImage(columns, rows, QImage.Format.Format_Grayscale8)
        outline.fill(0)
        with QPainter(outline) as pen:
            pen.setPen(Qt.PenStyle.NoPen)
            pen.setBrush(QColor("white"))
            pen.drawPolygon(QPolygonF([QPointF(x * scale, y * scale) for x, y, _ in corners]))
        inside = np.frombuffer(outline.constBits(), np.uint8).reshape(rows, outline.bytesPerLine())[:, :columns] > 0
        across, down = np.arange(columns) + 0.5, np.arange(rows) + 0.5  # the depth is that of the middle of a pixel
        plane = slope_x * across[None, :] + (slope_y * down + base)[:, None]
        colour = QColor(DAY.hazard)
        sheet = [int(SHEET * value) for value in (colour.red(), colour.green(), colour.blue(), 255)]
        pixels = (inside & (plane < self._depth)) * np.array(sheet, np.uint8).view(np.uint32)
        return QImage(pixels.data, columns, rows, 4 * columns, QImage.Format.Format_RGBA8888_Premultiplied).copy()
