"""The grid of parallel rays on which solids become runs."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

ROW_SHIFT = 5 / 17
"""Rows sit off the lattice by this odd share of the pitch, so that faces and corners at round numbers miss them."""


@dataclass(frozen=True)
class Grid:
    """Rays along x at rows y0 + j·pitch and at layer planes z0 + k·layer_mm.

    z0 is half a layer above the plate, so plane k is the mid-height of layer k, which spans [k t, (k+1) t].
    """

    y0_mm: float
    pitch_mm: float
    rows: int
    layer_mm: float
    layers: int
    z0_mm: float

    @property
    def rays(self) -> int:
        return self.rows * self.layers

    def layer_of(self, z_mm: float | NDArray[np.float64]) -> NDArray[np.int64]:
        """Layer that holds a height, clipped to the grid."""
        k = np.floor((np.asarray(z_mm) - self.z0_mm) / self.layer_mm + 0.5).astype(np.int64)
        return np.clip(k, 0, max(0, self.layers - 1))

    def row_of(self, y_mm: float | NDArray[np.float64]) -> NDArray[np.int64]:
        """Row nearest to a y, clipped to the grid."""
        j = np.rint((np.asarray(y_mm) - self.y0_mm) / self.pitch_mm).astype(np.int64)
        return np.clip(j, 0, max(0, self.rows - 1))

    def z_of(self, layer: int | NDArray[np.int64]) -> NDArray[np.float64]:
        """Mid-height [mm] of a layer."""
        return np.asarray(self.z0_mm + np.asarray(layer) * self.layer_mm)


def grid_over(low: NDArray[np.float64], high: NDArray[np.float64], pitch_mm: float, layer_mm: float) -> Grid:
    """The grid over a box, with an empty row on either side; layers count from the plate (z = 0).

    Parameters
    ----------
    low, high : (3,) corners of the box [mm]; what lies below the plate is not printed.
    pitch_mm, layer_mm : distance of rows and of layers, over 0.
    """
    first = math.floor(low[1] / pitch_mm) - 1
    last = math.ceil(high[1] / pitch_mm) + 1
    layers = max(1, math.ceil(high[2] / layer_mm - 1e-6))
    shifted = (first + ROW_SHIFT) * pitch_mm
    return Grid(shifted, pitch_mm, last - first + 1, layer_mm, layers, layer_mm / 2)
