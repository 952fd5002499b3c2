"""Regions of a surface: what belongs to a face by smoothness, flatness, facing, shell, brush or box; and one ring more or
less."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.model.mesh import Mesh

SMOOTH_DEG = 25.0
"""Faces that meet at less than this are one smooth region."""
FLAT_DEG = 1.5

Faces = NDArray[np.int64]
Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Regions:
    """A mesh made ready to pick regions of: faces that share an edge, and how sharply they meet.

    Attributes
    ----------
    pairs : (k, 2) faces beside each other. ends : (k, 2) points of the edge that they share. bend_deg : (k,) between their
    normals, 0 where they are level. An edge with more than two faces ties each to the next one.
    """

    mesh: Mesh
    pairs: Faces
    ends: Faces
    bend_deg: Values

    @classmethod
    def of(cls, mesh: Mesh) -> Regions:
        start, listed = mesh.topology.faces_of_edge
        after = np.ones(len(listed), bool)
        after[start[1:][mesh.topology.uses > 0] - 1] = False  # the last face of each edge
        at = np.flatnonzero(after)
        pairs = np.stack([listed[at], listed[at + 1]], axis=1).astype(np.int64).reshape(-1, 2)
        edge = np.searchsorted(start, at, side="right") - 1
        n = mesh.normals
        cosine = np.clip(np.einsum("ij,ij->i", n[pairs[:, 0]], n[pairs[:, 1]]), -1.0, 1.0)
        return cls(mesh, pairs, mesh.topology.ends[edge].astype(np.int64), np.degrees(np.arccos(cosine)))

    # from one face

    def shell(self, face: int) -> Faces:
        """All that hangs together with a face, (n,) rising."""
        return self._piece(face, np.ones(len(self.pairs), bool))

    def smooth(self, face: int, most_deg: float = SMOOTH_DEG) -> Faces:
        """What is reached from a face over no edge sharper than so many degrees, (n,) rising."""
        return self._piece(face, self.bend_deg <= most_deg)

    def flat(self, face: int, most_deg: float = FLAT_DEG) -> Faces:
        """What is reached from a face over faces that lie as it does, to so many degrees, (n,) rising."""
        return self.facing(face, self.mesh.normals[face], most_deg)

    def facing(self, face: int, towards: Values, most_deg: float) -> Faces:
        """What is reached from a face over faces that look within so many degrees of a direction (3,), the face itself too."""
        like = self.looking(towards, most_deg)
        like[face] = True
        return self._piece(face, like[self.pairs[:, 0]] & like[self.pairs[:, 1]])

    def around(self, face: int, spot: Values, radius_mm: float) -> Faces:
        """What a round brush on a spot (3,) of a face covers: faces whose middle lies under it, and that hang together there."""
        near = ((self._middles - spot) ** 2).sum(axis=1) <= radius_mm**2
        near[face] = True
        return self._piece(face, near[self.pairs[:, 0]] & near[self.pairs[:, 1]])

    # from the whole

    def looking(self, towards: Values, most_deg: float) -> NDArray[np.bool_]:
        """Which faces look within so many degrees of a direction (3,), (faces,)."""
        way = np.asarray(towards, float) / np.linalg.norm(towards)
        return np.asarray(self.mesh.normals @ way >= np.cos(np.radians(most_deg)) - 1e-12)

    def within(self, low: Values, high: Values) -> Faces:
        """Faces whose middle lies in a box, (n,) rising."""
        return np.flatnonzero(((self._middles >= low) & (self._middles <= high)).all(axis=1))

    # from another region

    def grown(self, faces: Faces) -> Faces:
        """A region and every face that shares a corner with it, (n,) rising."""
        corner = np.zeros(len(self.mesh.points), bool)
        corner[self.mesh.faces[faces]] = True
        return np.flatnonzero(corner[self.mesh.faces].any(axis=1))

    def shrunk(self, faces: Faces) -> Faces:
        """A region less every face that shares a corner with what is not in it, (n,) rising."""
        outside = np.ones(self.mesh.triangles, bool)
        outside[faces] = False
        return np.setdiff1d(faces, self.grown(np.flatnonzero(outside)))

    def without_specks(self, faces: Faces, least_mm2: float) -> Faces:
        """Of some faces those in patches, hanging together by edges, of at least so much area, (n,)."""
        inside = np.zeros(self.mesh.triangles, bool)
        inside[faces] = True
        patch = self._labels(inside[self.pairs[:, 0]] & inside[self.pairs[:, 1]])
        area = np.bincount(patch, self.mesh.face_area_mm2)
        return faces[area[patch[faces]] >= least_mm2]

    @cached_property
    def _middles(self) -> Values:
        return np.asarray(self.mesh.corners.mean(axis=1))

    def _piece(self, face: int, kept: NDArray[np.bool_]) -> Faces:
        """What hangs together with a face over some of the pairs."""
        label = self._labels(kept)
        return np.flatnonzero(label == label[face])

    def level_pieces(self, most_deg: float, most_deg_per_mm: float | None = None) -> NDArray[np.int32]:
        """Number of the region of each face, (faces,): two belong together where the edge between them bends by no more than so
        many degrees, and by no more than so many for each millimetre between their middles, if that is asked for."""
        level = self.bend_deg <= most_deg
        if most_deg_per_mm is not None:
            apart = np.linalg.norm(self._middles[self.pairs[:, 1]] - self._middles[self.pairs[:, 0]], axis=1)
            level &= self.bend_deg <= most_deg_per_mm * apart + 1e-6
        return self._labels(level)

    def _labels(self, kept: NDArray[np.bool_]) -> NDArray[np.int32]:
        """Number of the piece of each face, (faces,), that some of the pairs tie together."""
        pairs, count = self.pairs[kept], self.mesh.triangles
        graph = scipy.sparse.coo_matrix((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), (count, count))
        return np.asarray(scipy.sparse.csgraph.connected_components(graph, directed=False)[1])
