"""The quote: what a job costs, line by line, and for several counts."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QAbstractItemView, QTableWidgetItem, QVBoxLayout, QWidget

from wideberth.core.handover import NOT_PRICED, beside_row, quote_rows, sum_text, total_text
from wideberth.core.plan import Beside
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import label
from wideberth.desktop.style import DAY, reading_table, typeface

BESIDE = ("state", "printer", "total", "each", "h", "mL", "holds")
HEADS = ("", "amount", "at", "sum", "")


class QuoteSheet(QWidget):
    """Reads the plan's quotes; a line without a price says so."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.table = reading_table(HEADS, len(HEADS) - 1, "the quote, line by line")
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.table.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.total = label("")
        self.total.setStyleSheet("font-size: 15pt;")
        self.counts = label("", "faint")
        self.beside = reading_table(BESIDE, 0, "variants and printers side by side")
        self.beside.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.beside.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.beside.setVisible(False)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addWidget(self.table, 3)
        box.addWidget(self.total)
        box.addWidget(self.counts)
        box.addWidget(self.beside, 2)
        session.document.changed.connect(lambda: self.show_beside(()))
        session.planning.told_beside.connect(self.show_beside)

    def refresh(self) -> None:
        """Show the quotes of what is known."""
        quotes = self._session.planning.quotes()
        if not quotes:
            self.table.setRowCount(0)
            self.total.setText("")
            self.counts.setText("")
            return
        first, rows = quotes[0], quote_rows(quotes[0])
        self.table.setHorizontalHeaderLabels([h if h != "sum" else f"sum {first.currency}".strip() for h in HEADS])
        self.table.setRowCount(len(rows))
        for row, texts in enumerate(rows):
            for column, text in enumerate(texts):
                self.table.setItem(row, column, _cell(text, column, texts[3] == NOT_PRICED))
        self.total.setText(total_text(first))
        told = [f"{q.count} sets {sum_text(q.total, q.currency)}, {sum_text(q.each)} each" for q in quotes[1:]]
        self.counts.setText("By count: " + " · ".join(told) if told else "")

    def show_beside(self, ways: tuple[Beside, ...]) -> None:
        """Ways to make the job below its quote; none once the job is another one."""
        self.beside.setVisible(bool(ways))
        self.beside.clearSpans()
        self.beside.setRowCount(len(ways))
        for row, way in enumerate(ways):
            for column, text in enumerate((way.name, way.printer, *beside_row(way))):
                item = QTableWidgetItem(text)
                item.setFont(typeface(10.5))
                if column > 1 and way.quote is not None:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if way.quote is None and column > 1:
                    item.setForeground(QColor(DAY.faint))
                self.beside.setItem(row, column, item)
            if way.quote is None:
                self.beside.setSpan(row, 2, 1, len(BESIDE) - 2)


def _cell(text: str, column: int, missing: bool) -> QTableWidgetItem:
    item = QTableWidgetItem(text)
    right = Qt.AlignmentFlag.AlignRight if column in (1, 2, 3) else Qt.AlignmentFlag.AlignLeft
    item.setTextAlignment(right | Qt.AlignmentFlag.AlignVCenter)
    item.setFont(typeface(9.5 if column == 4 else 10.5))
    if column == 4:
        item.setForeground(QColor(DAY.faint))
    elif missing and column == 3:
        item.setForeground(QColor(DAY.hazard))
    return item
