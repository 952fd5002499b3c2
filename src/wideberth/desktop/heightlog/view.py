"""The height log: tracks beside each other on one height axis, like the log of a borehole."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QEvent, QPointF, QSettings, Qt
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPixmap, QWheelEvent
from PySide6.QtWidgets import QFileDialog, QMenu, QPushButton, QWidget

from wideberth.core.errors import WideBerthError
from wideberth.desktop.heightlog.curves import TRACKS, USUAL
from wideberth.desktop.heightlog.drawing import GAP, GUTTER, HEAD, LEAST_WIDTH, SIGNS, Frame, paint, paint_cursor
from wideberth.desktop.heightlog.export import export_log
from wideberth.desktop.session import LAYER_KEYS, Session

NEAR_PX = 7.0
BORDER_PX = 4.0
LEAST_STRETCH_MM = 1.0
COVERED = ("hold", "plate")
"""Tracks that tell the verdict."""
KEPT = "heightlog/tracks"
EXPORT_FILTER = "Picture (*.png);;Drawing (*.svg);;Table (*.csv)"


class HeightLog(QWidget):
    """Tracks over height with findings, islands and cups at their heights, and the one height cursor.

    Click or drag moves the cursor; the wheel and the arrow keys step layer by layer, page keys by 50, Home and End go to
    the ends. Ctrl with the wheel or with a drag zooms into a stretch of heights, a double click shows all of it. A head is
    dragged to another place, a border to another width.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._height_mm = 1.0
        self._frame = Frame(1, 1, None, tracks=self._remembered())
        self._picture: tuple[Frame, QPixmap] | None = None
        self._hover_mm: float | None = None
        self._drag: Callable[[QPointF], None] | None = None
        self._zoom_from: float | None = None
        self.setMinimumWidth(214)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Height log")
        self.choose = QPushButton("Tracks", self)
        self.choose.setProperty("role", "quiet")
        self.choose.setStyleSheet("padding: 1px 6px; min-height: 16px;")
        self.choose.setToolTip("which tracks, compare, export")
        self.choose.clicked.connect(lambda: self.menu().popup(self.choose.mapToGlobal(self.choose.rect().bottomLeft())))
        self.choose.move(2, 8)
        session.predicting.predicted.connect(self.refresh)
        session.predicting.ghost_changed.connect(self.refresh)
        session.predicting.glanced.connect(self.refresh)
        session.training.changed.connect(self.refresh)
        session.printing.moved.connect(self._measured)
        session.cursor.moved.connect(lambda _: self.update())
        self.refresh()

    # what is shown

    @property
    def frame(self) -> Frame:
        """What is drawn now."""
        size = self._frame.width, self._frame.height
        if size != (self.width(), self.height()):
            self._frame = replace(self._frame, width=float(self.width()), height=float(self.height()))
        return self._frame

    def refresh(self) -> None:
        """Draw the prediction at hand, or beside it what is held by the mouse; a stretch of heights that was zoomed into
        stays."""
        held = self._session.predicting.glance
        p, ghost = self._session.prediction, self._session.predicting.ghost
        if held is not None:
            p, ghost = held, p
        covers = self._session.training.covers or held is not None  # its tips are not brought along until it is let go
        before, whole = self._height_mm, self._frame.low_mm <= 0 and self._frame.high_mm >= self._height_mm - 1e-9
        self._height_mm = p.loads.layers * p.layer_mm if p is not None else 1.0
        low, high = (0.0, self._height_mm) if whole or before == 1.0 else (self._frame.low_mm, self._frame.high_mm)
        high = min(high, self._height_mm)
        self._frame = replace(
            self._frame,
            prediction=p,
            ghost=ghost,
            low_mm=min(low, max(0.0, high - LEAST_STRETCH_MM)),
            high_mm=high,
            scales={},
            covered=COVERED if covers else (),
        )
        if not self.isVisible():
            self._picture = None  # it holds the prediction that it shows, which is large
        self._measured()
        self.update()

    def _measured(self) -> None:
        """Draw what the run that is under way has felt so far, while it is the job that is shown."""
        live, p = self._session.printing.live, self._session.prediction
        fits = live is not None and p is not None and live.job is p.job and live.expected.layers == p.loads.layers
        felt = live.pull_n if live is not None and fits else None
        if felt is not None or self._frame.felt_n is not None:
            self._frame = replace(self._frame, felt_n=felt)
            self.update()

    def show_heights(self, low_mm: float, high_mm: float) -> None:
        """Zoom to a stretch of heights."""
        half = 0.5 * max(high_mm - low_mm, LEAST_STRETCH_MM)
        half = min(half, 0.5 * self._height_mm)
        middle = min(max(0.5 * (low_mm + high_mm), half), self._height_mm - half)
        self._frame = replace(self._frame, low_mm=middle - half, high_mm=middle + half, scales={})
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        frame, scale = self.frame, self.devicePixelRatioF()
        if self._picture is None or self._picture[0] is not frame or self._picture[1].devicePixelRatio() != scale:
            picture = QPixmap(self.size() * scale)
            picture.setDevicePixelRatio(scale)
            with QPainter(picture) as painter:
                paint(painter, frame)
            self._picture = (frame, picture)
        hover = None if self._hover_mm is None else (self._hover_mm, self._layer_at(self._hover_mm))
        with QPainter(self) as painter:
            painter.drawPixmap(0, 0, self._picture[1])
            paint_cursor(painter, frame, self._session.cursor.z_mm, self._session.cursor.layer, hover)
            if self._zoom_from is not None and self._hover_mm is not None:
                y0, y1 = frame.y_of(self._zoom_from), frame.y_of(self._hover_mm)
                painter.drawRect(int(frame.body.left()), int(min(y0, y1)), int(frame.body.width()), int(abs(y1 - y0)))

    def _layer_at(self, z_mm: float) -> int:
        p = self._session.prediction
        return 0 if p is None else min(max(int(z_mm / p.layer_mm), 0), p.loads.layers - 1)

    # the tracks

    @property
    def tracks(self) -> tuple[tuple[str, float], ...]:
        """Keys and widths of the tracks shown."""
        return self._frame.tracks

    def set_tracks(self, tracks: tuple[tuple[str, float], ...]) -> None:
        """Show these tracks in this order and remember them."""
        if not tracks:
            return
        self._frame = replace(self._frame, tracks=tracks)
        text = ",".join(f"{key}:{share:.3f}" for key, share in tracks)
        _settings().setValue(KEPT, text)
        self.update()

    def show_track(self, key: str, shown: bool) -> None:
        """Show a track, last of all, or take it away."""
        rest = tuple(t for t in self.tracks if t[0] != key)
        self.set_tracks((*rest, (key, dict(USUAL).get(key, 0.8))) if shown else rest)

    def _remembered(self) -> tuple[tuple[str, float], ...]:
        try:
            pairs = [piece.split(":") for piece in str(_settings().value(KEPT, "")).split(",") if piece]
            tracks = tuple((key, min(max(float(share), 0.1), 10.0)) for key, share in pairs if key in TRACKS)
        except ValueError:
            return USUAL
        return tracks or USUAL

    # the menu

    def menu(self) -> QMenu:
        """Tracks to choose, the ghost, the heights shown, and exports."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        shown = dict(self.tracks)
        for track in TRACKS.values():
            action = menu.addAction(f"{track.title}, {track.unit}" if track.unit else track.title)
            action.setCheckable(True)
            action.setChecked(track.key in shown)
            action.toggled.connect(lambda on, key=track.key: self.show_track(key, on))
        menu.addAction("As at first", lambda: self.set_tracks(USUAL))
        menu.addSeparator()
        compare = menu.addAction("Keep this state to compare with", self._session.predicting.keep_ghost)
        compare.setEnabled(self._session.is_current)
        drop = menu.addAction("Compare no longer", self._session.predicting.drop_ghost)
        drop.setEnabled(self._session.predicting.ghost is not None)
        menu.addSeparator()
        menu.addAction("All heights", lambda: self.show_heights(0.0, self._height_mm))
        save = menu.addAction("Save as picture, drawing or table…", self._ask)
        save.setEnabled(self._session.prediction is not None)
        return menu

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.menu().popup(event.globalPos())

    def _ask(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the height log", "height log.png", EXPORT_FILTER)
        if chosen:
            self.save(Path(chosen))

    def save(self, path: Path) -> None:
        """Write the log as shown."""
        try:
            export_log(self.frame, path)
        except WideBerthError as error:
            self._session.messages.warn(error.text)
            return
        self._session.messages.say(f"saved {path.name}")

    # hands

    def z_at(self, at: QPointF) -> float:
        """Height [mm] at a point of the widget."""
        return self.frame.z_at(at.y())

    def y_of(self, z_mm: float) -> int:
        """Vertical place in the widget of a height."""
        return round(self.frame.y_of(z_mm))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        at = event.position()
        if event.button() != Qt.MouseButton.LeftButton:
            return
        border = self._border_at(at)
        if border is not None:
            self._drag = self._widening(border, at)
        elif at.y() < HEAD:
            key = next((k for k, place in self.frame.columns() if place.left() <= at.x() <= place.right()), None)
            self._drag = self._moving(key) if key is not None else None
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._zoom_from = self.z_at(at)
        else:
            self._session.cursor.move_to(self.z_at(at))
            self._drag = lambda to: self._session.cursor.move_to(self.z_at(to))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        inside = self.frame.body.contains(at)
        self._hover_mm = self.z_at(at) if inside else None
        if self._drag is not None:
            self._drag(at)
        border = self._border_at(at) is not None
        head = at.y() < HEAD and at.x() > GUTTER + SIGNS
        shape = Qt.CursorShape
        self.setCursor(shape.SplitHCursor if border else shape.OpenHandCursor if head else shape.ArrowCursor)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None
        if self._zoom_from is not None:
            low, high = sorted((self._zoom_from, self.z_at(event.position())))
            self._zoom_from = None
            if self.frame.y_of(low) - self.frame.y_of(high) > NEAR_PX:
                self.show_heights(low, high)
        self.update()

    def leaveEvent(self, _event: QEvent) -> None:
        self._hover_mm = None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.position().y() >= HEAD:
            self.show_heights(0.0, self._height_mm)

    def _border_at(self, at: QPointF) -> int | None:
        """Number of the track whose right border is under the pointer, unless it is the last."""
        columns = self.frame.columns()
        if len(columns) < len(self.tracks):
            return None  # a slim log shows some of them
        for number, (_, place) in enumerate(columns[:-1]):
            if abs(at.x() - place.right() - 0.5 * GAP) <= BORDER_PX:
                return number
        return None

    def _widening(self, number: int, start: QPointF) -> Callable[[QPointF], None]:
        """Move the border between a track and the next."""
        before = self.tracks
        widths = [place.width() for _, place in self.frame.columns()]
        pair = widths[number] + widths[number + 1]
        shares = before[number][1] + before[number + 1][1]

        def to(at: QPointF) -> None:
            wide = min(max(widths[number] + at.x() - start.x(), LEAST_WIDTH), pair - LEAST_WIDTH)
            tracks = list(before)
            tracks[number] = (before[number][0], shares * wide / pair)
            tracks[number + 1] = (before[number + 1][0], shares * (1 - wide / pair))
            self.set_tracks(tuple(tracks))

        return to

    def _moving(self, key: str) -> Callable[[QPointF], None]:
        """Carry a track to the place of the one under the pointer."""

        def to(at: QPointF) -> None:
            under = next((k for k, place in self.frame.columns() if place.left() <= at.x() <= place.right()), key)
            if under != key:
                keys = [k for k, _ in self.tracks]
                tracks = list(self.tracks)
                tracks.insert(keys.index(under), tracks.pop(keys.index(key)))
                self.set_tracks(tuple(tracks))

        return to

    def wheelEvent(self, event: QWheelEvent) -> None:
        up = event.angleDelta().y() > 0
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            low, high = self._frame.low_mm, self._frame.high_mm
            at, by = self.z_at(event.position()), 0.8 if up else 1.25
            self.show_heights(at - (at - low) * by, at + (high - at) * by)
        else:
            self._session.cursor.step_by(1 if up else -1)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        if key in LAYER_KEYS:
            self._session.cursor.step_by(LAYER_KEYS[key])
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self._session.cursor.move_to(0.0 if key == Qt.Key.Key_Home else self._height_mm)
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        """Tooltips say what the findings near the pointer are, and what a track shows."""
        if event.type() == QEvent.Type.ToolTip:
            at = QPointF(event.pos())  # type: ignore[attr-defined]
            self.setToolTip(self._told_at(at))
        return super().event(event)

    def _told_at(self, at: QPointF) -> str:
        if at.y() < HEAD:
            return next((TRACKS[k].why for k, r in self.frame.columns() if r.left() <= at.x() <= r.right()), "")
        p = self._session.prediction
        if p is None or at.x() > self.frame.body.left() + SIGNS:
            return ""
        reach = NEAR_PX / self.frame.body.height() * (self.frame.high_mm - self.frame.low_mm)
        z = self.z_at(at)
        near = [f.message for f in p.verdict.findings if any(abs(place[2] - z) < reach for place in f.places)]
        near += [
            f"{c.state} cup, {c.max_area_mm2:.0f} mm², up to {c.peak_suction_n:.1f} N, {c.z_from_mm:.2f} to {c.z_to_mm:.2f} mm"
            for c in p.verdict.cups
            if c.state != "open" and c.z_from_mm - reach < z < c.z_to_mm + reach
        ]
        near += [
            f"island of {i.area_mm2:.2f} mm² at {i.z_mm:.2f} mm, {'held by a tip' if i.supported else 'nothing holds it'}"
            for i in p.verdict.islands
            if abs(i.z_mm - z) < reach
        ]
        return "\n".join(near[:4])


def _settings() -> QSettings:
    return QSettings(QSettings.Format.IniFormat, QSettings.Scope.UserScope, "wide-berth", "window")
