"""The model's own narrow ways: what a slit, a ring of posts or a neck between chambers leaves of the flow to an opening.

Liquid creeps (Darcy's law) on cubic cells of void with conductivity w²/32 for unit viscosity, w the diameter of the largest
ball of void that covers the cell: exact for a bore (Poiseuille), 2.7 times cautious for a slit. Wide voids are one node each.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, fields, replace
from functools import partial
from threading import Lock

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.layers._kernels import narrow as kernels
from wideberth.core.layers.runs import Runs
from wideberth.core.layers.voids import VENTED, Openings
from wideberth.core.layers.window import CellWindow

Values = NDArray[np.float64]
_Solved = tuple[int, NDArray[np.int64], Values]
"""A layer, its openings, and the under-pressure of each."""
THREADS = 2
WIDE_MM = 4.0
"""Voids that a ball of this diameter fills resist little: 10 mm of such a bore take 0.1 kPa at 350 mm³/s and 0.2 Pa·s."""
ROUGH_CELLS, FINE_CELLS = 80_000, 700_000
FINEST_MM, COARSEST_MM = 0.2, 1.0
QUIET_PER_MM = 300.0
"""What a rough and cautious look finds less than this needs no finer one."""
RESOLVED_MM = 0.4
"""Only cells as fine as this may say that there is no way out."""
AROUND_MM = 9.0
LEAST_AREA_MM2 = 3.0
SAMPLES = 10
YOUNG_LAYERS = (0, 3, 10, 30)
GROUND = 0
TOLERANCE = 1e-4
SAME_MM = 3.0
NARROW_PER_MM = 1000.0
"""What makes an own way narrow: 0.1 kPa at 1 mm/s, half of which the film follows, in 0.2 Pa·s."""
SAME_PLACE_MM = 2.5


@dataclass(frozen=True)
class Hole:
    """A drilled hole as a free way between two points, from a layer on: what it takes itself is reckoned elsewhere."""

    inner_mm: tuple[float, float, float]
    outer_mm: tuple[float, float, float]
    from_layer: int


@dataclass(frozen=True, eq=False)
class Site:
    """A stretch of the plate as cubes: `solid` (z, y, x), holes plugged; `low_mm` the first one's middle; `layers`, one a z."""

    solid: NDArray[np.bool_]
    step_mm: float
    low_mm: Values
    window: CellWindow
    layers: NDArray[np.int64]

    def cell_of(self, point_mm: tuple[float, float, float]) -> tuple[int, int, int] | None:
        """Cell (z, y, x) that holds a point, or None outside."""
        i, j, k = (round(float(v)) for v in (np.asarray(point_mm) - self.low_mm) / self.step_mm)
        nz, ny, nx = self.solid.shape
        return (k, j, i) if 0 <= k < nz and 0 <= j < ny and 0 <= i < nx else None


def with_narrow_ways(cups: Openings, gaps: Openings, plugged: Runs, holes: tuple[Hole, ...]) -> Openings:
    """The cups with what their necks take, and those openings whose own ways are narrow enough to matter as cups of their own."""
    both = _joined(cups, gaps)
    of_gaps = np.arange(both.count) >= cups.count
    looked = of_gaps | ((both.state == VENTED) if holes else False)
    narrow = narrow_ways(plugged, both, looked, both.bounds_mm, holes)
    narrow[~of_gaps & np.isinf(narrow)] = (
        0.0  # the sweep knows a way that the cells are too coarse for: nothing is said
    )
    matters = of_gaps & (narrow >= NARROW_PER_MM)
    chain = _chains(both, np.flatnonzero(matters), int(cups.cup.max(initial=-1)) + 1)
    state = np.where(matters, VENTED, both.state)
    kept = np.flatnonzero(~of_gaps | matters)
    kept = kept[np.argsort(both.layer[kept], kind="stable")]
    full = replace(both, cup=chain, state=state, narrow_per_mm=narrow)
    return Openings(*(getattr(full, f.name)[kept] for f in fields(full)))


def _joined(a: Openings, b: Openings) -> Openings:
    return Openings(*(np.concatenate((getattr(a, f.name), getattr(b, f.name))) for f in fields(a)))


