"""Cups and traps: voids that are closed in, while printing and for good."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers._kernels import void as kernels
from wideberth.core.layers.grid import Grid
from wideberth.core.layers.runs import Runs

STATES = ("sealed", "vented", "open")
SEALED, VENTED, OPEN = 0, 1, 2
OUTSIDE = 0
UNKNOWN = -1
LEAST_CELLS = 2.0
"""A void that is smaller than so many cells of rows and layers lies between facets, below what these can tell."""


@dataclass(frozen=True, eq=False)
class Openings:
    """Openings of cups, one row an opening and layer; sorted by layer.

    Attributes
    ----------
    layer, cup : (n,) the cup's number stays the same through the layers; merged cups keep the lower one.
    void_set : (n,) name of the void set in the sweep, which `Mouths.sets` speaks of.
    area_mm2, x_mm, y_mm : (n,) of the opening. ray, left_mm, right_mm : (n,) a ray of the sweep that passes through it
    (layer·rows + row), and where the solid on its left ends and that on its right begins.
    volume_mm3 : (n,) of the whole void set so far. state : (n,) SEALED, VENTED or OPEN, the same for a whole set.
    """

    layer: NDArray[np.int64]
    cup: NDArray[np.int64]
    void_set: NDArray[np.int64]
    area_mm2: NDArray[np.float64]
    x_mm: NDArray[np.float64]
    y_mm: NDArray[np.float64]
    ray: NDArray[np.int64]
    left_mm: NDArray[np.float64]
    right_mm: NDArray[np.float64]
    volume_mm3: NDArray[np.float64]
    state: NDArray[np.int64]

    @property
    def count(self) -> int:
        return len(self.layer)

    def without(self, rows: NDArray[np.int64]) -> Openings:
        """The same less some rows."""
        kept = np.ones(self.count, bool)
        kept[rows] = False
        return Openings(*(getattr(self, f.name)[kept] for f in fields(self)))


@dataclass(frozen=True, eq=False)
class Mouths:
    """Points in the void, followed through the sweep.

    `sets` : (layers, points) void set at each layer; OUTSIDE, or UNKNOWN when the point lies in solid or its layer is
    not yet printed.
    """

    layer: NDArray[np.int64]
    sets: NDArray[np.int64]


@dataclass(frozen=True)
class Trap:
    """A void that stays shut. x, y, z are of its centroid; `shut_by_supports` ones open when these come off."""

    z_from_mm: float
    z_to_mm: float
    x_mm: float
    y_mm: float
    z_mm: float
    volume_mm3: float
    shut_by_supports: bool = False


def cups(plugged: Runs, cut: Runs, points_mm: NDArray[np.float64]) -> tuple[Openings, Mouths]:
    """Cups of a print, standing on the plate, with every layer's openings and their states.

    Parameters
    ----------
    plugged, cut : everything solid, without and with the drilled holes.
    points_mm : (n, 3) points to follow through the void, such as mouths of holes.

    Returns
    -------
    The cups' openings, and the mouths.
    """
    grid, none = plugged.grid, np.empty(0, np.int64)
    ways_out = None if cut is plugged else _ways_out(_swept(cut, none, none)[0])
    layer, node = _gap_at(plugged, points_mm)
    sets, roots = _swept(plugged, node, np.where(node < 0, -1, layer))
    rows = np.zeros((kernels.count_openings(plugged.rays, sets.opening), 9))
    sets.set_then.fill(0)  # it is not wanted any more, and as large as what numbers are told in
    kernels.gather_openings(plugged.rays, sets, cut.rays, *(ways_out or _ways_out(sets)), sets.set_then, rows)
    rows = rows[rows[:, 3] >= grid.pitch_mm**2]  # less is a sliver between facets, below what rows can tell
    closed = rows[:, 1] != OUTSIDE  # the others lead outside through earlier layers
    return _openings(rows[closed], plugged), Mouths(np.where(node < 0, UNKNOWN, layer), roots)


def _swept(runs: Runs, tracked: NDArray[np.int64], tracked_layer: NDArray[np.int64]) -> tuple[kernels.Sets, NDArray[np.int64]]:
    """Void sets of each gap, and those of tracked gaps at every layer, (layers, tracked)."""
    own = _gaps(runs)
    sets = kernels.Sets(own, own.copy(), np.zeros(len(own)), own.copy(), np.zeros(len(own)))
    return sets, kernels.sweep(runs.rays, runs.grid.layer_mm, sets, tracked, tracked_layer)


def _ways_out(sets: kernels.Sets) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Of each gap, (gaps,): whether it reaches outside within its layer, and whether it is joined with it so far."""
    return sets.opening == OUTSIDE, sets.oldest == OUTSIDE


def _gaps(runs: Runs) -> NDArray[np.integer]:
    """Each gap as a set of its own, in as few bytes as count them."""
    gaps = len(runs.x0) + 1
    return np.arange(gaps, dtype=np.int32 if gaps < np.iinfo(np.int32).max else np.int64)


