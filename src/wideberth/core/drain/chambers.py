"""The chambers of a finished part: voids that it closes in, cups and folds included, with their passages and openings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt, label

from wideberth.core.drain import _kernels as kernels
from wideberth.core.drain.hole import Drilled
from wideberth.core.layers import nodes_inside
from wideberth.core.model import Mesh, Nodes, nodes_over

MOST_CELLS = 1_200_000
FINEST_MM = 0.4
WAYS_CLOSED = 18
"""A cell of void counts as closed in when so many of its 26 ways end on solid: in a cup as deep as wide, but not in a dimple."""
POOLED_WAYS = 9
"""Cells with so many are looked at for liquid that stays."""
JOINED_FROM = 0.65
"""Voids are one chamber when the way between them is at least so wide, as a share of the smaller one."""
CHAMBER_LEAST_MM3 = 100.0


@dataclass(frozen=True)
class Way:
    """A way out of a chamber or into another: a drilled hole, or a mouth or neck of the shape's own.

    to : number of the other chamber, -1 for the open. hole : number of the hole, -1 for none. width_mm : of the narrowest place.
    """

    to: int
    hole: int
    width_mm: float
    at_mm: tuple[float, float, float]


@dataclass(frozen=True)
class Chamber:
    """A void that the part closes in. `widest_mm` : the largest ball in it. x, y, z : its middle, in the part's own frame."""

    number: int
    volume_ml: float
    widest_mm: float
    x_mm: float
    y_mm: float
    z_mm: float
    ways: tuple[Way, ...]

    @property
    def is_shut(self) -> bool:
        return not self.ways


@dataclass(frozen=True, eq=False)
class VoidCells:
    """The void round and in a part on cells, its holes plugged; in the part's own frame, arrays (z, y, x).

    closed_in : of 26 ways, how many end on solid. holes : drilled, each with the cells at its inner and outer mouth.
    """

    nodes: Nodes
    solid: NDArray[np.bool_]
    closed_in: NDArray[np.int8]
    holes: tuple[Drilled, ...]

    @property
    def cell_ml(self) -> float:
        return self.nodes.step_mm**3 / 1000

    def cell_at(self, point_mm: NDArray[np.float64]) -> int:
        """The cell of void at a point, or the one nearest to it within two cells; -1 when there is none."""
        k, j, i = np.rint((point_mm - self.nodes.low_mm) / self.nodes.step_mm).astype(int)[::-1]
        best, found = np.inf, -1
        nz, ny, nx = self.nodes.shape
        for dk, dj, di in np.ndindex(5, 5, 5):
            a, b, c = k + dk - 2, j + dj - 2, i + di - 2
            if not (0 <= a < nz and 0 <= b < ny and 0 <= c < nx) or self.solid[a, b, c]:
                continue
            away = float(np.linalg.norm(self.nodes.low_mm + self.nodes.step_mm * np.array([c, b, a]) - point_mm))
            if away < best:
                best, found = away, (a * ny + b) * nx + c
        return found

    @cached_property
    def mouths(self) -> NDArray[np.int64]:
        """Cells at the inner and outer mouth of each hole, (holes, 2), -1 where a mouth ends in solid."""
        found = [[self.cell_at(h.inner_mouth_mm), self.cell_at(h.outer_mouth_mm)] for h in self.holes]
        return np.array(found, np.int64).reshape(-1, 2)

    @cached_property
    def clearance_mm(self) -> NDArray[np.float32]:
        """Radius of the largest ball of void round each cell."""
        padded = np.pad(~self.solid, 1, constant_values=True)
        away = distance_transform_edt(padded)[1:-1, 1:-1, 1:-1]
        return np.asarray((away - 0.5) * self.nodes.step_mm, np.float32)

    @cached_property
    def chamber_of(self) -> NDArray[np.int32]:
        """Number of the chamber that each cell lies in, -1 outside."""
        return self._found[0]

    @cached_property
    def chambers(self) -> tuple[Chamber, ...]:
        """Largest first."""
        return self._found[1]

    @cached_property
    def _found(self) -> tuple[NDArray[np.int32], tuple[Chamber, ...]]:
        inner = ~self.solid & (self.closed_in >= WAYS_CLOSED)
        wanted = inner.ravel()
        clear = self.clearance_mm.ravel()
        cells = np.flatnonzero(wanted)
        order = cells[np.argsort(-clear[cells], kind="stable")]
        basin, pa, pb, width = kernels.basins(order, clear, wanted, self.nodes.shape, JOINED_FROM)
        basin, pa, pb = _small_ones_joined(basin, pa, pb, width, CHAMBER_LEAST_MM3 / self.nodes.step_mm**3)
        names, counts = np.unique(basin[cells], return_counts=True)
        large = counts * self.nodes.step_mm**3 >= CHAMBER_LEAST_MM3
        names = names[large][np.argsort(-counts[large], kind="stable")]
        number = np.full(wanted.size + 1, -1, np.int32)
        number[names] = np.arange(len(names))
        of = np.where(wanted, number[basin], -1).astype(np.int32)
        shaped = of.reshape(self.nodes.shape)
        ways: list[list[Way]] = [[] for _ in names]
        for (a, b), (w, at) in _widest(number[pa], number[pb], width, order, of, clear).items():
            place = self._point(at)
            ways[a].append(Way(b, -1, 2 * w, place))
            ways[b].append(Way(a, -1, 2 * w, place))
        for chamber, w, at in self._own_mouths(shaped):
            ways[chamber].append(Way(-1, -1, 2 * w, self._point(at)))
        for h, hole in enumerate(self.holes):
            ends = [int(of[m]) if m >= 0 else -2 for m in self.mouths[h]]
            if -2 in ends or ends[0] == ends[1]:
                continue
            spot = hole.at(0.5 * hole.wall_mm)
            for one, other in (ends, ends[::-1]):
                if one >= 0:
                    ways[one].append(Way(other, h, hole.hole.diameter_mm, _triple(spot)))
        found = []
        for n, name in enumerate(names):
            own = np.flatnonzero(of == n)
            x, y, z = self.nodes.at(np.stack(np.unravel_index(own, self.nodes.shape), axis=1)).mean(axis=0)
            found.append(
                Chamber(
                    n, len(own) * self.cell_ml, 2 * float(clear[name]), float(x), float(y), float(z), tuple(ways[n])
                )
            )
        return shaped, tuple(found)

    def _own_mouths(self, of: NDArray[np.int32]) -> list[tuple[int, float, int]]:
        """Mouths of the shape's own: chamber, widest clearance on it, and the cell there."""
        open_void = ~self.solid & (of < 0)
        touches = np.zeros(of.shape, bool)
        for axis in range(3):
            for step in (1, -1):
                touches |= np.roll(open_void, step, axis) & (of >= 0)
        patches, count = label(touches, np.ones((3, 3, 3)))
        flat, clear, named = patches.ravel(), self.clearance_mm.ravel(), of.ravel()
        found = []
        for patch in range(1, count + 1):
            own = np.flatnonzero(flat == patch)
            at = int(own[clear[own].argmax()])
            found.append((int(named[at]), float(clear[at]), at))
        return [f for f in found if f[1] > 0]

    def _point(self, at: int) -> tuple[float, float, float]:
        return _triple(self.nodes.at(np.array([np.unravel_index(at, self.nodes.shape)]))[0])


