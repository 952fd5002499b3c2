"""Voids by flooding dense voxels with SciPy: what is closed against the film at each layer, and what stays shut."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from wideberth.core.layers import Runs

FACES = np.array(
    [[[0, 0, 0], [0, 1, 0], [0, 0, 0]], [[0, 1, 0], [1, 1, 1], [0, 1, 0]], [[0, 0, 0], [0, 1, 0], [0, 0, 0]]]
)


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
                np.concatenate(
                    [names[:, 0].ravel(), names[:, -1].ravel(), names[:, :, 0].ravel(), names[:, :, -1].ravel()]
                )
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
