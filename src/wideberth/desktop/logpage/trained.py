"""The trainer's sheet: the shelf, what was guessed, and how it went."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QAbstractItemView, QTableWidgetItem, QVBoxLayout, QWidget

from wideberth.desktop.session import Session
from wideberth.desktop.session.training import Outcome
from wideberth.desktop.steps.fields import label
from wideberth.desktop.style import DAY, reading_table
from wideberth.desktop.words import margin_text

HEADS = ("model", "what makes it awkward", "tried", "best of 100")


class TrainerSheet(QWidget):
    """All models with the best points for each, and the exercise that is open."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.table = reading_table(HEADS, 1, "models of the shelf")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.state = label("")
        self.state.setStyleSheet("font-size: 13pt;")
        self.told = label("")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(10)
        box.addWidget(self.table, 1)
        box.addWidget(self.state)
        box.addWidget(self.told)
        box.addStretch(1)
        session.training.changed.connect(self.refresh)
        session.logging.listed.connect(self.refresh)
        session.printing.moved.connect(self._moved)
        self.refresh()

    def refresh(self) -> None:
        """Show the shelf and the exercise."""
        training, known = self._session.training, self._session.logging.known
        row = self.table.currentRow()
        self.table.setRowCount(len(training.shelf))
        for n, model in enumerate(training.shelf):
            tried = sum(e.model == model.key for e in known.exercises) if known is not None else 0
            best = training.best(model)
            for column, text in enumerate(
                (model.title, model.why, f"{tried}" if tried else "–", "–" if best is None else f"{best}")
            ):
                item = QTableWidgetItem(text)
                if column > 1:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if column == 1:
                    item.setForeground(QColor(DAY.faint))
                self.table.setItem(n, column, item)
        self.table.setCurrentCell(max(row, 0), 0)
        self._moved()

    def _moved(self) -> None:
        training = self._session.training
        if training.model is None:
            self.state.setText("No exercise")
            self.told.setText(
                "Put a model on the plate, give it a pose, holes and supports as you would, and say what you expect. The verdict "
                "stays covered until then; a simulated printer tells who was right."
            )
        elif training.guess is None:
            self.state.setText(f"{training.model.title}: {training.model.why}")
            self.told.setText(
                "Pose, drain and support it, then say your margin, the height where it is weakest, and the chance of a loss."
            )
        elif training.outcome is None:
            self.state.setText(f"{training.model.title}: being printed, {100 * self._session.printing.share:.0f} %")
            self.told.setText("")
        else:
            self.state.setText(f"{training.model.title}: {training.outcome.points.total} of 100 points")
            self.told.setText(outcome_text(training.outcome))


def outcome_text(of: Outcome) -> str:
    """How an exercise went, a line for each kind of points."""
    p, g = of.points, of.guess
    happened = f"{', '.join(of.lost)} was lost" if of.lost else "nothing was lost"
    return (
        f"Margin: you said {margin_text(g.margin)}, the verdict is {margin_text(of.margin)}: {p.margin} of 40.\n"
        f"Weakest: you said {g.z_mm:.1f} mm, it is at {of.z_mm:.1f} mm: {p.place} of 20.\n"
        f"What happened: you gave a loss {100 * g.chance:.0f} %, and {happened}: {p.outcome} of 40."
    )
