"""Voids by flooding dense voxels with SciPy: what is closed against the film at each layer, and what stays shut."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from wideberth.core.layers import Runs

FACES = np.array([[[0, 0, 0], [0, 1, 0], [0, 0, 0]], [[0, 1, 0], [1, 1, 1], [0, 1, 0]], [[0, 0, 0], [0, 1, 0], [0, 0, 0]]])


@dataclass(frozen=True, eq=False)
class Flooded:
    """Closed area of each layer [mm²] while printing on the plate, and volume shut for good off it [mm³]."""

    closed_mm2: NDArray[np.float64]
    trapped_mm3: float


def voxels(runs: Runs, x_low: float, x_high: float, step: float) -> NDArray[np.bool_]:
    """Solid voxels, (layers, rows, columns), whose centre lies in a run; with an empty column on either side."""
    grid = runs.grid
    x = np.arange(x_low - step, x_high + step, step)
    solid = np.zeros((grid.layers, grid.rows, len(x)), bool)
    for k in range(grid.layers):
        for j in range(grid.rows):
            ray = k * grid.rows + j
            for i in range(runs.offsets[ray], runs.offsets[ray + 1]):
                solid[k, j] |= (x > runs.x0[i]) & (x < runs.x1[i])
    return solid


def flooded(solid: NDArray[np.bool_], cell_mm2: float, layer_mm: float) -> Flooded:
    """Flood layer after layer from the outside: what no path reaches through the layers so far is closed."""
    layers = len(solid)
    closed = np.zeros(layers)
    for k in range(layers):
        void = np.pad(~solid[: k + 1], ((0, 0), (1, 1), (1, 1)), constant_values=True)
        names, _ = label(void, FACES)
        outside = set(
            np.unique(
                np.concatenate([names[:, 0].ravel(), names[:, -1].ravel(), names[:, :, 0].ravel(), names[:, :, -1].ravel()])
            )
        )
        top = names[k]
        closed[k] = (~np.isin(top, list(outside)) & (top > 0)).sum() * cell_mm2
    void = np.pad(~solid, 1, constant_values=True)
    names, _ = label(void, FACES)
    shut = (names > 0) & (names != names[0, 0, 0])
    return Flooded(closed, float(shut.sum() * cell_mm2 * layer_mm))


def label_components(solid: NDArray[np.bool_]) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Pieces of each layer and the area of the largest, in cells."""
    pieces, largest = [], []
    for layer in solid:
        names, count = label(layer)
        pieces.append(count)
        largest.append(np.bincount(names.ravel())[1:].max() if count else 0)
    return np.array(pieces), np.array(largest, float)


def spill_volume(solid: NDArray[np.bool_], held: NDArray[np.bool_], down: NDArray[np.float64]) -> float:
    """Liquid that a block of unit cells keeps: levels are lowered by plain sweeps until nothing changes.

    held : cells that could hold liquid; those of void beside a void cell that is not held spill at their own height.
    """
    k, j, i = np.indices(solid.shape)
    height = -(i * down[0] + j * down[1] + k * down[2])
    void = ~solid & held
    outside = ~solid & ~held
    level = np.where(void, np.inf, np.nan)
    around = [(axis, step) for axis in range(3) for step in (1, -1)]

    def neighbour(field: NDArray, axis: int, step: int, edge: object) -> NDArray:
        moved = np.roll(field, step, axis)
        at = [slice(None)] * 3
        at[axis] = 0 if step == 1 else -1
        moved[tuple(at)] = edge
        return moved

    free = np.zeros(solid.shape, bool)
    for axis, step in around:
        free |= np.roll(outside, step, axis)
    level[void & free] = height[void & free]
    while True:
        before = level.copy()
        for axis, step in around:
            beside = neighbour(level, axis, step, np.nan)
            through = np.fmax(beside, height)
            better = void & ~np.isnan(beside) & (through < level)
            level[better] = through[better]
        if np.array_equal(before, level, equal_nan=True):
            break
    kept = np.where(np.isinf(level), 1.0, np.clip(level - height, 0, 1))
    return float(kept[void].sum())
