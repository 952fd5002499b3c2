"""Text as it is: names, errors and currencies may hold what looks like markup."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QWidget


class PlainLabel(QLabel):
    """A label that shows its text and no markup."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)


def tip(text: str) -> str:
    """A text for a tool tip, which would take some for markup."""
    return f"<span>{escape(text)}</span>" if Qt.mightBeRichText(text) else text
