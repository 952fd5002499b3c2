"""The shell's leaf: wall, passages, floor, what stands inside, and what came out of it, measured."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtWidgets import QComboBox

from wideberth.core.hollow import GYROID, STRUTS, Gussets, Lattice, Level, Shell, can_be_open, usual_shell
from wideberth.core.job import Part
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side
from wideberth.desktop.steps.step import Leaf
from wideberth.desktop.words import count

INSIDE = {"": "nothing inside", STRUTS: "struts inside", GYROID: "gyroid inside"}
FLOORS = {"closed": "floor as thick as the wall", "solid": "solid below the cursor", "open": "no floor: open below"}


class ShellLeaf(Leaf):
    """Every field acts at once on a part that is hollow; on a solid one with "Hollow it"."""

    def build(self) -> None:
        box = self.box
        self.wall = NumberField("Wall", "mm", 0.4, 20, 0.1)
        self.passage = NumberField(
            "Least passage",
            "mm",
            0,
            20,
            0.25,
            "ways inside that are narrower are filled; inner corners are rounded to half of it",
        )
        self.wall.entered.connect(lambda wall: self._set(replace(self._wanted(), wall_mm=wall)))
        self.passage.entered.connect(lambda width: self._change(passage_mm=width))
        box.addWidget(side_by_side(self.wall, self.passage))
        self.inside = self._choice("what stands inside", INSIDE)
        self.inside.activated.connect(lambda _: self._lattice())
        box.addWidget(self.inside)
        self.share = NumberField("Share", "%", 2, 40, 1, "of the chambers' volume")
        self.bar = NumberField("Bars", "mm", 0.3, 5, 0.1, "mean thickness; share and thickness decide the cells")
        self.share.entered.connect(lambda _: self._lattice())
        self.bar.entered.connect(lambda _: self._lattice())
        self.bars = side_by_side(self.share, self.bar)
        box.addWidget(self.bars)
        self.floor = self._choice("floor", FLOORS)
        self.floor.activated.connect(lambda _: self._set_floor())
        box.addWidget(self.floor)
        self.deed = button("Hollow it", lambda: self._set(self._wanted()), "main")
        box.addWidget(self.deed)
        box.addWidget(button("Keep it solid", self._solid, "quiet"))
        self.told = label("")
        box.addWidget(self.told)
        box.addWidget(
            label(
                "Before or after supports makes no difference here: posts never stand in a chamber. A hollow part "
                "needs drain holes.",
                "faint",
            )
        )
        box.addStretch(1)
        self._shown: Part | None = None

    def _choice(self, name: str, words: dict[str, str]) -> QComboBox:
        made = QComboBox()
        made.setAccessibleName(name)
        for key, text in words.items():
            made.addItem(text, key)
        return made

    def show_part(self, part: Part | None) -> None:
        """The part's shell, or the one it would get."""
        self._shown = part
        shell = self._wanted()
        self.wall.set_value(shell.wall_mm)
        self.passage.set_value(shell.passage_mm)
        lattice = shell.lattice
        self.inside.setCurrentIndex(self.inside.findData(lattice.kind if lattice is not None else ""))
        self.share.set_value(100 * (lattice or Lattice()).share)
        self.bar.set_value((lattice or Lattice()).bar_mm)
        self.bars.setVisible(lattice is not None)
        floor = "open" if shell.open_below is not None else "solid" if shell.solid_below is not None else "closed"
        self.floor.setCurrentIndex(self.floor.findData(floor))
        self.deed.setEnabled(part is not None and part.shell is None)
        self.told.setText(self._what_came_out(part))

    def _wanted(self) -> Shell:
        return self._shown.shell if self._shown is not None and self._shown.shell else usual_shell(self._session.job.bench)

    def _what_came_out(self, part: Part | None) -> str:
        p = self._session.prediction
        if part is None or part.shell is None or p is None or p.job is not self._session.job:
            return self._session.proposing.why("hollow", part)
        solid = p.solids_of(part.id)
        if solid is None:
            return ""
        if not solid.chambers:
            return "The wall leaves no chamber worth it: it prints solid."
        volumes = ", ".join(f"{c.volume_mm3 / 1000:.1f} mL" for c in solid.chambers[:4])
        lines = [f"{count(len(solid.chambers), 'chamber')}: {volumes}."]
        if solid.bars is not None:
            lines.append(f"Bars of {solid.bars.bar_mm:.2f} mm take {solid.bars.share:.1%}, {solid.bars.cell_mm:.0f} mm apart.")
        if solid.gussets is not None:
            lines.append(_carried(solid.gussets))
        drained = p.drainage_of(self._session.selection.part)
        if drained is not None and drained.wall is not None:
            wall = drained.wall
            filled = f"; {wall.filled:.0%} lie deeper, filled on purpose" if wall.filled > 0.005 else ""
            lines.append(
                f"Wall measured: {wall.median_mm:.2f} mm, thinnest {wall.thinnest_mm:.2f}; {wall.within:.1%} within "
                f"0.1 mm of what was asked{filled}."
            )
        made = self._session.stages.at_hand(lambda s: s.hollowed(part))
        if made is not None:
            lines.append(f"Measured at nodes {made.step_mm:.2f} mm apart.")
        return "\n".join(lines)

    def _set(self, shell: Shell) -> None:
        part = self._shown
        if part is None or shell == part.shell:
            return
        what = f"hollow {part.name}, {shell.wall_mm:g} mm"
        if part.shell is not None and shell.wall_mm == part.shell.wall_mm:
            lattice = shell.lattice
            filled = f"{lattice.kind} of {lattice.share:.0%} in {part.name}" if lattice else f"empty {part.name}"
            what = filled if lattice != part.shell.lattice else f"shell of {part.name}"
        self._step.change(what, replace(part, shell=shell))

    def _change(self, **values: object) -> None:
        """Change something of a shell that is there; else it waits for the deed."""
        if self._shown is not None and self._shown.shell is not None:
            self._set(replace(self._shown.shell, **values))  # type: ignore[arg-type]

    def _lattice(self) -> None:
        kind = self.inside.currentData()
        made = Lattice(kind, self.share.value / 100, self.bar.value) if kind else None
        self.bars.setVisible(made is not None)
        if self._shown is not None and self._shown.shell is None:
            self._set(replace(self._wanted(), lattice=made))
        else:
            self._change(lattice=made)

    def _set_floor(self) -> None:
        """The floor by the present pose: solid below the cursor's height, or open at the part's lowest."""
        kind, p = self.floor.currentData(), self._session.prediction
        if self._shown is None:
            return
        none = {"solid_below": None, "open_below": None}
        if kind == "closed" or p is None:
            self._change(**none)
            return
        solid = p.solids_of(self._session.selection.part)
        if solid is None:
            return
        up = self._shown.pose.rotation[2]
        low = float((solid.own.points @ up).min())
        height = max(0.0, self._session.cursor.z_mm - float(solid.box_mm[0, 2])) if kind == "solid" else 0.0
        x, y, z = (float(v) for v in np.asarray(up))
        level = Level((x, y, z), low + height)
        shell = replace(self._wanted(), **none)  # type: ignore[arg-type]
        if kind == "open" and not can_be_open(solid.own, replace(shell, open_below=level)):
            self._session.messages.warn(
                "No flat face lies at the lowest of it to leave open. Keep its floor, or cut it flat first."
            )
            self.show_part(self._shown)
            return
        self._set(replace(shell, solid_below=level) if kind == "solid" else replace(shell, open_below=level))

    def _solid(self) -> None:
        if self._shown is not None and self._shown.shell is not None:
            self._step.change(f"keep {self._shown.name} solid", replace(self._shown, shell=None))


def _carried(gussets: Gussets) -> str:
    """What gussets do in a part's pose, in a sentence or two."""
    left = len(gussets.uncarried_mm)
    told = f"Gussets carry {count(gussets.bumps, 'spot')} of the ceilings that would begin in mid-liquid in this pose."
    lost = f"No way leads to a wall from {count(left, 'spot')} of the ceilings: nothing carries them in this pose."
    return " ".join(text for text, some in ((told, gussets.bumps), (lost, left)) if some)