def void_cells(outer: Mesh, cavity: Mesh | None, bars: Mesh | None, holes: Sequence[Drilled] = (),
               most: int = MOST_CELLS) -> VoidCells:  # fmt: skip
    """Cells of the void in and round a part, in its own frame.

    Parameters
    ----------
    outer, cavity, bars : closed meshes; the bars of a lattice stand in the cavity. most : number of cells that is not passed.
    """
    step = max(FINEST_MM, float(((outer.extents_mm + 2.0).prod() / most) ** (1 / 3)))
    nodes = nodes_over(outer.low, outer.high, step, rim=2.5)

    def inside(mesh: Mesh) -> NDArray[np.bool_]:
        return nodes_inside(mesh.points, mesh.faces, nodes.low_mm, step, nodes.shape)

    solid = inside(outer)
    if cavity is not None:
        hollow = inside(cavity)
        if bars is not None:
            hollow &= ~inside(bars)
        solid &= ~hollow
    return VoidCells(nodes, solid, kernels.closed_in(solid), tuple(holes))


def _small_ones_joined(basin: NDArray[np.int64], pa: NDArray[np.int64], pb: NDArray[np.int64], width: NDArray[np.float64],
                       least: float) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:  # fmt: skip
    """Basins of few cells given to the neighbour that they have the widest passage to, the smallest first."""
    cells = basin[basin >= 0]
    size = dict(zip(*(v.tolist() for v in np.unique(cells, return_counts=True)), strict=True))
    into = {b: b for b in size}

    def root(b: int) -> int:
        while into[b] != b:
            b = into[b]
        return b

    passages = sorted(zip(width.tolist(), pa.tolist(), pb.tolist(), strict=True), reverse=True)
    for w, a, b in passages:
        a, b = root(a), root(b)
        if a == b or min(size[a], size[b]) >= least or w <= 0:
            continue
        small, large = (a, b) if size[a] < size[b] else (b, a)
        into[small] = large
        size[large] += size[small]
    if all(into[b] == b for b in into):
        return basin, pa, pb
    table = np.arange(basin.size + 1)
    for b in into:
        table[b] = root(b)
    return np.where(basin >= 0, table[basin], -1), table[pa], table[pb]


def _widest(a: NDArray[np.int32], b: NDArray[np.int32], width: NDArray[np.float64], order: NDArray[np.int64],
            of: NDArray[np.int32], clear: NDArray[np.float32]) -> dict[tuple[int, int], tuple[float, int]]:  # fmt: skip
    """The widest passage between each two chambers: its radius and a cell of that clearance in one of them."""
    found: dict[tuple[int, int], tuple[float, int]] = {}
    for one, other, w in zip(a.tolist(), b.tolist(), width.tolist(), strict=True):
        if one < 0 or other < 0 or one == other:
            continue
        pair = (min(one, other), max(one, other))
        if pair not in found or w > found[pair][0]:
            near = order[np.isin(of[order], pair)]
            found[pair] = (w, int(near[np.abs(clear[near] - w).argmin()]))
    return found


def _triple(v: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])
