"""Points spread over a surface by rays along the axes: the same ones however its triangles are cut, ordered or moved."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from wideberth.core.layers.grid import Grid
from wideberth.core.layers.runs import cast
from wideberth.core.model import Closest, Mesh

MOST_RAYS = 4_000_000
SAME_MM = 1e-4


def surface_points(
    mesh: Mesh,
    step_mm: float,
    axes: tuple[int, ...] = (0, 1, 2),
    surface: Closest | None = None,
    near_mm: NDArray[np.float64] | None = None,
    reach_mm: float = np.inf,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Points where rays along the axes enter or leave a solid, those of each axis where the surface faces it most.

    Parameters
    ----------
    mesh : closed [mm]. step_mm : distance of the rays, which are counted from the mesh's own box. axes : which to take.
    surface : the mesh's `Closest`, if there is one already. near_mm : (m, 3), only what is no farther than `reach_mm` from one of
    these is wanted.

    Returns
    -------
    Points (n, 3), lowest first, and the outward normals there, (n, 3).
    """
    surface = surface or Closest(mesh)
    spots = None if near_mm is None else cKDTree(near_mm)
    spread = [_along(mesh, step_mm, axis, surface, spots, reach_mm) for axis in axes]
    points, normals = (np.concatenate(some) for some in zip(*spread, strict=True))
    order = in_order_of_place(points - mesh.low)
    return points[order], normals[order]


def in_order_of_place(points_mm: NDArray[np.float64]) -> NDArray[np.int64]:
    """The order of points (n, 3) from the lowest up, then by y and x, (n,); rounding keeps noise in the last digits out."""
    x, y, z = np.round(points_mm / SAME_MM).T if len(points_mm) else np.zeros((3, 0))
    return np.lexsort((x, y, z))


def _along(
    mesh: Mesh, step_mm: float, axis: int, surface: Closest, near: cKDTree | None, reach_mm: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Points of rays along one axis."""
    order = [(axis + turn) % 3 for turn in range(3)]  # the ray's own axis first; an even turn, so outside stays outside
    size = mesh.extents_mm[order]
    step = max(step_mm, float(np.sqrt(max(size[1] * size[2], 1e-12) / MOST_RAYS)))
    rows, planes = (max(1, int(np.ceil(s / step))) for s in size[1:])
    low = mesh.low[order]
    grid = Grid(step, rows, step, planes, row_shift=low[1] / step + 0.5, layer_shift=low[2] / step + 0.5)
    runs = cast(mesh.points[:, order], mesh.faces, grid)
    ray = np.tile(runs.row_index(), 2)
    local = np.stack(
        [np.concatenate((runs.x0, runs.x1)), grid.y0_mm + (ray % grid.rows) * step, grid.z0_mm + (ray // grid.rows) * step],
        axis=1,
    )
    points = np.empty_like(local)
    points[:, order] = local
    if near is not None:
        points = points[np.isfinite(near.query(points, distance_upper_bound=reach_mm)[0])]
    if len(points) == 0:
        return points, np.empty((0, 3))
    face = surface.nearest(points)[1]
    normals = mesh.normals[face]
    facing = np.abs(normals).argmax(axis=1) == axis
    return points[facing], normals[facing]
