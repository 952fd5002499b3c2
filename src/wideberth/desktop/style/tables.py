"""Tables that are read and not written to, in the program's dress."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget


def reading_table(heads: Sequence[str], stretched: int, name: str) -> QTableWidget:
    """A table without a grid, as wide as its place: one of its columns takes what the others leave."""
    table = QTableWidget(0, len(heads))
    table.setHorizontalHeaderLabels(list(heads))
    table.verticalHeader().setVisible(False)
    table.setShowGrid(False)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setAccessibleName(name)
    header = table.horizontalHeader()
    header.setHighlightSections(False)
    header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    header.setSectionResizeMode(stretched, QHeaderView.ResizeMode.Stretch)
    return table
