"""Where the model's own narrow ways are: doors between wide voids, found on coarse cells whose sides are exact.

A void is wide where a disc of `WIDE_MM` fits in the layer, over some height. Every other cell of void belongs to the wide void
that is nearest through the void; where two meet that are not yet one when these layers are printed, there is a door. Cells lie
between the rows along x and those along y, so a slit of any width opens the sides that it passes, whichever way it lies.
"""

from __future__ import annotations

import itertools
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.layers._kernels import doors as kernels
from wideberth.core.layers._kernels.duct import lowest_void
from wideberth.core.layers.grid import Grid
from wideberth.core.layers.runs import Runs, empty
from wideberth.core.progress import Progress

WIDE_MM = 5.0
"""Wider voids resist little: 10 mm of a bore of this width take 0.03 kPa at 350 mm³/s and 0.2 Pa·s."""
LOWEST_MM = 2.0
"""A wide void that is lower than this between solid and solid is a slot."""
CELL_MM, LEVEL_MM = 0.4, 0.5
MOST_CELLS = 8_000_000
CLEAR_SHARE = 0.75
"""How near to the wide voids a passage is stopped up, as a share of their least clearance."""
SPARE_CELLS = 1.0
LOOKING = "looking for slits, bores and necks"
OUTSIDE = 0
BEHIND = [step for step in itertools.product((-1, 0, 1), repeat=3) if step > (0, 0, 0)]
"""To half of the cells round one; the other half has it among its own."""
IN_LAYER = [(0, row, column) for row, column in itertools.product((-1, 0, 1), repeat=2)]
THREADS = 2


@dataclass(frozen=True, eq=False)
class Cells:
    """Cells of `cell_mm` at some levels of a print.

    grid, over : of the runs along x, and of those along y. every : rows a cell. first : number of the first cell's first row and
    column, in cells from the grids' first. shape : (levels, rows, columns). layers : (levels,) layer of each level. step : layers
    from one level to the next.
    """

    grid: Grid
    over: Grid
    every: int
    first: tuple[int, int]
    shape: tuple[int, int, int]
    layers: NDArray[np.int64]
    step: int

    @property
    def cell_mm(self) -> float:
        return self.every * self.grid.pitch_mm

    @property
    def low_mm(self) -> tuple[float, float]:
        """Corner of the first cell: x and y."""
        pitch = self.grid.pitch_mm
        return self.over.y0_mm + self.first[1] * self.every * pitch, self.grid.y0_mm + self.first[0] * self.every * pitch

    def middle_of(self, cell: int) -> tuple[float, float, float]:
        """Middle of a cell by its flat index [mm]."""
        k, j, i = (int(n) for n in np.unravel_index(cell, self.shape))
        x, y = self.low_mm
        return x + (i + 0.5) * self.cell_mm, y + (j + 0.5) * self.cell_mm, float(self.grid.z_of(int(self.layers[k])))

    def lowest_of(self, cell: int, walls: Runs) -> tuple[float, float, float]:
        """A point in the wide void at a cell, as low as that void goes between walls below it."""
        x, y, _ = self.middle_of(cell)
        k, j, _ = (int(n) for n in np.unravel_index(cell, self.shape))
        row = (self.first[0] + j) * self.every + self.every // 2
        layer = lowest_void(walls.rays, row, x, int(self.layers[k]))
        return x, y, float(walls.grid.z_of(layer))


