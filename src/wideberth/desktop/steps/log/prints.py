"""What to look for in the log, a note on the chosen print, what to change next time, and prints in and out of files."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QComboBox, QFileDialog, QLineEdit, QPlainTextEdit

from wideberth.core.job import Part
from wideberth.core.logbook import Search, next_time, read_log_csv, utc_now, write_log_csv
from wideberth.desktop.steps.fields import button, captioned, label, side_by_side, slim
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import count

if TYPE_CHECKING:
    from wideberth.core.logbook import Logbook

FATE_WORDS = {"all": None, "lost something": True, "held": False}
TABLE = "Table (*.csv)"
WHOLE = "Logbook (*.sqlite)"
MOST_NOTE = 4000
WHEN_DAYS = {"any time": None, "this week": 7, "30 days": 30, "90 days": 90, "a year": 366}
TAKE_OUT, SURE_MS = "Take it out", 4000


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
        self.when = QComboBox()
        self.when.addItems(list(WHEN_DAYS))
        self.when.setAccessibleName("when they began")
        self.when.activated.connect(lambda _: self._find())
        for choice in (self.fate, self.resin, self.when):
            slim(choice)
        self.box.addWidget(side_by_side(captioned("Look for", self.words), captioned("Began", self.when)))
        self.box.addWidget(side_by_side(captioned("Became", self.fate), captioned("Resin", self.resin)))
        self.said = label("", "faint")
        self.box.addWidget(self.said)
        self._noted = self._asked = ""
        self.note = QPlainTextEdit()
        self.note.setPlaceholderText("a note on the chosen print")
        self.note.setFixedHeight(64)
        self.note.setMinimumWidth(60)
        self.note.setAccessibleName("note on the chosen print")
        self.box.addWidget(self.note)
        self.out = button(TAKE_OUT, self._take_out, "quiet", "the chosen print, with its curve and pictures; press twice")
        self._sure = QTimer(self)
        self._sure.setSingleShot(True)
        self._sure.setInterval(SURE_MS)
        self._sure.timeout.connect(lambda: self.out.setText(TAKE_OUT))
        self.box.addWidget(side_by_side(button("Keep the note", self._keep_note, "quiet"), self.out))
        self.by_hand = button(
            "Write this plate down", self._write_down, "", "a print on a printer that tells nothing: fill in what you know"
        )
        self.box.addWidget(self.by_hand)
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
        days = WHEN_DAYS[self.when.currentText()]
        since = None if days is None else utc_now() - timedelta(days=days)
        self._session.logging.find(
            Search(self.words.text(), resin=resin, failed=FATE_WORDS[self.fate.currentText()], since=since)
        )

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

    def show_part(self, part: Part | None) -> None:
        self.by_hand.setEnabled(part is not None)

    def _write_down(self) -> None:
        seen = self._session.prediction
        if seen is None or not self._session.is_current or seen.fineness.light:
            self._session.messages.say("wait for the prediction")
            return
        self._session.logging.write_down(seen)

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

    def _take_out(self) -> None:
        """Take the chosen print out of the log; the first press only asks."""
        details = self._session.logging.details
        if details is None:
            return
        if self._session.printing.is_running:
            self._session.messages.say("a run is being followed: wait until it is over")
            return
        if not self._sure.isActive() or self._asked != details.entry.id:
            self.out.setText("Press again: it is gone for good")
            self._asked = details.entry.id
            self._sure.start()
            return
        self._sure.stop()
        self.out.setText(TAKE_OUT)
        id, title = details.entry.id, details.entry.job
        self._session.logging.carry_out(lambda book: book.remove(id), f"{title} is out of the log")

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