def _chains(o: Openings, own: NDArray[np.int64], first: int) -> NDArray[np.int64]:
    """Cup numbers in which openings that follow each other from layer to layer at one place are one cup."""
    cup = o.cup.copy()
    last: dict[int, tuple[int, float, float]] = {}
    for i in own[np.argsort(o.layer[own], kind="stable")]:
        k, x, y = int(o.layer[i]), float(o.x_mm[i]), float(o.y_mm[i])
        like = [c for c, (at, cx, cy) in last.items() if k - 3 <= at < k and abs(cx - x) + abs(cy - y) < SAME_PLACE_MM]
        cup[i] = like[0] if like else first + len(last)
        last[int(cup[i])] = (k, x, y)
    return cup


def narrow_ways(plugged: Runs, o: Openings, candidates: NDArray[np.bool_], bounds_mm: Values,
                holes: tuple[Hole, ...]) -> Values:  # fmt: skip
    """Under-pressure of openings by narrow ways, for a lift of unit speed in a liquid of unit viscosity, (openings,) [1/mm].

    Parameters
    ----------
    plugged : everything solid, holes plugged. candidates : (openings,) which to look at; the others get 0. bounds_mm :
        (openings, 4) x low and high, y low and high.

    Notes
    -----
    Openings that lie near each other share one block of cells. Some layers are solved, more while a void is young: roughly and
    cautiously first, finely where that finds anything. The openings of the others take the figure of the like one in the nearest
    solved layers, in between by height. No way out is infinite.
    """
    found = np.zeros(o.count)
    chosen = np.flatnonzero(candidates & (o.area_mm2 >= LEAST_AREA_MM2))
    for group in _sites(chosen, bounds_mm):
        own = chosen[group]
        box = bounds_mm[own]
        around = box[:, [0, 2]].min(axis=0), box[:, [1, 3]].max(axis=0), int(o.layer[own].max())
        rough, fine = _site(plugged, *around, ROUGH_CELLS), _Later(partial(_site, plugged, *around, FINE_CELLS))

        def solve(k: int, own: NDArray[np.int64] = own, rough: Site = rough, fine: _Later = fine) -> _Solved:
            rows = own[o.layer[own] == k]
            values = resistances(plugged, o, rough, k, rows, holes, cautious=True)
            if (values > QUIET_PER_MM).any():
                values = resistances(plugged, o, fine.site, k, rows, holes)
                if fine.site.step_mm > RESOLVED_MM:
                    values[np.isinf(values)] = 0.0  # such cells may well miss a way that is there: nothing is said
            return k, rows, values

        with ThreadPoolExecutor(THREADS) as side_by_side:
            _spread(o, own, list(side_by_side.map(solve, _sampled(o.layer[own]))), found)
    return found


class _Later:
    """A site whose cells are filled when a thread first asks for them."""

    def __init__(self, make: Callable[[], Site]) -> None:
        self._make, self._lock = make, Lock()
        self._found: Site | None = None

    @property
    def site(self) -> Site:
        with self._lock:
            self._found = self._found or self._make()
            return self._found


def _sites(chosen: NDArray[np.int64], bounds_mm: Values) -> list[NDArray[np.int64]]:
    """Groups of openings whose boxes meet, as positions in `chosen`."""
    if len(chosen) == 0:
        return []
    b = bounds_mm[chosen]
    cells = np.unique(np.round(b / 4.0), axis=0, return_inverse=True)
    boxes, name = cells[0] * 4.0, cells[1].reshape(-1)
    meet = (
        (boxes[:, None, 0] <= boxes[None, :, 1] + 4) & (boxes[None, :, 0] <= boxes[:, None, 1] + 4)
        & (boxes[:, None, 2] <= boxes[None, :, 3] + 4) & (boxes[None, :, 2] <= boxes[:, None, 3] + 4)
    )  # fmt: skip
    _, group = scipy.sparse.csgraph.connected_components(scipy.sparse.coo_matrix(meet), directed=False)
    return [np.flatnonzero(group[name] == g) for g in range(group.max() + 1)]


