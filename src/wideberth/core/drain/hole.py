"""Drain holes: a point on the surface, drilled along its normal through the wall."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model import Mesh, joined, nearest_on, rod, solid_stretches

SIDES = 48
FARTHEST_MM = 3.0


@dataclass(frozen=True)
class Hole:
    """A drain hole as the recipe keeps it, in the part's own frame (scaled, not yet posed).

    `along` is the way it is drilled, into the part; None is the surface's normal.
    """

    x_mm: float
    y_mm: float
    z_mm: float
    diameter_mm: float
    why: str = "set by hand"
    along: tuple[float, float, float] | None = None

    @property
    def point_mm(self) -> NDArray[np.float64]:
        return np.array([self.x_mm, self.y_mm, self.z_mm])


@dataclass(frozen=True)
class Drilled:
    """A hole with all that drilling it decides, in the part's own frame.

    `wall_mm` is the solid it passes; `free_mm` the void behind it (inf when nothing follows).
    """

    hole: Hole
    entry_mm: tuple[float, float, float]
    along: tuple[float, float, float]
    wall_mm: float
    free_mm: float
    before_mm: float

    @property
    def radius_mm(self) -> float:
        return 0.5 * self.hole.diameter_mm

    def at(self, distance_mm: float) -> NDArray[np.float64]:
        """Point of the axis so far behind the entry."""
        return np.asarray(self.entry_mm) + distance_mm * np.asarray(self.along)

    @property
    def outer_mouth_mm(self) -> NDArray[np.float64]:
        """A point in the void just outside the entry."""
        return self.at(-min(0.5 * self.before_mm, max(0.5, self.radius_mm)))

    @property
    def inner_mouth_mm(self) -> NDArray[np.float64]:
        """A point in the void just behind the wall."""
        return self.at(self.wall_mm + min(0.5 * self.free_mm, max(0.5, self.radius_mm)))

    @property
    def reach_mm(self) -> float:
        """How deep the drill goes: a little farther than the wall."""
        return self.wall_mm + min(0.45 * self.free_mm, max(0.5, self.radius_mm))

    @property
    def mesh(self) -> Mesh:
        """The drill: a cylinder a little longer than the wall at both ends."""
        out = min(0.45 * self.before_mm, max(0.5, self.radius_mm))
        return rod(self.at(-out), self.at(self.reach_mm), self.radius_mm, self.radius_mm, SIDES)


def drill(outer: Mesh, cavity: Mesh | None, hole: Hole) -> Drilled:
    """Find where a hole enters, which way it goes, and how thick the wall is there.

    Raises
    ------
    BadModel : when the point is more than 3 mm away from the surface.
    """
    point = hole.point_mm
    near, foot = nearest_on(outer, point)
    distance = float(np.linalg.norm(foot - point))
    if distance > FARTHEST_MM:
        raise BadModel(
            f"the hole at {hole.x_mm:.1f}, {hole.y_mm:.1f}, {hole.z_mm:.1f} lies {distance:.1f} mm off the surface.",
            where="drain hole", remedy="Give a point on the surface.",
        )  # fmt: skip
    if hole.along is None:
        along = -_smooth_normal(outer, foot, near, 0.5 * hole.diameter_mm)
    else:
        along = np.array(hole.along) / np.linalg.norm(hole.along)
    stretches = solid_stretches(outer, cavity, foot, along)
    ahead = stretches[stretches[:, 1] > 1e-6]
    if len(ahead) == 0:
        raise BadModel("no material lies behind the hole.", where="drain hole", remedy="Move the hole.")
    begin, end = ahead[0]
    free = float(ahead[1, 0] - end) if len(ahead) > 1 else float("inf")
    behind = stretches[stretches[:, 1] <= begin]
    before = float(begin - behind[-1, 1]) if len(behind) else float("inf")
    entry = foot + begin * along
    return Drilled(hole, _triple(entry), _triple(along), float(end - begin), free, before)


def drills_mesh(drilled: tuple[Drilled, ...]) -> Mesh | None:
    """All drills of a part as one mesh, or None."""
    return joined([d.mesh for d in drilled]) if drilled else None


def _triple(v: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def _smooth_normal(mesh: Mesh, at: NDArray[np.float64], face: int, radius: float) -> NDArray[np.float64]:
    """Mean normal of the faces around a point that look the same way as the face it lies on."""
    middle = mesh.corners.mean(axis=1)
    close = ((middle - at) ** 2).sum(axis=1) <= radius**2
    close &= mesh.normals @ mesh.normals[face] > 0.7
    close[face] = True
    mean = (mesh.normals[close] * mesh.face_area_mm2[close, None]).sum(axis=0)
    length = np.linalg.norm(mean)
    return mean / length if length > 0 else mesh.normals[face]
