"""The grid of parallel rays on which solids become runs."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

ROW_SHIFT = 5 / 17
"""Rows sit off the lattice by this odd share of the pitch, so that faces and corners at round numbers miss them."""


@dataclass(frozen=True)
class Grid:
    """A window on a lattice of rows along x and layer planes; both are counted from the plate's middle and from the plate.

    Row j lies at (first_row + j + row_shift)·pitch, plane k at (first_layer + k + layer_shift)·layer height. A plane is the
    mid-height of its layer, which spans [k t, (k+1) t]. Windows on one lattice share their lines, whatever they were made for.
    """

    pitch_mm: float
    rows: int
    layer_mm: float
    layers: int
    first_row: int = 0
    first_layer: int = 0
    row_shift: float = ROW_SHIFT
    layer_shift: float = 0.5

    @property
    def y0_mm(self) -> float:
        """Where row 0 lies over y."""
        return (self.first_row + self.row_shift) * self.pitch_mm

    @property
    def z0_mm(self) -> float:
        """Height of plane 0."""
        return (self.first_layer + self.layer_shift) * self.layer_mm

    @property
    def rays(self) -> int:
        return self.rows * self.layers

    @property
    def lattice(self) -> tuple[float, float, float, float]:
        """Pitch and shift of the rows, height and shift of the layers: what windows that share their lines have in common."""
        return self.pitch_mm, self.row_shift, self.layer_mm, self.layer_shift

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

    def window(self, low: NDArray[np.float64], high: NDArray[np.float64]) -> Grid:
        """The window of this lattice over a box, (3,) corners, with an empty row on either side; no layers but this grid's."""
        first = math.floor(low[1] / self.pitch_mm - self.row_shift) - 1
        last = math.ceil(high[1] / self.pitch_mm - self.row_shift) + 1
        begin = max(self.first_layer, math.floor(low[2] / self.layer_mm - self.layer_shift))
        end = min(self.first_layer + self.layers, math.ceil(high[2] / self.layer_mm - self.layer_shift) + 1)
        return replace(self, rows=last - first + 1, first_row=first, layers=max(0, end - begin), first_layer=begin)

    def windowed(self, first_row: int, rows: int, first_layer: int, layers: int) -> Grid:
        """Another window of the same lattice."""
        return replace(self, rows=rows, first_row=first_row, layers=layers, first_layer=first_layer)


def grid_over(low: NDArray[np.float64], high: NDArray[np.float64], pitch_mm: float, layer_mm: float) -> Grid:
    """The grid over a box, with an empty row on either side; layers count from the plate (z = 0).

    Parameters
    ----------
    low, high : (3,) corners of the box [mm]; what lies below the plate is not printed.
    pitch_mm, layer_mm : distance of rows and of layers, over 0.
    """
    layers = max(1, math.ceil(high[2] / layer_mm - 1e-6))
    first = math.floor(low[1] / pitch_mm) - 1
    last = math.ceil(high[1] / pitch_mm) + 1
    return Grid(pitch_mm, last - first + 1, layer_mm, layers, first)
