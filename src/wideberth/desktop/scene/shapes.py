"""Meshes and blocks of cells as what the 3D view draws."""

from __future__ import annotations

import numpy as np
import pyvista as pv
from numpy.typing import NDArray

from wideberth.core.layers import CupCells
from wideberth.core.model import Mesh, Nodes


def poly(mesh: Mesh) -> pv.PolyData:
    """A mesh for drawing."""
    return pv.PolyData.from_regular_faces(mesh.points.astype(np.float32), mesh.faces)


def body_of(held: NDArray[np.float32], nodes: Nodes, matrix: NDArray[np.float64]) -> pv.PolyData | None:
    """Cells held by more than half, (z, y, x), as a smooth surface set down by a 4 x 4 matrix, or None where there are none."""
    if held.max() <= 0.5:
        return None
    k, j, i = np.nonzero(held > 0.5)
    low = np.array([k.min(), j.min(), i.min()])
    block = np.pad(held[tuple(slice(a, b + 1) for a, b in zip(low, (k.max(), j.max(), i.max()), strict=True))], 1)
    grid = pv.ImageData(
        dimensions=block.shape[::-1], spacing=(nodes.step_mm,) * 3, origin=nodes.low_mm + nodes.step_mm * (low[::-1] - 1)
    )
    grid["held"] = block.ravel()
    surface = grid.contour([0.5], scalars="held")
    return surface.smooth(n_iter=20).transform(matrix, inplace=False) if surface.n_points else None


def filled(cells: CupCells, state: int) -> pv.PolyData | None:
    """The voids of one state as a closed surface, or None where there are none."""
    held = np.pad(cells.state == state, 1)
    if not held.any():
        return None
    block = pv.ImageData(dimensions=held.shape[::-1], spacing=(cells.step_mm,) * 3, origin=cells.low_mm - cells.step_mm)
    block["held"] = held.ravel().astype(np.float32)
    surface = block.contour([0.5], scalars="held")
    return surface.smooth(n_iter=20) if surface.n_points else None
