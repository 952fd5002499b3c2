"""What lies inside parts: chambers in a part that is cut open, and liquid that stays when it is held some way."""

from __future__ import annotations

import numpy as np
import pyvista as pv
from numpy.typing import NDArray

from wideberth.core.predict import Drainage, Prediction, hold_words
from wideberth.desktop.scene.chart import Chart
from wideberth.desktop.scene.looks import INSIDE, cut_open
from wideberth.desktop.scene.shapes import run_smooth
from wideberth.desktop.scene.wardrobe import LIQUIDS, Wardrobe
from wideberth.desktop.style import BODIES, DAY
from wideberth.desktop.words import count

POSES = {"hanging": "liquid kept, hanging", "side": "liquid kept, on its side", "best": "liquid kept, best pose"}
CHAMBERS = "chambers"
SEEN_THROUGH = 0.22
LABELLED_ML = 0.4
ARROW_SHARE = 0.22


class Inner:
    """Draws into a chart what `show` asks for. `labels` : places on the plate and what to print there; `told` : a line on it."""

    def __init__(self, chart: Chart, wardrobe: Wardrobe) -> None:
        self._chart, self._wardrobe = chart, wardrobe
        self._names: list[str] = []
        self._cut: list[tuple[pv.Actor, pv.PolyData]] = []
        """What is cut open, and what it is when whole."""
        self.labels: list[tuple[NDArray[np.float64], str]] = []
        self.told = ""

    def clear(self) -> None:
        """Nothing inside; parts whole again."""
        for name in self._names:
            self._chart.remove_actor(name, render=False)
        for actor, whole in self._cut:
            actor.mapper.RemoveAllClippingPlanes()
            actor.mapper.dataset = whole
            actor.GetProperty().BackfaceCullingOn()
        self._names, self._cut, self.labels, self.told = [], [], [], ""

    def show(self, what: str, p: Prediction, parts: list[pv.Actor]) -> None:
        """Chambers ("chambers"), or the liquid that stays: "hanging", on its "side", or in its "best" pose."""
        self.clear()
        if not p.looked_closer:
            self.told = "voids are looked into after the fine prediction"
            return
        if not p.drainage:
            self.told = "no part closes in a void"
            return
        if what == CHAMBERS:
            self._cut_open(parts)
        for number, placed in enumerate(p.placed):
            drained = p.drainage_of(placed.part.id)
            if drained is not None:
                if what == CHAMBERS:
                    self._draw_chambers(number, drained, p)
                else:
                    self._draw_liquid(number, drained, what, p)
        if what == CHAMBERS:
            voids = sum(len(d.cells.chambers) for d in p.drainage)
            self.told = f"{count(voids, 'chamber')}, cups and folds counted"

    def _cut_open(self, parts: list[pv.Actor]) -> None:
        """Take away the half of each part that is nearer to the eye."""
        x, y, _ = self._chart.camera.direction
        away = np.array([x, y, 0.0]) if np.hypot(x, y) > 1e-3 else np.array([0.0, 1.0, 0.0])
        away /= np.linalg.norm(away)
        for actor in parts:
            self._cut.append((actor, actor.mapper.dataset))
            cut_open(actor, np.array(actor.GetCenter()), away)

    def _draw_chambers(self, number: int, drained: Drainage, p: Prediction) -> None:
        matrix = p.solids[number].matrix
        for chamber, body in zip(drained.cells.chambers, self._wardrobe.chambers(p, number), strict=True):
            if body is None:
                continue
            self._add(f"chamber {number} {chamber.number}", body, BODIES[chamber.number % len(BODIES)], 1.0)
            if chamber.volume_ml >= LABELLED_ML:
                at = matrix[:3] @ np.array([chamber.x_mm, chamber.y_mm, chamber.z_mm, 1.0])
                self.labels.append((at, f"{chamber.number + 1} · {chamber.volume_ml:.1f} mL"))

    def _draw_liquid(self, number: int, drained: Drainage, what: str, p: Prediction) -> None:
        placed, matrix = p.placed[number], p.solids[number].matrix
        pool, body = LIQUIDS[what](drained), self._wardrobe.liquid(p, number, what)
        if body is not None:
            self._add(f"liquid {number}", body, DAY.deep, 0.95)
        down = matrix[:3, :3] @ pool.down
        low, high = (
            matrix[:3] @ np.append(c, 1.0)
            for c in (
                drained.cells.nodes.low_mm,
                drained.cells.nodes.low_mm + drained.cells.nodes.step_mm * np.array(drained.cells.nodes.shape[::-1]),
            )
        )
        middle, reach = 0.5 * (low + high), float(np.linalg.norm(high - low))
        tail = middle - 0.5 * reach * down
        arrow = pv.Arrow(
            start=tail, direction=down, scale=ARROW_SHARE * reach, tip_length=0.35, tip_radius=0.07, shaft_radius=0.02
        )
        self._add(f"down {number}", arrow, DAY.ink, 1.0)
        words = hold_words(pool.down, placed.part.pose.rotation)
        self.labels.append((tail, f"{placed.name}, {words}: {pool.stays_ml:.1f} mL stay"))

    def _add(self, name: str, body: pv.PolyData, colour: str, opacity: float) -> None:
        self._names.append(name)
        run_smooth(self._chart.add_mesh(body, color=colour, name=name, render=False, opacity=opacity, **INSIDE))
