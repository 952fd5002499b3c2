"""Questions that stop the work until they are answered: before something is lost."""

from __future__ import annotations

import sys
from datetime import datetime
from pathlib import Path

from PySide6.QtCore import QProcess, Qt
from PySide6.QtWidgets import QMessageBox, QWidget

from wideberth.core.job import Job, LeftBehind

SAVE_FIRST, OTHER_WINDOW, LET_GO, STAY = "Save first", "In another window", "Do not save", "Go back"
ONTO_PLATE, NEW_JOB = "Onto this plate", "A new job"
WRITE_OVER, OTHER_NAME = "Write over it", "Another name…"
TAKE_UP, THROW_AWAY, LATER = "Open it", "Throw it away", "Not now"


def choose(parent: QWidget, question: str, more: str, answers: tuple[str, ...]) -> str:
    """Ask, and wait for one of some answers; the last one is what closing the box means."""
    box = QMessageBox(QMessageBox.Icon.NoIcon, "Wide Berth", question, QMessageBox.StandardButton.NoButton, parent)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setInformativeText(more)
    buttons = [(answer, box.addButton(answer, QMessageBox.ButtonRole.ActionRole)) for answer in answers]
    box.setEscapeButton(buttons[-1][1])
    box.setDefaultButton(buttons[0][1])
    box.exec()
    return next((answer for answer, button in buttons if button is box.clickedButton()), answers[-1])


def about_unsaved(parent: QWidget, job: Job, saved_before: bool) -> str:
    """What to do with a job that another is to replace."""
    more = "Its last saved state stays in its file." if saved_before else "It was never saved."
    answers = (SAVE_FIRST, OTHER_WINDOW, LET_GO, STAY)
    return choose(parent, f"“{job.title}” has changes that are not saved.", more, answers)


def about_closing(parent: QWidget, job: Job) -> str:
    """What to do with an unsaved job when the window closes."""
    return choose(parent, f"“{job.title}” has changes that are not saved.", "", (SAVE_FIRST, LET_GO, STAY))


def about_models(parent: QWidget, job: Job, names: list[str]) -> str:
    """Whether models are to stand on the plate of the open job."""
    more = f"“{job.title}” is open. What does not fit on its plate stands beside it."
    which = ", ".join(names[:3]) + (" and more" if len(names) > 3 else "")
    return choose(parent, f"Where is {which} to go?", more, (ONTO_PLATE, NEW_JOB, STAY))


def about_changed_file(parent: QWidget, path: Path) -> str:
    """Whether a file that somebody else has written meanwhile is to be written over."""
    more = "What is there now would be lost."
    return choose(
        parent, f"{path.name} was changed by somebody else since it was opened here.", more, (OTHER_NAME, WRITE_OVER, STAY)
    )


def about_left_behind(parent: QWidget, left: LeftBehind) -> str:
    """Whether unsaved work of a program that was killed is to be opened."""
    when = datetime.fromtimestamp(left.when).strftime("%d %B, %H:%M")
    more = f"Of {left.of}, as it was on {when}." if left.of is not None else f"As it was on {when}; it was never saved."
    return choose(parent, f"“{left.title}” was not saved when the program ended.", more, (TAKE_UP, THROW_AWAY, LATER))


def open_elsewhere(paths: list[Path]) -> None:
    """Open files in a window of their own."""
    QProcess.startDetached(sys.executable, ["-m", "wideberth", "window", *map(str, paths)])
