"""The variants tray: keep the job as it is under a name, and see states side by side in figures, pictures and over the height."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QColor, QIcon
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from wideberth.core.job import Job, Variant
from wideberth.core.naming import cleaned
from wideberth.core.propose import Compared
from wideberth.desktop.figures import Plot
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import button, label
from wideberth.desktop.style import DAY, PlainLabel, typeface
from wideberth.desktop.thumb import thumb
from wideberth.desktop.words import count

COLUMNS = (("resin", "mL", 1), ("time", "h", 1), ("price", "", 2), ("hold", "×", 1), ("plate", "×", 1), ("finishing", "min", 0),
           ("suction", "N", 1), ("trapped", "mL", 1), ("pull", "N", 1))  # fmt: skip
"""Name of a measure, its unit, and how many digits are shown."""
PICTURE = QSize(72, 54)
MOST_MARGIN = 6.0
DASHES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)


class VariantsPage(QWidget):
    """The present state first, then those that were kept. All is computed beside; nothing waits for it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.name = QLineEdit()
        self.name.setPlaceholderText("a name for the job as it is now")
        self.name.setAccessibleName("name of the state to keep")
        self.name.returnPressed.connect(self._keep)
        self.keep = button("Keep this state", self._keep, "main", "bench, parts, holes, supports and places, as they are now")
        self.take = button("Take it over", self._take, "", "the job becomes as it was then; undo takes that back")
        self.drop = button("Delete", self._drop, "quiet", "the kept state goes; undo brings it back")
        self.table = QTableWidget(0, 2 + len(COLUMNS))
        self._dress_table()
        self.pull, self.hold = Plot("pull of the part, N", "height, mm", 120), Plot("weakest margin, ×", "height, mm", 120)
        self.word = label("")
        self._lay_out()
        session.document.changed.connect(self.refresh)
        session.predicting.predicted.connect(self.refresh)
        session.comparing.told.connect(self.refresh)

    def _dress_table(self) -> None:
        table = self.table
        table.setHorizontalHeaderLabels(["", "state", *(f"{name}\n{unit}" for name, unit, _ in COLUMNS)])
        table.verticalHeader().setVisible(False)
        table.setShowGrid(False)
        table.setIconSize(PICTURE)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setEditTriggers(QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed)
        table.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        header = table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        header.setMinimumSectionSize(46)
        table.setAccessibleName("states of the job")
        table.itemChanged.connect(self._renamed)
        table.currentCellChanged.connect(lambda *_: self._chose())

    def _lay_out(self) -> None:
        title = PlainLabel("Variants")
        title.setProperty("role", "title")
        top = QHBoxLayout()
        top.setSpacing(8)
        top.addWidget(title)
        top.addSpacing(12)
        top.addWidget(self.name, 1)
        top.addWidget(self.keep)
        plots = QHBoxLayout()
        plots.setSpacing(8)
        plots.addWidget(self.pull, 1)
        plots.addWidget(self.hold, 1)
        foot = QHBoxLayout()
        foot.setSpacing(8)
        foot.addWidget(self.word, 1)
        foot.addWidget(self.drop)
        foot.addWidget(self.take)
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 6, 6, 4)
        box.setSpacing(8)
        box.addLayout(top)
        box.addWidget(self.table, 5)
        box.addLayout(foot)
        box.addLayout(plots, 4)

    def showEvent(self, _event: object) -> None:
        self.refresh()

    def hideEvent(self, _event: object) -> None:
        self._session.comparing.no_more()

    # what is shown

    @property
    def states(self) -> list[tuple[str, Job | Variant]]:
        """Name and state of each row."""
        job = self._session.job
        return [("as it is now", job), *((v.name, v) for v in job.variants)]

    def refresh(self) -> None:
        """Show every state with what is known of it, and have the rest worked out."""
        if not self.isVisible():
            return
        session = self._session
        self.keep.setEnabled(session.has_parts)
        if session.is_current or session.prediction is None:
            session.comparing.ask(session.job.variants)
        chosen, table = self.table.currentRow(), self.table
        table.blockSignals(True)
        table.setRowCount(len(self.states))
        now = session.comparing.known(session.job)
        price = [name for name, _, _ in COLUMNS].index("price") + 2
        self.table.horizontalHeaderItem(price).setText(f"price\n{session.job.bench.resin.currency or ' '}")
        for row, (name, state) in enumerate(self.states):
            self._show_row(row, name, session.comparing.known(state), now, session.comparing.failed(state))
        table.setCurrentCell(min(max(chosen, 0), table.rowCount() - 1), 1)
        table.blockSignals(False)
        self._draw()
        self._tell()

    def _show_row(self, row: int, name: str, known: Compared | None, now: Compared | None, failed: bool) -> None:
        table, picture, called = self.table, QTableWidgetItem(), QTableWidgetItem(name)
        if known is not None and known.mesh is not None:
            seen = thumb(known.mesh, np.eye(3), PICTURE.width(), PICTURE.height(), self.devicePixelRatioF())
            picture.setIcon(QIcon(seen))
        fixed = Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEnabled
        picture.setFlags(fixed)
        if row == 0:
            called.setFlags(fixed)
        table.setItem(row, 0, picture)
        table.setItem(row, 1, called)
        differences = known.differences(now) if known is not None and now is not None and row else {}
        for column, (measure, _, digits) in enumerate(COLUMNS):
            m = None if known is None else known.measure(measure)
            text = f"{m.value:.{digits}f}" if m is not None else "not priced" if known and measure == "price" else "–"
            text = "…" if known is None and not failed else text
            by = differences.get(measure)
            change = "" if by is None else f"{by.by:+.{digits}f}".replace("-", "−")
            shows = bool(change) and float(change.replace("−", "-")) != 0
            item = QTableWidgetItem(f"{text}\n{change}" if shows else text)
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            item.setFlags(fixed)
            item.setFont(typeface(9.5))
            if shows and by is not None and by.gains:
                item.setForeground(QColor(DAY.good))
            table.setItem(row, column + 2, item)
        table.setRowHeight(row, PICTURE.height() + 4)

    def _draw(self) -> None:
        """Pull and weakest margin over the height, the present state full, the others broken."""
        top, most = 1.0, 1.0
        for plot in (self.pull, self.hold):
            plot.clear()
        for row, (_, state) in enumerate(self.states):
            known = self._session.comparing.known(state)
            if known is None or len(known.z_mm) == 0:
                continue
            chosen = row == self.table.currentRow()
            colour, width = (DAY.hazard if chosen and row else DAY.ink), (2.0 if row == 0 or chosen else 1.0)
            dash = DASHES[row % len(DASHES)]
            weakest = np.fmin(known.hold, known.plate)
            held = np.isfinite(weakest)
            self.pull.curve(known.pull_n, known.z_mm, colour, width, dash)
            self.hold.curve(np.minimum(weakest[held], 2 * MOST_MARGIN), known.z_mm[held], colour, width, dash)
            top, most = max(top, float(known.z_mm[-1])), max(most, float(known.pull_n.max()))
        self.hold.upright(1.0, DAY.hazard)
        self.pull.window((0.0, 1.08 * most), (0.0, top))
        self.hold.window((0.0, MOST_MARGIN), (0.0, top))

    def _chose(self) -> None:
        self._draw()
        self._tell()

    def _tell(self) -> None:
        row, variants = self.table.currentRow(), self._session.job.variants
        kept = 0 < row <= len(variants)
        self.take.setEnabled(kept)
        self.drop.setEnabled(kept)
        if not variants:
            self.word.setText("No state has been kept yet. Keep one, change what you like, and compare.")
        elif not kept:
            self.word.setText(f"{count(len(variants), 'state')} kept. Differences are from the job as it is now.")
        else:
            self.word.setText(f"{variants[row - 1].name}: magenta in the curves. A double click on its name renames it.")

    # acts

    def _keep(self) -> None:
        job = self._session.job
        if not job.parts:
            return
        name = cleaned(self.name.text(), f"state {len(job.variants) + 1}")
        self.name.clear()
        self._session.document.change(f"keep a state: {name}", job.keep_variant(name))

    def _chosen(self) -> Variant | None:
        row, variants = self.table.currentRow(), self._session.job.variants
        return variants[row - 1] if 0 < row <= len(variants) else None

    def _take(self) -> None:
        kept = self._chosen()
        if kept is not None:
            self._session.document.change(f"take over: {kept.name}", self._session.job.take_variant(kept.id))

    def _drop(self) -> None:
        kept = self._chosen()
        if kept is not None:
            self._session.document.change(f"delete a kept state: {kept.name}", self._session.job.without_variant(kept.id))

    def _renamed(self, item: QTableWidgetItem) -> None:
        kept = self._session.job.variants
        if item.column() == 1 and 0 < item.row() <= len(kept):
            old = kept[item.row() - 1]
            name = cleaned(item.text(), old.name)
            if name != old.name:
                self._session.document.change(f"rename {old.name}: {name}", self._session.job.rename_variant(old.id, name))
            else:
                self.refresh()
