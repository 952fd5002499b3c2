"""Leaves of a panel: words in a row, the open one underlined, as the index of an almanac."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget


class Leaves(QWidget):
    """A row of words to turn to. Signal: turned (name)."""

    turned = Signal(str)

    def __init__(self, names: list[str]) -> None:
        super().__init__()
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        self._buttons: dict[str, QPushButton] = {}
        for name in names:
            made = QPushButton(name)
            made.setProperty("role", "leaf")
            made.setCheckable(True)
            made.setAutoExclusive(True)
            made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            made.clicked.connect(lambda _=False, n=name: self.turned.emit(n))
            box.addWidget(made)
            self._buttons[name] = made
        box.addStretch(1)
        self._buttons[names[0]].setChecked(True)

    def show_turned(self, name: str) -> None:
        """Mark a leaf as the open one without telling anyone."""
        self._buttons[name].setChecked(True)
