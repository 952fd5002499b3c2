"""A model of the trainer's shelf to try, and what one expects of it."""

from __future__ import annotations

from wideberth.core.job import Part
from wideberth.demo.trainer import Guess
from wideberth.desktop.steps.fields import NumberField, button, captioned, choice, label
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import margin_text


class TrainerLeaf(Leaf):
    """A model of the shelf to try, and what one expects of it."""

    def build(self) -> None:
        training = self._session.training
        self.model = choice("model of the shelf", [m.title for m in training.shelf])
        self.box.addWidget(captioned("Model", self.model))
        self.put = button("Put it on the plate", self._put, "main", "in place of the job that is open, which must be saved")
        self.box.addWidget(self.put)
        self.margin = NumberField("Weakest tip, margin", "×", 0.05, 20, 0.1)
        self.margin.set_value(1.5)
        self.z = NumberField("At the height", "mm", 0, 2000, 1)
        self.z.set_value(0.0)
        self.chance = NumberField("Chance of a loss", "%", 0, 100, 5)
        self.chance.set_value(20)
        self.box.addWidget(self.margin)
        self.box.addWidget(self.z)
        self.box.addWidget(button("Where the height cursor is", self._here, "quiet"))
        self.box.addWidget(self.chance)
        self.say = button("Say so, and print it", self._say, "main", "uncovers the verdict, and a simulated printer prints it")
        self.box.addWidget(self.say)
        self.leave = button("Leave the exercise", training.leave, "quiet", "the verdict is uncovered; the job stays")
        self.box.addWidget(self.leave)
        self.said = label("", "faint")
        self.box.addWidget(self.said)
        training.changed.connect(self.show_exercise)
        self.show_exercise()

    def show_part(self, part: Part | None) -> None:
        self.show_exercise()

    def show_exercise(self) -> None:
        """Offer what can be done now."""
        training = self._session.training
        for widget in (self.margin, self.z, self.chance, self.say):
            widget.setEnabled(training.covers)
        self.leave.setVisible(training.model is not None)
        outcome = training.outcome
        self.said.setText(
            "" if outcome is None else f"verdict {margin_text(outcome.margin)}; {outcome.points.total} of 100 points"
        )

    def _put(self) -> None:
        self._session.training.begin(self._session.training.shelf[self.model.currentIndex()])

    def _here(self) -> None:
        self.z.set_value(round(self._session.cursor.z_mm, 2))

    def _say(self) -> None:
        self._session.training.say(Guess(self.margin.value, self.z.value, self.chance.value / 100))
