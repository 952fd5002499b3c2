"""The values leaf: one kind of bench file, every key with its unit, range, source and what ships."""

from __future__ import annotations

import re
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QBrush, QColor
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from wideberth.core.bench import KeyFacts, compare, facts_of, number_text, shipped
from wideberth.core.verdict import motion_explained
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import evaluated, label
from wideberth.desktop.style import DAY, PlainLabel

COLUMNS = ("", "In use", "Allowed", "Ships as", "Comes from")
USUAL, WORDY = (142, 116, 150, 84), (124, 216, 108, 60)
"""Widths of all columns but the last, for numbers and for words."""
LEFT_OUT = "left out"
"""An optional key without a value; its words say what that means."""


def shown(value: Any) -> str:
    """A value as the table prints it."""
    if value is None:
        return LEFT_OUT
    if isinstance(value, bool):
        return "yes" if value else "no"
    return number_text(value) if isinstance(value, float | int) else str(value)


def parsed(text: str, facts: KeyFacts) -> Any:
    """What was typed, as the schema wants it; thousands may be marked off by commas.

    Raises
    ------
    ValueError : when it cannot be meant.
    """
    text = re.sub(r"(?<=\d),(?=\d{3}\b)", "", text.strip()) if facts.kind in ("number", "count") else text.strip()
    if facts.optional and text.lower() in ("", LEFT_OUT, "-", "–"):
        return None
    if facts.kind in ("text", "choice"):
        return text
    if facts.kind == "yes/no":
        if text.lower() not in ("yes", "no", "true", "false"):
            raise ValueError(text)
        return text.lower() in ("yes", "true")
    value = evaluated(text, facts.unit)
    if facts.kind == "count":
        if value != round(value):
            raise ValueError(text)
        return int(value)
    return value


class ValuesTable(QWidget):
    """The section in use, editable; beside it what ships, or another file to compare with."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.kind = "printer"
        self.other: Any = None
        self.other_name = "Ships as"
        self._filling = False
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setAccessibleName("bench values")
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(23)
        self.table.setShowGrid(False)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.table.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked
            | QAbstractItemView.EditTrigger.EditKeyPressed
            | QAbstractItemView.EditTrigger.AnyKeyPressed
        )
        head = self.table.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        head.setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
        self.table.itemChanged.connect(self._edited)
        self.table.currentCellChanged.connect(lambda *_: self._explain())
        self.words = PlainLabel("")
        self.words.setWordWrap(True)
        self.words.setMinimumHeight(38)
        self.words.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.counted = label("", "faint")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        box.addWidget(self.table, 1)
        box.addWidget(self.words)
        box.addWidget(self.counted)

    def show_kind(self, kind: str, other: Any, other_name: str) -> None:
        """Show a section of the bench in use beside another."""
        self.kind, self.other, self.other_name = kind, other, other_name
        for column, width in enumerate(WORDY if kind in ("trade", "hours") else USUAL):
            self.table.horizontalHeader().resizeSection(column, width)
        self.refresh()

    def refresh(self) -> None:
        """Fill the table from the bench in use."""
        bench = self._session.job.bench
        part = getattr(bench, self.kind)
        source = {b.key: b.source for b in bench.values()}
        facts = facts_of(self.kind)
        differs = {d.facts.key for d in compare(self.kind, part, self.other)} if self.other is not None else set()
        self._filling = True
        row_now = max(0, self.table.currentRow())
        self.table.setRowCount(len(facts))
        heads = list(COLUMNS)
        heads[3] = self.other_name
        self.table.setHorizontalHeaderLabels(heads)
        for row, f in enumerate(facts):
            here = shown(getattr(part, f.key))
            there = shown(getattr(self.other, f.key)) if self.other is not None else "–"
            unit = f" {f.unit}" if f.unit and here != LEFT_OUT else ""
            came = source.get(f"{self.kind}.{f.key}", "default")
            cells = (f.words, here + unit, f.range_text, there if f.key in differs else "same" if self.other else "–", came)
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setToolTip(f.description)
                if column != 1:
                    item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                if column in (2, 4) or (column == 3 and f.key not in differs):
                    item.setForeground(QBrush(QColor(DAY.faint)))
                if f.key in differs and column in (1, 3):
                    item.setBackground(QBrush(QColor(DAY.sand)))
                self.table.setItem(row, column, item)
        self._filling = False
        self.table.setCurrentCell(min(row_now, len(facts) - 1), 1)
        count = len(differs)
        versus = {"Ships as": "what ships", "Standard": "the standard file"}.get(self.other_name, self.other_name)
        self.counted.setText(
            "Double click a value to change it; arithmetic is understood. "
            + (f"{count or 'No'} value{'s differ' if count != 1 else ' differs'} from {versus}." if self.other else "")
        )
        self._explain()

    def _explain(self) -> None:
        row = self.table.currentRow()
        facts = facts_of(self.kind)
        if not 0 <= row < len(facts):
            return
        text = facts[row].description or "what it is called"
        if self.kind == "print":
            text = f"{text}. {dict(motion_explained(self._session.job.bench)).get(facts[row].key, '')}".rstrip()
        self.words.setText(f"{facts[row].words}: {text}")

    def _edited(self, item: QTableWidgetItem) -> None:
        if self._filling or item.column() != 1:
            return
        facts = facts_of(self.kind)[item.row()]
        now = getattr(getattr(self._session.job.bench, self.kind), facts.key)
        try:
            value = parsed(item.text(), facts)
        except ValueError:
            self._session.messages.say(f"{facts.words}: `{item.text()}` is not understood; it takes {facts.range_text or 'text'}")
            self.refresh()
            return
        if value != now:
            self._session.document.set_bench(f"{self.kind}.{facts.key}", value)
        self.refresh()

    def back_to_shipped(self) -> None:
        """The chosen row as it ships."""
        facts = facts_of(self.kind)
        row = self.table.currentRow()
        if self.other is not None and 0 <= row < len(facts):
            value = getattr(self.other, facts[row].key)
            if value != getattr(getattr(self._session.job.bench, self.kind), facts[row].key):
                self._session.document.set_bench(f"{self.kind}.{facts[row].key}", value, self.other_name.lower())


def shipped_like(kind: str, name: str) -> tuple[Any, str]:
    """What ships under a name, or the standard file when nothing does; and what to call it."""
    alike = shipped(kind, name)
    return (alike, "Ships as") if alike is not None else (shipped(kind, "standard"), "Standard")
