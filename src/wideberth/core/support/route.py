"""How a spot is carried: from the surface by a tapered end, perhaps a twig, and a post to its foot."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Point = tuple[float, float, float]
"""x, y from the part's place on the plate, z from the plate [mm]."""


@dataclass(frozen=True)
class Route:
    """One way from a spot on a part to what carries it.

    Attributes
    ----------
    spot_mm : on the surface. joint_mm : where the tapered end ends. top_mm : where the post begins or, on a shared post, where
    the twig meets it; the joint itself when there is no twig. foot_mm : where the post ends. on_plate : whether its foot stands
    on the plate, else on the part. bends_mm : where a twig that leads round the part bends, from the joint on. post : id of the
    post, "" before it is one. shared : whether the post has a top of its own, higher up. narrow : whether a stouter post than
    the usual has no room.
    """

    spot_mm: Point
    joint_mm: Point
    top_mm: Point
    foot_mm: Point
    on_plate: bool = True
    post: str = ""
    shared: bool = False
    bends_mm: tuple[Point, ...] = ()
    narrow: bool = False

    @property
    def towards(self) -> NDArray[np.float64]:
        """Unit vector from the surface along the tapered end, (3,); straight down for one of no length."""
        along = np.subtract(self.joint_mm, self.spot_mm)
        length = float(np.linalg.norm(along))
        return along / length if length > 0 else np.array([0.0, 0.0, -1.0])

    @property
    def legs_mm(self) -> tuple[tuple[Point, Point], ...]:
        """Both ends of each straight piece of the twig, from the joint down."""
        points = (self.joint_mm, *self.bends_mm, self.top_mm)
        return tuple(zip(points[:-1], points[1:], strict=True))

    @property
    def twig_mm(self) -> float:
        """Length of the twig, 0 without one."""
        return sum(math.dist(a, b) for a, b in self.legs_mm)

    @property
    def length_mm(self) -> float:
        """Length of twig and post under the joint, down to what the post stands on."""
        return self.twig_mm + max(self.top_mm[2] - self.foot_mm[2], 0.0)


@dataclass(frozen=True, eq=False)
class TopsOnPlate:
    """Tops of posts that stand on the plate: their ids, and where they are, (posts, 3) [mm]."""

    ids: tuple[str, ...]
    points_mm: NDArray[np.float64]

    def near(self, point_mm: NDArray[np.float64], reach_mm: float) -> list[tuple[str, Point, float]]:
        """Those no farther aside than `reach_mm`, the nearest first: id, place, and how far aside."""
        away = np.hypot(*(self.points_mm[:, :2] - point_mm[:2]).T)
        within = np.flatnonzero(away <= reach_mm)
        order = within[np.argsort(away[within], kind="stable")]
        return [
            (self.ids[i], (x, y, z), float(away[i])) for i, (x, y, z) in zip(order, self.points_mm[order].tolist(), strict=True)
        ]
