"""What the model's own narrow ways let through: slits, bores, notches, necks, gaps between posts, solved as creeping flow.

Each way between two wide voids is cut into cells whose sides are exact (see `doors`); the speed at each side is that of a
long duct (see `_kernels.duct`), and the pressures between follow from what flows in flows out. A bore's two ends resist
as Sampson's hole does (3 μ/r³ in all); a slit's ends are left out, as in the slot's law ∫H³ dy/(12 μ L).
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers._kernels import duct as kernels
from wideberth.core.layers._kernels.network import pressures, reached
from wideberth.core.layers.doors import WIDE_MM, Doors, Frame
from wideberth.core.progress import Progress

Values = NDArray[np.float64]
THREADS = 2
ACROSS_CELLS = 6
"""Cells over the width of a way; its sides are exact, so this many are plenty."""
FEWEST_LEVELS, MOST_LEVELS = 4, 10
MOST_IN_LAYER = 40_000
MOST_SLICES = 28
SAME_SHARE = 0.01
TOLERANCE = 1e-5
UPRIGHT_MM = 2.5
COARSEST_MM = 0.5
AROUND_MM = 3.0
ROUND_SHARE = 1 / (8 * np.pi)
"""S/A² of a disc; of a strip it is w/(12 b)."""
NEARLY = 0.94
"""From this share of it on a section counts as round: it is measured to a few hundredths."""


@dataclass(frozen=True, eq=False)
class Ways:
    """The model's own narrow ways between void sets.

    Attributes
    ----------
    mouth_cell : (ways, 2) a cell of the wide void at either end (see `Doors`). conductance_mm3 : (ways, layers) flow per
    pressure at unit viscosity when each layer peels; 0 while a way is not printed yet. area_mm2, z_mm : (ways,)
    section of a duct that does the same, and height.
    """

    mouth_cell: NDArray[np.int64]
    conductance_mm3: Values
    area_mm2: Values
    z_mm: Values

    @property
    def count(self) -> int:
        return len(self.area_mm2)


def no_ways(layers: int) -> Ways:
    """None at all."""
    return Ways(np.zeros((0, 2), np.int64), np.zeros((0, layers)), np.zeros(0), np.zeros(0))


def measured_ways(doors: Doors, progress: Progress) -> tuple[Ways, list[int]]:
    """Conductance of every passage in every layer, on two threads; and the passages through which no flow was found.

    Raises
    ------
    Cancelled : within one layer of one passage.
    """
    layers = doors.frame.runs.grid.layers

    def measure(number: int) -> list[tuple[int, int, Values, float, float]]:
        progress.at(number / doors.count, "solving slits, bores and necks")
        return _Passage(doors, number, progress).ways()

    with ThreadPoolExecutor(THREADS) as side_by_side:
        measured = list(side_by_side.map(measure, range(doors.count)))
    unknown = [number for number, ways in enumerate(measured) if not ways]
    found = [way for ways in measured for way in ways]
    if not found:
        return no_ways(layers), unknown
    ways = Ways(
        np.array([(a, b) for a, b, _, _, _ in found]), np.stack([g for _, _, g, _, _ in found]),
        np.array([area for _, _, _, area, _ in found]), np.array([z for _, _, _, _, z in found]),
    )  # fmt: skip
    return ways, unknown


SIDES = ("open_y", "open_x", "at_y", "at_x", "up_y", "up_x", "share")


@dataclass(frozen=True, eq=False)
class _Slice:
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


@dataclass(frozen=True)
class _Flow:
    """What flows between two sets: conductance with its ends, section of a duct that does the same."""

    conductance: float
    area: float


@dataclass(eq=False)
class _Passage:
    """One passage while it is measured."""

    doors: Doors
    number: int
    progress: Progress
    _slices: dict[int, _Slice] = field(default_factory=dict)
    _cell_of: dict[int, int] = field(default_factory=dict)

    def __post_init__(self) -> None:
        coarse = self.doors.frame
        grid = coarse.runs.grid
        own = self.doors.filled == self.number
        levels, rows, columns = (np.flatnonzero(own.any(axis=axes)) for axes in ((1, 2), (0, 2), (0, 1)))
        self._starts = {int(k): np.argwhere(own[k]) for k in levels}
        cells = self.doors.cells[self.doors.passage == self.number]
        self._door = np.unravel_index(cells, coarse.shape)
        # how wide the doors are decides how fine the cells must be
        width = self._width()
        every = max(1, int(min(COARSEST_MM, width / ACROSS_CELLS) / grid.pitch_mm + 1e-6))
        spare = int(np.ceil(AROUND_MM / coarse.cell_mm))
        low = np.array([rows[0] - spare, columns[0] - spare]) + np.array(coarse.first)
        high = np.array([rows[-1] + 1 + spare, columns[-1] + 1 + spare]) + np.array(coarse.first)
        while (high - low).prod() * (coarse.every / every) ** 2 > 25 * MOST_IN_LAYER:
            every *= 2
        first = np.floor(low * coarse.every / every).astype(int)
        beyond = np.ceil(high * coarse.every / every).astype(int)
        self.frame: Frame = replace(
            coarse, every=every, first=(int(first[0]), int(first[1])),
            shape=(1, int(beyond[0] - first[0]), int(beyond[1] - first[1])),
        )  # fmt: skip
        self.bottom, self.top = self._ends()

    def _width(self) -> float:
        """About how wide the widest door of any level is in its layer [mm]."""
        cells = 0
        for k in np.unique(self._door[0]):
            here = self._door[0] == k
            cells = max(cells, *(len(np.unique(at[here])) for at in self._door[1:]))
        return cells * self.doors.frame.cell_mm

    def _ends(self) -> tuple[int, int]:
        """First and last layer in which there is void at the passage's doors."""
        coarse = self.doors.frame
        last_layer = coarse.runs.grid.layers - 1
        low, high = int(self._door[0].min()), int(self._door[0].max())

        def is_open(layer: int, level: int) -> bool:
            here = self._door[0] == level
            open_y, open_x = coarse.open_sides(layer)
            j, i = self._door[1][here], self._door[2][here]
            return bool((open_y[j, i] + open_y[j + 1, i] + open_x[i, j] + open_x[i + 1, j] > 1e-6).any())

        bottom = top = int(coarse.layers[low])
        while bottom > max(0, int(coarse.layers[low]) - coarse.step) and is_open(bottom - 1, low):
            bottom -= 1
        top = int(coarse.layers[high])
        while top < min(last_layer, int(coarse.layers[high]) + coarse.step) and is_open(top + 1, high):
            top += 1
        return bottom, top

    def ways(self) -> list[tuple[int, int, Values, float, float]]:
        """Both mouths, conductance in each layer, area and height of each way that the passage offers."""
        grid = self.doors.frame.runs.grid
        heights = [1, 4, 16, 64, 256, 1024]
        last = self.top - self.bottom + 1
        sampled = [h for h in heights if h < last] + [last]
        flows: dict[tuple[int, int], dict[int, _Flow]] = {}
        for height in sampled:
            self.progress.at(self.number / self.doors.count, "solving slits, bores and necks")
            for pair, flow in self._flows(self.bottom + height - 1).items():
                flows.setdefault(pair, {})[height] = flow
        made = []
        for (a, b), known in flows.items():
            at = np.array(sorted(known))
            values = np.maximum([known[h].conductance for h in at], 1e-12)
            printed = np.arange(grid.layers) - self.bottom + 1
            inner = np.exp(np.interp(np.log(np.maximum(printed, 1)), np.log(at), np.log(values)))
            # before the first that was solved, a slot grows with the cube of its height
            inner = np.where(printed < at[0], values[0] * (np.maximum(printed, 0) / at[0]) ** 3, inner)
            z = 0.5 * (self.bottom + self.top + 1) * grid.layer_mm
            made.append((a, b, np.where(printed >= 1, inner, 0.0), known[int(at[-1])].area, z))
        return made

    def _slice(self, layer: int) -> _Slice:
        """The passage in a layer, looked at once."""
        if layer not in self._slices:
            self._slices[layer] = self._look(layer)
        return self._slices[layer]

    def _look(self, layer: int) -> _Slice:
        frame, coarse = self.frame, self.doors.frame
        open_y, open_x = frame.open_sides(layer)
        nearest = int(np.argmin(np.abs(coarse.layers - layer)))
        at_door = self._door[0] == nearest
        if at_door.any():
            starts = [np.stack([self._door[1][at_door], self._door[2][at_door]], axis=1)]
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
        j, i = self._coarse_cells()
        low = self.doors.low[nearest][np.ix_(j, i)]
        grid, other = coarse.runs.grid, coarse.across.grid
        x_low, y_low = frame.low_mm
        along, across = coarse.runs, coarse.across
        row_lines = (np.arange(rows + 1) + frame.first[0]) * frame.every
        column_lines = (np.arange(columns + 1) + frame.first[1]) * frame.every
        on_rows = kernels.ends_on(along.offsets, along.x0, along.x1, layer * grid.rows, grid.rows, row_lines)
        on_columns = kernels.ends_on(across.offsets, across.x0, across.x1, layer * other.rows, other.rows, column_lines)
        alike = next((s for s in self._slices.values() if s.shows(open_y, open_x, SAME_SHARE * frame.cell_mm)), None)
        if alike is not None:
            state, at_y, at_x = alike.state, alike.at_y, alike.at_x
        else:
            state, at_y, at_x = kernels.narrow_cells(
                on_rows[0], on_rows[1], on_columns[0], on_columns[1], x_low, y_low, frame.cell_mm, open_y, open_x, chosen,
                low, WIDE_MM,
            )  # fmt: skip
        most = int(UPRIGHT_MM / grid.layer_mm)
        up_y, up_x = (
            kernels.upright(
                solid.offsets, solid.x0, solid.x1, solid.grid.rows, grid.layers, layer, lines, at, open_sides, low_mm,
                frame.cell_mm, most,
            )
            for solid, lines, at, open_sides, low_mm in (
                (along, row_lines, at_y, open_y, x_low), (across, column_lines, at_x, open_x, y_low),
            )
        )  # fmt: skip
        share = 0.25 * (open_y[:-1] + open_y[1:] + open_x[:-1].T + open_x[1:].T) / frame.cell_mm
        return _Slice(open_y, open_x, state, at_y, at_x, up_y, up_x, share)

    def _coarse_cells(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """For each row and column of fine cells the coarse one."""
        frame, coarse = self.frame, self.doors.frame
        rows, columns = frame.shape[1:]
        ratio = frame.every / coarse.every
        j = np.floor((np.arange(rows) + frame.first[0] + 0.5) * ratio).astype(np.int64) - coarse.first[0]
        i = np.floor((np.arange(columns) + frame.first[1] + 0.5) * ratio).astype(np.int64) - coarse.first[1]
        return np.clip(j, 0, coarse.shape[1] - 1), np.clip(i, 0, coarse.shape[2] - 1)

    def _flows(self, layer: int) -> dict[tuple[int, int], _Flow]:
        """What flows between each two of the void sets beside the passage when a layer is the last; sets by a cell of theirs."""
        grid, frame = self.doors.frame.runs.grid, self.frame
        low_z, high_z = self.bottom * grid.layer_mm, (min(layer, self.top) + 1) * grid.layer_mm
        count = int(np.clip(np.ceil((high_z - low_z) / frame.cell_mm), FEWEST_LEVELS, MOST_LEVELS))
        tall = (high_z - low_z) / count
        z = low_z + (np.arange(count) + 0.5) * tall
        apart = max(1, (self.top + 1 - self.bottom) // MOST_SLICES)
        used = np.clip((z / grid.layer_mm).astype(int), self.bottom, layer)
        used = np.minimum(layer, self.bottom + (used - self.bottom) // apart * apart)
        slices = [self._slice(int(k)) for k in used]
        state = np.stack([s.state for s in slices])
        sets = self._sets(state, used, layer)
        names = [n for n in np.unique(sets) if n >= 0]
        if len(names) < 2:
            return {}
        open_y, open_x, at_y, at_x, up_y, up_x, share = (np.stack([getattr(s, name) for s in slices]) for name in SIDES)
        a, b, g, area, speed, axis = kernels.links(
            state, open_y, open_x, at_y, at_x, up_y, up_x, share, z, used, high_z, grid.layer_mm, frame.cell_mm, tall
        )
        known = sets.reshape(-1)
        wide = (state == 2).reshape(-1)
        dead = (wide[a] & (known[a] < 0)) | (wide[b] & (known[b] < 0))
        keep = ~dead
        length = np.array([frame.cell_mm, frame.cell_mm, tall])[axis]
        network = _Network(a[keep], b[keep], g[keep], (area * length)[keep], speed[keep], axis[keep])
        found: dict[tuple[int, int], _Flow] = {}
        for n, first in enumerate(names[:-1]):
            for second, flow in network.flows_from(first, names[n + 1 :], known).items():
                found[self._cell_of[int(first)], self._cell_of[int(second)]] = flow
        return found

    def _sets(self, state: NDArray[np.int8], used: NDArray[np.int64], layer: int) -> NDArray[np.int64]:
        """Which void set each wide cell belongs to when a layer is the last, -1 for none and for narrow cells."""
        coarse = self.doors.frame
        sets = np.full(state.shape, -1, np.int64)
        rows, columns = self._coarse_cells()
        printed = int(np.searchsorted(coarse.layers, layer, side="right")) - 1
        sources = self.doors.source
        per_level = coarse.shape[1] * coarse.shape[2]
        wide = np.argwhere(state == 2)
        if len(wide) == 0:
            return sets
        nearest = np.array([int(np.argmin(np.abs(coarse.layers - k))) for k in used])
        source = sources[nearest[wide[:, 0]], rows[wide[:, 1]], columns[wide[:, 2]]]
        at = max([printed] + [int(s) // per_level for s in np.unique(source) if s >= 0])
        root = {int(s): self.doors.set_of(int(s), at) for s in np.unique(source) if s >= 0}
        sets[tuple(wide.T)] = [root.get(int(s), -1) for s in source]
        for s in sorted(root):  # the lowest cell of each set stands for it, in all layers
            self._cell_of.setdefault(root[s], s)
        return sets


@dataclass(frozen=True, eq=False)
class _Network:
    """Cells and the links between them: conductance, volume and speed per pressure gradient of each, and which way it runs."""

    a: NDArray[np.int64]
    b: NDArray[np.int64]
    g: Values
    volume: Values
    speed: Values
    axis: NDArray[np.int8]

    def flows_from(self, first: int, others: list[int], sets: NDArray[np.int64]) -> dict[int, _Flow]:
        """What flows from one set to each of some others, for unit pressure between it and all others."""
        nodes, places = np.unique(np.concatenate((self.a, self.b)), return_inverse=True)
        if len(nodes) == 0:
            return {}
        a, b = places[: len(self.a)], places[len(self.a) :]
        own = sets[nodes]
        fixed = own >= 0
        start = np.where(own == first, 1.0, 0.0)
        lost = ~reached(a, b, fixed)
        pressure = pressures(a, b, self.g, fixed | lost, start, TOLERANCE)
        drop = pressure[a] - pressure[b]
        flow = self.g * drop
        net = np.bincount(a, flow, len(nodes)) - np.bincount(b, flow, len(nodes))
        out: dict[int, _Flow] = {}
        for other in others:
            passed = -float(net[own == other].sum())
            if passed > 1e-12:
                out[other] = self._with_ends(passed, 0.5 * (pressure[a] + pressure[b]), drop, flow)
        return out

    def _with_ends(self, conductance: float, pressure: Values, drop: Values, flow: Values) -> _Flow:
        """The same with what a bore's ends resist, judged by the middle of the way, where the pressure falls from 3/4 to 1/4.

        There Q = ū A G and V = A Δp / G: what flows, the mean speed per gradient ū, the volume V and the pressure Δp that is
        lost in it give the gradient G and the section A of a duct that does the same.
        """
        middle = np.abs(pressure - 0.5) < 0.25
        spent = np.bincount(self.axis[middle], (flow * drop)[middle], 3)
        own = middle & (self.axis == spent.argmax())
        volume = float(self.volume[own].sum())
        if volume <= 0 or spent.sum() <= 0:
            return _Flow(conductance, 0.0)
        speed = float((self.speed * self.volume)[own].sum()) / volume
        lost = float(spent.sum()) / conductance
        area = float(np.sqrt(conductance * volume / (speed * lost)))
        through = speed * area
        alike = min(1.0, through / area**2 / (NEARLY * ROUND_SHARE))
        radius = (8 * through / np.pi) ** 0.25
        return _Flow(1.0 / (1.0 / conductance + 3.0 * alike**4 / radius**3), area)