@dataclass(frozen=True, eq=False)
class Frame(Cells):
    """Cells over a print, with its runs along x and along y."""

    runs: Runs
    across: Runs

    @property
    def cells(self) -> Cells:
        """The cells by themselves."""
        return Cells(self.grid, self.over, self.every, self.first, self.shape, self.layers, self.step)

    def open_sides(self, layer: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Open lengths of the cells' sides on rows, (rows + 1, columns), and on columns, (columns + 1, rows)."""
        (x, y), (_, rows, columns), (j, i) = self.low_mm, self.shape, self.first
        cell, along, across = self.cell_mm, self.runs, self.across
        open_y = kernels.open_lengths(along.rays, layer, self.every, np.arange(j, j + rows + 1), x, cell, columns)
        open_x = kernels.open_lengths(across.rays, layer, self.every, np.arange(i, i + columns + 1), y, cell, rows)
        return open_y, open_x


@dataclass(frozen=True, eq=False)
class BesideStops:
    """What lies in or beside a stopped cell, (levels, rows, columns); the rest as in `Frame`."""

    near: NDArray[np.bool_]
    layers: NDArray[np.int64]
    low_mm: tuple[float, float]
    cell_mm: float

    def at(self, layer: NDArray[np.int64], x_mm: NDArray[np.float64], y_mm: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Whether points lie there, at the levels about their layers, (n,)."""
        (x, y), (_, rows, columns) = self.low_mm, self.near.shape
        level = np.abs(self.layers[None, :] - layer[:, None]).argmin(axis=1)
        j = np.clip(((y_mm - y) / self.cell_mm).astype(np.int64), 0, rows - 1)
        i = np.clip(((x_mm - x) / self.cell_mm).astype(np.int64), 0, columns - 1)
        return np.asarray(self.near[level, j, i])


@dataclass(frozen=True, eq=False)
class Doors:
    """Narrow ways between wide voids.

    Attributes
    ----------
    frame : the cells. source : (levels, rows, columns) the wide cell nearest to each, -1 in solid. component : of each wide cell.
    parent, time : sets of components and the level at which each joins another. low : (levels, rows, columns) void that is
    low between solid and solid. cells : (n,) cells beside doors; passage : (n,) which passage each belongs to; filled :
    (levels, rows, columns) passage of each cell between doors and wide voids, -1 elsewhere. count : number of passages.
    """

    frame: Frame
    source: NDArray[np.int32]
    component: NDArray[np.int32]
    parent: NDArray[np.int32]
    time: NDArray[np.int32]
    low: NDArray[np.bool_]
    cells: NDArray[np.int32]
    passage: NDArray[np.int64]
    filled: NDArray[np.int32]
    count: int

    @property
    def measured(self) -> Doors:
        """The same once ways are measured: without runs along y, which only that takes, and which are large."""
        return replace(self, frame=replace(self.frame, across=empty(self.frame.over)))

    @cached_property
    def boxes(self) -> list[tuple[slice, slice, slice]]:
        """Levels, rows and columns that the cells of each passage lie in."""
        return scipy.ndimage.find_objects(self.filled + 1)

    def set_of(self, cell: int, level: int) -> int:
        """The set that a cell's wide void belongs to when the levels up to one are printed."""
        source = int(self.source.reshape(-1)[cell])
        return int(kernels.root_at(self.parent, self.time, self.component.reshape(-1)[source], level))

    def place_of(self, passage: int) -> tuple[float, float, float]:
        """A place at a passage's doors [mm]."""
        own = self.cells[self.passage == passage]
        return self.frame.middle_of(int(own[len(own) // 2]))

    def wide_near(self, point_mm: tuple[float, float, float]) -> int:
        """A cell of the wide void that is nearest to a point through the void; -1 where none is near."""
        frame = self.frame
        x, y = frame.low_mm
        layer = int(frame.grid.layer_of(point_mm[2]))
        j, i = int((point_mm[1] - y) / frame.cell_mm), int((point_mm[0] - x) / frame.cell_mm)
        levels = np.flatnonzero(np.abs(frame.layers - layer) <= frame.step)
        around = self.source[levels, max(0, j - 1) : j + 2, max(0, i - 1) : i + 2]
        here = self.source[levels, j, i] if 0 <= j < frame.shape[1] and 0 <= i < frame.shape[2] else around
        for some in (here, around):
            sources = some[some >= 0]
            if len(sources):
                return int(np.bincount(sources).argmax())
        return -1

    @property
    def beside_stops(self) -> BesideStops:
        """The cells in and beside what is stopped up."""
        near = scipy.ndimage.maximum_filter(self.filled >= 0, size=3)
        return BesideStops(near, self.frame.layers, self.frame.low_mm, self.frame.cell_mm)

    def stops(self, but: set[int], progress: Progress) -> Runs:
        """Solid that stops all passages but some, on the rows of the print."""
        frame, grid = self.frame, self.frame.grid
        shut = self.filled >= 0
        for passage in but:
            shut &= self.filled != passage
        columns = np.flatnonzero(shut.any(axis=(0, 1)))
        if len(columns) == 0:
            return empty(grid)
        first, beyond = int(columns[0]), int(columns[-1]) + 1
        low = frame.low_mm[0] + first * frame.cell_mm
        levels = kernels.Levels(frame.layers, frame.step, frame.first[0], frame.every, low, frame.cell_mm)
        shut = np.ascontiguousarray(shut[:, :, first:beyond])
        wide = np.ascontiguousarray(self.component[:, :, first:beyond] >= 0)
        progress.at(0.0, "stopping ways up")
        offsets, x0, x1 = kernels.stop_runs(shut, wide, levels, grid.rows, grid.layers)
        return Runs(grid, offsets, x0, x1)


def find_doors(runs: Runs, across: Runs, progress: Progress) -> Doors | None:
    """Narrow ways between the wide voids of a print, or None when no wide void is closed in.

    Parameters
    ----------
    runs, across : everything solid, holes plugged, along x and along y.
    """
    frame = _frame(runs, across)
    levels, rows, columns = frame.shape
    through_y = np.zeros((levels, rows + 1, columns), bool)
    through_x = np.zeros((levels, rows, columns + 1), bool)
    core = np.zeros(frame.shape, bool)

    shares = progress.part(0.0, 0.3).side_by_side(levels)

    def look(k: int) -> None:
        touched, through_y[k], through_x[k] = kernels.sides(*frame.open_sides(int(frame.layers[k])), frame.cell_mm)
        clear = scipy.ndimage.distance_transform_edt(~touched) if touched.any() else np.full((rows, columns), np.inf)
        core[k] = clear * frame.cell_mm >= 0.5 * WIDE_MM
        shares[k].at(1.0, LOOKING)

    with ThreadPoolExecutor(THREADS) as side_by_side:
        list(side_by_side.map(look, range(levels)))
    progress.at(0.3, LOOKING)
    void = through_y[:, :-1] | through_y[:, 1:] | through_x[:, :, :-1] | through_x[:, :, 1:]
    low = _low(void, max(1, round(LOWEST_MM / (frame.step * runs.grid.layer_mm))))
    core &= ~low
    progress.at(0.4, LOOKING)
    component, count = _labelled(core)
    progress.at(0.5, LOOKING)
    parent, time = _joined(component, count)
    never = np.array([kernels.joined_when(parent, time, OUTSIDE, c) for c in range(count)]) > _first_levels(component, count)
    if not never.any():
        return None
    progress.at(0.6, LOOKING)
    source = np.where(core, np.arange(core.size, dtype=np.int32).reshape(core.shape), np.int32(-1))
    kernels.flood(source, through_y, through_x, void)
    progress.at(0.7, LOOKING)
    pairs = kernels.doors(source, component, parent, time, through_y, through_x, void)
    if len(pairs) == 0:
        return None
    progress.at(0.8, LOOKING)
    cells = np.unique(pairs)
    names = _clusters(cells, frame.shape)
    tall = frame.step * runs.grid.layer_mm / frame.cell_mm
    least = CLEAR_SHARE * 0.5 * WIDE_MM / frame.cell_mm
    filled = kernels.fill_from(
        cells.astype(np.int32), names.astype(np.int32), source, through_y, through_x, void, tall, least, SPARE_CELLS
    )
    progress.at(0.9, LOOKING)
    _thicken(filled, cells, names)
    passages = int(names.max()) + 1
    return Doors(frame, source, component, parent, time, low, cells.astype(np.int32), names.astype(np.int64), filled, passages)


def _clusters(cells: NDArray[np.integer], shape: tuple[int, ...]) -> NDArray[np.int64]:
    """Which cluster each cell (n,) belongs to, cells by their flat index, rising; corners count as touching."""
    of, beside = np.hstack([_beside(cells, shape, step) for step in BEHIND])
    at = np.searchsorted(cells, beside).clip(max=len(cells) - 1)
    both = cells[at] == beside
    graph = scipy.sparse.coo_matrix((np.ones(int(both.sum()), np.int8), (of[both], at[both])), shape=(len(cells), len(cells)))
    return scipy.sparse.csgraph.connected_components(graph, directed=False)[1].astype(np.int64)


def _thicken(filled: NDArray[np.int32], cells: NDArray[np.integer], names: NDArray[np.int64]) -> None:
    """Fill one cell more round each of some cells in its level, so that corners leak nothing; the first name goes first."""
    of, around = np.hstack([_beside(cells, filled.shape, step) for step in IN_LAYER])
    free = np.flatnonzero(filled.reshape(-1)[around] < 0)
    free = free[np.argsort(-names[of[free]], kind="stable")]  # what comes last stays
    filled.reshape(-1)[around[free]] = names[of[free]]


def _beside(cells: NDArray[np.integer], shape: tuple[int, ...], step: tuple[int, ...]) -> NDArray[np.int64]:
    """Which of some cells (n,) have one a step from them, and that one, (2, m); cells by their flat index."""
    there = [at + by for at, by in zip(np.unravel_index(cells, shape), step, strict=True)]
    inside = np.flatnonzero(np.all([(at >= 0) & (at < most) for at, most in zip(there, shape, strict=True)], axis=0))
    return np.array((inside, np.ravel_multi_index([at[inside] for at in there], shape)))


def _frame(runs: Runs, across: Runs) -> Frame:
    """The cells over a print, with room for a wide void all round."""
    grid, other = runs.grid, across.grid
    step = max(1, round(LEVEL_MM / grid.layer_mm))
    layers = np.arange(step // 2, grid.layers, step)
    if len(layers) == 0:
        layers = np.array([grid.layers // 2])
    every = max(1, round(CELL_MM / grid.pitch_mm))
    while True:
        spare = int(np.ceil((0.5 * WIDE_MM + 1.0) / (every * grid.pitch_mm))) + 1
        rows, columns = (-(-n // every) + 2 * spare for n in (grid.rows, other.rows))
        if rows * columns * len(layers) <= MOST_CELLS:
            return Frame(grid, other, every, (-spare, -spare), (len(layers), rows, columns), layers, step, runs, across)
        every += 1


def _low(void: NDArray[np.bool_], least: int) -> NDArray[np.bool_]:
    """Void that is lower than some levels between solid, or the plate, below and solid above; (levels, rows, columns)."""
    height = np.zeros(void.shape, np.uint8)
    for k in range(void.shape[0]):
        height[k] = np.where(void[k], np.minimum(height[k - 1] if k else 0, least) + 1, 0)
    for k in range(void.shape[0] - 2, -1, -1):  # the height of a column is that of its highest cell
        height[k] = np.where(void[k] & void[k + 1], height[k + 1], height[k])
    low: NDArray[np.bool_] = void & (height < least)
    k = void.shape[0] - 1
    while k >= 0 and low[k].any():  # open above
        low[k] = False
        k -= 1
        low[k] &= ~void[k + 1]
    return low


def _labelled(core: NDArray[np.bool_]) -> tuple[NDArray[np.int32], int]:
    """Components of each level, numbered throughout; those at the border are the outside (0)."""
    component = np.full(core.shape, -1, np.int32)
    count = 1
    for k in range(core.shape[0]):
        label, number = scipy.ndimage.label(core[k])
        border = np.unique(np.concatenate((label[0], label[-1], label[:, 0], label[:, -1])))
        rename = np.empty(number + 1, np.int32)
        rename[0] = -1
        inner = np.setdiff1d(np.arange(1, number + 1), border)
        rename[border[border > 0]] = OUTSIDE
        rename[inner] = count + np.arange(len(inner))
        count += len(inner)
        component[k] = rename[label]
    return component, count


def _joined(component: NDArray[np.int32], count: int) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Sets of components, joined upward where wide cells lie on one another."""
    parent, time, size = np.arange(count, dtype=np.int32), np.zeros(count, np.int32), np.ones(count, np.int64)
    for k in range(1, component.shape[0]):
        both = (component[k] >= 0) & (component[k - 1] >= 0) & (component[k] != component[k - 1])
        for pair in np.unique(component[k][both].astype(np.int64) * count + component[k - 1][both]):
            kernels.link(parent, time, size, pair // count, pair % count, k)
    return parent, time


def _first_levels(component: NDArray[np.int32], count: int) -> NDArray[np.int64]:
    """The level of each component; the outside's is 0."""
    first = np.zeros(count, np.int64)
    for k in range(component.shape[0]):
        here = np.unique(component[k])
        first[here[here > 0]] = k
    return first
