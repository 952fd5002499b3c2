"""The page of the plan: its open sheet in the place of the views."""

from __future__ import annotations

from functools import cached_property

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from wideberth.core.plan import Landing, later
from wideberth.desktop.planpage.checks import CheckSheet
from wideberth.desktop.planpage.quoted import QuoteSheet
from wideberth.desktop.planpage.tides import TideTable
from wideberth.desktop.planpage.vat import VatSheet
from wideberth.desktop.session import Session
from wideberth.desktop.session.planning import Planned
from wideberth.desktop.steps.fields import label
from wideberth.desktop.style import SheetPage
from wideberth.desktop.words import hours_text

CLOCK = "%H:%M"
DAY = "%a %d %b"


NAMES = {"When": "When to begin", "Vat": "Vat and shelf", "Quote": "Quote", "Checks": "Checklist"}


class PlanPage(SheetPage):
    """When, quote and checklist, as the step has it open."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session, planning = session, session.planning
        self.tides = TideTable(planning)
        self.tides.dragged.connect(planning.choose_begin)
        self.moments = MomentList()
        when = QWidget()
        box = QVBoxLayout(when)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addWidget(self.tides, 1)
        box.addWidget(self.moments)
        self.add_sheets(
            {"When": lambda: when, "Vat": lambda: self.vat, "Quote": lambda: self.quote, "Checks": lambda: self.checks}
        )
        for signal in (planning.planned, planning.chosen, session.document.changed):
            signal.connect(self.refresh)
        self.refresh()

    @cached_property
    def vat(self) -> VatSheet:
        return VatSheet(self._session)

    @cached_property
    def quote(self) -> QuoteSheet:
        return QuoteSheet(self._session)

    @cached_property
    def checks(self) -> CheckSheet:
        return CheckSheet(self._session)

    def showEvent(self, _event: object) -> None:
        self._session.planning.look(True)

    def hideEvent(self, _event: object) -> None:
        self._session.planning.look(False)

    def refresh(self) -> None:
        """Show the open sheet, and what is known."""
        planning = self._session.planning
        known, landing = planning.known, planning.landing
        stale = "" if planning.is_current or not self._session.has_parts else " · looking ahead …"
        self.open_sheet(planning.sheet, NAMES[planning.sheet] + stale)
        self.moments.show_run(known, landing)
        self.vat.refresh()
        self.quote.refresh()
        self.checks.refresh()


class MomentList(QWidget):
    """The clock times of a run, beside each other."""

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(4, 0, 4, 0)
        self._grid.setHorizontalSpacing(18)
        self._grid.setVerticalSpacing(1)
        self._cells: list[tuple[QLabel, QLabel, QLabel]] = []
        for column in range(6):
            head, clock, told = label("", "faint"), label(""), label("", "faint")
            clock.setStyleSheet("font-size: 13pt;")
            for row, cell in enumerate((head, clock, told)):
                cell.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
                self._grid.addWidget(cell, row, column)
            self._grid.setColumnStretch(column, 1)
            self._cells.append((head, clock, told))

    def show_run(self, known: Planned | None, landing: Landing | None) -> None:
        """The times of a run as it is chosen; nothing where none is."""
        shown = [] if known is None or landing is None else _times(known, landing)
        for number, cell in enumerate(self._cells):
            texts = shown[number] if number < len(shown) else ("", "", "")
            for part, text in zip(cell, texts, strict=True):
                part.setText(text)


def _times(known: Planned, landing: Landing) -> list[tuple[str, str, str]]:
    """Head, clock and what is meant."""
    hours, told = known.job.bench.hours, []
    by_name = {m.name: m for m in known.moments}
    told.append((f"begin, {landing.begins:{DAY}}", f"{landing.begins:{CLOCK}}", f"light from {landing.printing:{CLOCK}}"))
    first, last = (later(landing.printing, known.after(by_name[n].after_s)) for n in ("listen", "first layers done"))
    told.append(("listen", f"{first:{CLOCK}} to {last:{CLOCK}}", "a crack at each of the first layers"))
    if "look" in by_name:
        low, high = (later(landing.printing, known.after(s)) for s in (by_name["look"].low_s, by_name["look"].high_s))
        told.append(("look", f"{low:{CLOCK}} to {high:{CLOCK}}", "the part shows over the resin"))
    told.append((f"ends, {landing.earliest:{DAY}}", f"{landing.earliest:{CLOCK}} to {landing.latest:{CLOCK}}", known.says))
    hangs = hours_text(landing.hangs.total_seconds()) if landing.hangs else "not at all"
    told.append(("then hangs", hangs, f"the resin allows {known.job.bench.resin.longest_wet_min:g} min"))
    told.append((f"done, {landing.done:{DAY}}", f"{landing.done:{CLOCK}}", f"after {hours.after_min:g} min of work"))
    return told
