"""The leaf of ways up: have them weighed, and take one of the picks."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QCheckBox, QVBoxLayout

from wideberth.core.job import Part
from wideberth.core.orient import Pose
from wideberth.core.propose import Candidate, propose_orient
from wideberth.desktop.steps.fields import button, emptied, label
from wideberth.desktop.steps.orient.turner import set_pose
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.style import tip


class WaysLeaf(Leaf):
    """Let pull, marks and hours decide, or one of them."""

    def build(self) -> None:
        self.box.addWidget(button("Propose a pose", self._propose, "main"))
        self.pinned = QCheckBox("Pinned: no proposal turns it")
        self.pinned.clicked.connect(self._pin)
        self.box.addWidget(self.pinned)
        self.picks = QVBoxLayout()
        self.picks.setSpacing(3)
        self.box.addLayout(self.picks)
        self.box.addWidget(label("Tips come along: what a tilt still needs is led to the plate anew, the rest waits.", "faint"))

    def show_part(self, part: Part | None) -> None:
        self.pinned.setEnabled(part is not None)
        self.pinned.setChecked(part is not None and part.pose_pinned)
        emptied(self.picks)
        made = self._session.proposing.made.get("orient")
        if made is None or part is None or made.part != part.id:
            return
        named = [one for one in made.candidates if one.measures]
        if named:
            self.picks.addWidget(label("Pull on young layers / at its peak · finishing · time", "faint"))
        for one in named:
            pose = one.job.part(part.id).pose
            mark = "• " if pose.turn == part.pose.turn else ""
            row = button(f"{mark}{one.name}\n{_figures(one)}", lambda p=pose, n=one.name: self._take(n, p), "quiet")  # type: ignore[misc]
            row.setStyleSheet("text-align: left; padding: 3px 6px;")
            row.setToolTip(tip(one.why))
            self.picks.addWidget(row)

    def _take(self, name: str, pose: Pose) -> None:
        set_pose(self._session, f"turn: {name}", pose)

    def _pin(self, pinned: bool) -> None:
        part = self._session.selection.present
        if part is not None:
            label = f"pin the pose of {part.name}" if pinned else f"let the pose of {part.name} go"
            self._step.change(label, replace(part, pose_pinned=pinned))

    def _propose(self) -> None:
        session = self._session
        id, job = session.selection.part, session.job
        if session.selection.present is not None:
            session.proposing.propose("weighing poses", lambda p: propose_orient(job, id, session.stages, p))


def _figures(one: Candidate) -> str:
    """What decides between poses, in a line: pull on young layers and at its peak, minutes, hours."""
    units = {"pull on fresh undersides": "{:.1f}", "peak pull": "{:.1f} N", "finishing": "{:.0f} min", "time": "{:.1f} h"}
    told = {m.name: units[m.name].format(m.value) for m in one.measures if m.name in units}
    return f"{told['pull on fresh undersides']} / {told['peak pull']} · {told['finishing']} · {told['time']}"
