"""A layer as an image: solid by what it is, cups hatched."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.job import Prediction
from wideberth.core.layers import OPEN, SEALED, Runs

EMPTY, PART, SUPPORT, CUP, SEALED_CUP = 0, 1, 2, 3, 4


def layer_codes(
    prediction: Prediction, layer: int, low: NDArray[np.float64], high: NDArray[np.float64]
) -> NDArray[np.uint8]:
    """What each cell of a layer is (EMPTY, PART, ...), rows from y low to y high, cells as wide as rows are apart."""
    printed = prediction.printed
    pitch = printed.all.grid.pitch_mm
    width = int(np.ceil((high[0] - low[0]) / pitch)) + 1
    rows = printed.all.grid.rows
    part = _mask(printed.part, layer, low[0], width)
    everything = _mask(printed.all, layer, low[0], width)
    codes = np.zeros((rows, width), np.uint8)
    codes[everything] = SUPPORT
    codes[part & everything] = PART
    o = printed.openings
    plugged = printed.all_plugged
    for i in np.flatnonzero((o.layer == layer) & (o.state != OPEN)):
        code = SEALED_CUP if o.state[i] == SEALED else CUP
        _flood(codes, plugged, int(o.left_run[i]), low[0], code)
    return codes


def _mask(runs: Runs, layer: int, x_low: float, width: int) -> NDArray[np.bool_]:
    grid = runs.grid
    change = np.zeros((grid.rows, width + 1), np.int16)
    lo, hi = runs.offsets[layer * grid.rows], runs.offsets[(layer + 1) * grid.rows]
    row = np.repeat(np.arange(grid.rows), np.diff(runs.offsets[layer * grid.rows : (layer + 1) * grid.rows + 1]))
    first = np.clip(np.ceil((runs.x0[lo:hi] - x_low) / grid.pitch_mm - 0.5).astype(int), 0, width)
    last = np.clip(np.ceil((runs.x1[lo:hi] - x_low) / grid.pitch_mm - 0.5).astype(int), 0, width)
    np.add.at(change, (row, first), 1)
    np.add.at(change, (row, last), -1)
    return np.cumsum(change, axis=1)[:, :width] > 0


def _flood(codes: NDArray[np.uint8], runs: Runs, left_run: int, x_low: float, code: int) -> None:
    """Mark the void beside a run, as far as it reaches within the layer."""
    from scipy.ndimage import label

    grid = runs.grid
    ray = int(np.searchsorted(runs.offsets, left_run, side="right")) - 1
    row = ray % grid.rows
    x = 0.5 * (runs.x1[left_run] + runs.x0[left_run + 1]) if left_run + 1 < runs.x0.size else runs.x1[left_run]
    column = int((x - x_low) / grid.pitch_mm)
    if not (0 <= column < codes.shape[1]) or codes[row, column] != EMPTY:
        return
    labels, _ = label(codes == EMPTY)
    codes[labels == labels[row, column]] = code
