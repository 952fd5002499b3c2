"""The log's controls: what to look for, a run to begin and to stop, what to take over; each with its sheet on the page."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import QComboBox, QFileDialog, QLineEdit, QPlainTextEdit

from wideberth.core.bench import source_of_fit
from wideberth.core.job import Part
from wideberth.core.logbook import (
    CHANGED,
    REAL,
    Logbook,
    Search,
    Service,
    alike,
    next_time,
    read_log_csv,
    scar_tallies,
    tally,
    told_of,
    utc_now,
    write_log_csv,
)
from wideberth.core.plan import behind_lines
from wideberth.desktop.steps.fields import NumberField, button, captioned, label, side_by_side, slim
from wideberth.desktop.steps.log_more import GradeLeaf, TrainerLeaf
from wideberth.desktop.steps.step import Leaf, LeavedStep
from wideberth.desktop.words import became_text, count, hours_text, margin_text

SHEETS = {"Prints": "Prints", "Grade": "Prints", "Live": "Live", "Learn": "Learn", "How good": "How good", "Trainer": "Trainer"}
"""The page's sheet of each leaf."""
SPEEDS = (1.0, 60.0, 1000.0, 5000.0)
FATE_WORDS = {"all": None, "lost something": True, "held": False}
MISHAPS = {
    "as it comes": "", "by lot": "lot", "tips let go": "tip:{layer}:1", "the film tears": "film:{layer}:1",
    "a power cut": "power:{layer}:1", "a cold night": "cold:{layer}:1", "a dark patch": "patch:{layer}:1",
}  # fmt: skip
TABLE = "Table (*.csv)"
WHOLE = "Logbook (*.sqlite)"


