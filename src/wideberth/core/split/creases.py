"""Creases: edges at which a surface folds inward, in which a seam is least seen."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.model import Mesh

Values = NDArray[np.float64]
FOLD_DEG = 30.0
"""Less is a soft hollow that hides nothing."""
NEAR_MM = 0.5
SAMPLES_MM = 0.5
LEVEL_SHARE, LEVEL_MM = 0.02, 0.05
"""By how much of its length, and in all, a crease may rise out of a plane that it is said to lie in."""
LEAST_MM = 10.0
"""Of creases in one plane that are worth a cut."""
MOST_LEVELS = 6
BESIDE_MM = 0.02
"""A cut lies so far beside its crease, on either side: in it the section would be that of neither."""


def points_along(ends_mm: Values, apart_mm: float) -> tuple[NDArray[np.int64], Values]:
    """Points evenly along stretches (n, 2, 3), no farther apart than so much: of which stretch, (m,), and where, (m, 3)."""
    way = ends_mm[:, 1] - ends_mm[:, 0]
    count = np.maximum(np.ceil(np.linalg.norm(way, axis=1) / apart_mm), 1).astype(np.int64)
    own = np.repeat(np.arange(len(count)), count)
    share = (np.arange(len(own)) - np.repeat(np.cumsum(count) - count, count) + 0.5) / count[own]
    return own, ends_mm[own, 0] + share[:, None] * way[own]


@dataclass(frozen=True, eq=False)
class Creases:
    """Creases of a mesh. ends_mm : (n, 2, 3) of each."""

    ends_mm: Values

    @classmethod
    def of(cls, mesh: Mesh) -> Creases:
        """All of a closed mesh."""
        topology, middle = mesh.topology, mesh.corners.mean(axis=1)
        start, faces = topology.faces_of_edge
        edges = np.flatnonzero(topology.uses == 2)
        one, other = faces[start[edges]], faces[start[edges] + 1]
        folds = (mesh.normals[one] * mesh.normals[other]).sum(axis=1) < np.cos(np.radians(FOLD_DEG))
        begins = mesh.points[topology.ends[edges, 0]]
        inward = ((middle[other] - begins) * mesh.normals[one]).sum(axis=1) > 0
        return cls(mesh.points[topology.ends[edges[folds & inward]]])

    @cached_property
    def _samples(self) -> scipy.spatial.cKDTree | None:
        """Places all along them, near enough to each other."""
        if len(self.ends_mm) == 0:
            return None
        return scipy.spatial.cKDTree(points_along(self.ends_mm, SAMPLES_MM)[1])

    def hides(self, points_mm: Values) -> NDArray[np.bool_]:
        """Whether points (n, 3) lie in a crease, (n,)."""
        if self._samples is None:
            return np.zeros(len(points_mm), bool)
        away, _ = self._samples.query(points_mm, distance_upper_bound=NEAR_MM)
        return np.asarray(np.isfinite(away))

    def offsets(self, normal: Values) -> Values:
        """Offsets [mm] of planes square to a direction (3,) in which long creases lie, just beside them, rising."""
        if len(self.ends_mm) == 0:
            return np.empty(0)
        heights = self.ends_mm @ normal
        length = np.linalg.norm(self.ends_mm[:, 1] - self.ends_mm[:, 0], axis=1)
        level = np.abs(heights[:, 1] - heights[:, 0]) <= np.minimum(LEVEL_SHARE * length + 1e-6, LEVEL_MM)
        if not level.any():
            return np.empty(0)
        at, long = heights[level].mean(axis=1), length[level]
        order = np.argsort(at, kind="stable")
        at, long = at[order], long[order]
        group = np.concatenate(([0], np.cumsum(np.diff(at) > LEVEL_MM)))
        whole = np.bincount(group, long)
        middle = np.bincount(group, long * at) / np.maximum(whole, 1e-12)
        longest = np.argsort(-whole, kind="stable")[:MOST_LEVELS]
        chosen = middle[longest[whole[longest] >= LEAST_MM]]
        return np.sort(np.concatenate((chosen - BESIDE_MM, chosen + BESIDE_MM)))
