"""Dense pixels and SciPy's labelling in place of runs and union-find; spheres tested by their equations."""

from __future__ import annotations

import numpy as np
import trimesh
from numpy.typing import NDArray
from scipy.ndimage import label

from wideberth.core.layers import Grid

STEP_MM = 0.05


def random_blobs(seed: int) -> trimesh.Trimesh:
    """Three to six overlapping or separate spheres; their centres and radii are kept in the metadata."""
    chance = np.random.default_rng(seed)
    balls = [(chance.uniform(-8, 8, 3) + [0, 0, 16], float(chance.uniform(2, 6))) for _ in range(chance.integers(3, 7))]
    pieces = []
    for centre, radius in balls:
        ball = trimesh.creation.icosphere(4, radius)
        ball.apply_translation(centre)
        pieces.append(ball)
    joined = trimesh.util.concatenate(pieces)
    joined.metadata["balls"] = balls
    return joined


def dense_mask(blobs: trimesh.Trimesh, grid: Grid) -> tuple[NDArray[np.bool_], NDArray[np.float64], NDArray[np.int64]]:
    """Pixels inside any sphere on the grid's rows, (layers, rows, columns); area and pieces of each layer."""
    low, high = blobs.bounds
    x = np.arange(low[0] - 0.1, high[0] + 0.1, STEP_MM)
    y = grid.y0_mm + np.arange(grid.rows) * grid.pitch_mm
    z = np.asarray(grid.z_of(np.arange(grid.layers)))
    mask = np.zeros((grid.layers, grid.rows, len(x)), bool)
    for centre, radius in blobs.metadata["balls"]:
        d2 = (z[:, None, None] - centre[2]) ** 2 + (y[None, :, None] - centre[1]) ** 2 + (x[None, None, :] - centre[0]) ** 2
        mask |= d2 < radius**2
    pieces = np.array([label(layer)[1] for layer in mask])
    return mask, mask.sum(axis=(1, 2)) * STEP_MM * grid.pitch_mm, pieces


def poisson_integral(mask: NDArray[np.bool_], step: float) -> float:
    """∫ u dA with ∇²u = -1 in the mask and 0 outside, by a direct sparse solve on plain pixels."""
    from scipy.sparse import coo_matrix, csc_matrix
    from scipy.sparse.linalg import spsolve

    index = np.full(mask.shape, -1)
    index[mask] = np.arange(mask.sum())
    rows, cols = [], []
    for axis in (0, 1):
        a = index.take(range(index.shape[axis] - 1), axis)
        b = index.take(range(1, index.shape[axis]), axis)
        both = (a >= 0) & (b >= 0)
        rows += [a[both], b[both]]
        cols += [b[both], a[both]]
    n = int(mask.sum())
    off = coo_matrix((-np.ones(sum(map(len, rows))), (np.concatenate(rows), np.concatenate(cols))), shape=(n, n))
    matrix = csc_matrix(off + coo_matrix((np.full(n, 4.0), (np.arange(n), np.arange(n))), shape=(n, n)))
    return float(spsolve(matrix, np.full(n, step**2)).sum() * step**2)