def _sampled(layers: NDArray[np.int64]) -> list[int]:
    """Layers to solve: first and last ones, young ones of each stretch, and some in between."""
    present = np.unique(layers)
    starts = present[np.flatnonzero(np.diff(present, prepend=-9) > 1)]
    wanted = {int(s) + y for s in starts[:4] for y in YOUNG_LAYERS}
    wanted |= {int(k) for k in present[np.linspace(0, len(present) - 1, min(SAMPLES, len(present))).astype(int)]}
    return sorted(wanted & set(present.tolist()))


def _spread(o: Openings, own: NDArray[np.int64], solved: list[_Solved], found: Values) -> None:
    """Give every opening the figure of the like one in the solved layers below and above, in between by height."""
    levels = np.array([k for k, _, _ in solved])
    for i in own:
        at = int(np.searchsorted(levels, o.layer[i]))
        figures = []
        for n in {min(at, len(solved) - 1), max(at - 1, 0)}:
            k, rows, values = solved[n]
            away = np.hypot(o.x_mm[rows] - o.x_mm[i], o.y_mm[rows] - o.y_mm[i])
            best = int(away.argmin())
            if away[best] <= SAME_MM + 0.5 * np.sqrt(o.area_mm2[i]):
                figures.append((abs(k - int(o.layer[i])), float(values[best])))
        if figures:
            far = sum(d for d, _ in figures)
            if len(figures) == 1 or far == 0 or not np.isfinite([v for _, v in figures]).all():
                found[i] = min(figures)[1]
            else:
                (d0, v0), (d1, v1) = figures
                found[i] = (v0 * d1 + v1 * d0) / far


def _site(plugged: Runs, low_mm: Values, high_mm: Values, top_layer: int, most_cells: int) -> Site:
    """The cells over a box (x, y) up to a layer."""
    grid = plugged.grid
    low, high = low_mm - AROUND_MM, high_mm + AROUND_MM
    tall = (top_layer + 1) * grid.layer_mm
    step = float(np.clip((float((high - low).prod()) * tall / most_cells) ** (1 / 3), FINEST_MM, COARSEST_MM))
    every = max(1, round(step / grid.pitch_mm))
    step = every * grid.pitch_mm
    first = int(np.clip(np.floor((low[1] - grid.y0_mm) / grid.pitch_mm), 0, grid.rows - 1))
    last = int(np.clip(np.ceil((high[1] - grid.y0_mm) / grid.pitch_mm) + 1, first + 1, grid.rows))
    window = CellWindow(float(low[0]), int((high[0] - low[0]) / step) + 2, first, last, every)
    middles = np.arange(0.5 * step, tall + 0.5 * step, step)
    layers = np.clip((middles / grid.layer_mm).astype(np.int64), 0, top_layer)
    solid = np.stack([window.fill(plugged, int(k), None) > 0 for k in layers])
    start = np.array([low[0] + 0.5 * step, grid.y0_mm + first * grid.pitch_mm, 0.5 * step])
    return Site(solid, step, start, window, layers)


def resistances(plugged: Runs, o: Openings, place: Site, layer: int, rows: NDArray[np.int64],
                holes: tuple[Hole, ...], cautious: bool = False) -> Values:  # fmt: skip
    """Under-pressure of the openings `rows` of one layer (see `narrow_ways`), (rows,) [1/mm].

    Parameters
    ----------
    cautious : take every way as one cell narrower than it is seen.
    """
    h = place.step_mm
    tall = min(len(place.layers), int(layer * plugged.grid.layer_mm / h) + 1)
    solid = place.solid[:tall]
    walled = np.pad(solid, ((1, 1), (0, 0), (0, 0)), constant_values=True)  # plate below, film above
    clear = np.maximum(scipy.ndimage.distance_transform_edt(~walled)[1:-1] * h - 0.5 * h, 0.0)
    width = kernels.covering_balls(np.where(solid, 0.0, np.maximum(clear, 0.5 * h)), h, WIDE_MM)
    if cautious:
        width = np.where(solid, 0.0, np.maximum(width - h, 0.1 * h))
    widest = WIDE_MM - h if cautious else WIDE_MM
    node, count = _nodes(solid, width, widest)
    slab, _ = scipy.ndimage.label(~solid[-1])
    spots = []
    for i in rows:
        mine = [slab[spot] for spot in place.window.spots_in(plugged, o, int(i)) if slab[spot] > 0]
        spots.append(np.unique(node[-1][slab == mine[0]]) if mine else np.empty(0, np.int64))
    a, b, g = kernels.conductances(node, width, h, widest)
    same = np.arange(count)
    for hole in holes:
        if hole.from_layer <= layer:
            nodes = [_node_at(place, node, mouth) for mouth in (hole.inner_mm, hole.outer_mm)]
            if max(nodes) > 0:  # a mouth that is not printed yet is open below the film
                ends = sorted(int(same[max(n, GROUND)]) for n in nodes)
                same[same == ends[1]] = ends[0]
    return _solve(count, same[a], same[b], g, [np.unique(same[s]) for s in spots], o.area_mm2[rows])


