"""The plan's controls: when to begin, the quote, the checklist; each with its sheet on the page."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PySide6.QtCore import QDate, QDateTime, QLocale, Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QDateTimeEdit, QFileDialog

from wideberth.core.errors import WideBerthError
from wideberth.core.handover import read_quote, sum_text, write_quote
from wideberth.core.job import Part, open_job
from wideberth.core.naming import file_name
from wideberth.core.plan import (
    Begun,
    Beside,
    TimeShares,
    Wanted,
    behind_lines,
    beside,
    changes,
    predicted_runs,
    wanted_of,
    wear_lines,
)
from wideberth.core.predict import Prediction
from wideberth.core.progress import Progress
from wideberth.desktop.session.planning import Planning, Window
from wideberth.desktop.steps.fields import NumberField, button, captioned, label, slim
from wideberth.desktop.steps.step import Leaf, LeavedStep
from wideberth.desktop.steps.vat import VatLeaf
from wideberth.desktop.style import tip
from wideberth.desktop.words import hours_text

SHEETS = ("When", "Vat", "Quote", "Checks")
"""Leaves with a sheet of their own on the page."""
MOST_WINDOWS = 40
MOST_SETS = 100_000
QUOTES = "PDF (*.pdf);;Table (*.csv);;Kept as sent (*.json)"


def window_text(window: Window) -> str:
    """Good starts that follow each other."""
    first, last = (landing.begins for landing in window)
    return f"{first:%a %d %b %H:%M}" + ("" if first == last else f" to {last:%H:%M}")


def shares_text(shares: TimeShares) -> str:
    """Of what a run's time is made."""
    parts = (
        ("light", shares.light_s),
        ("motion", shares.motion_s),
        ("waits", shares.waits_s),
        ("the printer's own", shares.overhead_s),
    )
    return ", ".join(f"{name} {hours_text(seconds)}" for name, seconds in parts if seconds >= 1)


class WhenLeaf(Leaf):
    """Good starts to choose from, or any other."""

    def build(self) -> None:
        planning = self._session.planning
        self.windows = QComboBox()
        self.windows.setAccessibleName("good starts")
        slim(self.windows)
        self.windows.activated.connect(self._take)
        self.box.addWidget(captioned("Good starts", self.windows))
        self.at = QDateTimeEdit()
        self.at.setDisplayFormat("ddd dd MMM HH:mm")
        self.at.setLocale(QLocale.c())
        self.at.setButtonSymbols(QDateTimeEdit.ButtonSymbols.NoButtons)
        self.at.setAccessibleName("begin at")
        self.at.setDateRange(QDate(2000, 1, 1), QDate(2199, 12, 31))
        self.at.dateTimeChanged.connect(lambda at: planning.choose_begin(_as_datetime(at)))
        self.box.addWidget(captioned("Begin at", self.at))
        self.box.addWidget(button("At the first good start", lambda: planning.choose_begin(None), "quiet"))
        self.along = button("Plan other jobs along…", self._along, "", "saved ones: they share printers and hands with this one")
        self.box.addWidget(self.along)
        self.said = label("")
        self.box.addWidget(self.said)
        self.box.addWidget(
            label("Good: someone is there to begin it, and whenever it ends, in time for the work that follows.", "faint")
        )
        planning.planned.connect(self.show_plan)
        planning.chosen.connect(self.show_plan)

    def show_part(self, part: Part | None) -> None:
        self.show_plan()

    def show_plan(self) -> None:
        """Show what is known and chosen."""
        planning = self._session.planning
        known, landing = planning.known, planning.landing
        self.windows.clear()
        for window in known.windows[:MOST_WINDOWS] if known is not None else ():
            self.windows.addItem(window_text(window), window[0].begins)
        self.windows.setEnabled(self.windows.count() > 0)
        if known is None:
            self.said.setText("Open a model first." if not self._session.has_parts else "looking ahead …")
            return
        begins = planning.begin or (landing.begins if landing is not None else known.now)
        self.at.blockSignals(True)
        self.at.setDateTime(_as_qt(begins))
        self.at.blockSignals(False)
        self.along.setText("Only this job again" if planning.more else "Plan other jobs along…")
        allowed, says = (
            known.job.bench.resin.longest_wet_min,
            f"{known.says[0].upper()}{known.says[1:]}: {shares_text(known.shares)}",
        )
        if planning.week is None:
            self.said.setText(f"{says}. No week has room for all {len(planning.wanted)} runs with someone there in time.")
        elif planning.others:
            told = [_other_text(planning, other) for other in planning.others]
            own = planning.waits.get(known.shown)
            self.said.setText(f"{says}{'; ' + own if own else ''}. The others, as all are done soonest:\n" + "\n".join(told))
        elif known.windows:
            self.said.setText(f"{says}.")
        elif known.best is None:
            self.said.setText(
                f"{says}. In the next days nobody is there in time, whenever it begins: look at Hours on the bench."
            )
        else:
            hangs = hours_text(known.best.hangs.total_seconds())
            self.said.setText(
                f"{says}. No start is good: it would hang {hangs} at the least, and the resin allows {allowed:g} min."
            )

    def _along(self) -> None:
        """Choose saved jobs, or let those go that were chosen."""
        session, planning = self._session, self._session.planning
        if planning.more:
            planning.plan_along(())
            return
        chosen, _ = QFileDialog.getOpenFileNames(self, "Jobs that share the week", "", "Jobs (*.3mf)")
        paths = [Path(name) for name in chosen]

        def work(progress: Progress) -> tuple[Wanted, ...]:
            seen: list[Prediction] = []
            for number, path in enumerate(paths):
                share = progress.part(number / len(paths), (number + 1) / len(paths))
                seen += predicted_runs(open_job(path), session.stages, True, share)
            return tuple(wanted_of(p) for p in seen)

        if paths:
            session.tasks.act("looking at other jobs", work, planning.plan_along, lasting=True)

    def _take(self, row: int) -> None:
        self._session.planning.choose_begin(self.windows.itemData(row))


