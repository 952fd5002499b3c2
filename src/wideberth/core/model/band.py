"""Distances to a mesh at the nodes of a cubic grid, in a band along its surface."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model._kernels import band as kernels
from wideberth.core.model.mesh import Mesh
from wideberth.core.progress import Progress, quiet

BESIDE_STEPS = 1.5
THREADS = 2


@dataclass(frozen=True, eq=False)
class Nodes:
    """A cubic grid: node (k, j, i) lies at low_mm + step_mm (i, j, k); arrays over it are (z, y, x)."""

    low_mm: NDArray[np.float64]
    step_mm: float
    shape: tuple[int, int, int]

    @property
    def count(self) -> int:
        return self.shape[0] * self.shape[1] * self.shape[2]

    def at(self, indices: NDArray[np.int64]) -> NDArray[np.float64]:
        """Points (n, 3) [mm] of nodes given as rows (k, j, i)."""
        return self.low_mm + indices[:, ::-1] * self.step_mm


def nodes_over(low: NDArray[np.float64], high: NDArray[np.float64], step_mm: float, rim: float = 1.5) -> Nodes:
    """Nodes over a box (two corners, (3,) [mm]) with a rim of so many steps around it."""
    first = low - rim * step_mm
    nx, ny, nz = (int(n) for n in np.ceil((high - first) / step_mm + rim + 1))
    return Nodes(first, step_mm, (nz, ny, nx))


def band_distance(
    mesh: Mesh, nodes: Nodes, wanted: NDArray[np.bool_], reach_mm: float, progress: Progress | None = None
) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
    """Distance [mm] of wanted nodes to a mesh where it is at most `reach_mm`, else infinite; and the nearest faces, else -1.

    Parameters
    ----------
    wanted : (z, y, x); the straight way from a wanted node to the surface should lie in wanted nodes, as it does for all inside.

    Notes
    -----
    Faces write to the nodes beside them; nodes hand their faces on to their neighbours, so distances are true ones to some face,
    and to the nearest up to slivers: never too small, too large by less than g²/2d for faces of size g at distance d
    (O. Cuisenaire and B. Macq, Computer Vision and Image Understanding 76, 1999, on errors of propagation).
    """
    progress = progress or quiet()
    far = np.full(nodes.count, np.inf, np.float32)
    face = np.full(nodes.count, kernels.NONE, np.int32)
    normals = np.ascontiguousarray(mesh.normals)
    wanted = np.ascontiguousarray(wanted).ravel()
    field = kernels.Field(mesh.points, mesh.faces, normals, nodes.low_mm, nodes.step_mm, nodes.shape, wanted, far, face)
    plane = nodes.shape[1] * nodes.shape[2]
    bounds = [nodes.shape[0] * n // THREADS for n in range(THREADS + 1)]
    slabs = list(zip(bounds[:-1], bounds[1:], strict=True))
    beside = min(BESIDE_STEPS * nodes.step_mm, reach_mm)
    with ThreadPoolExecutor(THREADS) as side_by_side:
        progress.at(0.0, "measuring distances")
        list(side_by_side.map(lambda s: kernels.write_beside(field, beside, s[0], s[1]), slabs))
        progress.at(0.4, "measuring distances")
        list(side_by_side.map(lambda s: kernels.hand_on(field, reach_mm, s[0], s[1], _told(face, plane, s[0], s[1])), slabs))
    progress.at(0.8, "measuring distances")
    borders = [_told(face, plane, k - 1, k + 1) for _, k in slabs[:-1]]
    kernels.hand_on(field, reach_mm, 0, nodes.shape[0], np.concatenate(borders))
    return far.reshape(nodes.shape), face.reshape(nodes.shape)


def _told(face: NDArray[np.int32], plane: int, k_from: int, k_to: int) -> NDArray[np.int64]:
    """Nodes of some planes that know a face."""
    return np.flatnonzero(face[k_from * plane : k_to * plane] != kernels.NONE) + k_from * plane
