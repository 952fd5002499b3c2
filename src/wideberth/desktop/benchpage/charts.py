"""What another exposure, first exposure, lift or temperature would make of this job, drawn over fifteen values."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QVBoxLayout, QWidget

from wideberth.core.bench import facts_of
from wideberth.core.propose import AXES, DIGITS, Swept
from wideberth.core.units import duration_text
from wideberth.desktop.figures import Plot, beside_plots
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import button, label
from wideberth.desktop.steps.leaves import Leaves
from wideberth.desktop.style import DAY
from wideberth.desktop.words import margin_text

NAMES = dict(zip(("Exposure", "First exposure", "Lift", "Vat"), AXES, strict=True))
MOST_MARGIN = 6.0
"""Margins beyond this are of no interest; the chart ends there."""
HIGH, LOW = 170, 112


class Charts(QWidget):
    """One axis at a time: margins, what grows and blurs, effort and hours under each other over the same values."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._key = AXES[0]
        self.axes = Leaves(list(NAMES))
        self.axes.turned.connect(self.turn_to)
        self.words = label("")
        self.take = button("Take it", self._take, "main", "sets the bench; undo takes it back")
        self.how = label("", "faint")
        self.margins, self.growths = Plot("", "margin, ×", HIGH), Plot("", "mm", LOW)
        self.effort, self.hours = Plot("", "coming off, N", LOW), Plot(" ", "hours", LOW)
        shares = [(self.margins, 3), (self.growths, 2), (self.effort, 2), (self.hours, 2)]
        beside_plots(self, (self.axes, self.words, self.take, self.how), shares, 262)
        session.charting.drawn.connect(self._drawn)
        session.document.changed.connect(self.refresh)

    def showEvent(self, _event: object) -> None:
        self.refresh()

    def hideEvent(self, _event: object) -> None:
        self._session.charting.no_more(self._key)

    def turn_to(self, name: str) -> None:
        """Show another axis."""
        self._session.charting.no_more(self._key)
        self._key = NAMES[name]
        self.axes.show_turned(name)
        self.refresh()

    def _drawn(self, key: str) -> None:
        if key == self._key:
            self.refresh()

    def refresh(self) -> None:
        """Draw what is known of the present axis; ask for it where it is not the fine one."""
        if not self.isVisible():
            return
        known = self._session.charting.known(self._key)
        self.take.setVisible(known is not None and known[0].best is not None and known[0].best != known[0].present)
        if known is None or not known[1]:
            self._session.charting.ask(self._key)
        plots = (self.margins, self.growths, self.effort, self.hours)
        if known is None or self._session.charting.known(self._key) is None:
            for plot in plots:
                plot.clear()
            self.words.setText("Open a model first." if not self._session.has_parts else "Fifteen values are being predicted…")
            self.how.setText("")
            return
        chart, is_fine = known
        name, unit = axis_words(self._key)
        for plot in plots:
            plot.clear()
            shade(plot, chart)
        draw_margins(self.margins, chart, self._session)
        for values, dashed, word, share in (
            (chart.blur_mm, False, "blur of undersides", 0.9),
            (chart.growth_mm, True, "growth of first layers", 0.8),
        ):
            self.growths.line(chart.values, values, DAY.ink, 1.8, dashed)
            self.growths.note(chart.values, values, word, DAY.ink, share, not dashed)
        self.effort.line(chart.values, chart.effort_n, DAY.ink, 1.8)
        self.hours.line(chart.values, chart.hours, DAY.ink, 1.8)
        across = (float(chart.values[0]), float(chart.values[-1]))
        for plot, values in (
            (self.growths, np.concatenate((chart.blur_mm, chart.growth_mm))),
            (self.effort, chart.effort_n),
            (self.hours, chart.hours),
        ):
            plot.window(across, (0.0, float(np.nanmax(values, initial=1e-3)) * 1.25))
        self.hours.name_axis(f"{name}, {unit}")
        self.words.setText(told(chart, self._session))
        best = chart.best
        self.take.setText(f"Take {best:g} {unit}" if best is not None else "")
        self.how.setText(
            "Each point is this job predicted anew"
            + (", finely. " if is_fine else ", coarsely so far. ")
            + "Shaded: the sensible stretch. Magenta: as set now."
        )

    def _take(self) -> None:
        known = self._session.charting.known(self._key)
        if known is not None and known[0].best is not None:
            self._session.document.set_bench(self._key, known[0].best, "from the chart")


