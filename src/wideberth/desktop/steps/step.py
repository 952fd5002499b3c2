"""What every step's panel is: a title, its reason, controls, perhaps in leaves, and a refresh when the job moves on."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel, QStackedWidget, QVBoxLayout, QWidget

from wideberth.core.job import Job, Part
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import label
from wideberth.desktop.steps.leaves import Leaves
from wideberth.desktop.words import STEP_NAMES


class Step(QWidget):
    """Base of the panels. Subclasses add controls to `box` in `build` and show the job in `show_job`."""

    name = ""
    why = ""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(14, 10, 12, 10)
        self.box.setSpacing(9)
        title = QLabel(STEP_NAMES[self.name])
        title.setProperty("role", "title")
        self.box.addWidget(title)
        self.box.addWidget(label(self.why, "reason"))
        self.build()
        self.reason = label("", "")
        self.box.addWidget(self.reason)
        self.box.addStretch(1)
        for signal in (session.job_changed, session.part_chosen, session.predicted):
            signal.connect(self.refresh)
        self.refresh()

    @property
    def job(self) -> Job:
        return self.session.job

    @property
    def part(self) -> Part | None:
        """The chosen part, or None when there is none."""
        return self.session.present_part

    def build(self) -> None:
        """Add the controls."""

    def show_job(self, part: Part | None) -> None:
        """Show the present recipe."""

    def refresh(self) -> None:
        self.show_job(self.part)

    def change(self, name: str, part: Part) -> None:
        """Replace the chosen part."""
        self.session.change(name, self.job.with_part(part))


class Leaf(QWidget):
    """One leaf of a step. Subclasses add controls to `box` in `build` and show the chosen part in `show_part`."""

    def __init__(self, step: LeavedStep) -> None:
        super().__init__()
        self._step, self._session = step, step.session
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 2, 0, 0)
        self.box.setSpacing(7)
        self.build()

    def build(self) -> None:
        """Add the controls."""

    def show_part(self, part: Part | None) -> None:
        """Show the chosen part."""


class LeavedStep(Step):
    """A step whose controls are in leaves. Subclasses call `add_leaves` in `build`; each leaf shows a part in `show_part`."""

    def add_leaves(self, leaves: dict[str, Leaf]) -> None:
        """Add the leaves under a row of their names, the first open."""
        self.leaves = leaves
        self.stack = QStackedWidget()
        for leaf in leaves.values():
            self.stack.addWidget(leaf)
        self.tabs = Leaves(list(leaves))
        self.tabs.turned.connect(self.turn_to)
        self.box.addWidget(self.tabs)
        self.box.addWidget(self.stack)

    def turn_to(self, name: str) -> None:
        """Open one of the leaves."""
        self.tabs.show_turned(name)
        self.stack.setCurrentWidget(self.leaves[name])
        self.turned_to(name)

    def turned_to(self, name: str) -> None:
        """What else happens when a leaf is opened."""

    def show_job(self, part: Part | None) -> None:
        for leaf in self.leaves.values():
            leaf.show_part(part)
        self.reason.setText("")