def _openings(rows: NDArray[np.float64], plugged: Runs) -> Openings:
    """Openings from the kernel's rows, with the state of each set; those joined with outside by their own ways are open."""
    at, void_set = rows[:, 0].astype(np.int64), rows[:, 1].astype(np.int64)
    _, group = np.unique(at * (plugged.x0.size + 2) + void_set, return_inverse=True)
    is_open, joined = np.zeros(len(rows), bool), np.zeros(len(rows), bool)
    np.logical_or.at(is_open, group, (rows[:, 7] > 0) | (void_set == OUTSIDE))
    np.logical_or.at(joined, group, rows[:, 8] > 0)
    state = np.where(is_open[group], OPEN, np.where(joined[group], VENTED, SEALED))
    _, cup = np.unique(void_set, return_inverse=True)
    area, left = rows[:, 3], rows[:, 6].astype(np.int64)
    ray = np.searchsorted(plugged.offsets, left, side="right") - 1
    ends = plugged.x1[left], plugged.x0[left + 1]
    return Openings(at, cup, void_set, area, rows[:, 4] / area, rows[:, 5] / area, ray, *ends, rows[:, 2], state)


def _gap_at(runs: Runs, points_mm: NDArray[np.float64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Layer and gap of each point: the run on its left plus one, 0 outside, -1 in solid or below the plate."""
    grid: Grid = runs.grid
    layer = np.zeros(len(points_mm), np.int64)
    node = np.full(len(points_mm), UNKNOWN, np.int64)
    for p, (x, y, z) in enumerate(points_mm):
        if z < 0:
            continue
        if z > grid.layers * grid.layer_mm:
            node[p], layer[p] = OUTSIDE, grid.layers - 1
            continue
        k = int(grid.layer_of(z))
        j = int(grid.row_of(y))
        layer[p] = k
        lo, hi = runs.offsets[k * grid.rows + j], runs.offsets[k * grid.rows + j + 1]
        beyond = int(np.searchsorted(runs.x1[lo:hi], x))
        if beyond in (0, hi - lo):
            inside = lo < hi and beyond == 0 and x >= runs.x0[lo]
            node[p] = UNKNOWN if inside else OUTSIDE
        elif x < runs.x0[lo + beyond]:
            node[p] = lo + beyond
    return layer, node


def in_solid(runs: Runs, points_mm: list[tuple[float, float, float]]) -> NDArray[np.bool_]:
    """Whether points lie in solid, or below the plate, (n,)."""
    return _gap_at(runs, np.array(points_mm).reshape(-1, 3))[1] == UNKNOWN


def traps(part: Runs, everything: Runs) -> list[Trap]:
    """Voids with no way out once the print is off the plate.

    Parameters
    ----------
    part : the part alone, holes cut. everything : with base and supports.

    Returns
    -------
    Traps of the part alone, then voids that only base or supports shut (`shut_by_supports`), largest first in each.
    """
    own = _closed_voids(part)
    if everything is part:
        return own
    extra = [
        Trap(v.z_from_mm, v.z_to_mm, v.x_mm, v.y_mm, v.z_mm, v.volume_mm3, True)
        for v in _closed_voids(everything)
        if not any(
            abs(v.z_mm - o.z_mm) + abs(v.x_mm - o.x_mm) + abs(v.y_mm - o.y_mm) < 0.05 + 0.02 * v.volume_mm3**0.33 for o in own
        )
    ]
    return own + extra


def _closed_voids(runs: Runs) -> list[Trap]:
    grid = runs.grid
    if runs.x0.size < 2:
        return []
    last = _gaps(runs)
    kernels.void_sets(runs.rays, last)
    is_shut = last[1:-1] != OUTSIDE
    ends = runs.offsets[1:-1] - 1  # the last run of each ray: no gap is between it and the next
    is_shut[ends[(ends >= 0) & (ends < len(is_shut))]] = False
    shut = np.flatnonzero(is_shut)
    if shut.size == 0:
        return []
    ray = np.searchsorted(runs.offsets, shut, side="right") - 1
    length = runs.x0[shut + 1] - runs.x1[shut]
    volume = length * grid.pitch_mm * grid.layer_mm
    x = 0.5 * (runs.x0[shut + 1] + runs.x1[shut])
    y = grid.y0_mm + (ray % grid.rows) * grid.pitch_mm
    layer = ray // grid.rows
    names, group = np.unique(last[shut + 1], return_inverse=True)
    total = np.bincount(group, volume)
    centre = [np.bincount(group, volume * v) / total for v in (x, y, grid.z_of(layer))]
    low = np.full(len(names), grid.layers)
    high = np.zeros(len(names), np.int64)
    np.minimum.at(low, group, layer)
    np.maximum.at(high, group, layer)
    least = LEAST_CELLS * grid.pitch_mm**2 * grid.layer_mm
    order = [i for i in np.argsort(-total) if total[i] >= least]
    return [
        Trap(
            float(low[i] * grid.layer_mm),
            float((high[i] + 1) * grid.layer_mm),
            float(centre[0][i]),
            float(centre[1][i]),
            float(centre[2][i]),
            float(total[i]),
        )
        for i in order
    ]
