"""Pieces of a part that was cut, drawn apart over the plate: which goes into which."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.job import Job, pieces_beside
from wideberth.core.split import shifts_apart
from wideberth.desktop.scene.chart import Chart
from wideberth.desktop.scene.looks import PIECES
from wideberth.desktop.scene.shapes import run_smooth, smooth_poly
from wideberth.desktop.scene.wardrobe import Wardrobe
from wideberth.desktop.style import BODIES
from wideberth.desktop.words import count

APART = "apart"
OVER_PLATE_MM = 5.0


class Apart:
    """Draws into a chart the pieces of the chosen part's whole, each moved away from its cuts.

    labels : places and the names to print there. told : a line on it. box_mm : low and high corner (2, 3) of all that is drawn;
    None where nothing is.
    """

    def __init__(self, chart: Chart, wardrobe: Wardrobe) -> None:
        self._chart, self._wardrobe = chart, wardrobe
        self._names: list[str] = []
        self.labels: list[tuple[NDArray[np.float64], str]] = []
        self.told = ""
        self.box_mm: NDArray[np.float64] | None = None

    def clear(self) -> None:
        """Nothing is drawn apart."""
        for name in self._names:
            self._chart.remove_actor(name, render=False)
        self._names, self.labels, self.told, self.box_mm = [], [], "", None

    def show(self, job: Job, part: str) -> None:
        """The pieces beside a part, by its id, or those of the first part that was cut."""
        self.clear()
        pieces = pieces_beside(job, part)
        if not pieces:
            self.told = "no part was cut yet"
            return
        cloths = [self._wardrobe.piece(p) for p in pieces]
        boxes = np.array([(c.points.min(axis=0), c.points.max(axis=0)) for c in cloths])
        size = float(np.linalg.norm(boxes[:, 1].max(axis=0) - boxes[:, 0].min(axis=0)))
        boxes = boxes + shifts_apart([p.cuts for p in pieces], size)[:, None]
        low, high = boxes[:, 0].min(axis=0), boxes[:, 1].max(axis=0)
        boxes = boxes + [*(-0.5 * (low + high)[:2]), OVER_PLATE_MM - low[2]]
        self.box_mm = np.array([boxes[:, 0].min(axis=0), boxes[:, 1].max(axis=0)])
        for number, (piece, cloth, box) in enumerate(zip(pieces, cloths, boxes, strict=True)):
            name = f"piece {number}"
            body = smooth_poly(cloth, box[0] - cloth.points.min(axis=0))
            run_smooth(self._chart.add_mesh(body, color=BODIES[number % len(BODIES)], name=name, render=False, **PIECES))
            self._names.append(name)
            self.labels.append((box.mean(axis=0), piece.name))
        self.told = f"{count(len(pieces), 'piece')}, drawn apart"