def _nodes(solid: NDArray[np.bool_], width: Values, widest: float) -> tuple[NDArray[np.int64], int]:
    """Node of each cell and how many there are: ground for what is open at the sides, one for each wide void, one for each narrow
    cell; -1 in solid."""
    wide = width >= widest - 1e-9
    voids, count = scipy.ndimage.label(wide)
    sides = np.unique(
        np.concatenate([voids[:, s].ravel() for s in (0, -1)] + [voids[:, :, s].ravel() for s in (0, -1)])
    )
    rename = np.arange(count + 1)
    rename[sides] = GROUND
    node = np.full(solid.shape, -1, np.int64)
    node[wide] = rename[voids[wide]]
    narrow = ~solid & ~wide
    edge = np.zeros_like(narrow)
    edge[:, [0, -1]] = True
    edge[:, :, [0, -1]] = True
    node[narrow & edge] = GROUND
    inner = narrow & ~edge
    number = int(inner.sum())
    node[inner] = count + 1 + np.arange(number)
    return node, count + 1 + number


def _node_at(place: Site, node: NDArray[np.int64], point_mm: tuple[float, float, float]) -> int:
    """The node at a mouth, or beside it where its own cell is solid; ground outside the block, -1 when not yet printed."""
    cell = place.cell_of(point_mm)
    if cell is None:
        return GROUND
    k, j, i = cell
    if k >= node.shape[0]:
        return -1
    block = node[max(0, k - 1) : k + 2, max(0, j - 1) : j + 2, max(0, i - 1) : i + 2]
    here = int(node[k, j, i])
    return here if here >= 0 else int(block.max())


def _solve(count: int, a: NDArray[np.int64], b: NDArray[np.int64], g: Values, spots: list[NDArray[np.int64]],
           area_mm2: Values) -> Values:  # fmt: skip
    """Pressure at each opening when all draw their areas at once; infinite where no way leads to the ground."""
    if count < 2:
        return np.zeros(len(spots))
    graph = scipy.sparse.coo_matrix((g, (a, b)), shape=(count, count))
    laplace = (graph + graph.T).tocsr()
    _, island = scipy.sparse.csgraph.connected_components(laplace, directed=False)
    free = island == island[GROUND]
    free[GROUND] = False
    index = np.cumsum(free) - 1
    laplace.setdiag(0)
    matrix = (scipy.sparse.diags(np.asarray(laplace.sum(axis=1)).ravel()) - laplace).tocsr()[free][:, free]
    draw = np.zeros(count)
    for nodes, area in zip(spots, area_mm2, strict=True):
        if len(nodes):
            draw[nodes] += area / len(nodes)
    pressure = np.zeros(count)
    if free.any():
        scale = scipy.sparse.diags(1 / matrix.diagonal())
        answer, _ = scipy.sparse.linalg.cg(matrix, draw[free], rtol=TOLERANCE, maxiter=4000, M=scale)
        pressure[free] = answer[index[free]]
    told = []
    for nodes in spots:
        reached = nodes[(island[nodes] == island[GROUND])] if len(nodes) else nodes
        told.append(float(pressure[reached].mean()) if len(reached) else np.inf)
    return np.array(told)
