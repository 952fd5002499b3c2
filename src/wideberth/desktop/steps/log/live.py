"""A run to begin, to pause, to note on and to stop; and the wash and cure station."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QLineEdit

from wideberth.core.job import Part
from wideberth.desktop.steps.fields import NumberField, button, captioned, label, side_by_side, slim
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import hours_text

SPEEDS = (1.0, 60.0, 1000.0, 5000.0)
MISHAPS = {
    "as it comes": "", "by lot": "lot", "tips let go": "tip:{layer}:1", "the film tears": "film:{layer}:1",
    "a power cut": "power:{layer}:1", "a cold night": "cold:{layer}:1", "a dark patch": "patch:{layer}:1",
}  # fmt: skip


class LiveLeaf(Leaf):
    """A run to begin, to pause and to stop."""

    def build(self) -> None:
        printing = self._session.printing
        self.seed = NumberField(
            "Printer, by its number", "", 0, 100_000, 1, "each number is another printer with a truth of its own"
        )
        self.seed.set_value(3)
        self.speed = QComboBox()
        self.speed.addItems([f"{s:,.0f} times as fast" if s > 1 else "as fast as a real one" for s in SPEEDS])
        self.speed.setCurrentIndex(2)
        self.speed.setAccessibleName("how fast its clock runs")
        slim(self.speed)
        self.mishap = QComboBox()
        self.mishap.addItems(list(MISHAPS))
        self.mishap.setAccessibleName("what goes wrong")
        slim(self.mishap)
        self.box.addWidget(label("A simulated printer, with load cell, scale and thermometer", "head"))
        self.box.addWidget(self.seed)
        self.box.addWidget(captioned("Clock", self.speed))
        self.box.addWidget(captioned("What goes wrong", self.mishap))
        self.begin = button(
            "Print this plate", self._begin, "main", "the layers are written, read by the printer, and followed here"
        )
        self.box.addWidget(self.begin)
        self.port = NumberField("Or a printer at port", "", 1, 65_535, 1, "of this machine; see docs/devices.md")
        self.port.set_value(7420)
        self.box.addWidget(self.port)
        self.at_port = button("Print there", lambda: printing.start_at(round(self.port.value)))
        self.box.addWidget(self.at_port)
        self.note = QLineEdit()
        self.note.setPlaceholderText("a note on the run, Enter")
        self.note.setAccessibleName("a note on the run")
        self.note.returnPressed.connect(self._note)
        self.box.addWidget(self.note)
        self.hold = button("Pause", self._hold)
        self.stop = button("Stop it", lambda: printing.ask("stop"), "", "what is printed until then stays on the plate")
        self.box.addWidget(side_by_side(self.hold, self.stop))
        washing = self._session.washing
        self.box.addWidget(label("A simulated wash and cure station, a minute a second", "head"))
        self.wash = button(
            "Wash", lambda: washing.run("wash", self._session.job.bench.station.wash_s), "", "as long as the bench says"
        )
        self.cure = button(
            "Cure", lambda: washing.run("cure", self._session.job.bench.station.cure_s), "", "as long as the bench says"
        )
        self.enough = button("Enough", washing.stop, "quiet")
        self.box.addWidget(side_by_side(self.wash, self.cure, self.enough))
        self.station = label("", "faint")
        self.box.addWidget(self.station)
        washing.moved.connect(self._show_station)
        printing.moved.connect(self.show_run)
        self.show_run()
        self._show_station()

    def show_part(self, part: Part | None) -> None:
        self.show_run()

    def show_run(self) -> None:
        """Offer what can be done now."""
        printing = self._session.printing
        live, runs = printing.live, printing.is_running
        state = live.state if live is not None and runs else ""
        self.note.setEnabled(runs and live is not None)
        for widget in (self.begin, self.at_port):
            widget.setEnabled(not runs and self._session.has_parts)
        self.hold.setEnabled(state in ("printing", "paused"))
        self.hold.setText("Go on" if state == "paused" else "Pause")
        self.stop.setEnabled(runs)

    def _show_station(self) -> None:
        now = self._session.washing.now
        runs = now is not None and now.state != "idle"
        self.enough.setEnabled(runs)
        self.station.setText("" if now is None else f"{now.state}, {hours_text(now.left_s)} left" if runs else "idle")

    def _note(self) -> None:
        live = self._session.printing.live
        if live is not None and self._session.printing.is_running and self.note.text().strip():
            live.run.note(self.note.text().strip()[:400])
            self._session.messages.say("noted")
            self.note.clear()

    def _begin(self) -> None:
        seen = self._session.prediction
        middle = 1 if seen is None else max(seen.loads.layers // 2, 1)
        mishap = MISHAPS[self.mishap.currentText()].format(layer=middle)
        self._session.printing.start_simulated(round(self.seed.value), SPEEDS[self.speed.currentIndex()], mishap)

    def _hold(self) -> None:
        self._session.printing.ask("resume" if self.hold.text() == "Go on" else "pause")