def _other_text(planning: Planning, other: Begun) -> str:
    """Another run of the week: when and where it begins, and what it waits for."""
    name, printer = planning.wanted[other.wanted].name, other.printer
    at = "" if planning.known is None or printer == planning.known.job.bench.printer.name else f" on {printer}"
    waits = f", {planning.waits[other.wanted]}" if other.wanted in planning.waits else ""
    return f"{name}{at}: {other.landing.begins:%a %d %b %H:%M}{waits}"


class QuoteLeaf(Leaf):
    """For how many sets, and where it goes."""

    def build(self) -> None:
        planning = self._session.planning
        self.count = NumberField("Sets", "", 1, MOST_SETS, 1, "each with all plates of the job")
        self.count.set_value(1)
        self.count.entered.connect(lambda value: planning.choose_count(round(value)))
        self.box.addWidget(self.count)
        self.box.addWidget(button("Write the quote…", self._write, "main", "as PDF, as a table, or kept as it was sent"))
        self.box.addWidget(button("Compare with one that was sent…", self._compare, "", "what another variant would change"))
        self.box.addWidget(button("Variants and printers beside it", self._beside, "", "each predicted anew, coarsely"))
        self.said = label("")
        self.box.addWidget(self.said)
        self.box.addWidget(
            label("Prices, minutes and shares are the bench's: Bench, Prices. What has no price is named.", "faint")
        )
        planning.planned.connect(lambda: self.said.setText(""))

    def _write(self) -> None:
        planning, session = self._session.planning, self._session
        if not planning.is_current:
            session.messages.say("the plan is not ready yet")
            return
        chosen, kind = QFileDialog.getSaveFileName(self, "Quote", f"{file_name(session.job.title)}, quote.pdf", QUOTES)
        if not chosen:
            return
        path, quotes, trade = Path(chosen), planning.quotes(), session.job.bench.trade
        if not path.suffix:
            path = path.with_suffix("." + kind.rpartition("*.")[2].rstrip(")"))

        def work(_progress: Progress) -> None:
            write_quote(quotes, trade, path)

        session.tasks.act(f"writing {path.name}", work, lambda _: session.messages.say(f"written {path.name}"))

    def _beside(self) -> None:
        session, job, count = self._session, self._session.job, self._session.planning.count

        def done(ways: tuple[Beside, ...]) -> None:
            if job is session.job:
                session.planning.told_beside.emit(ways)

        session.tasks.act("pricing variants and printers", lambda p: beside(job, session.stages, count, True, p), done)

    def _compare(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "A quote that was sent", "", "Kept as sent (*.json)")
        if not chosen:
            return
        quotes = self._session.planning.quotes()
        try:
            sent = read_quote(Path(chosen))
        except WideBerthError as error:
            self._session.messages.warn(error.text)
            return
        if quotes:
            lines = [f"{c.name}: {sum_text(c.was)} → {sum_text(c.now)}" for c in changes(sent, quotes[0])]
            self.said.setText("Sent, and now:\n" + "\n".join(lines))


