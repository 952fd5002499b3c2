"""The pose's controls: turn, raise, propose."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QVBoxLayout

from wideberth.core.job import Job, Part, posed
from wideberth.core.orient import UPRIGHT, Pose, turned
from wideberth.core.propose import Candidate, in_pose, propose_orient
from wideberth.core.support import Carried, Idleness
from wideberth.desktop.steps.fields import NumberField, button, emptied, label, side_by_side
from wideberth.desktop.steps.step import Step
from wideberth.desktop.style import tip


class OrientStep(Step):
    """Turn a part about the plate's axes, or let the pull decide."""

    name = "orient"
    why = "which faces carry marks, and how the pull grows"

    def build(self) -> None:
        self.angle = NumberField("Turn by", "°", -360, 360, 5)
        self.angle.set_value(15)
        self.box.addWidget(self.angle)
        for axis, name in enumerate("xyz"):
            back = button(f"−  {name}", lambda a=axis: self._turn(a, -1), "quiet", f"turn back about {name}")
            forth = button(f"+  {name}", lambda a=axis: self._turn(a, 1), "quiet", f"turn about {name}")
            self.box.addWidget(side_by_side(back, forth))
        self.gap = NumberField("Above the plate", "mm", 0, 200, 0.5, "lowest point to the plate; 0 stands on it")
        self.gap.entered.connect(self._raise)
        self.box.addWidget(self.gap)
        self.box.addWidget(button("Propose a pose", self._propose, "main"))
        self.box.addWidget(button("As it came", self._reset, "quiet"))
        self.picks = QVBoxLayout()
        self.picks.setSpacing(3)
        self.box.addLayout(self.picks)
        self.box.addWidget(label("Tips come along: what a tilt still needs is led to the plate anew, the rest waits.", "faint"))

    def show_job(self, part: Part | None) -> None:
        if part is not None:
            self.gap.set_value(part.pose.gap_mm)
        self._list(part)
        said = self.session.proposing.reasons.get("orient", "")
        if part is not None and part.supports.idle:
            idle = [i.why for i in part.supports.idle]
            waiting = ", ".join(f"{n} {why}" for why in Idleness if (n := idle.count(why)))
            said = f"{len(part.supports.contacts)} tips carry; waiting for another pose: {waiting}.\n\n{said}".rstrip()
        self.reason.setText(said)

    def _turn(self, axis: int, way: int) -> None:
        if self.part is not None:
            degrees = way * self.angle.value
            self._pose(f"turn {degrees:g}° about {'xyz'[axis]}", turned(self.part.pose, axis, degrees))

    def _raise(self, gap: float) -> None:
        if self.part is not None:
            self._pose(f"set {gap:g} mm above the plate", replace(self.part.pose, gap_mm=gap))

    def _reset(self) -> None:
        if self.part is not None:
            self._pose("turn back to as it came", replace(self.part.pose, turn=UPRIGHT))

    def _list(self, part: Part | None) -> None:
        """The picks of the last search for this part, the present pose marked; a press turns the part."""
        emptied(self.picks)
        made = self.session.proposing.made.get("orient")
        if made is None or part is None or not any(part.id == p.id for p in made.job.parts):
            return
        named = [one for one in made.candidates if one.measures]
        if named:
            self.picks.addWidget(label("Pull on young layers / at its peak · finishing · time", "faint"))
        for one in named:
            pose = one.job.part(part.id).pose
            mark = "• " if pose.turn == part.pose.turn else ""
            row = button(f"{mark}{one.name}\n{_figures(one)}", lambda p=pose, n=one.name: self._pose(f"turn: {n}", p), "quiet")  # type: ignore[misc]
            row.setStyleSheet("text-align: left; padding: 3px 6px;")
            row.setToolTip(tip(one.why))
            self.picks.addWidget(row)

    def _pose(self, label: str, pose: Pose) -> None:
        """Set the part in another pose; where it has tips they come along, which takes a moment."""
        part, job, session = self.part, self.job, self.session
        if part is None or pose == part.pose:
            return
        if not part.supports and not part.supports.idle:
            self.change(label, posed(part, pose))
            return

        def done(after: tuple[Job, Carried | None]) -> None:
            turned_job, came = after
            session.document.change(label, turned_job)
            if came is not None:
                session.messages.say(f"{label}: {came.words}")

        session.tasks.act("bringing the tips along", lambda p: in_pose(job, part.id, pose, session.stages, p), done)

    def _propose(self) -> None:
        id, job = self.session.selection.part, self.job
        if self.part is not None:
            self.session.proposing.propose("weighing poses", lambda p: propose_orient(job, id, self.session.stages, p))


def _figures(one: Candidate) -> str:
    """What decides between poses, in a line: pull on young layers and at its peak, minutes, hours."""
    units = {"pull on fresh undersides": "{:.1f}", "peak pull": "{:.1f} N", "finishing": "{:.0f} min", "time": "{:.1f} h"}
    told = {m.name: units[m.name].format(m.value) for m in one.measures if m.name in units}
    return f"{told['pull on fresh undersides']} / {told['peak pull']} · {told['finishing']} · {told['time']}"
