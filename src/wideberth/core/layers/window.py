"""A stretch of a layer as square cells."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers.grid import Grid
from wideberth.core.layers.runs import Runs
from wideberth.core.layers.voids import Openings


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
            np.clip(np.ceil((x[lo:hi] - self.x_low) / cell - 0.5).astype(int), 0, self.width)[drawn] for x in (runs.x0, runs.x1)
        ]
        value = np.ones(hi - lo, np.int32) if values is None else values.astype(np.int32)
        at = (row[drawn] - self.first_row) // self.every
        np.add.at(change, (at, ends[0]), value[drawn])
        np.add.at(change, (at, ends[1]), -value[drawn])
        return np.asarray(np.cumsum(change, axis=1, dtype=np.int32)[:, : self.width])

    def spots_in(self, grid: Grid, o: Openings, opening: int) -> list[tuple[int, int]]:
        """Rows and columns that should lie in an opening: at its centroid, and in the middle of its first gap."""
        cell = grid.pitch_mm * self.every
        gap_row, gap_x = int(o.ray[opening]) % grid.rows, 0.5 * (o.left_mm[opening] + o.right_mm[opening])
        middle_row = round((o.y_mm[opening] - grid.y0_mm) / grid.pitch_mm)
        spots = []
        for row, x in ((middle_row, o.x_mm[opening]), (gap_row, gap_x)):
            at = (row - self.first_row) // self.every, int((x - self.x_low) / cell)
            if self.first_row <= row < self.last_row and 0 <= at[1] < self.width:
                spots.append(at)
        return spots
