"""The cells of one narrow way, layer by layer: fine ones with exact sides, spread from its doors to where it is wide."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers._kernels import duct as kernels
from wideberth.core.layers.doors import WIDE_MM, Doors, Frame

Values = NDArray[np.float64]
ACROSS_CELLS = 6
"""Cells over the width of a way; its sides are exact, so this many are plenty."""
MOST_IN_LAYER = 40_000
SAME_SHARE = 0.01
UPRIGHT_MM = 2.5
COARSEST_MM = 0.3
AROUND_MM = 3.0


@dataclass(frozen=True, eq=False)
class Slice:
    """One layer of a passage (see `_kernels.duct.narrow_cells`); layers of void below and above each side, and the share
    of each cell that is void."""

    open_y: Values
    open_x: Values
    state: NDArray[np.int8]
    at_y: Values
    at_x: Values
    up_y: NDArray[np.int32]
    up_x: NDArray[np.int32]
    share: Values

    def shows(self, open_y: Values, open_x: Values, least: float) -> bool:
        """Whether these sides are open as far as this slice's: upright walls look the same in every layer."""
        return bool((np.abs(open_y - self.open_y) < least).all() and (np.abs(open_x - self.open_x) < least).all())


class PassageCells:
    """Cells of one passage: how fine they are, and how they lie in each layer.

    Attributes
    ----------
    door : level, row and column of the coarse cells at its doors, three arrays (n,). frame : of the fine cells.
    """

    def __init__(self, doors: Doors, number: int) -> None:
        self.doors = doors
        self._slices: dict[int, Slice] = {}
        coarse = doors.frame
        grid = coarse.runs.grid
        box = doors.boxes[number]
        corner = np.array([side.start for side in box])
        self._starts = {int(corner[0]) + k: np.argwhere(own) + corner[1:] for k, own in enumerate(doors.filled[box] == number)}
        cells = doors.cells[doors.passage == number]
        self.door = np.unravel_index(cells, coarse.shape)
        # how wide the doors are decides how fine the cells must be
        width = self._width()
        every = max(1, int(min(COARSEST_MM, width / ACROSS_CELLS) / grid.pitch_mm + 1e-6))
        spare = int(np.ceil(AROUND_MM / coarse.cell_mm))
        low = corner[1:] - spare + np.array(coarse.first)
        high = np.array([side.stop for side in box[1:]]) + spare + np.array(coarse.first)
        while (high - low).prod() * (coarse.every / every) ** 2 > 25 * MOST_IN_LAYER:
            every *= 2
        first = np.floor(low * coarse.every / every).astype(int)
        beyond = np.ceil(high * coarse.every / every).astype(int)
        self.frame: Frame = replace(
            coarse,
            every=every,
            first=(int(first[0]), int(first[1])),
            shape=(1, int(beyond[0] - first[0]), int(beyond[1] - first[1])),
        )

    def _width(self) -> float:
        """About how wide the widest door of any level is in its layer [mm]."""
        cells = 0
        for k in np.unique(self.door[0]):
            here = self.door[0] == k
            cells = max(cells, *(len(np.unique(at[here])) for at in self.door[1:]))
        return cells * self.doors.frame.cell_mm

    def slice(self, layer: int) -> Slice:
        """The passage in a layer, looked at once."""
        if layer not in self._slices:
            self._slices[layer] = self._look(layer)
        return self._slices[layer]

    def _look(self, layer: int) -> Slice:
        frame, coarse = self.frame, self.doors.frame
        open_y, open_x = frame.open_sides(layer)
        nearest = int(np.argmin(np.abs(coarse.layers - layer)))
        at_door = self.door[0] == nearest
        if at_door.any():
            starts = [np.stack([self.door[1][at_door], self.door[2][at_door]], axis=1)]
        else:  # a slanting way passes here without a door
            starts = [s for k, s in self._starts.items() if abs(k - nearest) <= 1]
        spots = np.concatenate(starts) if starts else np.zeros((0, 2), np.int64)
        ratio = coarse.every / frame.every
        cells = []
        for dj in np.arange(0.0, ratio, 1.0):
            for di in np.arange(0.0, ratio, 1.0):
                j = np.floor((spots[:, 0] + coarse.first[0]) * ratio + dj + 1e-9).astype(int) - frame.first[0]
                i = np.floor((spots[:, 1] + coarse.first[1]) * ratio + di + 1e-9).astype(int) - frame.first[1]
                cells.append(np.stack([j, i], axis=1))
        chosen = np.unique(np.concatenate(cells), axis=0).astype(np.int64)
        rows, columns = frame.shape[1:]
        chosen = chosen[(chosen >= 0).all(axis=1) & (chosen[:, 0] < rows) & (chosen[:, 1] < columns)]
        j, i = self.coarse_cells
        low = self.doors.low[nearest][np.ix_(j, i)]
        grid = coarse.runs.grid
        x_low, y_low = frame.low_mm
        along, across = coarse.runs, coarse.across
        row_lines = (np.arange(rows + 1) + frame.first[0]) * frame.every
        column_lines = (np.arange(columns + 1) + frame.first[1]) * frame.every
        row_first, row_ends = kernels.ends_on(along.rays, layer, row_lines)
        column_first, column_ends = kernels.ends_on(across.rays, layer, column_lines)
        alike = next((s for s in self._slices.values() if s.shows(open_y, open_x, SAME_SHARE * frame.cell_mm)), None)
        if alike is not None:
            state, at_y, at_x = alike.state, alike.at_y, alike.at_x
        else:
            solid = kernels.Ends(row_first, row_ends, column_first, column_ends, x_low, y_low, frame.cell_mm)
            state, at_y, at_x = kernels.narrow_cells(solid, open_y, open_x, chosen, low, WIDE_MM)
        most = int(UPRIGHT_MM / grid.layer_mm)
        up_y = kernels.upright(along.rays, layer, row_lines, at_y, open_y, x_low, frame.cell_mm, most)
        up_x = kernels.upright(across.rays, layer, column_lines, at_x, open_x, y_low, frame.cell_mm, most)
        share = 0.25 * (open_y[:-1] + open_y[1:] + open_x[:-1].T + open_x[1:].T) / frame.cell_mm
        return Slice(open_y, open_x, state, at_y, at_x, up_y, up_x, share)

    @cached_property
    def coarse_cells(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """For each row and column of fine cells the coarse one."""
        frame, coarse = self.frame, self.doors.frame
        rows, columns = frame.shape[1:]
        ratio = frame.every / coarse.every
        j = np.floor((np.arange(rows) + frame.first[0] + 0.5) * ratio).astype(np.int64) - coarse.first[0]
        i = np.floor((np.arange(columns) + frame.first[1] + 0.5) * ratio).astype(np.int64) - coarse.first[1]
        return np.clip(j, 0, coarse.shape[1] - 1), np.clip(i, 0, coarse.shape[2] - 1)