class MarginChart(QWidget):
    """The weakest margins of this job over one axis, small, for a card that says why."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session, self._key = session, AXES[0]
        self.axes = Leaves(list(NAMES))
        self.axes.turned.connect(self._turn_to)
        self.plot = Plot(" ", "margin, ×", 150)
        self.plot.setFixedHeight(150)
        self.words = label("being predicted…", "faint")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 6, 0)
        box.setSpacing(3)
        for widget in (self.axes, self.plot, self.words):
            box.addWidget(widget)
        session.charting.drawn.connect(self._drawn)
        self.destroyed.connect(lambda: session.charting.no_more(self._key))
        self._show()

    def _turn_to(self, name: str) -> None:
        self._session.charting.no_more(self._key)
        self._key = NAMES[name]
        self._show()

    def _drawn(self, key: str) -> None:
        if key == self._key:
            self._show()

    def _show(self) -> None:
        known = self._session.charting.known(self._key)
        if known is None or not known[1]:
            self._session.charting.ask(self._key)
        self.plot.clear()
        name, unit = axis_words(self._key)
        self.plot.name_axis(f"{name}, {unit}")
        if known is None:
            self.words.setText("Fifteen values are being predicted…")
            return
        chart = known[0]
        shade(self.plot, chart)
        draw_margins(self.plot, chart, self._session)
        self.words.setText(best_text(chart))


def axis_words(key: str) -> tuple[str, str]:
    """A bench value's name and unit."""
    section, _, name = key.partition(".")
    facts = {f.key: f for f in facts_of(section)}[name]
    return facts.words, facts.unit


def shade(plot: Plot, chart: Swept) -> None:
    """The sensible stretch, and the present value as a line."""
    if chart.band is not None:
        plot.stretch(max(chart.band[0], chart.values[0]), min(chart.band[1], chart.values[-1]), DAY.water)
    plot.upright(chart.present, DAY.hazard)


def draw_margins(plot: Plot, chart: Swept, session: Session) -> None:
    """Both margins over the values, with the line under which they let go."""
    plot.level(1.0, DAY.hazard)
    for values, dashed, word, share in ((chart.hold, False, "tips", 0.9), (chart.plate, True, "plate", 0.35)):
        known = np.isfinite(values)
        if known.any():
            shown = np.minimum(values, 2 * MOST_MARGIN)
            plot.line(chart.values[known], shown[known], DAY.ink, 2.0, dashed)
            plot.note(chart.values[known], shown[known], word, DAY.ink, share, False)
    most = float(np.nanmax(np.fmax(chart.hold, chart.plate), initial=2.0))
    plot.window((float(chart.values[0]), float(chart.values[-1])), (0.0, min(MOST_MARGIN, max(2.2, 1.1 * most))))


def best_text(chart: Swept) -> str:
    """The present value and the best one, with their margins."""
    _, unit = axis_words(chart.key)

    def at(value: float) -> str:
        point = int(np.abs(chart.values - value).argmin())
        weakest = chart.weakest[point]
        return f"{value:.{DIGITS[chart.key]}f} {unit}: {margin_text(float(weakest) if np.isfinite(weakest) else None)}"

    if chart.best is None:
        return f"Now {at(chart.present)}. No stretch of it is sensible for this job."
    if chart.best == chart.present:
        return f"Now {at(chart.present)}, the best of these."
    return f"Now {at(chart.present)}. Best {at(chart.best)}."


def told(chart: Swept, session: Session) -> str:
    """What the chart says, in sentences."""
    lines = [best_text(chart)]
    _, unit = axis_words(chart.key)
    if chart.band is not None:
        low, high = (f"{v:.{DIGITS[chart.key]}f}" for v in chart.band)
        lines.append(f"{BANDS[chart.key]}: {low} to {high} {unit}.")
    if chart.best is not None and chart.best != chart.present:
        now, then = (int(np.abs(chart.values - v).argmin()) for v in (chart.present, chart.best))
        seconds = 3600 * float(chart.hours[then] - chart.hours[now])
        if abs(seconds) >= 30:
            lines.append(f"That takes {duration_text(abs(seconds))} {'more' if seconds > 0 else 'less'}.")
    return "\n\n".join(lines)


BANDS = {
    "print.exposure_s": "Bonds when coldest, does not blur when warmest",
    "print.first_exposure_s": "Grips as the house wants, comes off with a blade",
    "print.lift_mm_per_min": "Holds as the house wants",
    "print.vat_c": "What the resin's maker advises",
}
