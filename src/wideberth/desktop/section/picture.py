"""A layer as an image: solid by what it is, cups hatched."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from wideberth.core.job import Prediction
from wideberth.core.layers import OPEN, SEALED, Runs

EMPTY, PART, SUPPORT, CUP, SEALED_CUP = 0, 1, 2, 3, 4
MOST_COLUMNS = 800


@dataclass(frozen=True, eq=False)
class LayerPicture:
    """codes : (rows, columns) uint8, square cells of `cell_mm`; y0_mm is the middle of row 0."""

    codes: NDArray[np.uint8]
    cell_mm: float
    y0_mm: float


def layer_codes(
    prediction: Prediction, layer: int, low: NDArray[np.float64], high: NDArray[np.float64]
) -> LayerPicture:
    """What each cell of a layer is, from y low upward; cells are as wide as the rows drawn are apart."""
    printed = prediction.printed
    grid = printed.all.grid
    every = max(1, int(np.ceil((high[0] - low[0]) / grid.pitch_mm / MOST_COLUMNS)))
    cell = grid.pitch_mm * every
    width = int(np.ceil((high[0] - low[0]) / cell)) + 1
    part = _mask(printed.part, layer, low[0], width, every)
    everything = _mask(printed.all, layer, low[0], width, every)
    codes = np.zeros(part.shape, np.uint8)
    codes[everything] = SUPPORT
    codes[part & everything] = PART
    o = printed.openings
    closed = np.flatnonzero((o.layer == layer) & (o.state != OPEN))
    if len(closed):
        voids, _ = label(codes == EMPTY)
        for i in closed:
            spot = _spot_beside(printed.all_plugged, int(o.left_run[i]), low[0], cell, every)
            if spot is not None and spot[0] < codes.shape[0] and spot[1] < width and codes[spot] == EMPTY:
                codes[voids == voids[spot]] = SEALED_CUP if o.state[i] == SEALED else CUP
    return LayerPicture(codes, cell, grid.y0_mm)


def _mask(runs: Runs, layer: int, x_low: float, width: int, every: int) -> NDArray[np.bool_]:
    grid = runs.grid
    rows = -(-grid.rows // every)
    change = np.zeros((rows, width + 1), np.int16)
    lo, hi = runs.offsets[layer * grid.rows], runs.offsets[(layer + 1) * grid.rows]
    row = np.repeat(np.arange(grid.rows), np.diff(runs.offsets[layer * grid.rows : (layer + 1) * grid.rows + 1]))
    drawn = row % every == 0
    cell = grid.pitch_mm * every
    first = np.clip(np.ceil((runs.x0[lo:hi] - x_low) / cell - 0.5).astype(int), 0, width)[drawn]
    last = np.clip(np.ceil((runs.x1[lo:hi] - x_low) / cell - 0.5).astype(int), 0, width)[drawn]
    np.add.at(change, (row[drawn] // every, first), 1)
    np.add.at(change, (row[drawn] // every, last), -1)
    return np.cumsum(change, axis=1, dtype=np.int16)[:, :width] > 0


def _spot_beside(runs: Runs, left_run: int, x_low: float, cell: float, every: int) -> tuple[int, int] | None:
    """Row and column in the middle of the gap beside a run, or None when it lies off the picture."""
    grid = runs.grid
    ray = int(np.searchsorted(runs.offsets, left_run, side="right")) - 1
    x = 0.5 * (runs.x1[left_run] + runs.x0[left_run + 1])
    column = int((x - x_low) / cell)
    return ((ray % grid.rows) // every, column) if column >= 0 else None
