"""The height log: tracks beside each other on one height axis, like the log of a borehole."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QEvent, QPoint, Qt, QTimer
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPen, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QLabel

from wideberth.core.job import Prediction
from wideberth.desktop.heightlog.curves import LogCurves, log_curves, readout
from wideberth.desktop.session import Session
from wideberth.desktop.style import DAY, typeface

TRACKS = (("Area", "mm²", 1.0), ("Pull", "N", 1.25), ("Hold", "×", 1.0), ("Time", "h", 0.7))
GUTTER = 64
NEAR = 0.012
SIGNS = {"lost": ("d", 11, True), "doubtful": ("d", 11, False), "note": ("o", 6, True)}


class HeightLog(pg.GraphicsLayoutWidget):
    """Area, pull, hold and time over height, with findings at their heights and the one height cursor.

    Click or drag moves the cursor; the wheel and the arrow keys step layer by layer, page keys by 50, Home and End go to
    the ends. Wheel with Ctrl zooms into a stretch of heights, a double click shows all of it.
    """

    def __init__(self, session: Session) -> None:
        pg.setConfigOptions(antialias=True)
        super().__init__()
        self._session = session
        self._height_mm = 1.0
        self.setBackground(DAY.paper)
        self.setMinimumWidth(318)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Height log")
        self.ci.setContentsMargins(2, 4, 6, 6)
        self.ci.setSpacing(0)
        self.ci.layout.setHorizontalSpacing(8)
        self.gutter = self._plot(0)
        self._axis()
        self.plots = [self._plot(number + 1) for number in range(len(TRACKS))]
        self.heads = [self.addLabel("", row=0, col=n + 1, justify="left") for n in range(len(TRACKS))]
        self.addLabel(f"<span style='color:{DAY.faint}; font-size:9.5pt'>mm</span>", row=0, col=0, justify="right")
        for number, (_, _, share) in enumerate(TRACKS):
            self.ci.layout.setColumnStretchFactor(number + 1, round(share * 100))
        self.lines = [self._cursor(plot) for plot in (self.gutter, *self.plots)]
        self.tags = [self._tag(plot) for plot in self.plots]
        self.flag = QLabel("", self)
        self.flag.setStyleSheet(f"background: {DAY.hazard}; color: {DAY.card}; padding: 1px 3px;")
        self.flag.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.signs = pg.ScatterPlotItem()
        self.signs.setZValue(20)
        self.gutter.addItem(self.signs)
        self._drawn: list[tuple[int, pg.GraphicsObject]] = []
        session.predicted.connect(self.refresh)
        session.cursor_moved.connect(self.show_cursor)
        self.refresh()

    # building

    def _plot(self, column: int) -> pg.PlotItem:
        plot = self.addPlot(row=1, col=column)
        plot.hideButtons()
        plot.setMenuEnabled(False)
        plot.setMouseEnabled(False, False)
        for side in ("left", "bottom"):
            plot.hideAxis(side)
        plot.vb.setDefaultPadding(0.0)
        if column:
            plot.setYLink(self.gutter)
            plot.vb.setBackgroundColor(DAY.card)
            plot.vb.setBorder(pg.mkPen(DAY.rule, width=1.2))
        return plot

    def _axis(self) -> None:
        self.gutter.showAxis("left")
        axis = self.gutter.getAxis("left")
        axis.setPen(pg.mkPen(DAY.ink, width=1.4))
        axis.setTextPen(DAY.ink)
        axis.setTickFont(typeface(9.5))
        axis.setStyle(tickLength=-6, tickTextOffset=6)
        axis.setWidth(GUTTER - 24)
        self.gutter.setXRange(0, 1)
        self.ci.layout.setColumnFixedWidth(0, GUTTER)

    def _cursor(self, plot: pg.PlotItem) -> pg.InfiniteLine:
        line = pg.InfiniteLine(angle=0, pen=pg.mkPen(DAY.hazard, width=1.6))
        line.setZValue(25)
        plot.addItem(line, ignoreBounds=True)
        return line

    def _tag(self, plot: pg.PlotItem) -> pg.TextItem:
        tag = pg.TextItem("", color=DAY.hazard, fill=QColor(DAY.card), anchor=(1, 1))
        tag.setFont(typeface(10))
        tag.setZValue(26)
        plot.addItem(tag, ignoreBounds=True)
        return tag

    # showing

    def refresh(self) -> None:
        """Draw the prediction at hand."""
        for track, item in self._drawn:
            self.plots[track].removeItem(item)
        self._drawn = []
        p = self._session.prediction
        if p is None:
            self.signs.clear()
            self._head(None)
            return
        self._height_mm = p.loads.layers * p.layer_mm
        curves = log_curves(p)
        self._head(curves)
        self._show_all()
        self._fill(0, curves, curves.area_mm2, DAY.sand)
        self._fill(1, curves, curves.pull_n, DAY.hazard)
        self._fill(1, curves, curves.peel_n, DAY.deep)
        for mark, colour in ((1.0, DAY.hazard), (2.0, DAY.ink)):
            self._keep(2, pg.InfiniteLine(mark, angle=90, pen=pg.mkPen(colour, width=1.2, style=Qt.PenStyle.DashLine)))
        dashed = pg.mkPen(DAY.good, width=1.8, style=Qt.PenStyle.DashLine)
        self._keep(2, pg.PlotCurveItem(curves.plate_margin, curves.z_mm, pen=dashed, connect="finite"))
        self._keep(
            2, pg.PlotCurveItem(curves.hold_margin, curves.z_mm, pen=pg.mkPen(DAY.ink, width=2), connect="finite")
        )
        self._keep(3, pg.PlotCurveItem(curves.hours, curves.z_mm, pen=pg.mkPen(DAY.ink, width=1.6)))
        self._show_signs(p)
        self.show_cursor(self._session.cursor_mm)

    def _head(self, curves: LogCurves | None) -> None:
        for number, (name, unit, _) in enumerate(TRACKS):
            top = curves.tops[number] if curves else None
            if top:
                self.plots[number].setXRange(0, top)
            scale = f"to {top:g} {unit}" if top else unit
            self.heads[number].setText(
                f"<div style='font-family:Lato'><span style='color:{DAY.ink}; font-size:11pt'>{name}</span><br>"
                f"<span style='color:{DAY.faint}; font-size:9pt'>{scale}</span></div>"
            )
            self.heads[number].setMinimumWidth(20)

    def _keep(self, track: int, item: pg.GraphicsObject) -> None:
        self.plots[track].addItem(item, ignoreBounds=True)
        self._drawn.append((track, item))

    def _fill(self, track: int, curves: LogCurves, values: np.ndarray, colour: str) -> None:
        edge = pg.PlotCurveItem(values, curves.z_mm, pen=pg.mkPen(DAY.ink, width=1.2))
        wall = pg.PlotCurveItem(np.zeros_like(values), curves.z_mm, pen=pg.mkPen(None))
        for item in (pg.FillBetweenItem(edge, wall, brush=QColor(colour)), edge, wall):
            self._keep(track, item)

    def _show_signs(self, p: Prediction) -> None:
        spots = []
        for f in reversed(p.verdict.findings):
            symbol, size, filled = SIGNS[f.severity]
            pen: QPen = pg.mkPen(DAY.hazard, width=1.6)
            brush = pg.mkBrush(DAY.hazard if filled else DAY.card)
            spots.append(
                {"pos": (0.5, min(f.z_mm, self._height_mm)), "symbol": symbol, "size": size, "pen": pen, "brush": brush}
            )
        self.signs.setData(spots)

    def show_cursor(self, z_mm: float) -> None:
        """Put the cursor at a height and print the values there."""
        for line in self.lines:
            line.setValue(z_mm)
        self.flag.setText(f"{z_mm:.2f}")
        self.flag.adjustSize()
        self.flag.move(2, self.y_of(z_mm) - self.flag.height() // 2)
        p = self._session.prediction
        if p is None:
            return
        (low, high), tops = self.gutter.vb.viewRange()[1], [plot.vb.viewRange()[0][1] for plot in self.plots]
        near_top = z_mm > high - 0.06 * (high - low)
        for tag, top, text in zip(self.tags, tops, readout(p, self._session.cursor_layer), strict=True):
            tag.setAnchor((1, 0) if near_top else (1, 1))
            tag.setText(text)
            tag.setPos(top, z_mm)

    def _show_all(self) -> None:
        self.gutter.setYRange(0, self._height_mm, padding=0)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if hasattr(self, "flag"):
            QTimer.singleShot(0, lambda: self.show_cursor(self._session.cursor_mm))

    # hands

    def z_at(self, at: QPoint) -> float:
        """Height [mm] at a point of the widget."""
        return float(self.gutter.vb.mapSceneToView(self.mapToScene(at)).y())

    def y_of(self, z_mm: float) -> int:
        """Vertical place in the widget of a height."""
        return self.mapFromScene(self.gutter.vb.mapViewToScene(pg.Point(0.5, z_mm))).y()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self._session.move_cursor(self.z_at(event.position().toPoint()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._session.move_cursor(self.z_at(event.position().toPoint()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._show_all()
        event.accept()

    def wheelEvent(self, event: QWheelEvent) -> None:
        up = event.angleDelta().y() > 0
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            low, high = self.gutter.vb.viewRange()[1]
            centre, half = self._session.cursor_mm, 0.5 * (high - low) * (0.8 if up else 1.25)
            half = min(max(half, 0.5), 0.5 * self._height_mm)
            low = min(max(0.0, centre - half), self._height_mm - 2 * half)
            self.gutter.setYRange(low, low + 2 * half, padding=0)
        else:
            self._step(1 if up else -1)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_PageUp: 50, Qt.Key.Key_PageDown: -50}
        key = Qt.Key(event.key())
        if key in steps:
            self._step(steps[key])
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self._session.move_cursor(0.0 if key == Qt.Key.Key_Home else self._height_mm)
        else:
            super().keyPressEvent(event)

    def _step(self, layers: int) -> None:
        p = self._session.prediction
        if p is not None:
            self._session.move_cursor((self._session.cursor_layer + layers + 0.5) * p.layer_mm)

    def event(self, event: QEvent) -> bool:
        """Tooltips say what the findings near the pointer are."""
        if event.type() == QEvent.Type.ToolTip and self._session.prediction is not None:
            z = self.z_at(event.pos())  # type: ignore[attr-defined]
            near = [f for f in self._session.prediction.verdict.findings if abs(f.z_mm - z) < NEAR * self._height_mm]
            self.setToolTip("\n".join(f.message for f in near[:3]))
        return super().event(event)
