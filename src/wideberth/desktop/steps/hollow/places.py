"""The places' leaf: where the wall is thicker, marked in the 3D view."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PySide6.QtWidgets import QListWidget

from wideberth.core.hollow import Thicker, usual_shell
from wideberth.core.job import Part
from wideberth.desktop.session import SpotTool
from wideberth.desktop.steps.fields import NumberField, button, label, side_by_side, tool_button
from wideberth.desktop.steps.step import Leaf


class PlacesLeaf(Leaf):
    """Pegs, keys, mating faces and thin necks get a wall of their own."""

    def build(self) -> None:
        box = self.box
        box.addWidget(label("Pegs, keys, mating faces and thin necks want more wall.", "faint"))
        self.wall = NumberField("Wall there", "mm", 0.4, 40, 0.5)
        self.reach = NumberField(
            "Within", "mm", 0.5, 200, 1, "every surface so near to the spot gets it; beyond, it thins by and by"
        )
        self.wall.set_value(2 * usual_shell(self._session.job.bench).wall_mm)
        self.reach.set_value(6.0)
        box.addWidget(side_by_side(self.wall, self.reach))
        self._tool = SpotTool("click where the wall is to be thicker", self._marked)
        self.mark = tool_button("Mark in the 3D view", self._session.sight, self._tool)
        box.addWidget(self.mark)
        self.list = QListWidget()
        self.list.setMaximumHeight(130)
        self.list.setAccessibleName("places with a thicker wall")
        self.list.currentRowChanged.connect(self._point_out)
        box.addWidget(self.list)
        box.addWidget(button("Take it away", self._remove, "quiet"))
        self.told = label("", "faint")
        box.addWidget(self.told)
        box.addStretch(1)
        self._shown: Part | None = None

    def show_part(self, part: Part | None) -> None:
        """The places of the part's shell."""
        self._shown = part
        chosen = self.list.currentRow()
        self.list.blockSignals(True)
        self.list.clear()
        shell = part.shell if part is not None else None
        for number, t in enumerate(shell.thicker if shell is not None else ()):
            self.list.addItem(f"{number + 1} · {t.wall_mm:g} mm within {t.reach_mm:g} mm")
        self.list.setCurrentRow(min(chosen, self.list.count() - 1))
        self.list.blockSignals(False)
        self.mark.setEnabled(shell is not None)
        self.told.setText("" if shell is not None else "Hollow the part first.")

    def stop(self) -> None:
        """Clicks in the 3D view mark no more places."""
        self._session.sight.lay_down(self._tool)

    def _marked(self, part: str, point_mm: NDArray[np.float64]) -> None:
        """A spot on the plate was clicked: it becomes a place of the part."""
        session, p = self._session, self._session.prediction
        recipe = session.job.part(part)
        solids = p.solids_of(part) if p is not None else None
        if solids is None or recipe.shell is None:
            return
        own = solids.own_spot(point_mm)
        x, y, z = (float(v) for v in own)
        place = Thicker(x, y, z, self.reach.value, self.wall.value)
        shell = replace(recipe.shell, thicker=(*recipe.shell.thicker, place))
        session.selection.part = part
        self._step.change(f"thicken {recipe.name}", replace(recipe, shell=shell))

    def _point_out(self, row: int) -> None:
        """Ring the place in the 3D view."""
        p = self._session.prediction
        if p is None or self._shown is None or self._shown.shell is None or not 0 <= row < len(self._shown.shell.thicker):
            return
        solids = p.solids_of(self._session.selection.part)
        if solids is None:
            return
        spot = solids.matrix[:3] @ np.append(self._shown.shell.thicker[row].point_mm, 1.0)
        self._session.sight.point_out(spot[None])

    def _remove(self) -> None:
        row, part = self.list.currentRow(), self._shown
        if part is not None and part.shell is not None and 0 <= row < len(part.shell.thicker):
            left = part.shell.thicker[:row] + part.shell.thicker[row + 1 :]
            self._step.change("take a thicker place away", replace(part, shell=replace(part.shell, thicker=left)))
