"""Leaves of a panel: words in a row, the open one underlined, as the index of an almanac."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QPushButton, QWidget

APART_PX = 2


class Leaves(QWidget):
    """Words to turn to, in a row, or in more where there is no room for all. Signal: turned (name)."""

    turned = Signal(str)

    def __init__(self, names: list[str]) -> None:
        super().__init__()
        self._buttons: dict[str, QPushButton] = {}
        for name in names:
            made = QPushButton(name, self)
            made.setProperty("role", "leaf")
            made.setCheckable(True)
            made.setAutoExclusive(True)
            made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            made.clicked.connect(lambda _=False, n=name: self.turned.emit(n))
            self._buttons[name] = made
        self._buttons[names[0]].setChecked(True)

    def show_turned(self, name: str) -> None:
        """Mark a leaf as the open one without telling anyone."""
        self._buttons[name].setChecked(True)

    @property
    def turned_name(self) -> str:
        """The open leaf."""
        (name,) = (name for name, button in self._buttons.items() if button.isChecked())
        return name

    def sizeHint(self) -> QSize:
        sizes = [b.sizeHint() for b in self._buttons.values()]
        return QSize(sum(s.width() + APART_PX for s in sizes), max(s.height() for s in sizes))

    def minimumSizeHint(self) -> QSize:
        return QSize(max(b.sizeHint().width() for b in self._buttons.values()), self.sizeHint().height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        x, y, height = 0, 0, self.sizeHint().height()
        for button in self._buttons.values():
            width = button.sizeHint().width()
            if x and x + width > self.width():
                x, y = 0, y + height
            button.setGeometry(x, y, width, height)
            x += width + APART_PX
        self.setFixedHeight(y + height)
