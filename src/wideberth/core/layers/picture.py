"""A layer as an image: solid by what it is and which body it belongs to, what is new since the layer below, cups."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.layers.cells import MOST_SWELL
from wideberth.core.layers.printed import Printed
from wideberth.core.layers.voids import OPEN, SEALED
from wideberth.core.layers.window import CellWindow

EMPTY, SUPPORT, CUP, SEALED_CUP, FRESH, PART = 0, 1, 2, 3, 4, 5
"""Codes of cells; a cell of the part has PART plus its body's number, FRESH where nothing of the part lies below it."""
MOST_COLUMNS = 900


@dataclass(frozen=True, eq=False)
class LayerPicture:
    """A stretch of a layer.

    Attributes
    ----------
    codes : (rows, columns) uint8, square cells of `cell_mm`. x_mm, y_mm : middle of the first cell. bodies : how many the
    whole layer has; body_of : (components of the layer,) number of each one's body, from the largest.
    """

    codes: NDArray[np.uint8]
    cell_mm: float
    x_mm: float
    y_mm: float
    bodies: int
    body_of: NDArray[np.int64]


def layer_codes(
    printed: Printed, layer: int, low: NDArray[np.float64], high: NDArray[np.float64], columns: int = MOST_COLUMNS
) -> LayerPicture:
    """What each cell of a layer is between two corners (x, y) [mm], on no more than so many columns."""
    grid = printed.all.grid
    every = max(1, int(np.ceil((high[0] - low[0]) / grid.pitch_mm / max(columns, 50))))
    cell = grid.pitch_mm * every
    width = int(np.ceil((high[0] - low[0]) / cell)) + 1
    first_row = max(0, int(np.floor((low[1] - grid.y0_mm) / grid.pitch_mm)))
    last_row = min(grid.rows, int(np.ceil((high[1] - grid.y0_mm) / grid.pitch_mm)) + 1)
    window = CellWindow(low[0], width, first_row, max(last_row, first_row + 1), every)
    body_of = _bodies(printed, layer)
    part = window.fill(printed.part, layer, 1 + body_of[_component_of_runs(printed, layer)])
    everything = window.fill(printed.all, layer, None) > 0
    below = window.fill(printed.part, layer - 1, None) > 0 if layer > 0 else part > 0
    codes = np.zeros(part.shape, np.uint8)
    codes[everything] = SUPPORT
    solid = (part > 0) & everything
    codes[solid] = np.minimum(PART + part[solid] - 1, 255)
    codes[solid & ~below] = FRESH
    o = printed.openings
    closed = np.flatnonzero((o.layer == layer) & (o.state != OPEN))
    if len(closed):
        voids, _ = scipy.ndimage.label(codes == EMPTY)
        for i in closed:
            for spot in window.spots_in(grid, o, int(i)):
                void = voids == voids[spot]
                if codes[spot] == EMPTY and void.sum() * cell**2 < MOST_SWELL * o.area_mm2[i] + cell**2:
                    codes[void] = SEALED_CUP if o.state[i] == SEALED else CUP
                    break
    y = grid.y0_mm + first_row * grid.pitch_mm
    return LayerPicture(codes, cell, float(low[0]), y, int(body_of.max(initial=-1)) + 1, body_of)


def _component_of_runs(printed: Printed, layer: int) -> NDArray[np.int64]:
    """For each run of the part in a layer, which of the layer's components it belongs to."""
    sections, grid = printed.part_sections, printed.part.grid
    lo, hi = sections.runs.offsets[layer * grid.rows], sections.runs.offsets[(layer + 1) * grid.rows]
    return np.asarray(sections.label[lo:hi] - sections.first[layer], np.int64)


def _bodies(printed: Printed, layer: int) -> NDArray[np.int64]:
    """Number of the body of each component of the part in a layer, the largest in area first."""
    sections = printed.part_sections
    own = slice(sections.first[layer], sections.first[layer + 1])
    names, body = np.unique(printed.alone.bodies.root[own], return_inverse=True)
    area = np.bincount(body, sections.area_mm2[own], len(names))
    rank = np.empty(len(names), np.int64)
    rank[np.argsort(-area, kind="stable")] = np.arange(len(names))
    return np.asarray(rank[body])
