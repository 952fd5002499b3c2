"""Which nodes of a grid lie in a solid, by the runs along one axis or by all three."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers.grid import Grid
from wideberth.core.layers.runs import cast


def nodes_inside(
    points: NDArray[np.float64],
    faces: NDArray[np.int32],
    origin: NDArray[np.float64],
    step: float,
    shape: tuple[int, int, int],
    level_mm: float | None = None,
) -> NDArray[np.bool_]:
    """Nodes in a mesh by the non-zero winding rule along x, (z, y, x); node (k, j, i) lies at origin + step (i, j, k), or at
    levels of another height, `level_mm`."""
    nz, ny, nx = shape
    high = level_mm or step
    grid = Grid(step, ny, high, nz, row_shift=float(origin[1]) / step, layer_shift=float(origin[2]) / high)
    runs = cast(points, faces, grid)
    change = np.zeros((nz * ny, nx + 1), np.int8)
    ray = runs.row_index()
    first = np.clip(np.ceil((runs.x0 - origin[0]) / step).astype(np.int64), 0, nx)
    beyond = np.clip(np.ceil((runs.x1 - origin[0]) / step).astype(np.int64), 0, nx)
    np.add.at(change, (ray, first), 1)
    np.add.at(change, (ray, beyond), -1)
    return (np.cumsum(change, axis=1, dtype=np.int8)[:, :nx] > 0).reshape(shape)


def nodes_mostly_inside(
    points: NDArray[np.float64], faces: NDArray[np.int32], origin: NDArray[np.float64], step: float, shape: tuple[int, int, int]
) -> NDArray[np.bool_]:
    """Nodes that lie in a mesh along at least two of the three axes, (z, y, x): a hole misleads the rays through it, not all."""
    votes = np.zeros(shape, np.int8)
    for turn in range(3):
        axes = [(turn + a) % 3 for a in range(3)]  # which old axis each new one is; an even turn, so outside stays outside
        turned = nodes_inside(
            np.ascontiguousarray(points[:, axes]),
            faces,
            origin[axes],
            step,
            (shape[2 - axes[2]], shape[2 - axes[1]], shape[2 - axes[0]]),
        )
        # turned has axes (new z, new y, new x), that is old axes[2], axes[1], axes[0]; ours wants old (z, y, x)
        votes += turned.transpose([2 - axes.index(old) for old in (2, 1, 0)])
    return votes >= 2
