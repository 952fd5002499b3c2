"""Runs on the printer's own pixel rows as images: hard edges by pixel centres, grey ones by covered shares."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Printer
from wideberth.core.handover._kernels import light_up, shade
from wideberth.core.handover.png import Lit, dark
from wideberth.core.layers import Grid, Runs

FINER_ROWS = 4
"""Rows a pixel on which covered shares are taken."""


def pixel_grid(printer: Printer, finer: int, rows: tuple[int, int], layers: tuple[int, int], layer_mm: float) -> Grid:
    """The grid through the middles of pixel rows, or of `finer` stripes of each; from and to of rows and of layers."""
    count, (first, beyond), (begin, end) = printer.pixels_y * finer, rows, layers
    # the middle of row i of all `count` rows lies at (i + ½ - count/2) rows from the plate's middle
    return Grid(
        printer.pixel_y_mm / finer,
        (beyond - first) * finer,
        layer_mm,
        end - begin,
        first * finer - count // 2,
        begin,
        row_shift=0.5 - 0.5 * (count % 2),
    )


def pixel_rows(printer: Printer, low_mm: float, high_mm: float) -> tuple[int, int]:
    """First and beyond-last pixel row that something between two heights y touches, with one to spare, on the screen."""
    low, high = ((y + printer.plate_y_mm / 2) / printer.pixel_y_mm for y in (low_mm, high_mm))
    first = min(max(0, int(np.floor(low)) - 1), printer.pixels_y - 1)
    return first, max(first + 1, min(printer.pixels_y, int(np.ceil(high)) + 1))


def pixel_columns(
    x0: NDArray[np.float64], x1: NDArray[np.float64], printer: Printer
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """First and beyond-last pixel column whose centre lies in each run, clipped to the screen."""
    left, px = -printer.plate_x_mm / 2, printer.pixel_x_mm
    first = np.ceil((x0 - left) / px - 0.5).astype(np.int64)
    beyond = np.ceil((x1 - left) / px - 0.5).astype(np.int64)
    return np.clip(first, 0, printer.pixels_x), np.clip(beyond, 0, printer.pixels_x)


def hard_layer(runs: Runs, layer: int, first_row: int, printer: Printer) -> Lit:
    """One layer as lit pixels; the image's first row is the edge at y = +plate/2.

    `first_row` is the pixel row of the runs' row 0, counted from the edge at y = -plate/2.
    """
    shape = (printer.pixels_y, printer.pixels_x)
    lo, hi = runs.offsets[layer * runs.grid.rows], runs.offsets[(layer + 1) * runs.grid.rows]
    row = _rows_of(runs, layer) + first_row
    first, beyond = pixel_columns(runs.x0[lo:hi], runs.x1[lo:hi], printer)
    on = (row >= 0) & (row < printer.pixels_y) & (beyond > first)
    if not on.any():
        return dark(shape)
    row, first, beyond = printer.pixels_y - 1 - row[on], first[on], beyond[on]
    top, left = int(row.min()), int(first.min())
    lit = np.zeros((int(row.max()) + 1 - top, int(beyond.max()) - left), bool)
    light_up(row - top, first - left, beyond - left, lit)
    return Lit(lit, top, left, shape)


def grey_layer(runs: Runs, layer: int, first_row: int, printer: Printer, levels: int) -> Lit:
    """One layer as covered shares of pixels in `levels` steps of grey; the runs have `FINER_ROWS` rows a pixel."""
    width, shape = printer.pixels_x, (printer.pixels_y, printer.pixels_x)
    lo, hi = runs.offsets[layer * runs.grid.rows], runs.offsets[(layer + 1) * runs.grid.rows]
    row = (_rows_of(runs, layer) + first_row * FINER_ROWS) // FINER_ROWS
    left_edge, px = -printer.plate_x_mm / 2, printer.pixel_x_mm
    start, end = (np.clip((x[lo:hi] - left_edge) / px, 0, width - 1e-6) for x in (runs.x0, runs.x1))
    on = (row >= 0) & (row < printer.pixels_y) & (end > start)
    if not on.any():
        return dark(shape, np.uint8)
    row, start, end = row[on], start[on], end[on]
    low, left = int(row.min()), int(start.min())
    grey = np.zeros((int(row.max()) + 1 - low, int(end.max()) + 1 - left), np.uint8)
    shade(row - low, start - left, end - left, FINER_ROWS, levels, grey)
    return Lit(grey[::-1], printer.pixels_y - low - len(grey), left, shape)


def _rows_of(runs: Runs, layer: int) -> NDArray[np.int64]:
    per_row = np.diff(runs.offsets[layer * runs.grid.rows : (layer + 1) * runs.grid.rows + 1])
    return np.repeat(np.arange(runs.grid.rows), per_row)
