"""What letting go of dragged files would do, said while they are over the window."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

from wideberth.core.model import PACKED
from wideberth.core.naming import shown
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.files import opens_job
from wideberth.desktop.style import PlainLabel
from wideberth.desktop.words import count


class DropNote(PlainLabel):
    """A card in the middle of the window. It is a window of its own: the 3D view would draw over anything else."""

    def __init__(self, over: QWidget) -> None:
        super().__init__("", over)
        self.setObjectName("drop")
        self.setWindowFlags(Qt.WindowType.ToolTip | Qt.WindowType.WindowTransparentForInput)
        self.setAttribute(Qt.WidgetAttribute.WA_ShowWithoutActivating)
        self._over = over

    def tell(self, text: str) -> None:
        """Say it, over the middle."""
        self.setText(text)
        self.adjustSize()
        middle = self._over.mapToGlobal(self._over.rect().center())
        self.move(middle.x() - self.width() // 2, middle.y() - self.height() // 2)
        self.show()


def what_a_drop_does(paths: list[Path], document: Document) -> str:
    """One sentence, two where something is asked first."""
    strange = [p for p in paths if p.suffix.lower() not in PACKED]
    if strange:
        return f"{shown(strange[0].name)} is no model and no job: it cannot be opened"
    if opens_job(paths):
        asks = ". What is not saved is asked about first" if document.may_be_lost else ""
        return f"Let go to open the job {shown(paths[0].stem)} in place of this one{asks}"
    which = shown(paths[0].name) if len(paths) == 1 else count(len(paths), "model file")
    if document.job.parts:
        return f"Let go to put {which} onto this plate or into a new job: you are asked which"
    return f"Let go to put {which} onto the plate"
