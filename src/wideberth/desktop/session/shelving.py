"""The shelf in the window: read beside, changed on what is there, told to whoever shows it."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from PySide6.QtCore import QObject, Signal

from wideberth.core.logbook import REAL, Entry
from wideberth.core.shelf import EMPTY, Shelf, ShelfFile, Vat, used_up
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.session.printing import Printing
from wideberth.desktop.session.tasks import Tasks


class Shelving(QObject):
    """Signal: changed (something else is on the shelf, or it was read)."""

    changed = Signal()

    def __init__(self, document: Document, tasks: Tasks, messages: Messages, printing: Printing) -> None:
        super().__init__()
        self._document, self._tasks, self._messages = document, tasks, messages
        self.shelf: Shelf = EMPTY
        self.chosen = ""
        """Id of the bottle that one pours from or into: of the bench's resin with something in it, until another is chosen."""
        self.clock: Callable[[], datetime] = datetime.now
        printing.over.connect(self._printed)

    @property
    def vat(self) -> Vat:
        """What is in the vat of the bench's printer."""
        return self.shelf.vat(self._document.job.bench.printer.name)

    def read(self) -> None:
        """Read what is there, which another window may have changed."""
        self._tasks.beside(lambda _: ShelfFile().read(), self._take)

    def do(self, act: Callable[[Shelf], Shelf], said: str = "") -> None:
        """Do something with what is there, and keep it; what cannot be done is said, and changes nothing."""

        def done(shelf: Shelf) -> None:
            self._take(shelf)
            if said:
                self._messages.say(said)

        self._tasks.beside(lambda _: ShelfFile().change(act), done)

    def _take(self, shelf: Shelf) -> None:
        if self.chosen not in {b.id for b in shelf.bottles}:
            wanted = self._document.job.bench.resin.name
            fitting = sorted(shelf.bottles, key=lambda b: (b.resin != wanted, b.left_ml < 1))
            self.chosen = fitting[0].id if fitting else ""
        if shelf != self.shelf:
            self.shelf = shelf
            self.changed.emit()

    def _printed(self, entry: Entry | None) -> None:
        """A run is over: what it took is out of the vat. A simulated printer takes nothing."""
        if entry is not None and entry.maker == REAL and entry.used_ml:
            printer, ml = entry.printer, entry.used_ml
            self.do(lambda shelf: used_up(shelf, printer, ml))
