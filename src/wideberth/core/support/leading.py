"""Spots led to the plate: a way for each that one can reach."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.progress import Progress
from wideberth.core.support.graph import Supports
from wideberth.core.support.need import Need, NeedKind
from wideberth.core.support.room import Room
from wideberth.core.support.route import Point, Route
from wideberth.core.support.routing import find_route
from wideberth.core.support.spots import Spots


def with_routes(
    supports: Supports, spots: Spots, room: Room, bench: Bench, progress: Progress, closed: Collection[Point] = ()
) -> tuple[Supports, tuple[Point, ...]]:
    """A support more for each spot that one can reach, and the spots that none can; posts first found carry later twigs. Where a
    tip stands already none more is set, however the spot came about; what begins in mid-liquid may have one a little nearer.

    closed : spots that no way led to before, nor beside; only posts that stand by now may lead there.
    """
    unreached, settings = [], bench.supports
    have = np.array([c.spot_mm for c in supports.contacts]).reshape(-1, 3)
    for i, (point, normal, why) in enumerate(zip(spots.points, spots.normals, spots.why, strict=True)):
        if i % 20 == 0:
            progress.at(i / len(spots.points), "leading posts to the plate")
        x, y, z = (float(v) for v in point)
        at_rim = why is NeedKind.ISLAND and room.mouth_at(point) is not None
        if at_rim and (grown := room.grown_under(point, supports)) is not None:
            supports = grown
            continue
        route = None if at_rim else find_route(point, normal, room.clearance, settings, supports)
        wide = settings.tip_mm
        if route is None and (x, y, z) not in closed:
            route, wide = _way_beside(point, why, room, supports)
        if route is None:
            unreached.append((x, y, z))
            continue
        apart = settings.smallest_tip_mm if why is NeedKind.ISLAND else settings.largest_tip_mm
        if (np.linalg.norm(have - route.spot_mm, axis=1) >= apart).all():
            have = np.vstack((have, route.spot_mm))
            supports = supports.with_route(route, wide, Need(why))
    return supports, tuple(unreached)


def _way_beside(point: NDArray[np.float64], why: NeedKind, room: Room, supports: Supports) -> tuple[Route | None, float]:
    """A way to beside a spot that is in a corner, and how thick its tip is: where something begins there, so near that it reaches
    over that if it can."""
    settings = room.settings
    if why is NeedKind.ISLAND and (under := room.way_under(point, supports)) is not None:
        return under[0], max(settings.tip_mm, under[1])
    others = (find_route(p, n, room.clearance, settings, supports) for p, n in room.clearance.beside(point))
    return next((other for other in others if other is not None), None), settings.tip_mm
