"""The chambers of a finished part: voids that it closes in, cups and folds included, with their passages and openings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, cached_property, partial

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.drain import _kernels as kernels
from wideberth.core.drain.hole import Drilled
from wideberth.core.layers import nodes_inside
from wideberth.core.model import Closest, Mesh, Nodes, joined, nodes_over, resolved
from wideberth.core.progress import Progress, quiet

MOST_CELLS = 1_200_000
FINEST_MM = 0.4
WAYS_CLOSED = 18
"""A cell of void counts as closed in when so many of its 26 ways end on solid: in a cup as deep as wide, but not in a dimple."""
POOLED_WAYS = 9
"""Cells with so many are looked at for liquid that stays."""
JOINED_FROM = 0.65
"""Voids are one chamber when the way between them is at least so wide, as a share of the smaller one."""
CHAMBER_LEAST_MM3 = 100.0
DIAGONALS = np.array([d for d in np.ndindex(3, 3, 3) if d > (1, 1, 1)]).T - 1.0
DIAGONALS /= np.linalg.norm(DIAGONALS, axis=0)
"""(3, 13), along which a mouth is measured: short by 11 % at most."""


@dataclass(frozen=True)
class Way:
    """A way out of a chamber or into another: a drilled hole, or a mouth or neck of the shape's own.

    to : number of the other chamber, -1 for the open. hole : number of the hole, -1 for none. width_mm : of the narrowest place.
    long_mm : from one end to the other of a mouth of the shape's own, to a cell: far more than its width for a slot or a ring.
    """

    to: int
    hole: int
    width_mm: float
    at_mm: tuple[float, float, float]
    long_mm: float = 0.0


@dataclass(frozen=True)
class Chamber:
    """A void that the part closes in. `widest_mm` : the largest ball in it, to a cell or so.

    x_mm, y_mm, z_mm : its middle, in the part's own frame.
    """

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

    closed_in : of 26 ways, how many end on solid. holes : drilled. walls : all surfaces, to measure passages by; none where
    cells have to do. filling : which solid cells are of what stands in a cavity; it parts no chambers.
    """

    nodes: Nodes
    solid: NDArray[np.bool_]
    closed_in: NDArray[np.int8]
    holes: tuple[Drilled, ...]
    walls: tuple[Mesh, ...] = ()
    filling: NDArray[np.bool_] | None = None

    @property
    def cell_ml(self) -> float:
        return self.nodes.step_mm**3 / 1000

    @cached_property
    def mouths(self) -> tuple[tuple[NDArray[np.int64], NDArray[np.int64]], ...]:
        """Cells of void at the inner and the outer mouth of each hole; none where a mouth ends in solid."""
        return tuple((self._cells_at(h, h.wall_mm, 1.0), self._cells_at(h, 0.0, -1.0)) for h in self.holes)

    def _cells_at(self, hole: Drilled, depth_mm: float, way: float) -> NDArray[np.int64]:
        """Void within a hole's width and a step and a half beyond one of its ends; the nearest cell when it is too narrow."""
        step, end, along = self.nodes.step_mm, hole.at(depth_mm), np.asarray(hole.along)
        reach = int(np.ceil((hole.radius_mm + 2 * step) / step))
        middle = np.rint((end - self.nodes.low_mm) / step).astype(int)[::-1]
        around = middle + np.stack(np.meshgrid(*[np.arange(-reach, reach + 1)] * 3, indexing="ij"), -1).reshape(-1, 3)
        around = around[((around >= 0) & (around < self.nodes.shape)).all(axis=1)]
        around = around[~self.solid[tuple(around.T)]]
        off = self.nodes.at(around) - end
        deep = way * (off @ along)
        aside = np.linalg.norm(off - (off @ along)[:, None] * along, axis=1)
        ahead = (deep > -0.25 * step) & (deep < 1.5 * step)
        chosen = around[ahead & (aside <= hole.radius_mm)]
        if len(chosen) == 0:
            near = np.flatnonzero(ahead & (aside <= hole.radius_mm + step))
            chosen = around[near[aside[near].argsort()[:1]]]
        return np.ravel_multi_index(tuple(chosen.T), self.nodes.shape).astype(np.int64)

    def _clearance_mm(self) -> NDArray[np.float32]:
        """Radius of the largest ball of void round each cell, to a cell or so, a lattice left out, (z, y, x)."""
        padded = np.pad(~self._without_filling, 1, constant_values=True)
        away = scipy.ndimage.distance_transform_edt(padded)[1:-1, 1:-1, 1:-1]
        return np.asarray(away * self.nodes.step_mm, np.float32)

    @property
    def _without_filling(self) -> NDArray[np.bool_]:
        return self.solid if self.filling is None else self.solid & ~self.filling

    @cached_property
    def chamber_of(self) -> NDArray[np.int32]:
        """Number of the chamber that each cell lies in, -1 outside."""
        return self._found[0]

    @cached_property
    def chambers(self) -> tuple[Chamber, ...]:
        """Largest first."""
        return self._found[1]

    def looked_through(self, progress: Progress) -> VoidCells:
        """The same with its chambers found; left out, they are as somebody asks for them, who cannot stop it then.

        Raises
        ------
        Cancelled : when `progress` was cancelled while walls are joined.
        """
        self.__dict__["_found"] = self._find(progress)
        return self

    @cached_property
    def _found(self) -> tuple[NDArray[np.int32], tuple[Chamber, ...]]:
        return self._find(quiet())

    def _find(self, progress: Progress) -> tuple[NDArray[np.int32], tuple[Chamber, ...]]:
        plain = self._without_filling
        inner = ~plain & ((self.closed_in if self.filling is None else kernels.closed_in(plain)) >= WAYS_CLOSED)
        wanted = inner.ravel()
        clear = self._clearance_mm().ravel()
        cells = np.flatnonzero(wanted)
        order = cells[np.argsort(-clear[cells], kind="stable")]
        basin, pa, pb, where = kernels.basins(order, clear, wanted, self.nodes.shape, JOINED_FROM)
        basin, pa, pb = _small_ones_joined(basin, pa, pb, clear[where], CHAMBER_LEAST_MM3 / self.nodes.step_mm**3)
        names, counts = np.unique(basin[cells], return_counts=True)
        large = counts * self.nodes.step_mm**3 >= CHAMBER_LEAST_MM3
        names = names[large][np.argsort(-counts[large], kind="stable")]
        number = np.full(wanted.size + 1, -1, np.int32)
        number[names] = np.arange(len(names))
        of = np.where(wanted & ~self.solid.ravel(), number[basin], -1).astype(np.int32)
        shaped = of.reshape(self.nodes.shape)
        ways: list[list[Way]] = [[] for _ in names]
        surface = cache(partial(self._surface, progress))
        for (a, b), at in _widest(number[pa], number[pb], where, clear).items():
            place = self._point(at)
            across = self._across_mm(at, surface()) if self.walls else 2 * float(clear[at])
            ways[a].append(Way(b, -1, across, place))
            ways[b].append(Way(a, -1, across, place))
        for chamber, w, at, long in self._own_mouths(shaped, clear):
            ways[chamber].append(Way(-1, -1, 2 * w, self._point(at), long))
        for h, hole in enumerate(self.holes):
            ends = [int(of[m].max()) if len(m) else -2 for m in self.mouths[h]]
            if -2 in ends or ends[0] == ends[1]:
                continue
            spot = hole.at(0.5 * hole.wall_mm)
            for one, other in (ends, ends[::-1]):
                if one >= 0:
                    ways[one].append(Way(other, h, hole.hole.diameter_mm, _triple(spot)))
        chambers = []
        for n, name in enumerate(names):
            own = np.flatnonzero(of == n)
            x, y, z = self.nodes.at(np.stack(np.unravel_index(own, self.nodes.shape), axis=1)).mean(axis=0)
            ml, widest = len(own) * self.cell_ml, 2 * float(clear[name])
            chambers.append(Chamber(n, ml, widest, float(x), float(y), float(z), tuple(ways[n])))
        return shaped, tuple(chambers)

    def _own_mouths(self, of: NDArray[np.int32], clear: NDArray[np.float32]) -> list[tuple[int, float, int, float]]:
        """Mouths of the shape's own: chamber, widest clearance on it, the cell there, and how long the mouth is [mm]."""
        open_void = ~self.solid & (of < 0)
        touches = np.zeros(of.shape, bool)
        for axis in range(3):
            for step in (1, -1):
                touches |= np.roll(open_void, step, axis) & (of >= 0)
        patches, count = scipy.ndimage.label(touches, np.ones((3, 3, 3)))
        flat, named = patches.ravel(), of.ravel()
        mouths = []
        for patch in range(1, count + 1):
            own = np.flatnonzero(flat == patch)
            at = int(own[clear[own].argmax()])
            spread = np.ptp(np.stack(np.unravel_index(own, of.shape), axis=1) @ DIAGONALS, axis=0).max() + 1
            mouths.append((int(named[at]), float(clear[at]), at, float(spread * self.nodes.step_mm)))
        return [f for f in mouths if f[1] > 0]

    def _surface(self, progress: Progress) -> Closest:
        """All walls, without what is buried where shells overlap."""
        shares = progress.evenly(len(self.walls))
        return Closest(joined([resolved(m, share) for m, share in zip(self.walls, shares, strict=True)]))

    def _across_mm(self, at: int, surface: Closest) -> float:
        """Diameter of the largest ball of void about a cell: of points around its middle, by the walls themselves."""
        step = self.nodes.step_mm * np.linspace(-0.75, 0.75, 5)
        around = np.stack(np.meshgrid(step, step, step), -1).reshape(-1, 3)
        return 2 * float(surface.distance(np.array(self._point(at)) + around).max())

    def _point(self, at: int) -> tuple[float, float, float]:
        return _triple(self.nodes.at(np.array([np.unravel_index(at, self.nodes.shape)]))[0])


