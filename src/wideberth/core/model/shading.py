"""A mesh made ready to be drawn smooth: a normal at each corner, split where faces meet sharply."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.model.mesh import Mesh
from wideberth.core.model.regions import Regions


@dataclass(frozen=True, eq=False)
class Shaded:
    """points, normals : (n, 3), a point once for each smooth patch that meets in it. faces : (m, 3) of these."""

    points: NDArray[np.float32]
    normals: NDArray[np.float32]
    faces: NDArray[np.int32]


def shaded(mesh: Mesh, feature_deg: float) -> Shaded:
    """A mesh with normals that run smoothly over edges of less than an angle, and break at sharper ones.

    Corners of faces that share such an edge's end belong together; a group's normal is the sum of its faces', by their areas.
    """
    regions = Regions.of(mesh)
    smooth = regions.bend_deg < feature_deg
    pairs, ends = regions.pairs[smooth], regions.ends[smooth]
    links = []
    for end in (0, 1):
        at = ends[:, end, None]
        one, other = ((mesh.faces[pairs[:, side]] == at).argmax(axis=1) for side in (0, 1))
        links.append(np.stack((3 * pairs[:, 0] + one, 3 * pairs[:, 1] + other)))
    a, b = np.concatenate(links, axis=1)
    corners = 3 * mesh.triangles
    graph = scipy.sparse.coo_array((np.ones(len(a), np.int8), (a, b)), (corners, corners))
    count, group = scipy.sparse.csgraph.connected_components(graph, directed=False)
    cross = np.repeat(mesh.normals * mesh.face_area_mm2[:, None], 3, axis=0)
    sums = np.stack([np.bincount(group, cross[:, axis], count) for axis in range(3)], axis=1)
    length = np.linalg.norm(sums, axis=1, keepdims=True)
    normals = np.divide(sums, length, out=np.zeros_like(sums), where=length > 0)
    points = np.empty((count, 3), np.float32)
    points[group] = mesh.points[mesh.faces.reshape(-1)]
    return Shaded(points, normals.astype(np.float32), group.reshape(-1, 3).astype(np.int32))
