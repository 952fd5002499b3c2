"""Small pictures of meshes without a 3D library: faces that look at the eye, shaded, the farthest first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model.mesh import Mesh

EYE = np.array([0.55, -0.75, 0.36]) / np.linalg.norm([0.55, -0.75, 0.36])
LIGHT = np.array([0.1, -0.6, 0.8]) / np.linalg.norm([0.1, -0.6, 0.8])


@dataclass(frozen=True, eq=False)
class Sketch:
    """Faces in the order in which they are drawn, seen from the corner, z up.

    corners : (faces, 3, 2) pixels from the upper left. bright : (faces,) 0.35 to 1. of : (faces,) which mesh each belongs to.
    boxes : (meshes, 2, 2) upper left and lower right of each mesh.
    """

    corners: NDArray[np.float64]
    bright: NDArray[np.float64]
    of: NDArray[np.int64]
    boxes: NDArray[np.float64]


def sketch(meshes: Sequence[Mesh], wide: float, high: float, room: float) -> Sketch:
    """Meshes together in a picture of so many pixels, with some room along its edges."""
    right = np.cross([0.0, 0.0, 1.0], EYE)
    right /= np.linalg.norm(right)
    axes = np.stack((right, -np.cross(EYE, right)), axis=1)
    seen = [mesh.points @ axes for mesh in meshes]
    together = np.concatenate(seen)
    low, top = together.min(axis=0), together.max(axis=0)
    scale = float(((np.array([wide, high]) - 2 * room) / np.maximum(top - low, 1e-9)).min())
    at = [0.5 * np.array([wide, high]) + scale * (points - 0.5 * (low + top)) for points in seen]
    corners, bright, depth, of = [], [], [], []
    for number, (mesh, points) in enumerate(zip(meshes, at, strict=True)):
        facing = np.flatnonzero(mesh.normals @ EYE > 0)
        corners.append(points[mesh.faces[facing]])
        bright.append(np.clip(0.62 + 0.42 * (mesh.normals[facing] @ LIGHT), 0.35, 1.0))
        depth.append((mesh.points @ EYE)[mesh.faces[facing]].mean(axis=1))
        of.append(np.full(len(facing), number))
    order = np.argsort(np.concatenate(depth), kind="stable")
    boxes = np.array([(points.min(axis=0), points.max(axis=0)) for points in at])
    return Sketch(np.concatenate(corners)[order], np.concatenate(bright)[order], np.concatenate(of)[order], boxes)
