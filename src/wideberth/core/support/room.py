"""Room for posts round a part where it stands, made once and asked for many spots."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.model import Mesh, nearest_on
from wideberth.core.support.graph import Supports
from wideberth.core.support.need import NeedKind
from wideberth.core.support.route import Route
from wideberth.core.support.routing import Clearance, find_route
from wideberth.core.support.spots import Spots, close_spots

ROOM_TRIANGLES = 150_000
FACES_UP = 0.1
"""Height of a unit normal from which no post comes to a surface from below."""
BEGINS_MM, BESIDE_MM, OVER_MM = 0.5, (0.2, 0.4), 0.1
"""No farther from where something begins is it looked for on the surface; so far round that for what else a tip may stand at that
reaches it; and by so much it reaches over."""
OFF_RIM_MM, TURNS_DEG, ROUNDS, SLACK_MM = 0.04, (0.0, 25.0, -25.0, 50.0, -50.0), 3, 1e-6
"""What begins at the rim of a hole: how far off it the thickest tip stands, and which ways round from there it is tried."""
ALL_ROUND_DEG = tuple(45.0 * n for n in range(8))
DOWN = np.array([0.0, 0.0, -1.0])
Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Room:
    """light : the part's surface around its own place, or a stand-in of it. clearance : what of the plate's room it takes.
    mouths_mm : where its drain holes were set, and their radius, (holes, 4): no tip stands there."""

    light: Mesh
    clearance: Clearance
    settings: SupportSettings
    mouths_mm: Values = field(default_factory=lambda: np.empty((0, 4)))

    def close_to(self, points_mm: NDArray[np.float64], reach_mm: float) -> Spots:
        """Spots that look down, as close as thin limbs have them, no farther than `reach_mm` from one of some points (m, 3)."""
        return close_spots(self.light, self.settings, points_mm, reach_mm)

    def way_to(self, point_mm: NDArray[np.float64], supports: Supports) -> Route | None:
        """A way to carry the surface nearest to a point (3,) by an old post or a new one; None where it looks up, or when no way
        to the plate or to a footing on the part is clear."""
        face, spot = nearest_on(self.light, point_mm)
        if self.light.normals[face][2] > FACES_UP:
            return None
        return find_route(spot, self.light.normals[face], self.clearance, self.settings, supports)

    def way_under(self, point_mm: NDArray[np.float64], supports: Supports) -> tuple[Route, float] | None:
        """A way to carry what begins at a point (3,), from the surface near it that does not look up, or a little beside, and how
        thick [mm] its tip is at least to reach it; None when none is clear, or a tip stands there already. The nearest surface
        may look up where it begins as a needle or at an edge. What begins at the rim of a hole is held beside that."""
        under, tips = self._under, self.settings
        if len(under.faces) == 0:
            return None
        mouth = self.mouth_at(point_mm)
        if mouth is None:
            face, spot = nearest_on(under, point_mm)
            spots = [(spot, under.normals[face])] if np.linalg.norm(spot - point_mm) <= BEGINS_MM else []
            spots += self.clearance.beside(point_mm, BESIDE_MM)
        else:
            spots = self._off_rim(mouth, point_mm)
        have = np.array([c.spot_mm for c in supports.contacts]).reshape(-1, 3)
        for at, normal in spots:
            route = None if self.mouth_at(at) is not None else find_route(at, normal, self.clearance, tips, supports)
            if route is None or np.linalg.norm(have - route.spot_mm, axis=1).min(initial=np.inf) < tips.smallest_tip_mm:
                continue
            wide = reaching_mm(route, point_mm, tips.contact_depth_mm)
            if mouth is not None and np.isfinite(wide):  # as near as a tip comes
                wide = min(wide, tips.largest_tip_mm)
            if wide <= tips.largest_tip_mm:
                return route, max(round(wide, 3), tips.smallest_tip_mm)
        return None

    def grown_under(self, point_mm: NDArray[np.float64], supports: Supports) -> Supports | None:
        """Supports with a tip beside the rim of a hole grown over what begins there, at a point (3,); None where none is that
        would reach it, or where it is as thick already."""
        tips, reach = self.settings, {}
        if self.mouth_at(point_mm) is None:
            return None
        for c in supports.contacts:
            wide = reaching_mm(supports.routes[c.id], point_mm, tips.contact_depth_mm)
            if not c.pinned and wide <= tips.largest_tip_mm + 4 * OFF_RIM_MM + OVER_MM:
                reach[c.id] = min(round(wide, 3), tips.largest_tip_mm)
        id = min(reach, key=lambda id: (reach[id], id), default=None)
        return None if id is None or reach[id] <= supports.contact[id].diameter_mm else supports.sized({id: reach[id]})

    def mouth_at(self, point_mm: NDArray[np.float64]) -> NDArray[np.float64] | None:
        """The hole, (4,), in whose mouth the thickest tip at a point (3,) would stand; None where there is none."""
        away = np.linalg.norm(self.mouths_mm[:, :3] - point_mm, axis=1) - self.mouths_mm[:, 3]
        if away.min(initial=np.inf) > 0.5 * self.settings.largest_tip_mm:
            return None
        return np.asarray(self.mouths_mm[away.argmin()])

    def lowest_at_rim(self, mouth: Values) -> Values:
        """Where something begins at the rim of a hole (4,) that leads up: (3,)."""
        ahead, _ = self._round(mouth, DOWN)
        return np.asarray(self.clearance.surface.nearest((mouth[:3] + (mouth[3] + OFF_RIM_MM) * ahead)[None])[2][0])

    def _round(self, mouth: Values, off: Values) -> tuple[Values, Values]:
        """Ways along the surface at a hole (4,), (3,) each: as some way (3,) goes, and square to that."""
        normal = self.light.normals[nearest_on(self.light, mouth[:3])[0]]
        ahead = off - (off @ normal) * normal
        if np.linalg.norm(ahead) < SLACK_MM:
            ahead = np.cross(normal, np.eye(3)[np.abs(normal).argmin()])
        ahead /= np.linalg.norm(ahead)
        return ahead, np.cross(normal, ahead)

    def round_rim(self, point_mm: Values) -> Spots:
        """Spots all round the mouth of the hole that a point (3,) is in or beside, as near as tips come; none elsewhere."""
        mouth = self.mouth_at(point_mm)
        found = [] if mouth is None else self._off_rim(mouth, mouth[:3] + DOWN, ALL_ROUND_DEG)
        points, normals = (np.array([pair[n] for pair in found]).reshape(-1, 3) for n in range(2))
        return Spots(points, normals, [NeedKind.ISLAND] * len(found))

    def _off_rim(self, mouth: Values, point_mm: Values, turns_deg: tuple[float, ...] = TURNS_DEG) -> list[tuple[Values, Values]]:
        """Spots from which the thickest tip just stands off the mouth of a hole (4,), and their normals: that next to a point
        (3,), and so far round from there."""
        middle, reach = mouth[:3], mouth[3] + 0.5 * self.settings.largest_tip_mm + OFF_RIM_MM
        (ahead, beside), found = self._round(mouth, point_mm - middle), []
        for turn in np.radians(turns_deg):
            way = np.cos(turn) * ahead + np.sin(turn) * beside
            for _ in range(ROUNDS):  # along a surface that bends
                faces, spots = self.clearance.surface.nearest((middle + reach * way)[None])[1:]
                way = (spots[0] - middle) / np.linalg.norm(spots[0] - middle)
            if self.light.normals[faces[0], 2] <= FACES_UP:
                found.append((spots[0], self.light.normals[faces[0]]))
        return found

    @cached_property
    def _under(self) -> Mesh:
        """The faces that do not look up."""
        return Mesh(self.light.points, self.light.faces[self.light.normals[:, 2] <= FACES_UP])


def reaching_mm(route: Route, point_mm: NDArray[np.float64], depth_mm: float) -> float:
    """How thick a tip is [mm] that reaches over a point (3,) on its level, and so deep into the part; infinite over that."""
    spot = np.array(route.spot_mm)
    axis = (spot - route.joint_mm) / np.linalg.norm(spot - route.joint_mm)
    along = (point_mm[2] - spot[2]) / axis[2]
    if along > depth_mm:
        return float(np.inf)
    off = point_mm - (spot + along * axis)
    return 2 * float(np.hypot(off[0], off[1])) + OVER_MM


def room_of(light: Mesh, settings: SupportSettings) -> Room:
    """Room round a part's outer surface, set down: of no more than about `ROOM_TRIANGLES`, or it takes long."""
    return Room(light, Clearance(light, settings), settings)
