"""The shell's controls."""

from __future__ import annotations

from dataclasses import replace

from wideberth.core.hollow import usual_shell
from wideberth.core.job import PartRecipe, propose_hollow
from wideberth.desktop.steps.fields import NumberField, button, label
from wideberth.desktop.steps.step import Step


class HollowStep(Step):
    """A shell of a given wall, or solid."""

    name = "hollow"
    why = "less resin, where it pays"

    def build(self) -> None:
        self.wall = NumberField("Wall", "mm", 0.4, 20, 0.1)
        self.wall.entered.connect(self._set)
        self.box.addWidget(self.wall)
        self.box.addWidget(button("Hollow it", lambda: self._set(self.wall.value), "main"))
        self.box.addWidget(button("Does it pay?", self._propose, "", "hollows when it saves enough, and says how much"))
        self.box.addWidget(button("Keep it solid", self._solid, "quiet"))
        self.box.addWidget(label("Before or after supports makes no difference here: posts never stand in a chamber. A hollow "
                                 "part needs drain holes.", "faint"))  # fmt: skip

    def show_job(self, part: PartRecipe | None) -> None:
        shell = part.shell if part is not None and part.shell else usual_shell(self.job.bench)
        self.wall.set_value(shell.wall_mm)
        text = self.session.last_reason.get("hollow", "")
        p = self.session.prediction
        if part is not None and part.shell and p is not None and p.job is self.job:
            chambers = p.solids_of(self.session.part).chambers
            volumes = ", ".join(f"{c.volume_mm3 / 1000:.1f} mL" for c in chambers[:4])
            text = f"{len(chambers)} chamber{'s' if len(chambers) != 1 else ''}: {volumes}" if chambers else \
                "The wall leaves no chamber worth it."  # fmt: skip
        self.reason.setText(text)

    def _set(self, wall: float) -> None:
        if self.part is not None:
            shell = replace(self.part.shell or usual_shell(self.job.bench), wall_mm=wall)
            self.change(f"hollow {self.part.name}, {wall:g} mm", replace(self.part, shell=shell))

    def _solid(self) -> None:
        if self.part is not None and self.part.shell is not None:
            self.change(f"keep {self.part.name} solid", replace(self.part, shell=None))

    def _propose(self) -> None:
        index, job = self.session.part, self.job
        if self.part is not None:
            self.session.propose("measuring the wall", lambda p: propose_hollow(job, index, self.session.stages, p))
