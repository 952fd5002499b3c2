"""What every step's panel is: a title, its reason, controls, perhaps in leaves, and a refresh when the job moves on."""

from __future__ import annotations

from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from wideberth.core.job import Job, Part
from wideberth.core.plan import DEFERS, cautions_of
from wideberth.desktop.glossary import words_of
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import label
from wideberth.desktop.steps.leaves import Leaves
from wideberth.desktop.style import PlainLabel, tip
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
        title = PlainLabel(STEP_NAMES[self.name])
        title.setProperty("role", "title")
        title.setToolTip(tip(words_of(self.name)))
        self.box.addWidget(title)
        self.box.addWidget(label(self.why, "reason"))
        self.build()
        self.reason = label("", "")
        self.box.addWidget(self.reason)
        self.box.addStretch(1)
        for caution in cautions_of(self.name):
            self.box.addWidget(label(f"{caution.head}. {caution.text}", "caution"))
        if self.name == "handover":
            self.box.addWidget(label(DEFERS, "caution"))
        self._stale = False
        for signal in (
            session.document.changed,
            session.selection.part_chosen,
            session.predicting.predicted,
            session.proposing.proposed,
            session.training.changed,
        ):
            signal.connect(self.refresh)
        self.show_job(self.part)

    @property
    def job(self) -> Job:
        return self.session.job

    @property
    def part(self) -> Part | None:
        """The chosen part, or None when there is none."""
        return self.session.selection.present

    def build(self) -> None:
        """Add the controls."""

    def show_job(self, part: Part | None) -> None:
        """Show the present recipe."""

    def refresh(self) -> None:
        """Show the job as it is now; a step that is not seen does so when it is next looked at."""
        self._stale = not self.isVisible()
        if not self._stale:
            self.show_job(self.part)

    def showEvent(self, _event: QShowEvent) -> None:
        if self._stale:
            self.refresh()

    def add_page(self, name: str, hint: str, is_open: bool = True) -> None:
        """A button, first down or not, that lets the step's page stand in the views' place."""
        sight = self.session.sight
        self.page = QPushButton(name)
        self.page.setCheckable(True)
        self.page.setToolTip(hint)
        self.page.toggled.connect(lambda wanted: sight.open_page(self.name, wanted))
        self.page.setChecked(is_open)
        self.box.addWidget(self.page)

    def change(self, name: str, part: Part) -> None:
        """Replace the chosen part."""
        self.session.document.change(name, self.job.with_part(part))


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
        self.tabs = Leaves(list(leaves))
        self.tabs.turned.connect(self.turn_to)
        self.box.addWidget(self.tabs)
        self.holder = QWidget()  # no stack: it would be as high as its highest leaf
        pages = QVBoxLayout(self.holder)
        pages.setContentsMargins(0, 0, 0, 0)
        for number, leaf in enumerate(leaves.values()):
            leaf.setVisible(number == 0)
            pages.addWidget(leaf)
        self.box.addWidget(self.holder)

    def turn_to(self, name: str) -> None:
        """Open one of the leaves."""
        self.tabs.show_turned(name)
        for other, leaf in self.leaves.items():
            leaf.setVisible(other == name)
        self.turned_to(name)

    def turned_to(self, name: str) -> None:
        """What else happens when a leaf is opened."""

    def show_job(self, part: Part | None) -> None:
        for leaf in self.leaves.values():
            leaf.show_part(part)
        self.reason.setText("")
