"""Prints that happened: a list of all, and the chosen one with what was said, what happened, and what can be written down of
it."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC
from functools import partial

import numpy as np
from PySide6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QScrollArea,
    QSplitter,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from wideberth.core.logbook import BY_KEY, CAME_OFF, CAUSES_OF_FAILURE, FATES, Entry, had_warned
from wideberth.desktop.logpage.picture_view import Pictures, PictureView, Thumb
from wideberth.desktop.logpage.strip import MeasuredLog, Shown
from wideberth.desktop.session import Session
from wideberth.desktop.session.logging import Details
from wideberth.desktop.steps.fields import NumberField, button, emptied, label, side_by_side, slim
from wideberth.desktop.style import DAY
from wideberth.desktop.words import became_text, hours_text, margin_text

HEADS = ("begun", "job", "said", "became", "took", "resin", "of")
NONE = QModelIndex()
HEADING = "-"
SECONDS_PER_HOUR = 3600.0
MOST_THUMBS = 6


def local_text(entry: Entry) -> str:
    """When a print was begun, by the clock on the wall."""
    return f"{entry.began.replace(tzinfo=UTC).astimezone():%d %b %Y %H:%M}"


class EntryTable(QAbstractTableModel):
    """Entries as rows."""

    def __init__(self) -> None:
        super().__init__()
        self.entries: tuple[Entry, ...] = ()

    def show_entries(self, entries: tuple[Entry, ...]) -> None:
        """Show others."""
        self.beginResetModel()
        self.entries = entries
        self.endResetModel()

    def rowCount(self, _parent: QModelIndex = NONE) -> int:  # type: ignore[override]
        return len(self.entries)

    def columnCount(self, _parent: QModelIndex = NONE) -> int:  # type: ignore[override]
        return len(HEADS)

    def headerData(self, section: int, way: Qt.Orientation, role: int = 0) -> object:
        return HEADS[section] if way == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole else None

    def data(self, index: QModelIndex, role: int = 0) -> object:  # type: ignore[override]
        entry, column = self.entries[index.row()], index.column()
        if role == Qt.ItemDataRole.DisplayRole:
            return _cell(entry, column)
        if role == Qt.ItemDataRole.TextAlignmentRole and column in (2, 4, 5):
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if role == Qt.ItemDataRole.ForegroundRole and column == 3 and entry.failed:
            return QColor(DAY.hazard)
        if role == Qt.ItemDataRole.ToolTipRole and column == 6:
            return entry.source
        return None


def _cell(entry: Entry, column: int) -> str:
    if column == 0:
        return local_text(entry)
    if column == 1:
        return entry.job
    if column == 2:
        return margin_text(entry.told.margin)
    if column == 3:
        return became_text(entry)
    if column == 4:
        return "" if entry.seconds is None else hours_text(entry.seconds)
    if column == 5:
        return "" if entry.resin_g is None else f"{entry.resin_g:.0f} g"
    return entry.resin


class PrintsSheet(QWidget):
    """The list over the chosen print."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.model = EntryTable()
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.verticalHeader().setVisible(False)
        self.table.verticalHeader().setDefaultSectionSize(26)
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setAccessibleName("prints, the newest first")
        header = self.table.horizontalHeader()
        for column, width in enumerate((136, 0, 62, 100, 70, 62, 0)):
            if width:
                header.resizeSection(column, width)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(6, QHeaderView.ResizeMode.Stretch)
        header.setHighlightSections(False)
        self.table.selectionModel().currentRowChanged.connect(self._choose)
        self.detail = PrintDetail(session)
        self.halves = QSplitter(Qt.Orientation.Vertical)
        self.halves.addWidget(self.table)
        self.halves.addWidget(self.detail)
        self.halves.setChildrenCollapsible(False)
        self.halves.setHandleWidth(8)
        self.halves.setSizes([170, 400])
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.halves)
        session.logging.listed.connect(self.refresh)
        session.logging.chosen.connect(self._chosen)
        self.refresh()
        session.logging.read()  # what was listed last may be of a while ago

    def refresh(self) -> None:
        """Show what is listed; the chosen print stays chosen, the newest is at first."""
        known = self._session.logging.known
        entries = () if known is None else known.entries
        if entries != self.model.entries:
            self.model.show_entries(entries)
        details = self._session.logging.details
        row = next((n for n, e in enumerate(entries) if details is not None and e.id == details.entry.id), 0)
        if entries and self.table.currentIndex().row() != row:
            self.table.selectRow(row)
        elif not entries:
            self.detail.show_print(None)

    def _choose(self, index: QModelIndex, _before: QModelIndex) -> None:
        if 0 <= index.row() < len(self.model.entries):
            self._session.logging.choose(self.model.entries[index.row()].id)

    def _chosen(self) -> None:
        self.detail.show_print(self._session.logging.details)


