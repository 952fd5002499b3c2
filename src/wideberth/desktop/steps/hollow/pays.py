"""The leaf that says whether it pays: solid, shell, and shell with lattice side by side, each to be taken."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QWidget

from wideberth.core.job import Part
from wideberth.core.propose import Candidate, Proposal, State, propose_shell
from wideberth.core.units import money_text
from wideberth.desktop.steps.fields import button, emptied, label
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import hours_text

WAYS = ("solid", "shell", "shell with lattice")
HEADS = ("Solid", "Shell", "Lattice")
Row = tuple[str, str, str, Callable[[float], str]]
ROWS: tuple[Row, ...] = (
    ("Resin", "mL", "resin", lambda v: f"{v:.1f}"),
    ("Weight", "g", "weight", lambda v: f"{v:.1f}"),
    ("Price", "", "price", lambda v: money_text(v, "").strip()),
    ("Peak pull", "N", "peak pull", lambda v: f"{v:.1f}"),
    ("Suction", "N", "suction", lambda v: f"{v:.1f}"),
    ("Trapped", "mL", "trapped", lambda v: f"{v:.1f}"),
    ("Time", "", "time", hours_text),
    ("Gives", "µm", "wall gives", lambda v: "–" if v == 0 else f"{v:.2g}"),
)
"""Words, unit, name of the measure, and how its figure is written."""


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
        self._of = ""
        self.proposal: Proposal | None = None

    def show_part(self, part: Part | None) -> None:
        """What was worked out, while it is still of this part as it stood."""
        if self.proposal is not None and (self._of != self._session.selection.part or part is None):
            self._show(None)

    def _work(self) -> None:
        session, job, id = self._session, self._session.job, self._session.selection.part
        if not job.parts:
            return

        def done(proposal: Proposal) -> None:
            self._of = id
            self._show(proposal)

        session.tasks.act("weighing solid against hollow", lambda p: propose_shell(job, id, session.stages, p), done)

    def _show(self, proposal: Proposal | None) -> None:
        self.proposal = proposal
        emptied(self._grid)
        self.told.setText("" if proposal is None else proposal.why)
        self.notes.setText("")
        if proposal is None:
            return
        for row, (name, unit, _, _) in enumerate(ROWS, 1):
            head = label(f"{name}, {unit}" if unit else name, "faint")
            head.setWordWrap(False)
            self._grid.addWidget(head, row, 0)
        ways = {c.name: c for c in proposal.candidates}
        for column, (way, head_text) in enumerate(zip(WAYS, HEADS, strict=True), 1):
            self._show_way(column, head_text, ways[way])
        currency = self._session.job.bench.resin.currency
        notes = [
            f"Each alone on the plate, coarse, with the holes it would get. Price in {currency}; trapped: what stays "
            "in the best pose; gives: how far suction bends the wall."
        ]
        notes += [f"{c.name}: {c.why}." for c in proposal.candidates[1:] if c.why]
        self.notes.setText("\n".join(notes))

    def _show_way(self, column: int, head: str, way: Candidate) -> None:
        """One column: the measures of a way to print the part, and a button to take it."""
        self._grid.addWidget(self._cell(head, "head"), 0, column)
        for row, (_, _, measure, text) in enumerate(ROWS, 1):
            m = way.measure(measure)
            self._grid.addWidget(self._cell("–" if m is None else text(m.value)), row, column)
        if way.state is not State.REFUSED:
            take = button("take", lambda: self.take(way), "quiet", f"print it {way.name}")
            take.setStyleSheet("padding: 2px 2px; min-height: 16px;")
            self._grid.addWidget(take, len(ROWS) + 1, column)

    def _cell(self, text: str, role: str = "") -> QWidget:
        made = label(text, role)
        made.setWordWrap(False)
        made.setAlignment(Qt.AlignmentFlag.AlignRight)
        return made

    def take(self, way: Candidate) -> None:
        """Print the part this way: its shell and holes go to the part as it is by now."""
        part = self._step.part
        if part is not None and part.id == self._of:
            made = way.job.part(part.id)
            self._step.change(way.label, replace(part, shell=made.shell, holes=made.holes, last=made.last))
