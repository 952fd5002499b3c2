"""The status line: undo by name, files, what is being computed, and a way to stop it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QMenu, QProgressBar, QPushButton, QWidget

from wideberth.core.job import recent_jobs
from wideberth.desktop.session import Session
from wideberth.desktop.style import PlainLabel, tip

SHOW_PROGRESS_AFTER_MS = 400
WORD_MS = 12000


class StatusLine(QWidget):
    """One line at the foot of the window.

    Signals: chosen (the file of a recent job).
    """

    chosen = Signal(Path)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("status")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self.open, self.save = QPushButton("Open…"), QPushButton("Save")
        self.recent = QPushButton("Recent")
        self.recent.setMenu(QMenu(self.recent))
        self.recent.menu().aboutToShow.connect(self._list_recent)
        self.undo, self.redo = QPushButton("Undo"), QPushButton("Redo")
        self.word = PlainLabel("")
        self.word.setProperty("role", "faint")
        self.state = PlainLabel("")
        self.state.setProperty("role", "faint")
        self.bar = QProgressBar()
        self.bar.setFixedSize(150, 10)
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 1000)
        self.stop = QPushButton("Stop")
        for button in (self.open, self.recent, self.save, self.undo, self.redo, self.stop):
            button.setProperty("role", "quiet")
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 5, 14, 5)
        row.setSpacing(8)
        for widget in (self.open, self.recent, self.save, self.undo, self.redo):
            row.addWidget(widget)
        row.addWidget(self.word, 1)
        for widget in (self.bar, self.stop, self.state):
            row.addWidget(widget)
        self._patience = QTimer(self)
        self._patience.setSingleShot(True)
        self._patience.timeout.connect(lambda: self._show_bar(True))
        self._forget = QTimer(self)
        self._forget.setSingleShot(True)
        self._forget.timeout.connect(lambda: self.word.setText(""))
        self.undo.clicked.connect(session.document.undo)
        self.redo.clicked.connect(session.document.redo)
        self.stop.clicked.connect(session.tasks.cancel)
        session.document.changed.connect(self.refresh)
        session.document.filed.connect(self.refresh)
        session.tasks.busy.connect(self._busy)
        session.messages.said.connect(self.say)
        self._show_bar(False)
        self.refresh()

    def refresh(self) -> None:
        history = self._session.document.history
        self.undo.setText(f"Undo: {history.undo_label}"[:44] if history.undo_label else "Undo")
        self.redo.setText(f"Redo: {history.redo_label}"[:44] if history.redo_label else "Redo")
        self.undo.setEnabled(history.undo_label is not None)
        self.redo.setEnabled(history.redo_label is not None)
        self.save.setEnabled(self._session.has_parts)
        name = self._session.document.path.name if self._session.document.path else "not saved yet"
        self.state.setText(name if self._session.document.is_saved or not self._session.document.path else f"{name}, changed")

    def _list_recent(self) -> None:
        """The last jobs by name, each with the folder it is in."""
        menu = self.recent.menu()
        menu.clear()
        for path in recent_jobs():
            entry = menu.addAction(f"{path.stem}    {path.parent}".replace("&", "&&"))
            entry.triggered.connect(lambda _=False, path=path: self.chosen.emit(path))
        if menu.isEmpty():
            menu.addAction("no job was saved yet").setEnabled(False)

    def say(self, text: str) -> None:
        """A word that fades."""
        self.word.setText(self.word.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, max(120, self.word.width())))
        self.word.setToolTip(tip(text))
        self._forget.start(WORD_MS)

    def _busy(self, fraction: float, phrase: str) -> None:
        if fraction < 0:
            self._patience.stop()
            self._show_bar(False)
            return
        self.bar.setValue(int(1000 * fraction))
        self.bar.setToolTip(tip(phrase))
        self.bar.setAccessibleName(phrase)
        if not self.bar.isVisible() and not self._patience.isActive():
            self._patience.start(SHOW_PROGRESS_AFTER_MS)
        if self.bar.isVisible():
            self.state.setText(phrase)

    def _show_bar(self, shown: bool) -> None:
        self.bar.setVisible(shown)
        self.stop.setVisible(shown)
        if not shown:
            self.refresh()
