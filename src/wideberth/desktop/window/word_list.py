"""Words and keys: what each means and does, searched as one types."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QLineEdit, QTextBrowser, QVBoxLayout, QWidget

from wideberth.desktop.glossary import GLOSSARY, matching
from wideberth.desktop.style import DAY

WORDS = tuple((word.head, word.means) for word in GLOSSARY)


class WordList(QDialog):
    """One list of the craft's words and of the keys; it stays open beside the work."""

    def __init__(self, keys: tuple[tuple[str, str], ...], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Words and keys")
        self.setObjectName("paper")
        self.resize(560, 620)
        self._keys = keys
        self.search = QLineEdit()
        self.search.setPlaceholderText("a word, another name for it, a key, or what you want to do")
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName("Search words and keys")
        self.list = QTextBrowser()
        self.list.setOpenLinks(False)
        self.list.setFrameShape(QTextBrowser.Shape.NoFrame)
        self.list.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 14, 16, 14)
        box.addWidget(self.search)
        box.addWidget(self.list, 1)
        self.search.textChanged.connect(self._show)
        self._show("")

    def _show(self, text: str) -> None:
        words, keys = matching(text, WORDS), matching(text, self._keys)
        shown = _table("Words", words) + _table("Keys", keys)
        self.list.setHtml(shown or f"<p style='color:{DAY.faint}'>Nothing by that name.</p>")


def _table(title: str, entries: list[tuple[str, str]]) -> str:
    """Entries under their title as markup; nothing where there are none."""
    if not entries:
        return ""
    cell = "style='padding: 3px 14px 3px 0'"
    rows = "".join(
        f"<tr><td {cell} width='190'><b>{escape(head)}</b></td><td {cell}>{escape(means)}</td></tr>" for head, means in entries
    )
    return f"<p style='color:{DAY.faint}; margin: 8px 0 2px 0'>{title}</p><table cellspacing='0'>{rows}</table>"