class ChecklistLeaf(Leaf):
    """What the keys do."""

    def build(self) -> None:
        self.box.addWidget(
            label("Space ticks the line that is next, Backspace takes it back. A line with minutes has a timer: T starts it.")
        )
        ticking = self._session.ticking
        self.station = QCheckBox("Wash and cure on the station")
        self.station.setToolTip(tip("the timers of these lines run on the simulated wash and cure station, a minute a second"))
        self.station.toggled.connect(lambda on: setattr(ticking, "on_station", on))
        self.box.addWidget(self.station)
        self.anew = button("Begin anew", ticking.begin_anew, "quiet", "another run: no line is ticked any more")
        self.box.addWidget(self.anew)
        self.box.addWidget(
            label(
                "Ticks of a saved job outlive the program, until twelve hours after its run should be over. That the resin was "
                "stirred is told to the vat.",
                "faint",
            )
        )
        ticking.changed.connect(self._show)
        self._show()

    def _show(self) -> None:
        self.anew.setEnabled(bool(self._session.ticking.ticks.at))


class WearLeaf(Leaf):
    """What the job takes of film, light, bath and vat."""

    def build(self) -> None:
        self.said = label("")
        self.box.addWidget(self.said)
        self.behind = label("", "faint")
        self.box.addWidget(self.behind)
        self._session.planning.planned.connect(self.show_plan)
        self._session.logging.listed.connect(self.show_plan)

    def showEvent(self, _event: object) -> None:
        self._session.logging.read()

    def show_part(self, part: Part | None) -> None:
        self.show_plan()

    def show_plan(self) -> None:
        """Show what is known."""
        known = self._session.planning.known
        lines = wear_lines(known.usages, known.job.bench) if known is not None else []
        self.said.setText("\n\n".join(f"{head}: {text}" for head, text in lines))
        behind = self._session.logging.behind
        behind_text = [] if behind is None else behind_lines(behind, self._session.job.bench)
        self.behind.setText("By the log. " + " ".join(f"{head}: {text}" for head, text in behind_text) if behind_text else "")


class PlanStep(LeavedStep):
    """When it really ends, what it really costs, and what hands have to do."""

    name = "plan"
    why = "when to begin, what it costs, what to do"

    def build(self) -> None:
        self.add_page("The plan", "the page in place of the views")
        self.add_leaves(
            {
                "When": WhenLeaf(self),
                "Vat": VatLeaf(self),
                "Quote": QuoteLeaf(self),
                "Checks": ChecklistLeaf(self),
                "Wear": WearLeaf(self),
            }
        )
        self.box.addStretch(1)

    def turned_to(self, name: str) -> None:
        if name in SHEETS:
            self.session.planning.turn_to(name)


def _as_datetime(at: QDateTime) -> datetime:
    made = at.toPython()
    assert isinstance(made, datetime)
    return made


def _as_qt(at: datetime) -> QDateTime:
    return QDateTime.fromString(at.strftime("%Y-%m-%dT%H:%M:%S"), Qt.DateFormat.ISODate)
