"""The page of the log: its open sheet in the place of the views."""

from __future__ import annotations

from functools import cached_property

from wideberth.desktop.logpage.learning import LearnSheet
from wideberth.desktop.logpage.live import LiveSheet
from wideberth.desktop.logpage.prints import PrintsSheet
from wideberth.desktop.logpage.reckoned import AccuracySheet
from wideberth.desktop.logpage.trained import TrainerSheet
from wideberth.desktop.session import Session
from wideberth.desktop.style import SheetPage

NAMES = {
    "Prints": "Prints",
    "Live": "The run",
    "Learn": "What prints teach",
    "How good": "How good were we?",
    "Trainer": "The trainer's shelf",
}


class LogPage(SheetPage):
    """Prints, the run that is under way, what is learnt, how good predictions were, the trainer; as the step has it open."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        sheets = (lambda: self.prints, lambda: self.live, lambda: self.learn, lambda: self.accuracy, lambda: self.trainer)
        self.add_sheets(dict(zip(NAMES, sheets, strict=True)))
        session.logging.turned.connect(self.refresh)
        self.refresh()

    @cached_property
    def prints(self) -> PrintsSheet:
        return PrintsSheet(self._session)

    @cached_property
    def live(self) -> LiveSheet:
        return LiveSheet(self._session)

    @cached_property
    def learn(self) -> LearnSheet:
        return LearnSheet(self._session)

    @cached_property
    def accuracy(self) -> AccuracySheet:
        return AccuracySheet(self._session)

    @cached_property
    def trainer(self) -> TrainerSheet:
        return TrainerSheet(self._session)

    def showEvent(self, _event: object) -> None:
        self._session.logging.look(True)

    def hideEvent(self, _event: object) -> None:
        self._session.logging.look(False)

    def refresh(self) -> None:
        """Turn to the sheet that is open."""
        sheet = self._session.logging.sheet
        self.open_sheet(sheet, NAMES[sheet])
