"""What of the plate's room a print takes: cells of its plane, in bands of height, none left out that it touches."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.layers import nodes_inside
from wideberth.core.model import Mesh, rotation_about
from wideberth.core.plate._kernels.cover import mark_surface

Cells = NDArray[np.bool_]
"""Covered cells, (bands, rows, columns)."""


@dataclass(frozen=True)
class CellSizes:
    """Sizes of the square cells of the plate's plane and of the bands of height; bands : how many there are."""

    cell_mm: float
    band_mm: float
    bands: int


@dataclass(frozen=True, eq=False)
class Outline:
    """A print's cells. low : (column, row) of the first one, in whole cells from the place about which it is turned."""

    cells: Cells
    low: tuple[int, int]

    @property
    def count(self) -> int:
        """Cells that it covers seen from above."""
        return int(self.cells.any(axis=0).sum())

    def quarter(self) -> Outline:
        """The same, a quarter turned counter-clockwise seen against the upright."""
        column, row = self.low
        turned = np.ascontiguousarray(self.cells.transpose(0, 2, 1)[:, :, ::-1])
        return Outline(turned, (-(row + self.cells.shape[1]), column))

    def swollen(self, gap_mm: float, sizes: CellSizes) -> Outline:
        """All cells that lie nearer to it than a gap, in its bands and the next ones above and below."""
        step = sizes.cell_mm
        reach = int(np.ceil(gap_mm / step)) + 1
        away = np.maximum(np.abs(np.arange(-reach, reach + 1)) - 1, 0) * step
        near = np.hypot(away[:, None], away[None]) < gap_mm
        if gap_mm <= 0:
            near = np.zeros_like(near)
            near[reach, reach] = True
        beside = np.pad(self.cells, ((1, 1), (reach, reach), (reach, reach)))
        stacked = beside[:-2] | beside[1:-1] | beside[2:]
        column, row = self.low
        return Outline(scipy.ndimage.binary_dilation(stacked, near[None]), (column - reach, row - reach))


def outline_of(meshes: list[Mesh], sizes: CellSizes, turn_deg: float = 0.0) -> Outline:
    """Cells that closed meshes touch or fill, turned about the upright through the origin.

    What the surface passes through is marked exactly; a cell that it does not pass through is full or empty as a whole, and its
    middle tells.
    """
    turned = [mesh.points @ rotation_about(2, turn_deg).T for mesh in meshes]
    points = np.concatenate(turned)
    step = sizes.cell_mm
    first = np.floor(points[:, :2].min(axis=0) / step).astype(np.int64) - 1
    last = np.floor(points[:, :2].max(axis=0) / step).astype(np.int64) + 1
    columns, rows = (int(n) for n in last - first + 1)
    cells = np.zeros((sizes.bands, rows, columns), bool)
    low = first * step
    middle = np.append(low + 0.5 * step, 0.5 * sizes.band_mm)
    for mesh, at in zip(meshes, turned, strict=True):
        mark_surface(at[mesh.faces], low, step, sizes.band_mm, cells)
        cells |= nodes_inside(at, mesh.faces, middle, step, cells.shape, sizes.band_mm)
    held = np.flatnonzero(cells.any(axis=(0, 1))), np.flatnonzero(cells.any(axis=(0, 2)))
    (c0, c1), (r0, r1) = ((int(h[0]), int(h[-1]) + 1) for h in held)
    return Outline(np.ascontiguousarray(cells[:, r0:r1, c0:c1]), (int(first[0]) + c0, int(first[1]) + r0))
