"""Room for posts round a part where it stands, made once and asked for many spots."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.model import Mesh, nearest_on
from wideberth.core.support.graph import Supports
from wideberth.core.support.route import Route
from wideberth.core.support.routing import Clearance, find_route
from wideberth.core.support.spots import Spots, close_spots

ROOM_TRIANGLES = 150_000
FACES_UP = 0.1
"""Height of a unit normal from which no post comes to a surface from below."""
BEGINS_MM, BESIDE_MM, OVER_MM = 0.5, (0.2, 0.4), 0.1
"""No farther from where something begins is it looked for on the surface; so far round that for what else a tip may stand at that
reaches it; and by so much it reaches over."""


@dataclass(frozen=True, eq=False)
class Room:
    """light : the part's surface around its own place, or a stand-in of it. clearance : what of the plate's room it takes."""

    light: Mesh
    clearance: Clearance
    settings: SupportSettings

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
        may look up where it begins as a needle or at an edge."""
        under = self._under
        if len(under.faces) == 0:
            return None
        face, spot = nearest_on(under, point_mm)
        spots = [(spot, under.normals[face])] if np.linalg.norm(spot - point_mm) <= BEGINS_MM else []
        have = np.array([c.spot_mm for c in supports.contacts]).reshape(-1, 3)
        for at, normal in (*spots, *self.clearance.beside(point_mm, BESIDE_MM)):
            route = find_route(at, normal, self.clearance, self.settings, supports)
            if route is None or np.linalg.norm(have - route.spot_mm, axis=1).min(initial=np.inf) < self.settings.smallest_tip_mm:
                continue
            wide = reaching_mm(route, point_mm, self.settings.contact_depth_mm)
            if wide <= self.settings.largest_tip_mm:
                return route, max(round(wide, 3), self.settings.smallest_tip_mm)
        return None

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
