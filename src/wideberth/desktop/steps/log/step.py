"""The log's controls, each leaf with its sheet on the page."""

from __future__ import annotations

from wideberth.desktop.steps.log.grade import GradeLeaf
from wideberth.desktop.steps.log.learn import LearnLeaf
from wideberth.desktop.steps.log.live import LiveLeaf
from wideberth.desktop.steps.log.prints import PrintsLeaf
from wideberth.desktop.steps.log.record import RecordLeaf
from wideberth.desktop.steps.log.trainer import TrainerLeaf
from wideberth.desktop.steps.step import LeavedStep

SHEETS = {"Prints": "Prints", "Grade": "Prints", "Live": "Live", "Learn": "Learn", "How good": "How good", "Trainer": "Trainer"}
"""The page's sheet of each leaf."""


class LogStep(LeavedStep):
    """What happened, what happens, what it teaches."""

    name = "log"
    why = "what happened, and what it teaches"

    def build(self) -> None:
        self.add_page("The log", "the page in place of the views")
        self.add_leaves(
            {
                "Prints": PrintsLeaf(self),
                "Grade": GradeLeaf(self),
                "Live": LiveLeaf(self),
                "Learn": LearnLeaf(self),
                "How good": RecordLeaf(self),
                "Trainer": TrainerLeaf(self),
            }
        )
        self.box.addStretch(1)

    def turned_to(self, name: str) -> None:
        self.session.logging.turn_to(SHEETS[name])
