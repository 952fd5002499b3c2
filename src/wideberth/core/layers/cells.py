"""The voids of cups as a block of cells, for drawing."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.layers.printed import Printed
from wideberth.core.layers.voids import OPEN, SEALED
from wideberth.core.layers.window import CellWindow

MOST_SWELL = 1.6
"""An opening that its cells would make larger than this has run together with another void."""


@dataclass(frozen=True, eq=False)
class CupCells:
    """Voids of cups while they are cups: 0 none, 1 vented, 2 sealed; (z, y, x) cubes of `step_mm` from `low_mm` on."""

    state: NDArray[np.uint8]
    low_mm: NDArray[np.float64]
    step_mm: float


def cup_cells(printed: Printed, step_mm: float) -> CupCells:
    """The voids of all cups, sampled at every so many layers."""
    grid, o = printed.all.grid, printed.openings
    runs = printed.walls
    low, high = float(runs.x0.min(initial=0.0)), float(runs.x1.max(initial=0.0))
    every = max(1, round(step_mm / grid.pitch_mm))
    cell = every * grid.pitch_mm
    window = CellWindow(low - cell, int((high - low) / cell) + 4, 0, grid.rows, every)
    layers = np.arange(0, grid.layers, max(1, round(cell / grid.layer_mm)))
    cells = np.zeros((len(layers), -(-grid.rows // every), window.width), np.uint8)
    for n, k in enumerate(layers):
        rows = np.flatnonzero((o.layer == k) & (o.state != OPEN))
        if len(rows) == 0:
            continue
        voids, _ = scipy.ndimage.label(window.fill(runs, int(k), None) == 0)
        outside = set(np.concatenate((voids[0], voids[-1], voids[:, 0], voids[:, -1])).tolist())
        for i in rows:
            for spot in window.spots_in(grid, o, int(i)):
                if voids[spot] == 0 or voids[spot] in outside:
                    continue
                void = voids == voids[spot]
                if void.sum() * cell**2 < MOST_SWELL * o.area_mm2[i] + cell**2:  # else the cells join it with another
                    cells[n][void] = 2 if o.state[i] == SEALED else 1
                    break
    return CupCells(cells, np.array([low - cell, grid.y0_mm, grid.z0_mm]), cell)