class PrintDetail(QWidget):
    """What was said of a print and what happened, its parts with what became of each, and its curves."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._shown: Details | None = None
        self.head = label("")
        self.head.setStyleSheet("font-size: 12pt;")
        self.said = label("")
        self.parts = QWidget()
        self._parts = QGridLayout(self.parts)
        self._parts.setContentsMargins(0, 0, 0, 0)
        self._parts.setHorizontalSpacing(8)
        self.cause = QComboBox()
        self.cause.addItem("nothing failed, or no cause named", "")
        question = ""
        for cause in CAUSES_OF_FAILURE:
            if cause.question != question:
                question = cause.question
                self.cause.addItem(question, HEADING)
                self.cause.model().item(self.cause.count() - 1).setEnabled(False)  # type: ignore[attr-defined]
            self.cause.addItem(f"  {cause.name}: {cause.signs}", cause.key)
        slim(self.cause)
        self.cause.setAccessibleName("cause of what failed")
        self.cause.activated.connect(self._set_cause)
        self.off = QComboBox()
        self.off.addItems(list(CAME_OFF))
        self.off.setAccessibleName("how it came off the plate")
        self.off.activated.connect(lambda row: self._write(came_off=CAME_OFF[row]))
        self.took = NumberField("Took", "h", 0.01, 2000, 0.1, "from the first light to the end", unset="not known")
        self.grams = NumberField("Resin by scale", "g", 0.1, 100_000, 1, "bottle and vat, before less after", unset="not weighed")
        self.vat = NumberField("Vat", "°C", -20, 100, 0.5, "in the middle of the run", unset="not known")
        for field, of in ((self.took, "seconds"), (self.grams, "resin_g"), (self.vat, "vat_c")):
            factor = SECONDS_PER_HOUR if of == "seconds" else 1.0
            field.entered.connect(lambda value, of=of, factor=factor: self._write(**{of: value * factor}))
            field.cleared.connect(lambda of=of: self._write(**{of: None}))
        self.close_it = button(
            "Nobody follows it: close it", session.logging.close_chosen, "quiet", "with what was told until then"
        )
        self.close_it.hide()
        self.pictures = QWidget()
        self._pictures = QHBoxLayout(self.pictures)
        self._pictures.setContentsMargins(0, 0, 0, 0)
        self.warned = label("", "faint")
        self.alarms = label("", "hazard")
        left = QWidget()
        box = QVBoxLayout(left)
        box.setContentsMargins(0, 0, 6, 0)
        box.setSpacing(6)
        for widget in (self.head, self.said, self.parts):
            box.addWidget(widget)
        self.measures = side_by_side(self.took, self.grams, self.vat)
        box.addWidget(self.measures)
        row = QGridLayout()
        row.addWidget(label("Why it failed", "faint"), 0, 0)
        row.addWidget(self.cause, 0, 1)
        row.addWidget(label("Came off the plate", "faint"), 1, 0)
        row.addWidget(self.off, 1, 1)
        row.setColumnStretch(1, 1)
        box.addLayout(row)
        for widget in (self.close_it, self.warned, self.alarms, self.pictures):
            box.addWidget(widget)
        box.addStretch(1)
        holder = QScrollArea()
        holder.setWidgetResizable(True)
        holder.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        holder.setWidget(left)
        holder.setMinimumWidth(300)
        self.curves = MeasuredLog()
        both = QHBoxLayout(self)
        both.setContentsMargins(0, 4, 0, 0)
        both.setSpacing(10)
        both.addWidget(holder, 2)
        both.addWidget(self.curves, 3)
        self.show_print(None)

    def show_print(self, of: Details | None) -> None:
        """Show a print, or that none is there."""
        self._shown = of
        for widget in (self.cause, self.off, self.parts, self.measures):
            widget.setEnabled(of is not None)
        self._show_pictures(of)
        printing = self._session.printing
        followed = printing.is_running and printing.live is not None and of is not None and printing.live.entry.id == of.entry.id
        self.close_it.setVisible(of is not None and of.entry.ended == "printing" and not followed)
        if of is None:
            self.head.setText("No print yet")
            self.said.setText("A run on a printer is written down by itself, beside what was expected of it: Live.")
            self.warned.setText("")
            self.alarms.setText("")
            self._show_parts(None)
            self.curves.show_run(None)
            return
        entry = of.entry
        self.head.setText(
            f"{entry.job}, {entry.plate}: {became_text(entry)}" if entry.plate else f"{entry.job}: {became_text(entry)}"
        )
        self.said.setText(said_text(entry))
        self.cause.setCurrentIndex(max(self.cause.findData(entry.cause), 0))
        self.off.setCurrentIndex(CAME_OFF.index(entry.came_off))
        for field, value in (
            (self.took, None if entry.seconds is None else entry.seconds / SECONDS_PER_HOUR),
            (self.grams, entry.resin_g),
            (self.vat, entry.vat_c),
        ):
            field.unset() if value is None else field.set_value(value)
        self.warned.setText(warned_text(entry))
        self.alarms.setText("\n".join(entry.alarms))
        self._show_parts(entry)
        self.curves.show_run(shown_of(of))

    def _show_parts(self, entry: Entry | None) -> None:
        emptied(self._parts)
        for row, part in enumerate(entry.parts if entry is not None else ()):
            fate = QComboBox()
            fate.addItems(list(FATES))
            fate.setCurrentIndex(FATES.index(part.fate))
            fate.setAccessibleName(f"what became of {part.name}")
            fate.activated.connect(lambda at, number=part.number: self._set_fate(number, at))
            at = "" if part.lost_layer is None else f"at layer {part.lost_layer + 1}"
            self._parts.addWidget(label(part.name), row, 0)
            self._parts.addWidget(fate, row, 1)
            self._parts.addWidget(label(at, "faint"), row, 2)
        self._parts.setColumnStretch(0, 1)

    def _show_pictures(self, of: Details | None) -> None:
        emptied(self._pictures)
        pictures = of.pictures if of is not None else ()
        for at, (name, content) in enumerate(pictures[:MOST_THUMBS]):
            self._pictures.addWidget(Thumb(name, content, partial(self._open_picture, pictures, at)))
        if len(pictures) > MOST_THUMBS:
            self._pictures.addWidget(label(f"{len(pictures) - MOST_THUMBS} more: open one, then Right", "faint"))
        self._pictures.addStretch(1)

    def _open_picture(self, pictures: Pictures, at: int) -> None:
        self.large = PictureView(pictures, at, self)
        self.large.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.large.show()

    def _set_fate(self, number: int, at: int) -> None:
        def fated(entry: Entry) -> Entry:
            part = entry.part(number)
            lost_layer = part.lost_layer if FATES[at] == "lost" else None
            return entry.with_part(replace(part, fate=FATES[at], lost_layer=lost_layer))

        self._session.logging.change(fated)

    def _set_cause(self, row: int) -> None:
        key = str(self.cause.itemData(row))
        if self._shown is not None:
            warned = had_warned(key, self._shown.entry.findings) if key else None
            self._write(cause=key, warned=warned)

    def _write(self, **values: object) -> None:
        self._session.logging.change(lambda entry: replace(entry, **values))  # type: ignore[arg-type]


def said_text(entry: Entry) -> str:
    """What was said and what came of it, a line each."""
    told = entry.told
    margin = "nothing hung on tips" if told.margin is None else f"weakest tip {margin_text(told.margin)}"
    if told.margin_low is not None and told.margin_high is not None:
        margin += f" ({told.margin_low:.1f} to {told.margin_high:.1f})"
    lines = [f"Said: {margin}" + ("" if told.plate_margin is None else f", plate {margin_text(told.plate_margin)}")]
    took = "" if entry.seconds is None else f", took {hours_text(entry.seconds)} (×{entry.seconds / max(told.seconds, 1):.2f})"
    lines.append(f"Time: said {hours_text(told.seconds)}{took}")
    used = "" if entry.used_ml is None else f", used {entry.used_ml:.1f} mL by scale"
    lines.append(f"Resin: said {told.resin_ml:.1f} mL{used}")
    warm = "" if entry.vat_c is None else f"vat {entry.vat_c:.1f} °C; "
    fitted = f"a bench fitted from {entry.fitted} prints" if entry.fitted else "a bench of defaults"
    lines.append(f"{entry.printer}, {entry.resin}, {entry.film}; {warm}{fitted}; {entry.source}")
    return "\n".join(lines)


def warned_text(entry: Entry) -> str:
    """Whether a finding had warned of what failed."""
    if not entry.cause:
        return ""
    cause = BY_KEY.get(entry.cause)
    if cause is None:
        return ""
    warned = had_warned(entry.cause, entry.findings)
    if warned is None:
        return f"{cause.name.capitalize()}: nothing that is predicted warns of this."
    return f"{cause.name.capitalize()}: " + ("a finding had warned of it." if warned else "no finding had warned of it.")


def shown_of(of: Details) -> Shown | None:
    """A logged print as the strip draws it."""
    e, m = of.expected, of.measured
    if e is None:
        return None
    pull, seconds, warm = (np.full(e.layers, np.nan) for _ in range(3))
    last = -1
    if m is not None and len(m):
        k = m.layer[m.layer < e.layers]
        for array, values in ((pull, m.pull_n), (seconds, m.seconds), (warm, m.vat_c)):
            array[k] = values[: len(k)]
        last = int(k[-1])
    alarms = tuple(("lost", p.lost_layer) for p in of.entry.parts if p.lost_layer is not None)
    return Shown(e, pull, seconds, warm, np.full(e.layers, np.nan), last, alarms)
