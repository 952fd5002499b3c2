"""Points spread over a surface, the nearest of a mesh to others, and how far two surfaces lie apart."""

from __future__ import annotations

from functools import cached_property

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.model._kernels.closest import Cells, any_nearer, closest, distances, fill_cells, filled_blocks
from wideberth.core.model._kernels.march import first_hits
from wideberth.core.model.mesh import Mesh

MOST_CELLS = 2_000_000
ROUGH_SAMPLES, CHECKED, LOOKS = 200_000, 400, 1_000
FIRST_CELLS, LEAST_CELL_MM = 8, 1e-6
CELL_KEY = np.array([1, 1 << 21, 1 << 42])
"""Numbers the cells that lie so many along each axis; two of the same number are taken as one, which only takes longer."""


def spread_over(mesh: Mesh, spacing_mm: float, seed: int = 7) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Random points on a surface, about one to each spacing²: the face of each, (s,), and the points, (s, 3)."""
    area = mesh.face_area_mm2
    chance = np.random.default_rng(seed)
    count = np.floor(area / spacing_mm**2 + chance.random(len(area))).astype(np.int64)
    face = np.repeat(np.arange(len(count)), count)
    u, v = chance.random(len(face)), chance.random(len(face))
    flip = u + v > 1
    u[flip], v[flip] = 1 - u[flip], 1 - v[flip]
    a, b, c = np.moveaxis(mesh.points[mesh.faces[face]], 1, 0)
    return face, a + u[:, None] * (b - a) + v[:, None] * (c - a)


class Closest:
    """The nearest point of a mesh to any other, and the first face on a line, exactly. Faces are sorted into cells once."""

    def __init__(self, mesh: Mesh) -> None:
        self._mesh = mesh
        size = np.maximum(mesh.extents_mm, 1e-9)
        spread = float(np.sqrt(2 * mesh.face_area_mm2.sum() / max(1, mesh.triangles)))
        cell = max(spread, float((size.prod() / MOST_CELLS) ** (1 / 3)), float(size.max()) / 400, 1e-9)
        nx, ny, nz = (int(n) for n in size / cell + 1)
        filled = fill_cells(mesh.points, mesh.faces, mesh.low, cell, (nx, ny, nz))
        self._cells = Cells(mesh.points, mesh.faces, mesh.low, cell, (nx, ny, nz), *filled)

    @cached_property
    def _filled(self) -> NDArray[np.bool_]:
        """Which blocks of cells hold a face; only distances ask for it."""
        return np.asarray(filled_blocks(self._cells.start, self._cells.shape))

    def nearest(self, points: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.int64], NDArray[np.float64]]:
        """Distance of points (n, 3) [mm], (n,); the face nearest to each, (n,); and the point on it, (n, 3)."""
        spots = np.ascontiguousarray(points, np.float64).reshape(-1, 3)
        return closest(self._cells, spots)

    def distance(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Distance of points (n, 3) [mm], (n,): as `nearest` gives it, and far from the mesh much sooner."""
        return np.asarray(distances(self._cells, self._filled, np.ascontiguousarray(points, np.float64).reshape(-1, 3)))

    def is_near(self, points: NDArray[np.float64], within_mm: NDArray[np.float64]) -> bool:
        """Whether any of points (n, 3) is nearer than its own distance (n,) [mm]; sooner known than how near it is."""
        return bool(any_nearer(self._cells, points, within_mm))

    def first_hit(self, points: NDArray[np.float64], along: NDArray[np.float64], least_mm: float) -> NDArray[np.float64]:
        """Distance [mm] from points (n, 3) along unit directions (n, 3) to the first face beyond `least_mm`, (n,).

        Infinite where there is none.
        """
        spots, ways = np.ascontiguousarray(points, np.float64), np.ascontiguousarray(along, np.float64)
        return first_hits(self._cells, spots, ways, least_mm)

    def farthest(self, points: NDArray[np.float64]) -> float:
        """Largest distance of points (n, 3) to the mesh [mm].

        One of each cell is measured, in smaller cells from round to round. The others are no farther from the mesh than it is and
        from it: where that is no more than was found already they need no look. Where many are about as far off, those that lie
        farthest from samples of the mesh are measured: searching cells far away is slow.
        """
        found, size = 0.0, float(np.ptp(points, axis=0).max()) / FIRST_CELLS if len(points) else 0.0
        while len(points) > CHECKED:
            cells = ((points - points.min(axis=0)) / max(size, LEAST_CELL_MM)).astype(np.int64)
            _, first, of = np.unique(cells @ CELL_KEY, return_index=True, return_inverse=True)
            if len(first) > LOOKS:
                break
            away = self.distance(points[first])
            found = max(found, float(away.max()))
            may_be_farther = away[of] + np.linalg.norm(points - points[first][of], axis=1) > found
            may_be_farther[first] = False
            points, size = points[may_be_farther], 0.5 * size
        if len(points) > CHECKED:
            spacing = float(np.sqrt(self._mesh.face_area_mm2.sum() / ROUGH_SAMPLES))
            samples = np.concatenate((spread_over(self._mesh, spacing)[1], self._mesh.points[self._mesh.faces[::4, 0]]))
            rough, _ = scipy.spatial.cKDTree(samples, balanced_tree=False).query(points, workers=2)
            points = points[np.argsort(rough)[-CHECKED:]]
        return max(found, float(self.distance(points).max(initial=0.0)))


def deviation_mm(before: Mesh, after: Mesh, samples: int = 120_000) -> float:
    """Largest distance [mm] of either surface's sampled points from the other: the Hausdorff distance, sampled."""
    spacing = float(np.sqrt(max(before.face_area_mm2.sum(), after.face_area_mm2.sum()) / samples))
    there = Closest(after).farthest(spread_over(before, spacing, 3)[1])
    return max(there, Closest(before).farthest(spread_over(after, spacing, 5)[1]))
