"""What the model's own narrow ways let through: slits, bores, notches, necks, gaps between posts, solved as creeping flow.

Each way between two wide voids is cut into cells whose sides are exact (see `doors`); the speed at each side is that of a
long duct (see `_kernels.duct`), and the pressures between follow from what flows in flows out. A bore's two ends resist
as Sampson's hole does (3 μ/r³ in all); a slit's ends are left out, as in the slot's law ∫H³ dy/(12 μ L).
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers._kernels import duct as kernels
from wideberth.core.layers.doors import Doors
from wideberth.core.layers.network import Flow, Network
from wideberth.core.layers.slices import PassageCells
from wideberth.core.progress import Progress

Values = NDArray[np.float64]
THREADS = 2
SOLVING = "solving slits, bores and necks"
FEWEST_LEVELS, MOST_LEVELS = 4, 10
MOST_SLICES = 28


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
    layers, shares = doors.frame.grid.layers, progress.side_by_side(doors.count)

    def measure(number: int) -> list[tuple[int, int, Values, float, float]]:
        share = shares[number]
        share.at(0.0, SOLVING)
        ways = _Passage(doors, number, share).ways()
        share.at(1.0, SOLVING)
        return ways

    with ThreadPoolExecutor(THREADS) as side_by_side:
        measured = list(side_by_side.map(measure, range(doors.count)))
    unknown = [number for number, ways in enumerate(measured) if not ways]
    every = [way for ways in measured for way in ways]
    if not every:
        return no_ways(layers), unknown
    ways = Ways(
        np.array([(a, b) for a, b, _, _, _ in every]),
        np.stack([g for _, _, g, _, _ in every]),
        np.array([area for _, _, _, area, _ in every]),
        np.array([z for _, _, _, _, z in every]),
    )
    return ways, unknown


@dataclass(eq=False)
class _Passage:
    """One passage while it is measured."""

    doors: Doors
    number: int
    progress: Progress
    _cell_of: dict[int, int] = field(default_factory=dict)

    @cached_property
    def cells(self) -> PassageCells:
        return PassageCells(self.doors, self.number)

    @cached_property
    def _ends(self) -> tuple[int, int]:
        """First and last layer in which there is void at the passage's doors."""
        coarse = self.doors.frame
        last_layer = coarse.runs.grid.layers - 1
        low, high = int(self.cells.door[0].min()), int(self.cells.door[0].max())

        def is_open(layer: int, level: int) -> bool:
            here = self.cells.door[0] == level
            open_y, open_x = coarse.open_sides(layer)
            j, i = self.cells.door[1][here], self.cells.door[2][here]
            return bool((open_y[j, i] + open_y[j + 1, i] + open_x[i, j] + open_x[i + 1, j] > 1e-6).any())

        bottom = top = int(coarse.layers[low])
        while bottom > max(0, int(coarse.layers[low]) - coarse.step) and is_open(bottom - 1, low):
            bottom -= 1
        top = int(coarse.layers[high])
        while top < min(last_layer, int(coarse.layers[high]) + coarse.step) and is_open(top + 1, high):
            top += 1
        return bottom, top

    @property
    def bottom(self) -> int:
        return self._ends[0]

    @property
    def top(self) -> int:
        return self._ends[1]

    def ways(self) -> list[tuple[int, int, Values, float, float]]:
        """Both mouths, conductance in each layer, area and height of each way that the passage offers."""
        grid = self.doors.frame.grid
        heights = [4, 16, 64, 256, 1024]
        last = self.top - self.bottom + 1
        sampled = [h for h in heights if h < last] + [last]
        flows: dict[tuple[int, int], dict[int, Flow]] = {}
        for height in sampled:
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

    def _flows(self, layer: int) -> dict[tuple[int, int], Flow]:
        """What flows between each two of the void sets beside the passage when a layer is the last; sets by a cell of theirs."""
        grid, frame = self.doors.frame.grid, self.cells.frame
        low_z, high_z = self.bottom * grid.layer_mm, (min(layer, self.top) + 1) * grid.layer_mm
        count = int(np.clip(np.ceil((high_z - low_z) / frame.cell_mm), FEWEST_LEVELS, MOST_LEVELS))
        tall = (high_z - low_z) / count
        z = low_z + (np.arange(count) + 0.5) * tall
        apart = max(1, (self.top + 1 - self.bottom) // MOST_SLICES)
        used = np.clip((z / grid.layer_mm).astype(int), self.bottom, layer)
        used = np.minimum(layer, self.bottom + (used - self.bottom) // apart * apart)
        slices = []
        for k in used:
            self._told()
            slices.append(self.cells.slice(int(k)))
        state = np.stack([s.state for s in slices])
        sets = self._sets(state, used, layer)
        names = [n for n in np.unique(sets) if n >= 0]
        if len(names) < 2:
            return {}
        way = kernels.Way(*(np.stack([getattr(s, name) for s in slices]) for name in kernels.Way._fields))
        levels = kernels.Levels(z, used, high_z, grid.layer_mm, frame.cell_mm, tall)
        a, b, g, area, speed, axis = kernels.links(way, levels)
        self._told()
        known = sets.reshape(-1)
        wide = (state == 2).reshape(-1)
        dead = (wide[a] & (known[a] < 0)) | (wide[b] & (known[b] < 0))
        keep = ~dead
        length = np.array([frame.cell_mm, frame.cell_mm, tall])[axis]
        network = Network(a[keep], b[keep], g[keep], (area * length)[keep], speed[keep], axis[keep])
        flows: dict[tuple[int, int], Flow] = {}
        for n, first in enumerate(names[:-1]):
            for second, flow in network.flows_from(first, names[n + 1 :], known).items():
                flows[self._cell_of[int(first)], self._cell_of[int(second)]] = flow
        return flows

    def _told(self) -> None:
        """Say how far it is, and stop where that is wished for."""
        self.progress.at(0.0, SOLVING)

    def _sets(self, state: NDArray[np.int8], used: NDArray[np.int64], layer: int) -> NDArray[np.int64]:
        """Which void set each wide cell belongs to when a layer is the last, -1 for none and for narrow cells."""
        coarse = self.doors.frame
        sets = np.full(state.shape, -1, np.int64)
        rows, columns = self.cells.coarse_cells
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
