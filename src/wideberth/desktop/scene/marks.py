"""What faces are marked as, drawn as hatching over the parts."""

from __future__ import annotations

import numpy as np
import pyvista as pv
from numpy.typing import NDArray

from wideberth.core.predict import PrintSolids
from wideberth.desktop.scene.chart import Chart
from wideberth.desktop.scene.looks import HATCH_LINES
from wideberth.desktop.scene.wardrobe import Wardrobe


class Marks:
    """Draws hatchings into a chart. hatched : those that are drawn, by name."""

    def __init__(self, chart: Chart, wardrobe: Wardrobe) -> None:
        self._chart, self._wardrobe = chart, wardrobe
        self.hatched: dict[str, NDArray[np.float64]] = {}

    def hide(self, hidden: bool) -> None:
        """Hide what is drawn, or show it again."""
        for name in self.hatched:
            if name in self._chart.actors:
                self._chart.actors[name].SetVisibility(not hidden)

    def show(self, solids: tuple[PrintSolids, ...]) -> None:
        """Hatch what is marked on these prints; what is drawn already stays."""
        wanted = {
            f"marks {number} {kind}": lines
            for number, solid in enumerate(solids)
            for kind, lines in self._wardrobe.hatching(solid).items()
        }
        for name in [name for name in self.hatched if self.hatched[name] is not wanted.get(name)]:
            self._chart.remove_actor(name, render=False)
            del self.hatched[name]
        for name, lines in wanted.items():
            if name not in self.hatched:
                ends = pv.line_segments_from_points(lines.reshape(-1, 3).astype(np.float32))
                self._chart.add_mesh(ends, name=name, reset_camera=False, render=False, **HATCH_LINES)
                self.hatched[name] = lines
