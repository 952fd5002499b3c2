"""A run that is under way: what each layer was expected to pull and what was felt, and what the sensors can tell."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QProgressBar, QScrollArea, QVBoxLayout, QWidget

from wideberth.core.units import KG_PER_M3_IN_G_PER_ML
from wideberth.desktop.logpage.strip import MeasuredLog, Shown
from wideberth.desktop.session import Session
from wideberth.desktop.session.printing import Live
from wideberth.desktop.steps.fields import label
from wideberth.desktop.words import hours_text

SEVERITY = {"lost": "lost", "all": "lost", "level": "lost", "harder": "doubtful", "warmth": "doubtful"}
FIGURES = ("layer", "so far", "left", "pull now", "vat", "resin gone")


class LiveSheet(QWidget):
    """The run that is under way, or the last one."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.state = label("")
        self.state.setStyleSheet("font-size: 15pt;")
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.figures: dict[str, QLabel] = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(2)
        for n, name in enumerate(FIGURES):
            row, column = 3 * (n // 2), n % 2
            grid.setRowMinimumHeight(row + 2, 4)
            grid.addWidget(label(name, "faint"), row, column)
            value = label("–")
            value.setStyleSheet("font-size: 13pt;")
            self.figures[name] = value
            grid.addWidget(value, row + 1, column)
        self.tells = label("", "faint")
        self.alarms = label("", "hazard")
        left = QWidget()
        box = QVBoxLayout(left)
        box.setContentsMargins(0, 0, 8, 0)
        box.setSpacing(8)
        box.addWidget(self.state)
        box.addWidget(self.bar)
        box.addLayout(grid)
        box.addWidget(self.alarms)
        box.addWidget(self.tells)
        box.addStretch(1)
        holder = QScrollArea()
        holder.setWidgetResizable(True)
        holder.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        holder.setWidget(left)
        holder.setFixedWidth(300)
        self.curves = MeasuredLog()
        both = QHBoxLayout(self)
        both.setContentsMargins(0, 0, 0, 0)
        both.setSpacing(10)
        both.addWidget(holder)
        both.addWidget(self.curves, 1)
        session.printing.moved.connect(self.refresh)
        self.refresh()

    def showEvent(self, _event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Show what has been told so far."""
        if not self.isVisible():
            return
        printing, live = self._session.printing, self._session.printing.live
        self.bar.setVisible(printing.is_running)
        self.bar.setValue(round(1000 * printing.share))
        if live is None:
            self.state.setText(f"{printing.phrase or 'preparing'} …" if printing.is_running else "Nothing is being printed")
            for value in self.figures.values():
                value.setText("–")
            self.alarms.setText("")
            self.tells.setText(
                "" if printing.is_running else "Begin a run on the left; it is followed here and written into the log."
            )
            self.curves.show_run(None)
            return
        self.state.setText(state_text(live))
        for name, text in figures_of(live).items():
            self.figures[name].setText(text)
        self.alarms.setText("\n\n".join(text for _, text in live.told))
        self.tells.setText(tells_text(live))
        alarms = tuple((SEVERITY[alarm.kind], alarm.since) for alarm, _ in live.told)
        self.curves.show_run(Shown(live.expected, live.pull_n, live.seconds, live.vat_c, live.fitted_n, live.layer, alarms))


def state_text(live: Live) -> str:
    """What the printer does."""
    lost = [a for a, _ in live.told if a.kind in ("lost", "all")]
    if live.is_over:
        ended = live.entry.ended if live.entry.ended != "printing" else live.state
        return f"{live.entry.job}: {ended}" + (", with a loss" if lost else "")
    return f"{live.entry.job}: {live.state}"


def figures_of(live: Live) -> dict[str, str]:
    """The figures of a run, by name."""
    k, e = live.layer, live.expected
    if k < 0:
        return dict.fromkeys(FIGURES, "–") | {"layer": f"0 of {e.layers}", "left": hours_text(live.left_s)}
    pull, warm = live.pull_n[k], live.vat_c[k]
    known = live.vat_g[: k + 1]
    gone = ""
    if (known == known).any():
        first = known[known == known]
        density = live.bench.resin.density_kg_per_m3 * KG_PER_M3_IN_G_PER_ML
        gone = f"{(first[0] - first[-1]) / density:.1f} mL of {e.resin_ml:.0f}"
    return {
        "layer": f"{k + 1} of {e.layers}",
        "so far": hours_text(live.at_s),
        "left": "–" if live.is_over else hours_text(live.left_s),
        "pull now": f"{pull:.1f} N, {e.pull_n[k]:.1f} said" if pull == pull else "no load cell",
        "vat": f"{warm:.1f} °C" if warm == warm else "no thermometer",
        "resin gone": gone or "no scale",
    }


def tells_text(live: Live) -> str:
    """What the load cell can tell at this height, and what it cannot."""
    if live.layer < 0:
        return ""
    if not (live.pull_n == live.pull_n).any():
        return "No load cell: whether a part has left the plate cannot be told from here. Listen and look, as the plan says."
    watch, k = live.run.watch, live.layer
    blind = [name for n, name in enumerate(live.expected.names) if not watch.can_tell(n, k)]
    told = f"Its readings scatter by {watch.noise_n:.2f} N."
    if not blind:
        return f"{told} The loss of any part would be seen within three layers here."
    return f"{told} At this height it cannot tell the loss of {', '.join(blind)}: the pull of it is too small."
