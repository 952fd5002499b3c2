"""What every step's panel is: a title, its reason, controls, and a refresh when the job moves on."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from wideberth.core.job import Job, PartRecipe
from wideberth.desktop.session import Session
from wideberth.desktop.steps.fields import label
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
    def part(self) -> PartRecipe | None:
        """The chosen part, or None when there is none."""
        return self.job.parts[self.session.part] if self.job.parts else None

    def build(self) -> None:
        """Add the controls."""

    def show_job(self, part: PartRecipe | None) -> None:
        """Show the present recipe."""

    def refresh(self) -> None:
        self.show_job(self.part)

    def change(self, name: str, part: PartRecipe) -> None:
        """Replace the chosen part."""
        self.session.change(name, self.job.with_part(self.session.part, part))