class PrintsLeaf(Leaf):
    """What to look for, and prints in and out of files."""

    def build(self) -> None:
        logging = self._session.logging
        self.words = QLineEdit()
        self.words.setPlaceholderText("words of job, note, resin …")
        self.words.setAccessibleName("words to look for")
        self.words.textChanged.connect(lambda _: self._find())
        self.fate = QComboBox()
        self.fate.addItems(list(FATE_WORDS))
        self.fate.setAccessibleName("what became of them")
        self.fate.activated.connect(lambda _: self._find())
        self.resin = QComboBox()
        self.resin.setAccessibleName("of which resin")
        self.resin.activated.connect(lambda _: self._find())
        for choice in (self.fate, self.resin):
            slim(choice)
        self.box.addWidget(captioned("Look for", self.words))
        self.box.addWidget(side_by_side(captioned("Became", self.fate), captioned("Resin", self.resin)))
        self.said = label("", "faint")
        self.box.addWidget(self.said)
        self._noted = ""
        self.note = QPlainTextEdit()
        self.note.setPlaceholderText("a note on the chosen print")
        self.note.setFixedHeight(64)
        self.note.setMinimumWidth(60)
        self.note.setAccessibleName("note on the chosen print")
        self.box.addWidget(self.note)
        self.box.addWidget(button("Keep the note", self._keep_note, "quiet"))
        self.advice = label("")
        self.box.addWidget(self.advice)
        self.change = button("", self._take_advice, "", "puts it on the bench; undo takes it back")
        self.change.hide()
        self.box.addWidget(self.change)
        self.box.addWidget(
            side_by_side(
                button("Table out…", self._write, "", "these prints as comma-separated values"),
                button("Table in…", self._read, "", "prints that are not in the log yet"),
            )
        )
        self.box.addWidget(button("Copy the log…", self._back_up, "", "the whole of it, with curves and pictures"))
        logging.listed.connect(self._listed)
        logging.chosen.connect(self._chosen)

    def _find(self) -> None:
        resin = self.resin.currentText() if self.resin.currentIndex() > 0 else ""
        self._session.logging.find(Search(self.words.text(), resin=resin, failed=FATE_WORDS[self.fate.currentText()]))

    def _listed(self) -> None:
        known = self._session.logging.known
        if known is None:
            return
        now = self.resin.currentText()
        self.resin.clear()
        self.resin.addItems(["any", *sorted({e.resin for e in known.everything})])
        self.resin.setCurrentIndex(max(self.resin.findText(now), 0))
        slim(self.resin)
        self.said.setText(f"{len(known.entries)} of {count(len(known.everything), 'print')}")

    def _chosen(self) -> None:
        details = self._session.logging.details
        self._show_note("" if details is None else details.entry.id, "" if details is None else details.entry.note)
        changes = [] if details is None else next_time(details.entry, self._session.job.bench)
        self.advice.setText("\n".join(f"Next time: {c.why}." for c in changes[:1]))
        self._change = changes[0] if changes else None
        self.change.setVisible(bool(changes))
        if self._change is not None:
            self.change.setText(f"{self._change.key.partition('.')[2].replace('_', ' ')}: {self._change.value:g}")

    def _show_note(self, id: str, note: str) -> None:
        """Show a print's note; what is being typed stays until another print is chosen."""
        typing = self.note.document().isModified() and self._noted == id
        if not typing and self.note.toPlainText() != note:
            self.note.setPlainText(note)
        if not typing:
            self.note.document().setModified(False)
        self._noted = id

    def _take_advice(self) -> None:
        if self._change is not None:
            self._session.document.set_bench(self._change.key, self._change.value, "from the log")

    def _keep_note(self) -> None:
        note = self.note.toPlainText()[:MOST_NOTE]
        self.note.document().setModified(False)
        self._session.logging.change(lambda entry: replace(entry, note=note))

    def _write(self) -> None:
        known = self._session.logging.known
        chosen, _ = QFileDialog.getSaveFileName(self, "Prints", "prints.csv", TABLE)
        if chosen and known is not None:
            path = Path(chosen)
            self._session.logging.carry_out(lambda _: write_log_csv(known.entries, path), f"written {path.name}")

    def _read(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Prints", "", TABLE)
        if chosen:
            path = Path(chosen)

            def act(book: Logbook) -> int:
                return book.add_all(read_log_csv(path))

            self._session.logging.carry_out(act, f"prints of {path.name} were taken over")

    def _back_up(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, "A copy of the log", "logbook.sqlite", WHOLE)
        if chosen:
            path = Path(chosen)
            self._session.logging.carry_out(lambda book: book.back_up(path), f"written {path.name}")


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


class LearnLeaf(Leaf):
    """What to take over on the bench."""

    def build(self) -> None:
        logging = self._session.logging
        self.maker = QComboBox()
        self.maker.setAccessibleName("whose prints")
        self.maker.activated.connect(lambda _: logging.choose_maker(self.maker.currentText()))
        self.box.addWidget(captioned("Prints of", self.maker))
        self.take = button("Take what is ticked", self._take, "main", "on the bench, as one change; undo takes it back")
        self.again = button("Look again", logging.learn, "quiet", "fit once more, with the bench and the log as they are now")
        self.said = label("")
        self.box.addWidget(self.take)
        self.box.addWidget(self.again)
        self.box.addWidget(self.said)
        self.box.addWidget(
            label("What is taken narrows its range too. What prints cannot tell stays. Nothing is taken by itself.", "faint")
        )
        self.fits = label("", "faint")
        self.box.addWidget(self.fits)
        logging.learnt.connect(self._learnt)
        logging.listed.connect(self._listed)
        self._learnt()

    def _learnt(self) -> None:
        logging = self._session.logging
        fit = logging.fit
        self.take.setEnabled(fit is not None and fit.looked_at > 0)
        self.again.setEnabled(not logging.is_learning)
        if fit is None:
            self.said.setText("" if not logging.is_learning else "reading …")
        else:
            told = len(fit.of_use)
            self.said.setText(f"{told} of {len(fit.estimates)} coefficients are told by {count(fit.looked_at, 'print')}.")

    def _listed(self) -> None:
        known = self._session.logging.known
        if known is not None:
            self.maker.clear()
            self.maker.addItems(list(known.makers) or [REAL])
            self.maker.setCurrentText(known.maker)
            slim(self.maker)
            lines = [
                f"{f.at:%d %b %Y}: from {count(f.prints, 'print')}" + (", taken back" if f.state != "taken" else "")
                for f in known.fits[:5]
            ]
            self.fits.setText("Taken before:\n" + "\n".join(lines) if lines else "")

    def _take(self) -> None:
        self._session.logging.take_ticked()


MOST_NOTE = 4000
FEWEST = 8
"""Prints from which on the log's own share of failures counts."""


class AccuracyLeaf(Leaf):
    """What this printer's things have behind them, and when they were changed."""

    def build(self) -> None:
        logging = self._session.logging
        self.box.addWidget(label("By the record", "head"))
        self.alike = label("")
        self.box.addWidget(self.alike)
        self.rate = button("", self._take_rate, "quiet", "on the bench, for quotes; undo takes it back")
        self.rate.hide()
        self.box.addWidget(self.rate)
        self.box.addWidget(label("Behind film, screen, bath and vat", "head"))
        self.behind = label("")
        self.box.addWidget(self.behind)
        self.what = QComboBox()
        self.what.addItems([f"new {what}" for what in CHANGED])
        self.what.setAccessibleName("what was changed")
        self.box.addWidget(side_by_side(self.what, button("Changed now", self._changed, "quiet", "its hours begin anew")))
        logging.listed.connect(self.show_log)
        self._session.predicting.predicted.connect(self.show_log)

    def show_part(self, part: Part | None) -> None:
        self.show_log()

    def showEvent(self, _event: object) -> None:
        self.show_log()

    def show_log(self) -> None:
        """Show what is known of the bench's printer, and prints like this one."""
        if not self.isVisible():
            return
        logging, seen = self._session.logging, self._session.prediction
        behind, bench = logging.behind, self._session.job.bench
        if behind is None or logging.known is None:
            return
        self.behind.setText("\n".join(f"{head}: {text}" for head, text in behind_lines(behind, bench)))
        self._show_rate()
        if seen is None:
            self.alike.setText("")
            return
        weakest = seen.verdict.hold_margin
        counted = tally(logging.counted, bench.resin.name, weakest) if weakest is not None else None
        told = [] if counted is None else [f"{counted.text}."]
        told += [f"{t.text}." for t in scar_tallies(logging.counted)[:4]]
        if not seen.fineness.light:
            near = alike(logging.counted, told_of(seen), bench, seen.job.title, 3)
            told += [
                f"Like this one: {a.entry.job}, said {margin_text(a.entry.told.margin)}, {became_text(a.entry)}." for a in near
            ]
        self.alike.setText("\n".join(told))

    def _show_rate(self) -> None:
        """Offer the log's own share of failures for quotes, once there are enough prints."""
        known = self._session.logging.known
        of = None if known is None else known.accuracy
        self.rate.setVisible(of is not None and of.looked_at >= FEWEST)
        if of is not None and of.looked_at >= FEWEST:
            self._rate = round(of.lost / of.looked_at, 3)
            self.rate.setText(f"Quote with {100 * self._rate:.0f} % failures")

    def _take_rate(self) -> None:
        known = self._session.logging.known
        if known is not None:
            self._session.document.set_bench("trade.failure_share", self._rate, source_of_fit(known.accuracy.looked_at))

    def _changed(self) -> None:
        what, printer = CHANGED[self.what.currentIndex()], self._session.job.bench.printer.name
        service = Service(utc_now(), printer, what)
        self._session.logging.carry_out(lambda book: book.add_service(service), f"{what} changed on {printer}")


class LogStep(LeavedStep):
    """What happened, what happens, what it teaches."""

    name = "log"
    why = "what happened, and what it teaches"

    def build(self) -> None:
        self.add_page("The log", "the page in place of the views")
        self.add_leaves(
            {
                "Prints": PrintsLeaf(self),
                "Grade": GradeLeaf(self),
                "Live": LiveLeaf(self),
                "Learn": LearnLeaf(self),
                "How good": AccuracyLeaf(self),
                "Trainer": TrainerLeaf(self),
            }
        )
        self.box.addStretch(1)

    def turned_to(self, name: str) -> None:
        self.session.logging.turn_to(SHEETS[name])
