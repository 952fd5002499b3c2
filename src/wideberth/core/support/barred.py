"""Where no tip comes: by pinned ones, at refused spots, in holes, and on faces that carry no mark."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.loads import spacing_mm
from wideberth.core.model import Closest, Mesh
from wideberth.core.support.graph import Supports
from wideberth.core.support.need import NeedKind
from wideberth.core.support.spots import Spots

NEAR_SHARE = 0.35
"""Tips stand at least this share of the usual spacing apart."""
REFUSED_MM = 2.0
"""No tip comes nearer to a spot that was refused."""
BESIDE_MM = 0.4
"""A tip stands so far off the rim of a hole."""
ALIKE_COS = 0.8
"""A spot that moves aside stays on a face that looks the same way, within some 37°."""


@dataclass(frozen=True, eq=False)
class Barred:
    """Where no tip comes.

    Attributes
    ----------
    spots : (n, 3), no tip comes nearer to one than `reach_mm`, (n,); the last `refused` of them were refused. faces : of the
    outer mesh, (faces,), where only beginnings get a tip; None where there are none. kept : these alone. half_mm : of a usual
    and of the largest tip, whose rim too is to stay off them. holes_mm : (m, 4) the mouth of each hole and its radius.
    """

    spots: NDArray[np.float64]
    reach_mm: NDArray[np.float64]
    refused: int
    outer: Mesh
    surface: Closest
    faces: NDArray[np.bool_] | None
    kept: Closest | None
    half_mm: tuple[float, float]
    holes_mm: NDArray[np.float64]

    @classmethod
    def around(
        cls,
        pinned: Supports | None,
        refused_mm: NDArray[np.float64] | None,
        bench: Bench,
        outer: Mesh,
        barred: NDArray[np.bool_] | None,
        holes_mm: NDArray[np.float64] | None = None,
    ) -> Barred:
        """Pinned contacts keep others off as any would; refused spots keep all off."""
        held = np.array([c.spot_mm for c in pinned.contacts]).reshape(-1, 3) if pinned is not None else np.empty((0, 3))
        refused = np.empty((0, 3)) if refused_mm is None else refused_mm
        reach = [NEAR_SHARE * spacing_mm(bench)] * len(held) + [REFUSED_MM] * len(refused)
        forbidden = barred if barred is not None and barred.any() else None
        kept = None if forbidden is None else Closest(Mesh(outer.points, outer.faces[forbidden]))
        tips = bench.supports
        half = 0.5 * min(tips.tip_mm, tips.largest_tip_mm), 0.5 * tips.largest_tip_mm
        holes = np.empty((0, 4)) if holes_mm is None else holes_mm
        spots, surface = np.concatenate((held, refused)), Closest(outer)
        return cls(spots, np.array(reach), len(refused), outer, surface, forbidden, kept, half, holes)

    def but_refused(self, spots: Spots) -> Spots:
        """Less those that were refused: a beginning may have a tip close to a pinned one that does not hold it."""
        return spots.only(self._clear_of(spots, len(self.spots) - self.refused))

    def without(self, spots: Spots) -> Spots:
        """Less those that are barred; one in a hole moves beside its rim, one beside a face that is to carry no mark away from it
        as far as it can."""
        if len(spots.points) == 0 or (len(self.spots) == 0 and self.faces is None and len(self.holes_mm) == 0):
            return spots
        spots = self._beside_holes(spots)
        must = np.array([why is NeedKind.ISLAND for why in spots.why])
        moved, off = self._moved_off(spots)
        points = np.where(must[:, None], spots.points, moved)
        there = Spots(points, spots.normals, spots.why)
        return there.only(self._clear_of(there) & (must | off & self._off_holes(points)))

    def _clear_of(self, spots: Spots, first: int = 0) -> NDArray[np.bool_]:
        """Which of some spots are far enough from all barred ones, from the `first` on, (n,)."""
        away = np.linalg.norm(spots.points[:, None] - self.spots[None, first:], axis=2)
        return np.asarray((away >= self.reach_mm[first:]).all(axis=1))

    def _off_holes(self, points: NDArray[np.float64]) -> NDArray[np.bool_]:
        """Which of some points, moved beside holes, (n,), are so far from all mouths that a usual tip stands in none: round an
        edge of the part the way is shorter."""
        away = np.linalg.norm(points[:, None] - self.holes_mm[None, :, :3], axis=2)
        return np.asarray((away >= self.holes_mm[:, 3] + self.half_mm[0]).all(axis=1))

    def _beside_holes(self, spots: Spots) -> Spots:
        """Spots in the mouth of a hole moved along the surface until the largest tip stands off its rim; what begins at the rim
        has its tip as near as one comes."""
        points, moves = spots.points.copy(), np.array([why is not NeedKind.ISLAND for why in spots.why])
        for *mouth, radius in self.holes_mm:
            off = points - mouth
            far = np.linalg.norm(off, axis=1)
            reach = radius + self.half_mm[1] + BESIDE_MM
            near = moves & (far < reach)
            if near.any():
                way = np.where(far[near, None] > 1e-6, off[near] / np.maximum(far[near, None], 1e-6), _level(spots.normals[near]))
                points[near] = self.surface.nearest(mouth + reach * way)[2]
        return Spots(points, spots.normals, spots.why)

    def _moved_off(self, spots: Spots) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
        """Spots moved along the surface until the largest tip leaves kept faces alone, (n, 3); whether a usual one does, (n,)."""
        points = spots.points
        if self.faces is None or self.kept is None:
            return points, np.ones(len(points), bool)
        away, _, at = self.kept.nearest(points)
        near = np.flatnonzero((away < self.half_mm[1]) & (away > 1e-6))
        along = (points[near] - at[near]) / away[near, None]
        _, face, there = self.surface.nearest(points[near] + (self.half_mm[1] - away[near, None]) * along)
        alike = (self.outer.normals[face] * spots.normals[near]).sum(axis=1) > ALIKE_COS
        moved = points.copy()
        moved[near[alike]] = there[alike]
        on = self.surface.nearest(moved)[1]
        return moved, ~self.faces[on] & (self.kept.distance(moved) >= self.half_mm[0])


def _level(normals: NDArray[np.float64]) -> NDArray[np.float64]:
    """A level way along the surface for each of its normals, unit (n, 3)."""
    x, y = np.where((np.hypot(normals[:, 0], normals[:, 1]) < 1e-9)[:, None], [0.0, 1.0], normals[:, :2]).T
    return np.stack([-y, x, np.zeros(len(x))], axis=1) / np.hypot(x, y)[:, None]
