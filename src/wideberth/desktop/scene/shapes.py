"""Meshes and blocks of cells as what the 3D view draws."""

from __future__ import annotations

import numpy as np
import pyvista as pv

from wideberth.core.layers import CupCells
from wideberth.core.model import Mesh


def poly(mesh: Mesh) -> pv.PolyData:
    """A mesh for drawing."""
    return pv.PolyData.from_regular_faces(mesh.points.astype(np.float32), mesh.faces)


def filled(cells: CupCells, state: int) -> pv.PolyData | None:
    """The voids of one state as a closed surface, or None where there are none."""
    held = np.pad(cells.state == state, 1)
    if not held.any():
        return None
    block = pv.ImageData(dimensions=held.shape[::-1], spacing=(cells.step_mm,) * 3, origin=cells.low_mm - cells.step_mm)
    block["held"] = held.ravel().astype(np.float32)
    surface = block.contour([0.5], scalars="held")
    return surface.smooth(n_iter=20) if surface.n_points else None
