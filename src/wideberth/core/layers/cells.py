"""Layers as square cells, for drawing: what each cell lies in, and the voids of cups as a block of cells."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from wideberth.core.layers.printed import Printed
from wideberth.core.layers.runs import Runs
from wideberth.core.layers.voids import OPEN, SEALED, Openings

MOST_SWELL = 1.6
"""An opening that its cells would make larger than this has run together with another void."""


@dataclass(frozen=True)
class CellWindow:
    """Square cells over a stretch of the plate: `width` columns from an x on, every so many rows from one row to another."""

    x_low: float
    width: int
    first_row: int
    last_row: int
    every: int

    def fill(self, runs: Runs, layer: int, values: NDArray[np.int64] | None) -> NDArray[np.int32]:
        """Value of the run that each cell lies in, 1 without `values`, 0 outside, (rows, columns)."""
        grid = runs.grid
        base = layer * grid.rows
        row = np.repeat(np.arange(grid.rows), np.diff(runs.offsets[base : base + grid.rows + 1]))
        lo, hi = runs.offsets[base], runs.offsets[base + grid.rows]
        drawn = (row >= self.first_row) & (row < self.last_row) & ((row - self.first_row) % self.every == 0)
        cell = grid.pitch_mm * self.every
        rows = -(-(self.last_row - self.first_row) // self.every)
        change = np.zeros((rows, self.width + 1), np.int32)
        ends = [
            np.clip(np.ceil((x[lo:hi] - self.x_low) / cell - 0.5).astype(int), 0, self.width)[drawn]
            for x in (runs.x0, runs.x1)
        ]
        value = np.ones(hi - lo, np.int32) if values is None else values.astype(np.int32)
        at = (row[drawn] - self.first_row) // self.every
        np.add.at(change, (at, ends[0]), value[drawn])
        np.add.at(change, (at, ends[1]), -value[drawn])
        return np.asarray(np.cumsum(change, axis=1, dtype=np.int32)[:, : self.width])

    def spots_in(self, runs: Runs, o: Openings, opening: int) -> list[tuple[int, int]]:
        """Rows and columns that should lie in an opening: at its centroid, and in the middle of its first gap."""
        grid = runs.grid
        cell = grid.pitch_mm * self.every
        left = int(o.left_run[opening])
        ray = int(np.searchsorted(runs.offsets, left, side="right")) - 1
        gap_row, gap_x = ray % grid.rows, 0.5 * (runs.x1[left] + runs.x0[left + 1])
        middle_row = round((o.y_mm[opening] - grid.y0_mm) / grid.pitch_mm)
        spots = []
        for row, x in ((middle_row, o.x_mm[opening]), (gap_row, gap_x)):
            at = (row - self.first_row) // self.every, int((x - self.x_low) / cell)
            if self.first_row <= row < self.last_row and 0 <= at[1] < self.width:
                spots.append(at)
        return spots


@dataclass(frozen=True, eq=False)
class CupCells:
    """Voids of cups while they are cups: 0 none, 1 vented, 2 sealed; (z, y, x) cubes of `step_mm` from `low_mm` on."""

    state: NDArray[np.uint8]
    low_mm: NDArray[np.float64]
    step_mm: float


def cup_cells(printed: Printed, step_mm: float) -> CupCells:
    """The voids of all cups, sampled at every so many layers."""
    grid, o = printed.all.grid, printed.openings
    runs = printed.all_plugged
    low, high = float(runs.x0.min(initial=0.0)), float(runs.x1.max(initial=0.0))
    every = max(1, round(step_mm / grid.pitch_mm))
    cell = every * grid.pitch_mm
    window = CellWindow(low - cell, int((high - low) / cell) + 4, 0, grid.rows, every)
    layers = np.arange(0, grid.layers, max(1, round(cell / grid.layer_mm)))
    found = np.zeros((len(layers), -(-grid.rows // every), window.width), np.uint8)
    for n, k in enumerate(layers):
        rows = np.flatnonzero((o.layer == k) & (o.state != OPEN))
        if len(rows) == 0:
            continue
        voids, _ = label(window.fill(runs, int(k), None) == 0)
        outside = set(np.concatenate((voids[0], voids[-1], voids[:, 0], voids[:, -1])).tolist())
        for i in rows:
            for spot in window.spots_in(runs, o, int(i)):
                if voids[spot] == 0 or voids[spot] in outside:
                    continue
                void = voids == voids[spot]
                if void.sum() * cell**2 < MOST_SWELL * o.area_mm2[i] + cell**2:  # else the cells join it with another
                    found[n][void] = 2 if o.state[i] == SEALED else 1
                    break
    return CupCells(found, np.array([low - cell, grid.y0_mm, grid.z0_mm]), cell)
