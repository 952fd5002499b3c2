"""Small charts in the program's dress."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from wideberth.desktop.style import DAY, typeface

TOP_PX = 8


class Plot(pg.PlotWidget):
    """A chart on card: ink axes, no menu, nothing to drag."""

    def __init__(self, x_label: str, y_label: str, height: int = 130) -> None:
        super().__init__()
        self.setBackground(DAY.paper)
        self.setMinimumHeight(height)
        plot = self.getPlotItem()
        plot.hideButtons()
        plot.layout.setContentsMargins(1, TOP_PX, 1, 1)  # else the highest figure of the axis is cut
        plot.setMenuEnabled(False)
        plot.setMouseEnabled(False, False)
        plot.vb.setBackgroundColor(DAY.card)
        plot.vb.setBorder(pg.mkPen(DAY.rule, width=1.2))
        for side, text in (("bottom", x_label), ("left", y_label)):
            axis = plot.getAxis(side)
            axis.setPen(pg.mkPen(DAY.ink))
            axis.setTextPen(DAY.ink)
            axis.setTickFont(typeface(9.5))
            axis.setStyle(tickLength=-5)
            axis.enableAutoSIPrefix(False)
            axis.setLabel(f"<span style='font-size:9.5pt; color:{DAY.faint}'>{text}</span>")
        plot.getAxis("left").setWidth(58)
        self.plot = plot

    def clear(self) -> None:
        """Take everything off."""
        self.plot.clear()

    def line(self, x: NDArray[np.float64], y: NDArray[np.float64], colour: str, width: float = 1.6, dashed: bool = False) -> None:
        """A curve."""
        self.curve(x, y, colour, width, Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine)

    def curve(self, x: NDArray[np.float64], y: NDArray[np.float64], colour: str, width: float, style: Qt.PenStyle) -> None:
        """A curve in a style of line."""
        self.plot.addItem(pg.PlotCurveItem(x, y, pen=pg.mkPen(colour, width=width, style=style)))

    def band(self, x: NDArray[np.float64], low: NDArray[np.float64], high: NDArray[np.float64], colour: str) -> None:
        """The area between two curves."""
        edges = [pg.PlotCurveItem(x, v, pen=pg.mkPen(None)) for v in (low, high)]
        filled = pg.FillBetweenItem(edges[0], edges[1], brush=pg.mkBrush(QColor(colour)))
        filled.setZValue(-5)
        for item in (*edges, filled):
            self.plot.addItem(item)

    def level(self, y: float, colour: str, text: str = "", dashed: bool = True) -> None:
        """A level line with a word at its right end."""
        style = Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine
        mark = pg.InfiniteLine(
            y,
            angle=0,
            pen=pg.mkPen(colour, width=1.2, style=style),
            label=text or None,
            labelOpts={"position": 0.88, "color": colour, "fill": QColor(DAY.card)},
        )
        if text:
            mark.label.setFont(typeface(9.5, italic=True))
        self.plot.addItem(mark)

    def upright(self, x: float, colour: str) -> None:
        """An upright line across the chart."""
        self.plot.addItem(pg.InfiniteLine(x, angle=90, pen=pg.mkPen(colour, width=1.4)))

    def stretch(self, low: float, high: float, colour: str) -> None:
        """A shaded stretch from bottom to top; nothing when it is empty."""
        if low < high:
            shaded = pg.LinearRegionItem((low, high), brush=pg.mkBrush(QColor(colour)), pen=pg.mkPen(None), movable=False)
            shaded.setZValue(-8)
            self.plot.addItem(shaded)

    def note(self, x: NDArray[np.float64], y: NDArray[np.float64], text: str, colour: str, share: float, above: bool) -> None:
        """A word over or under a curve, at a share of its width."""
        at = int(np.abs(x - (x[0] + share * (x[-1] - x[0]))).argmin())
        word = pg.TextItem(text, color=colour, anchor=(0.5, 1.0 if above else 0.0))
        word.setFont(typeface(9.5, italic=True))
        word.setPos(float(x[at]), float(y[at]))
        self.plot.addItem(word, ignoreBounds=True)

    def name_axis(self, text: str) -> None:
        """What the x axis is of."""
        self.plot.getAxis("bottom").setLabel(f"<span style='font-size:9.5pt; color:{DAY.faint}'>{text}</span>")

    def dots(self, x: NDArray[np.float64], y: NDArray[np.float64], colour: str, shape: str = "o", hollow: bool = False) -> None:
        """Points."""
        brush = pg.mkBrush(DAY.card if hollow else colour)
        self.plot.addItem(pg.ScatterPlotItem(x, y, symbol=shape, size=9, pen=pg.mkPen(colour, width=1.6), brush=brush))

    def whole_numbers(self, most: int) -> None:
        """Whole numbers along the bottom, from 1 to `most`."""
        step = next((s for s in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000) if most / s <= 12), max(most // 10, 1))
        first = step if step > 1 else 1
        self.plot.getAxis("bottom").setTicks([[(float(n), f"{n}") for n in range(first, most + 1, step)]])

    def plain_powers(self, low: float, high: float) -> None:
        """Plain numbers along a logarithmic axis, between two of them."""
        steps = [m * 10.0**e for e in range(-2, 5) for m in (1, 2, 3, 4, 5, 6, 8)]
        self.plot.getAxis("bottom").setTicks([[(float(np.log10(v)), f"{v:g}") for v in steps if low <= v <= high]])

    def window(self, x: tuple[float, float], y: tuple[float, float]) -> None:
        """What stretch to show."""
        self.plot.setXRange(*x, padding=0.02)
        self.plot.setYRange(*y, padding=0.06)


def beside_plots(page: QWidget, panel: Sequence[QWidget], plots: Sequence[tuple[Plot, int]], width_px: int) -> None:
    """Lay a page out: a narrow panel at the left, plots under each other at the right, each with its share of the height."""
    holder = QWidget()
    left = QVBoxLayout(holder)
    left.setContentsMargins(0, 0, 0, 0)
    left.setSpacing(8)
    for widget in panel:
        left.addWidget(widget)
    left.addStretch(1)
    holder.setFixedWidth(width_px)
    right = QVBoxLayout()
    right.setSpacing(2)
    for plot, share in plots:
        right.addWidget(plot, share)
    box = QHBoxLayout(page)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(16)
    box.addWidget(holder)
    box.addLayout(right, 1)
