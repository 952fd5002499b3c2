"""Solids as runs: in each layer and row, the intervals of x inside the material."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers._kernels import cast as kernels
from wideberth.core.layers._kernels.rays import Rays
from wideberth.core.layers.grid import Grid

MEND_REACH = 3


@dataclass(frozen=True, eq=False)
class Runs:
    """Runs of one solid on a grid.

    Attributes
    ----------
    offsets : (layers·rows + 1,) int32; ray (k, j) holds the runs offsets[k·rows + j] up to the next.
    x0, x1 : (n,) float64 [mm], rising along each ray and never touching.
    broken_rays : rays on which the mesh did not close; they were mended from a neighbour row where there was one.
    """

    grid: Grid
    offsets: NDArray[np.int32]
    x0: NDArray[np.float64]
    x1: NDArray[np.float64]
    broken_rays: int = 0

    @property
    def volume_mm3(self) -> float:
        return float((self.x1 - self.x0).sum() * self.grid.pitch_mm * self.grid.layer_mm)

    def layer_area_mm2(self) -> NDArray[np.float64]:
        """Solid area of each layer, (layers,)."""
        so_far = np.zeros(len(self.x0) + 1)
        np.cumsum(np.subtract(self.x1, self.x0, out=so_far[1:]), out=so_far[1:])
        bounds = so_far[self.offsets[:: self.grid.rows]]
        return np.diff(bounds) * self.grid.pitch_mm

    def layer_area_within_mm2(self, low_mm: tuple[float, float], high_mm: tuple[float, float]) -> NDArray[np.float64]:
        """Solid area of each layer within a rectangle, two corners (x, y) [mm], (layers,); rows as wide as they stand for."""
        grid, half = self.grid, 0.5 * self.grid.pitch_mm
        y = grid.y0_mm + grid.pitch_mm * np.arange(grid.rows)
        wide = np.maximum(np.minimum(y + half, high_mm[1]) - np.maximum(y - half, low_mm[1]), 0.0)
        ray = self.row_index()
        length = np.maximum(np.minimum(self.x1, high_mm[0]) - np.maximum(self.x0, low_mm[0]), 0.0)
        return np.bincount(ray // grid.rows, length * wide[ray % grid.rows], grid.layers).astype(np.float64)

    @property
    def rays(self) -> Rays:
        """What the compiled loops take."""
        grid = self.grid
        return Rays(self.offsets, self.x0, self.x1, grid.rows, grid.layers, grid.y0_mm, grid.pitch_mm)

    def lowest(self, layers: int) -> Runs:
        """Those of the first layers; they share the arrays."""
        grid, count = replace(self.grid, layers=layers), int(self.offsets[layers * self.grid.rows])
        return Runs(grid, self.offsets[: grid.rays + 1], self.x0[:count], self.x1[:count], self.broken_rays)

    @property
    def top(self) -> int:
        """The layer from which on there is nothing."""
        held = np.flatnonzero(np.diff(self.offsets[:: self.grid.rows])) if self.grid.rows else np.empty(0, int)
        return int(held[-1]) + 1 if len(held) else 0

    def row_index(self) -> NDArray[np.int64]:
        """Ray (layer·rows + row) of each run, (n,)."""
        return np.repeat(np.arange(self.grid.rays), np.diff(self.offsets))

    def at(self, ray: NDArray[np.int64], x_mm: NDArray[np.float64]) -> NDArray[np.int64]:
        """The last run of each ray that begins at or before a place on it, of the shape of both; -1 where none does.

        Parameters
        ----------
        ray : layer·rows + row, -1 for none.
        """
        if len(self.x0) == 0:
            return np.full(np.broadcast_shapes(ray.shape, x_mm.shape), -1)
        of_run = self.row_index()
        low = min(float(self.x0.min()), float(x_mm.min(initial=np.inf)))
        wide = max(float(self.x0.max()), float(x_mm.max(initial=-np.inf))) - low + 1.0  # of a ray, laid end to end
        run = np.searchsorted(of_run * wide + (self.x0 - low), ray * wide + (x_mm - low), side="right") - 1
        return np.where((run >= 0) & (of_run[run] == ray), run, -1)


def cast(points: NDArray[np.float64], faces: NDArray[np.integer], grid: Grid) -> Runs:
    """Runs of a closed triangle mesh by the non-zero winding rule; overlapping and inside-out shells are fine.

    Parameters
    ----------
    points : (n, 3) [mm]; faces : (m, 3) indices into points.

    Notes
    -----
    A contour that does not close leaves rays whose winding does not return to zero. They are counted in
    `broken_rays` and given the runs of the nearest whole row, up to three rows away.
    """
    points = np.ascontiguousarray(points, dtype=np.float64)
    faces = np.ascontiguousarray(faces, dtype=np.int32)
    cursor = np.zeros(grid.rays, np.int64)
    none_x, none_s = np.empty(0), np.empty(0, np.int8)
    ray_grid = kernels.RayGrid(grid.y0_mm, grid.pitch_mm, grid.rows, grid.z0_mm, grid.layer_mm, grid.layers)
    kernels.crossings(points, faces, ray_grid, cursor, none_x, none_s, False)
    start = np.concatenate((np.zeros(1, np.int64), np.cumsum(cursor)))
    cursor = start[:-1].copy()
    xs, signs = np.empty(start[-1]), np.empty(start[-1], np.int8)
    kernels.crossings(points, faces, ray_grid, cursor, xs, signs, True)
    x0, x1 = np.empty(len(xs) // 2 + 1), np.empty(len(xs) // 2 + 1)
    offsets, broken = kernels.wind(start, xs, signs, grid.rays, x0, x1)
    _shorten(x0, x1, to=int(offsets[-1]))
    count = int(broken.sum())
    if count:
        offsets, x0, x1 = kernels.mend(offsets, x0, x1, broken, grid.rows, MEND_REACH)
    return Runs(grid, offsets, x0, x1, count)


def moved_runs(runs: Runs, along_mm: float, rows: int) -> Runs:
    """The same runs moved by a length along themselves and by whole rows."""
    if along_mm == 0 and rows == 0:
        return runs
    grid = replace(runs.grid, first_row=runs.grid.first_row + rows)
    return Runs(grid, runs.offsets, runs.x0 + along_mm, runs.x1 + along_mm, runs.broken_rays)


def on_grid(runs: Runs, grid: Grid) -> Runs:
    """The same runs on another window of the same lattice; what lies on none of its rays is dropped.

    Raises
    ------
    ValueError : when the two grids do not share their lines.
    """
    own = runs.grid
    if own == grid:
        return runs
    if own.lattice != grid.lattice:
        raise ValueError("runs cannot be moved to rows and layers that they were not cast on")
    begin, end, to = _overlap(own.first_layer, own.layers, grid.first_layer, grid.layers)
    low, high, row = _overlap(own.first_row, own.rows, grid.first_row, grid.rows)
    counts = np.diff(runs.offsets).reshape(own.layers, own.rows)
    placed = np.zeros((grid.layers, grid.rows), np.int32)
    placed[to : to + end - begin, row : row + high - low] = counts[begin:end, low:high]
    offsets = np.zeros(grid.rays + 1, np.int32)
    np.cumsum(placed, out=offsets[1:])
    x0, x1 = runs.x0, runs.x1
    if offsets[-1] < len(x0):
        kept = np.zeros(counts.shape, bool)
        kept[begin:end, low:high] = True
        on = np.repeat(kept.ravel(), counts.ravel())
        x0, x1 = x0[on], x1[on]
    return Runs(grid, offsets, x0, x1, runs.broken_rays)


def cropped(runs: Runs) -> Runs:
    """The same runs on the smallest window of their lattice that holds them all."""
    grid = runs.grid
    per_ray = np.diff(runs.offsets).reshape(grid.layers, grid.rows)
    layers, rows = np.flatnonzero(per_ray.any(axis=1)), np.flatnonzero(per_ray.any(axis=0))
    if len(rows) == 0:
        return empty(grid.windowed(grid.first_row, 0, grid.first_layer, 0))
    first_row, first_layer = grid.first_row + int(rows[0]), grid.first_layer + int(layers[0])
    return on_grid(runs, grid.windowed(first_row, int(np.ptp(rows)) + 1, first_layer, int(np.ptp(layers)) + 1))


def _overlap(first: int, count: int, other: int, others: int) -> tuple[int, int, int]:
    """What a stretch shares with another: from and to as it counts, and from as the other counts."""
    low, high = max(first, other), min(first + count, other + others)
    return low - first, max(low, high) - first, low - other if high > low else 0


def empty(grid: Grid) -> Runs:
    """No solid at all."""
    return Runs(grid, np.zeros(grid.rays + 1, np.int32), np.empty(0), np.empty(0))


def union(a: Runs, b: Runs) -> Runs:
    """What is in a or in b."""
    return _combine(a, b, True, True, True)


def difference(a: Runs, b: Runs) -> Runs:
    """What is in a and not in b."""
    return _combine(a, b, True, False, False)


def intersection(a: Runs, b: Runs) -> Runs:
    """What is in a and in b."""
    return _combine(a, b, False, False, True)


def _combine(a: Runs, b: Runs, only_a: bool, only_b: bool, both: bool) -> Runs:
    if a.grid != b.grid:
        raise ValueError("runs on different grids cannot be combined")
    if b.x0.size == 0 and only_a:
        return a
    if a.x0.size == 0 and only_b:
        return b
    x0, x1 = np.empty(len(a.x0) + len(b.x0)), np.empty(len(a.x0) + len(b.x0))
    offsets = kernels.combine(a.offsets, a.x0, a.x1, b.offsets, b.x0, b.x1, only_a, only_b, both, x0, x1)
    _shorten(x0, x1, to=int(offsets[-1]))
    return Runs(a.grid, offsets, x0, x1, a.broken_rays + b.broken_rays)


def _shorten(*arrays: NDArray[np.float64], to: int) -> None:
    """Give back what arrays have room for beyond their first numbers; these are not copied."""
    for array in arrays:
        array.resize(to, refcheck=False)
