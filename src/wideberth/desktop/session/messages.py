"""What the program says to its user, wherever it comes from."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal


class Messages(QObject):
    """Signals: said (a word for the status line), warned (an error to show)."""

    said = Signal(str)
    warned = Signal(str)

    def say(self, text: str) -> None:
        """A word that nobody has to answer."""
        self.said.emit(text)

    def warn(self, text: str) -> None:
        """Something was refused or went wrong; the job is as it was."""
        self.warned.emit(text)