def void_cells(
    outer: Mesh, cavity: Mesh | None, filling: Mesh | None, holes: Sequence[Drilled] = (), most: int = MOST_CELLS
) -> VoidCells:
    """Cells of the void in and round a part, in its own frame.

    Parameters
    ----------
    outer, cavity, filling : closed meshes; a lattice and gussets fill some of the cavity. most : number of cells that is not
    passed.
    """
    step = max(FINEST_MM, float(((outer.extents_mm + 2.0).prod() / most) ** (1 / 3)))
    nodes = nodes_over(outer.low, outer.high, step, rim=2.5)

    def inside(mesh: Mesh) -> NDArray[np.bool_]:
        return nodes_inside(mesh.points, mesh.faces, nodes.low_mm, step, nodes.shape)

    solid, filled = inside(outer), None
    if cavity is not None:
        hollow = inside(cavity)
        if filling is not None:
            filled = hollow & inside(filling)
            hollow &= ~filled
        solid &= ~hollow
    walls = tuple(m for m in (outer, cavity) if m is not None)
    return VoidCells(nodes, solid, kernels.closed_in(solid), tuple(holes), walls, filled)


def _small_ones_joined(
    basin: NDArray[np.int64], pa: NDArray[np.int64], pb: NDArray[np.int64], width: NDArray[np.float64], least: float
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
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


def _widest(
    a: NDArray[np.int32], b: NDArray[np.int32], where: NDArray[np.int64], clear: NDArray[np.float32]
) -> dict[tuple[int, int], int]:
    """The cell in the widest passage between each two chambers."""
    widest: dict[tuple[int, int], int] = {}
    for one, other, at in zip(a.tolist(), b.tolist(), where.tolist(), strict=True):
        pair = (min(one, other), max(one, other))
        if min(pair) >= 0 and one != other and (pair not in widest or clear[at] > clear[widest[pair]]):
            widest[pair] = at
    return widest


def _triple(v: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])
