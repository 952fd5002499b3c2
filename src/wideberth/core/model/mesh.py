"""A triangle mesh as a value: never edited, equal when its content is equal."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model._kernels.facets import crosses
from wideberth.core.model.topology import Topology, topology

CHUNK = 200_000


@dataclass(frozen=True, eq=False)
class Mesh:
    """Triangles in millimetres.

    Attributes
    ----------
    points : (n, 3) float64. faces : (m, 3) int32, counter-clockwise seen from outside.
    """

    points: NDArray[np.float64]
    faces: NDArray[np.int32]

    @cached_property
    def fingerprint(self) -> str:
        """A hash of the content; meshes are compared and cached by it."""
        digest = hashlib.blake2b(np.ascontiguousarray(self.points).tobytes(), digest_size=16)
        digest.update(np.ascontiguousarray(self.faces).tobytes())
        return digest.hexdigest()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Mesh) and self.fingerprint == other.fingerprint

    def __hash__(self) -> int:
        return hash(self.fingerprint)

    @property
    def triangles(self) -> int:
        return len(self.faces)

    @cached_property
    def low(self) -> NDArray[np.float64]:
        """Lower corner of the bounding box, (3,) [mm]."""
        return self._bounds[0]

    @cached_property
    def high(self) -> NDArray[np.float64]:
        """Upper corner of the bounding box, (3,) [mm]."""
        return self._bounds[1]

    @cached_property
    def _bounds(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        own = self.points if self.used.all() else self.points[self.used]
        columns = [own[:, axis] for axis in range(3)]  # by column: an order of magnitude faster than along the first axis
        return np.array([c.min() for c in columns]), np.array([c.max() for c in columns])

    @cached_property
    def used(self) -> NDArray[np.bool_]:
        """Which points a face uses, (n,)."""
        used = np.zeros(len(self.points), bool)
        used[self.faces] = True
        return used

    @property
    def extents_mm(self) -> NDArray[np.float64]:
        return self.high - self.low

    @cached_property
    def corners(self) -> NDArray[np.float64]:
        """Corner points of each triangle, (m, 3, 3)."""
        return self.points[self.faces]

    def _cross(self) -> NDArray[np.float64]:
        """Cross product of two sides of each triangle, (m, 3) [mm²]."""
        points = np.ascontiguousarray(self.points, dtype=np.float64)
        return np.asarray(crosses(points, np.ascontiguousarray(self.faces, dtype=np.int32)))

    @cached_property
    def face_area_mm2(self) -> NDArray[np.float64]:
        cross = self._cross()
        return 0.5 * np.sqrt(np.einsum("ij,ij->i", cross, cross))

    @cached_property
    def normals(self) -> NDArray[np.float64]:
        """Unit normal of each triangle, (m, 3); zero for a triangle without area."""
        cross = self._cross()
        length = np.linalg.norm(cross, axis=1, keepdims=True)
        return np.divide(cross, length, out=np.zeros_like(cross), where=length > 0)

    @property
    def point_normals(self) -> NDArray[np.float64]:
        """Unit normal at each point, (n, 3): of the triangles around it, by their areas; zero where there are none."""
        sums = np.zeros((len(self.points), 3))
        cross = self._cross()
        for corner in range(3):
            np.add.at(sums, self.faces[:, corner], cross)
        length = np.linalg.norm(sums, axis=1, keepdims=True)
        return np.divide(sums, length, out=np.zeros_like(sums), where=length > 0)

    @cached_property
    def volume_mm3(self) -> float:
        """Signed volume by the divergence theorem; meaningful for a closed mesh."""
        total, middle = 0.0, 0.5 * (self.low + self.high)
        for start in range(0, len(self.faces), CHUNK):
            a, b, c = np.moveaxis(self.points[self.faces[start : start + CHUNK]] - middle, 1, 0)
            total += float(np.einsum("ij,ij->", a, np.cross(b, c)))
        return total / 6

    @cached_property
    def topology(self) -> Topology:
        """Edges and who shares them."""
        return topology(self.faces, len(self.points))

    @property
    def edge_uses(self) -> NDArray[np.int32]:
        """How often each distinct edge is used, (edges,): 2 everywhere on a closed manifold."""
        return self.topology.uses

    @cached_property
    def watertight(self) -> bool:
        """Whether the surface ends nowhere and agrees with itself: at every edge as many triangles run one way as the other."""
        return bool(((self.edge_uses % 2 == 0) & (self.topology.net == 0)).all())

    def only(self, kept: NDArray[np.bool_]) -> Mesh:
        """Some of its faces, by a mask (m,), and the points that these use."""
        left = Mesh(self.points, self.faces[kept])
        number = np.cumsum(left.used) - 1
        return Mesh(self.points[left.used], number[left.faces].astype(np.int32))

    def transformed(self, matrix: NDArray[np.float64]) -> Mesh:
        """The mesh under a 4 x 4 matrix; a mirroring one turns the faces round so that outside stays outside."""
        points = self.points @ matrix[:3, :3].T + matrix[:3, 3]
        mirrored = np.linalg.det(matrix[:3, :3]) < 0
        made = Mesh(points, self.faces[:, ::-1].copy() if mirrored else self.faces)
        made.__dict__["used"] = self.used
        return made

    def moved(self, by_mm: NDArray[np.float64]) -> Mesh:
        return Mesh(self.points + by_mm, self.faces)


def joined(meshes: list[Mesh]) -> Mesh:
    """All triangles of several meshes as one."""
    if not meshes:
        return Mesh(np.empty((0, 3)), np.empty((0, 3), np.int32))
    shift = np.cumsum([0] + [len(m.points) for m in meshes[:-1]])
    faces = [m.faces + s for m, s in zip(meshes, shift, strict=True)]
    return Mesh(np.concatenate([m.points for m in meshes]), np.concatenate(faces).astype(np.int32))
