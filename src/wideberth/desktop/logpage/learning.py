"""What prints teach: each coefficient as it was and as it is now, with its interval; and how far off prints were, before and
after."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from wideberth.core.bench import facts_of, unit_of
from wideberth.core.logbook import Estimate
from wideberth.desktop.figures import Plot
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import emptied, label
from wideberth.desktop.style import DAY
from wideberth.desktop.words import count

SIDES = 2.4
"""Standard deviations before that the scale reaches to either side."""


def words_of_key(key: str) -> str:
    """A bench key as a person reads it."""
    section, _, name = key.partition(".")
    return next((f.words for f in facts_of(section) if f.key == name), key)


class IntervalBar(QWidget):
    """A coefficient on a scale: what was thought as a pale stretch, what prints say as a line with its value."""

    def __init__(self, estimate: Estimate) -> None:
        super().__init__()
        self._of = estimate
        self.setMinimumSize(QSize(150, 24))
        self.setAccessibleName(f"{words_of_key(estimate.key)}: {value_text(estimate)}")

    def paintEvent(self, _event: QPaintEvent) -> None:
        of = self._of
        middle, half = (np.log(of.was), of.was_sd) if of.is_log else (of.was, of.was_sd)
        low, high = middle - SIDES * half, middle + SIDES * half
        at = [float(np.log(v)) if of.is_log else v for v in (of.low, of.value, of.high)]
        low, high = min(low, at[0]), max(high, at[2])

        def x(value: float) -> float:
            return 6 + (value - low) / max(high - low, 1e-9) * (self.width() - 12)

        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            y = self.height() / 2
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(DAY.water))
            painter.drawRect(QRectF(x(middle - 1.645 * half), y - 7, x(middle + 1.645 * half) - x(middle - 1.645 * half), 14))
            painter.setPen(QPen(QColor(DAY.faint), 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x(middle), y - 9), QPointF(x(middle), y + 9))
            if of.prints:
                painter.setPen(QPen(QColor(DAY.ink), 2.2))
                painter.drawLine(QPointF(x(at[0]), y), QPointF(x(at[2]), y))
                for end in (at[0], at[2]):
                    painter.drawLine(QPointF(x(end), y - 4), QPointF(x(end), y + 4))
                painter.setBrush(QColor(DAY.ink if of.is_of_use else DAY.card))
                painter.drawEllipse(QPointF(x(at[1]), y), 4.5, 4.5)


def value_text(of: Estimate) -> str:
    """A value with its interval and unit."""
    unit = unit_of(of.key.partition(".")[2])
    if not of.prints:
        return f"{of.was:.3g} {unit}".rstrip()
    return f"{of.value:.3g} {unit}".rstrip() + f" ({of.low:.3g} to {of.high:.3g})"


class LearnSheet(QWidget):
    """Estimates to take over or to leave."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.head = label("")
        self.rows = QWidget()
        self._grid = QGridLayout(self.rows)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(3)
        self.boxes: dict[str, QCheckBox] = {}
        self.time = Plot("prints, the oldest first", "took / said", 120)
        self.peak = Plot("prints, the oldest first", "pulled / said", 120)
        self.key = label("", "faint")
        self.marks = label("Hollow: over what was said then. Full: over what would be said now.", "faint")
        plots = QHBoxLayout()
        plots.setSpacing(10)
        plots.addWidget(self.time)
        plots.addWidget(self.peak)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.addWidget(self.head)
        box.addWidget(self.rows)
        box.addWidget(self.key)
        box.addWidget(self.marks)
        box.addLayout(plots, 1)
        box.addStretch(0)
        session.logging.learnt.connect(self.refresh)
        self.refresh()

    def showEvent(self, _event: object) -> None:
        logging = self._session.logging
        if logging.fit is None and not logging.is_learning:
            logging.learn()

    def refresh(self) -> None:
        """Show the fit, or that one is being made."""
        logging = self._session.logging
        fit = logging.fit
        emptied(self._grid)
        self.boxes = {}
        for plot in (self.time, self.peak):
            plot.clear()
            plot.setVisible(False)
        self.marks.setVisible(fit is not None and bool(fit.residuals))
        if fit is None:
            self.head.setText("reading what happened …" if logging.is_learning else "")
            self.key.setText("")
            return
        printer, resin, film = fit.group
        maker = "" if logging.known is None else f"{logging.known.maker.capitalize()}: "
        told = f"{maker}{count(fit.prints, 'print')} on {printer} with {resin} and {film}"
        others = fit.looked_at - fit.prints
        self.head.setText(told + (f"; {count(others, 'other')} with the same resin, film or printer speak too" if others else ""))
        for row, estimate in enumerate(fit.estimates):
            self._add(row, estimate)
        self._grid.setColumnStretch(2, 1)
        self.key.setText(
            "Pale: nine in ten of what was thought. Line: nine in ten of what prints say; a hollow dot they cannot tell."
        )
        _residuals(self.time, [r.time for r in fit.residuals])
        _residuals(self.peak, [r.peak for r in fit.residuals])

    def _tick(self, key: str, wanted: bool) -> None:
        logging = self._session.logging
        logging.tick(key, wanted)
        for other, box in self.boxes.items():
            box.setChecked(other in logging.ticked)

    def _add(self, row: int, of: Estimate) -> None:
        box = QCheckBox(words_of_key(of.key))
        box.setEnabled(of.prints > 0)
        box.setChecked(of.key in self._session.logging.ticked)
        box.setToolTip(f"{of.key}; was {of.was:.4g}")
        box.clicked.connect(lambda wanted, key=of.key: self._tick(key, wanted))
        self.boxes[of.key] = box
        self._grid.addWidget(box, row, 0)
        value = label(value_text(of))
        value.setWordWrap(False)
        self._grid.addWidget(value, row, 1)
        self._grid.addWidget(IntervalBar(of), row, 2)
        self._grid.addWidget(label(state_text(of), "" if of.is_of_use else "faint"), row, 3)


def state_text(of: Estimate) -> str:
    """What prints say of a coefficient, in words."""
    if of.prints == 0:
        return "no print says anything of it"
    if of.together:
        return f"from {count(of.prints, 'print')}, as a pair"
    if of.is_told:
        return f"from {count(of.prints, 'print')}"
    return f"{count(of.prints, 'print')} cannot tell it"


def _residuals(plot: Plot, pairs: list[tuple[float, float] | None]) -> None:
    """Measured over said, as it was said and as the fit has it."""
    known = [(n + 1.0, *p) for n, p in enumerate(pairs) if p is not None]
    plot.setVisible(bool(known))
    if not known:
        return
    plot.whole_numbers(len(pairs))
    n, before, after = (np.array(v) for v in zip(*known, strict=True))
    plot.level(1.0, DAY.faint)
    plot.dots(n, before, DAY.faint, hollow=True)
    plot.dots(n, after, DAY.ink)
    low, high = float(min(before.min(), after.min(), 0.9)), float(max(before.max(), after.max(), 1.1))
    plot.window((0.5, len(pairs) + 0.5), (low, high))
