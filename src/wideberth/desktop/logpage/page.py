"""The page of the log: its open sheet in the place of the views."""

from __future__ import annotations

from PySide6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from wideberth.desktop.logpage.learning import LearnSheet
from wideberth.desktop.logpage.live import LiveSheet
from wideberth.desktop.logpage.prints import PrintsSheet
from wideberth.desktop.logpage.reckoned import AccuracySheet
from wideberth.desktop.logpage.trained import TrainerSheet
from wideberth.desktop.session import Session
from wideberth.desktop.style import PlainLabel

NAMES = {
    "Prints": "Prints",
    "Live": "The run",
    "Learn": "What prints teach",
    "How good": "How good were we?",
    "Trainer": "The trainer's shelf",
}


class LogPage(QWidget):
    """Prints, the run that is under way, what is learnt, how good predictions were; as the step has it open."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.title = PlainLabel("")
        self.title.setProperty("role", "title")
        self.prints, self.live = PrintsSheet(session), LiveSheet(session)
        self.learn, self.accuracy, self.trainer = LearnSheet(session), AccuracySheet(session), TrainerSheet(session)
        self.sheets: dict[str, QWidget] = {
            "Prints": self.prints, "Live": self.live, "Learn": self.learn, "How good": self.accuracy,
            "Trainer": self.trainer,
        }  # fmt: skip
        self.stack = QStackedWidget()
        for sheet in self.sheets.values():
            self.stack.addWidget(sheet)
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 6, 6, 4)
        box.setSpacing(6)
        box.addWidget(self.title)
        box.addWidget(self.stack, 1)
        session.logging.turned.connect(self.refresh)
        self.refresh()

    def showEvent(self, _event: object) -> None:
        self._session.logging.look(True)

    def hideEvent(self, _event: object) -> None:
        self._session.logging.look(False)

    def refresh(self) -> None:
        """Turn to the sheet that is open."""
        sheet = self._session.logging.sheet
        self.title.setText(NAMES[sheet])
        self.stack.setCurrentWidget(self.sheets[sheet])
