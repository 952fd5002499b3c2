"""If one is lost: each print as if it were torn off where it is weakest, and what that does to those beside it."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QVBoxLayout

from wideberth.core.job import Part
from wideberth.core.predict import Loss
from wideberth.desktop.session.training import COVERED
from wideberth.desktop.steps.fields import button, emptied, label
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import count, margin_text

if TYPE_CHECKING:
    from wideberth.desktop.steps.plate.step import PlateStep

MOST_SHOWN, MOST_NAMED = 7, 4


class LossLeaf(Leaf):
    """The weakest first; a press chooses the print and goes to the height."""

    _step: PlateStep

    def build(self) -> None:
        self.list = QVBoxLayout()
        self.list.setSpacing(4)
        self.box.addLayout(self.list)
        self.box.addWidget(
            label("What is torn off stays on the film; each return presses on it, so that it may topple as far as it is tall. "
                  "Stop the run, and look for it before the next one.", "faint")
        )  # fmt: skip
        self._shown: tuple[tuple[Loss, ...], bool] | None = None
        self._step.facts.changed.connect(lambda: self.show_part(self._session.selection.present))

    def show_part(self, part: Part | None) -> None:
        facts = self._step.facts
        covered = self._session.training.covers
        losses = facts.losses if facts.is_current else ()
        if (losses, covered) == self._shown:
            return
        self._shown = losses, covered
        emptied(self.list)
        for loss in losses[:MOST_SHOWN]:
            head = f"{loss.name} · {margin_text(loss.margin)} at {loss.z_mm:.1f} mm"
            go = partial(self._go, loss)
            self.list.addWidget(button(head, go, "quiet", "choose it in the plan and go to where it would be lost"))
            self.list.addWidget(label(_words(loss), "faint"))
        if len(losses) > MOST_SHOWN:
            self.list.addWidget(label(f"{count(len(losses) - MOST_SHOWN, 'more print')}, held better.", "faint"))
        if not losses:
            self.list.addWidget(label(COVERED if covered else "looked at with the fine prediction", "reason"))

    def _go(self, loss: Loss) -> None:
        self._step.hands.choose([loss.id])
        self._session.cursor.move_to(loss.z_mm)


def _words(loss: Loss) -> str:
    """What would follow, in a few short sentences."""
    by = "Held by the plate alone. " if loss.by_plate else ""
    lies = f"{loss.lies_mm2:.0f} mm² of it stay on the film"
    lies += f", and {loss.rest_ml:.1f} mL more set on it. " if loss.rest_ml >= 0.05 else ". "
    if not loss.reached:
        return f"{by}{lies}It reaches no other print."
    named = ", ".join(f"{r.name} ({r.away_mm:.0f} mm away)" for r in loss.reached[:MOST_NAMED])
    more = len(loss.reached) - MOST_NAMED
    return f"{by}{lies}It may reach {named}{f' and {more} more' if more > 0 else ''}."
