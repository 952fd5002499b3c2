"""Drain holes: a point on the surface, an outline, drilled along its normal through the wall."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model import Mesh, frame_along, joined, nearest_on, prism, solid_stretches

SIDES, KEPT = 48, 64
FARTHEST_MM = 3.0
ROUND, DROP, OVAL = "round", "drop", "oval"
OUTLINES = {
    ROUND: "a drill's own shape; the plug may turn in it",
    DROP: "its top runs out in a 45° roof, so that it prints without one",
    OVAL: "taller than wide: it begins nearer the plate and its plug cannot turn",
}
"""What each outline is for."""
OVAL_TALL = 1.6


@dataclass(frozen=True)
class Hole:
    """A drain hole as the recipe keeps it, in the part's own frame (scaled, not yet posed).

    `along` is the way it is drilled, into the part; None is the surface's normal. taper_deg : each side leans out by so much
    towards the outside. margin_mm : how far it goes on behind the wall; None is a radius. The diameter is that at the inner end,
    and the lesser one of an outline that is not round.
    """

    x_mm: float
    y_mm: float
    z_mm: float
    diameter_mm: float
    why: str = "set by hand"
    along: tuple[float, float, float] | None = None
    outline: str = ROUND
    taper_deg: float = 0.0
    margin_mm: float | None = None
    id: str = ""
    pinned: bool = False

    @property
    def bare(self) -> Hole:
        """What shapes it: without its id and reason."""
        return replace(self, why="", id="", pinned=False)

    @property
    def point_mm(self) -> NDArray[np.float64]:
        return np.array([self.x_mm, self.y_mm, self.z_mm])


def outline_points(outline: str, radius_mm: float) -> NDArray[np.float64]:
    """Corners of an outline, counter-clockwise, (SIDES, 2) [mm]: across, and up in print. Round ones keep the circle's area.

    A drop is the circle with the two tangents of 45° that meet √2 radii above its middle.
    """
    angle = 2 * np.pi * np.arange(SIDES) / SIDES
    swell = radius_mm * math.sqrt(2 * math.pi / (SIDES * math.sin(2 * math.pi / SIDES)))
    circle = swell * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    if outline == DROP:
        roof = circle[:, 1] > abs(circle[:, 0]) + 1e-9
        circle[roof, 1] = math.sqrt(2) * swell - np.abs(circle[roof, 0])
    if outline == OVAL:
        circle[:, 1] *= OVAL_TALL
    return circle


def flow_radius_mm(outline: str, radius_mm: float) -> float:
    """Radius of the bore that lets as much through: of an ellipse with half axes a, b (2 a³ b³ / (a² + b²))^¼, Boussinesq's
    solution (F. M. White, Viscous Fluid Flow, 2006, section 3-3); a drop counts as the circle in it."""
    if outline != OVAL:
        return radius_mm
    a, b = radius_mm, OVAL_TALL * radius_mm
    return float((2 * a**3 * b**3 / (a * a + b * b)) ** 0.25)


@dataclass(frozen=True)
class Drilled:
    """A hole with all that drilling it decides, in the part's own frame.

    `wall_mm` is the solid it passes; `free_mm` the void behind it (inf when nothing follows), `before_mm` that before it.
    `up` : the way up in print, which tells a drop's roof.
    """

    hole: Hole
    entry_mm: tuple[float, float, float]
    along: tuple[float, float, float]
    wall_mm: float
    free_mm: float
    before_mm: float
    up: tuple[float, float, float] = (0.0, 0.0, 1.0)

    @property
    def radius_mm(self) -> float:
        """Of the bore that lets as much through."""
        return flow_radius_mm(self.hole.outline, 0.5 * self.hole.diameter_mm)

    @property
    def widest_radius_mm(self) -> float:
        """Half the width where it enters."""
        tall = {DROP: math.sqrt(2), OVAL: OVAL_TALL}.get(self.hole.outline, 1.0)
        return tall * 0.5 * self.hole.diameter_mm + self.wall_mm * math.tan(math.radians(self.hole.taper_deg))

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
        margin = self.hole.margin_mm
        return self.wall_mm + min(0.45 * self.free_mm, max(0.5, self.radius_mm) if margin is None else margin)

    @property
    def mesh(self) -> Mesh:
        """The drill: its outline from before the entry to behind the wall."""
        out = min(0.45 * self.before_mm, max(0.5, self.radius_mm))
        return self.bored(-out, self.reach_mm, 0.0)

    def bored(self, from_mm: float, to_mm: float, less_mm: float) -> Mesh:
        """The outline drawn out from one depth to another, each side less by so much."""
        lean = math.tan(math.radians(self.hole.taper_deg))
        half = 0.5 * self.hole.diameter_mm
        ends = []
        for depth in (from_mm, to_mm):
            radius = half + lean * max(0.0, self.wall_mm - depth) - less_mm
            ends.append(outline_points(self.hole.outline, max(radius, 0.05)))
        across, over = _sides(np.asarray(self.along), np.asarray(self.up))
        return prism(self.at(from_mm), self.at(to_mm), across, over, ends[0], ends[1])


def _sides(along: NDArray[np.float64], up: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Level and upright unit vectors across an axis; any two when the axis is upright itself."""
    level = np.cross(up, along)
    if np.linalg.norm(level) < 1e-3:
        level = frame_along(along)[0]
    level /= np.linalg.norm(level)
    over = np.cross(along, level)
    return (level, over) if over @ up >= 0 else (-level, -over)


def drill(outer: Mesh, cavity: Mesh | None, hole: Hole, up: NDArray[np.float64] | None = None) -> Drilled:
    """Find where a hole enters, which way it goes, and how thick the wall is there.

    Parameters
    ----------
    up : (3,) the way up in print, in the part's own frame; z where it is not told.

    Raises
    ------
    BadModel : when the point is more than 3 mm away from the surface.
    """
    point = hole.point_mm
    near, foot = nearest_on(outer, point)
    distance = float(np.linalg.norm(foot - point))
    if distance > FARTHEST_MM:
        raise BadModel(
            f"lies {distance:.1f} mm off the surface.",
            where=f"drain hole at {hole.x_mm:.1f}, {hole.y_mm:.1f}, {hole.z_mm:.1f} of the part",
            remedy="Give a point on the surface.",
        )
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
    upright = (0.0, 0.0, 1.0) if up is None else _triple(up)
    return Drilled(hole, _triple(entry), _triple(along), float(end - begin), free, before, upright)


@lru_cache(KEPT)
def drills_mesh(drilled: tuple[Drilled, ...]) -> Mesh | None:
    """All drills of a part as one mesh, or None; the same one again while it is turned."""
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
