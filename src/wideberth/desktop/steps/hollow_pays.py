"""The leaf that says whether it pays: solid, shell, and shell with lattice side by side, each to be taken."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QWidget

from wideberth.core.job import Job, Part
from wideberth.core.propose import ShellChoice, advice, shell_choices
from wideberth.core.units import money_text
from wideberth.desktop.steps.fields import button, emptied, label
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import hours_text

HEADS = ("Solid", "Shell", "Lattice")
Row = tuple[str, str, Callable[[ShellChoice], str]]
ROWS: tuple[Row, ...] = (
    ("Resin", "mL", lambda c: f"{c.resin_ml:.1f}"),
    ("Weight", "g", lambda c: f"{c.weight_g:.1f}"),
    ("Price", "", lambda c: "not priced" if c.price is None else money_text(c.price, "").strip()),
    ("Peak pull", "N", lambda c: f"{c.pull_n:.1f}"),
    ("Suction", "N", lambda c: f"{c.suction_n:.1f}"),
    ("Trapped", "mL", lambda c: f"{c.trapped_ml:.1f}"),
    ("Time", "", lambda c: hours_text(c.seconds)),
    ("Gives", "µm", lambda c: "–" if c.wall_gives_um == 0 else f"{c.wall_gives_um:.2g}"),
)


class PaysLeaf(Leaf):
    """A table of the three ways, with a button to take each."""

    def build(self) -> None:
        box = self.box
        box.addWidget(button("Work it out", self._work, "main", "predicts all three with the holes they would get"))
        self.told = label("")
        box.addWidget(self.told)
        self.table = QWidget()
        self._grid = QGridLayout(self.table)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(6)
        self._grid.setVerticalSpacing(3)
        box.addWidget(self.table)
        self.notes = label("", "faint")
        box.addWidget(self.notes)
        box.addStretch(1)
        self._of: tuple[Job, str] | None = None
        self.choices: tuple[ShellChoice, ...] = ()

    def show_part(self, part: Part | None) -> None:
        """What was worked out, while it is still of this part as it stood."""
        if self._of is not None and (self._of[1] != self._session.part or part is None):
            self._show(())

    def _work(self) -> None:
        session, job, id = self._session, self._session.job, self._session.part
        if not job.parts:
            return

        def done(found: tuple[ShellChoice, ...]) -> None:
            self._of = (job, id)
            self._show(found)

        session.work("weighing solid against hollow", lambda p: shell_choices(job, id, session.stages, p), done)

    def _show(self, choices: tuple[ShellChoice, ...]) -> None:
        self.choices = choices
        emptied(self._grid)
        if not choices:
            self._of = None
            self.told.setText("")
            self.notes.setText("")
            return
        self.told.setText(advice(choices, self._session.job.bench.house.hollow_pays_ml))
        for column, head in enumerate(HEADS, 1):
            self._grid.addWidget(self._cell(head, "head"), 0, column)
        for row, (name, unit, text) in enumerate(ROWS, 1):
            head = label(f"{name}, {unit}" if unit else name, "faint")
            head.setWordWrap(False)
            self._grid.addWidget(head, row, 0)
            for column, choice in enumerate(choices, 1):
                self._grid.addWidget(self._cell(text(choice)), row, column)
        for column, choice in enumerate(choices, 1):
            take = button("take", lambda c=choice: self._take(c), "quiet", f"print it {choice.name}")
            take.setStyleSheet("padding: 2px 2px; min-height: 16px;")
            self._grid.addWidget(take, len(ROWS) + 1, column)
        currency = self._session.job.bench.resin.currency
        notes = [f"Each alone on the plate, coarse, with the holes it would get. Price in {currency}; trapped: what stays "
                 "in the best pose; gives: how far suction bends the wall."]  # fmt: skip
        notes += [f"{c.name}: {c.note}." for c in choices if c.note]
        self.notes.setText("\n".join(notes))

    def _cell(self, text: str, role: str = "") -> QWidget:
        made = label(text, role)
        made.setWordWrap(False)
        made.setAlignment(Qt.AlignmentFlag.AlignRight)
        return made

    def _take(self, choice: ShellChoice) -> None:
        part = self._step.part
        if part is not None and self._of is not None:
            made = replace(part, shell=choice.part.shell)
            if choice.part.shell is not None:
                made = replace(made, holes=choice.part.holes, last=choice.part.last)
            self._step.change(f"print {part.name} {choice.name}", made)
