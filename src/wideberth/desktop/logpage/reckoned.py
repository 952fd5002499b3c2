"""How good the predictions were: what was said against what happened, to be shown to anyone."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from wideberth.core.logbook import Accuracy, Entry, Errors, Step
from wideberth.desktop.figures import Plot
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import label
from wideberth.desktop.style import DAY, typeface
from wideberth.desktop.words import count

FEWEST = 8
"""Prints from which on verdicts are scored."""


class StepChart(QWidget):
    """For each step of margins: how many prints, how many were lost, how many were to be expected."""

    def __init__(self) -> None:
        super().__init__()
        self.steps: tuple[Step, ...] = ()
        self.setMinimumSize(320, 190)
        self.setAccessibleName("prints lost by the margin that was said")

    def show_steps(self, steps: tuple[Step, ...]) -> None:
        """Draw others."""
        self.steps = steps
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.setFont(typeface(10))
        if not self.steps:
            painter.setPen(QColor(DAY.faint))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "no print was looked at yet")
            return
        left, right, tall = 96.0, 150.0, min(34.0, (self.height() - 24) / len(self.steps))
        wide = self.width() - left - right
        most = max(s.prints for s in self.steps)
        heads = (
            ("said", 0.0, left - 10),
            ("prints, and of them lost", left, wide),
            ("lost · to be expected", left + wide + 8, right),
        )
        painter.setPen(QColor(DAY.faint))
        for text, x, width in heads:
            way = Qt.AlignmentFlag.AlignRight if x == 0.0 else Qt.AlignmentFlag.AlignLeft
            painter.drawText(QRectF(x, 0, width, 20), way | Qt.AlignmentFlag.AlignVCenter, text)
        for row, step in enumerate(self.steps):
            y = 24 + row * tall
            painter.setPen(QColor(DAY.ink))
            upto = f"×{step.low:g} to {step.high:g}" if step.high < np.inf else f"×{step.low:g} and more"
            upto = f"under ×{step.high:g}" if step.low == 0 else upto
            way = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(QRectF(0, y, left - 10, tall - 6), way, upto)
            bar = QRectF(left, y, max(wide * step.prints / most, 2.0), tall - 8)
            painter.fillRect(bar, QColor(DAY.water))
            painter.fillRect(QRectF(left, y, bar.width() * step.lost / step.prints, tall - 8), QColor(DAY.hazard_pale))
            painter.setPen(QPen(QColor(DAY.ink), 1.6))
            at = left + bar.width() * min(step.expected / step.prints, 1.0)
            painter.drawLine(QPointF(at, y - 2), QPointF(at, y + tall - 6))
            text = f"{step.lost} of {step.prints} · {step.expected:.1f}"
            place = QRectF(left + wide + 8, y, right, tall - 6)
            painter.drawText(place, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)


class AccuracySheet(QWidget):
    """Verdicts, time and resin; all printers together and each by itself; and the same over time."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.head = label("")
        self.head.setStyleSheet("font-size: 13pt;")
        self.score = label("")
        self.chart = StepChart()
        self.figures = label("")
        self.time = Plot("prints, the oldest first", "took / said", 150)
        self.resin = Plot("prints, the oldest first", "used / said", 150)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.addWidget(self.head)
        box.addWidget(self.score)
        box.addWidget(self.chart, 2)
        box.addWidget(self.figures)
        plots = QHBoxLayout()
        plots.setSpacing(10)
        plots.addWidget(self.time)
        plots.addWidget(self.resin)
        box.addLayout(plots, 2)
        session.logging.listed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show what is known."""
        known = self._session.logging.known
        for plot in (self.time, self.resin):
            plot.clear()
        if known is None or known.accuracy.prints == 0:
            self.head.setText("No print yet")
            self.score.setText(
                "Once prints are written down, this says how often a margin held, and how far off times and resin were."
            )
            self.chart.show_steps(())
            self.figures.setText("")
            return
        of = known.accuracy
        self.head.setText(f"{count(of.prints, 'print')}, {of.looked_at} looked at, {of.lost} lost something")
        self.score.setText(score_text(of))
        self.chart.show_steps(of.steps)
        lines = [figures_text(known.maker.capitalize(), of)]
        if len(known.printers) > 1:
            lines += [figures_text(name, one) for name, one in known.printers.items()]
        self.figures.setText("\n".join(lines))
        oldest = list(reversed(self._session.logging.counted))
        _over_time(self.time, [None if not e.seconds or e.ended != "done" else e.seconds / e.told.seconds for e in oldest])
        _over_time(self.resin, [_used(e) for e in oldest])


def _used(entry: Entry) -> float | None:
    """Resin over what was said; None for what was not weighed or not finished."""
    used = entry.used_ml
    return None if used is None or entry.ended != "done" else used / entry.told.resin_ml


def score_text(of: Accuracy) -> str:
    """The Brier score, in words."""
    if of.brier is None or of.brier_blind is None:
        return "No verdict can be scored yet: nobody has looked at the parts."
    if sum(step.prints for step in of.steps) < FEWEST:
        return f"Verdicts are scored from {FEWEST} prints on that were looked at."
    if of.lost == 0:
        told = 100 * np.sqrt(of.brier)
        return f"Nothing was lost; a chance of about {told:.2g} % of it was told. Brier score {of.brier:.3f}."
    better = 1 - of.brier / of.brier_blind if of.brier_blind > 0 else 0.0
    return (
        f"Brier score {of.brier:.3f} (0: a prophet). Whoever tells each print the same share of losses has {of.brier_blind:.3f}: "
        + (f"verdicts leave {100 * (1 - better):.0f} % of that." if better > 0 else "verdicts were no better than that.")
    )


def figures_text(name: str, of: Accuracy) -> str:
    """Time and resin of some prints."""
    told = [f"{what} {_errors_text(errors)}" for what, errors in (("time", of.time), ("resin", of.resin)) if errors is not None]
    return f"{name}: {'; '.join(told) or 'nothing measured'}"


def _errors_text(of: Errors) -> str:
    ranged = f", {of.within} of {of.ranged} within the range told" if of.ranged else ""
    return f"×{of.median:.2f} of what was said (four in five ×{of.low:.2f} to ×{of.high:.2f}{ranged})"


def _over_time(plot: Plot, values: list[float | None]) -> None:
    known = [(n + 1.0, v) for n, v in enumerate(values) if v is not None]
    if not known:
        return
    plot.whole_numbers(len(values))
    n, ratio = (np.array(v) for v in zip(*known, strict=True))
    plot.level(1.0, DAY.faint)
    plot.dots(n, ratio, DAY.ink)
    plot.window((0.5, len(values) + 0.5), (float(min(ratio.min(), 0.9)), float(max(ratio.max(), 1.1))))
