"""A page of several sheets, of which one is open, under its title."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from wideberth.desktop.style.plain import PlainLabel


class SheetPage(QWidget):
    """Base of the pages whose step opens one sheet or another. Subclasses hand theirs to `add_sheets`."""

    def add_sheets(self, sheets: Mapping[str, Callable[[], QWidget]]) -> None:
        """Lay the page out, by the names of its sheets; each is asked for when it is first opened."""
        self.title = PlainLabel("")
        self.title.setProperty("role", "title")
        self.sheets = dict(sheets)
        self.stack = QStackedWidget()
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 6, 6, 4)
        box.setSpacing(6)
        box.addWidget(self.title)
        box.addWidget(self.stack, 1)

    def open_sheet(self, name: str, title: str) -> None:
        """Show a sheet under a title."""
        self.title.setText(title)
        sheet = self.sheets[name]()
        if self.stack.indexOf(sheet) < 0:
            self.stack.addWidget(sheet)
        self.stack.setCurrentWidget(sheet)
