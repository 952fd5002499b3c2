"""What the record says of jobs like this one, and what the printer's things have behind them."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox

from wideberth.core.bench import source_of_fit
from wideberth.core.job import Part
from wideberth.core.logbook import CHANGED, Service, alike, scar_tallies, tally, told_of, utc_now
from wideberth.core.plan import behind_lines
from wideberth.desktop.steps.fields import button, label, side_by_side
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import became_text, margin_text

FEWEST = 8
"""Prints from which on the log's own share of failures counts."""


class RecordLeaf(Leaf):
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
