"""The room that a part leaves for posts: made once for a part in its pose, asked for many spots."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, SupportSettings
from wideberth.core.job import Part
from wideberth.core.model import Mesh, points_inside, voids_of
from wideberth.core.orient import placing
from wideberth.core.predict import Prediction, Stages
from wideberth.core.progress import Progress
from wideberth.core.support import ROOM_TRIANGLES, Relief, Room, room_of

BEYOND_MM = 0.05
"""A wall is what a hole leads into."""


@dataclass(frozen=True)
class _Rooming:
    """light : the part's surface around its own place, or a stand-in of it."""

    light: Mesh
    settings: SupportSettings


def _made_room(of: _Rooming, _: Progress) -> Room:
    return room_of(of.light, of.settings)


def room_around(part: Part, stages: Stages, bench: Bench, progress: Progress | None = None) -> Room:
    """Room for posts under a part, around its own place; shell, holes and supports make no difference to it, nor do voids that
    it came with once holes lead into them."""
    plain = stages.solids(replace(part, shell=None, holes=()).unsupported(), bench.supports)
    light = stages.finer(_without_open_voids(part, stages, bench), plain.matrix, ROOM_TRIANGLES, progress)
    return stages.cache.run(_made_room, _Rooming(light, bench.supports))


@dataclass(frozen=True)
class _Filling:
    """own : a part's surface. mouths_mm : where its holes lead. least_mm3 : of a void that counts."""

    own: Mesh
    mouths_mm: tuple[tuple[float, ...], ...]
    least_mm3: float


def _filled(of: _Filling, _: Progress) -> Mesh:
    filled, voids = voids_of(of.own, of.least_mm3)
    return filled if all(points_inside(void, np.array(of.mouths_mm)).any() for void in voids) else of.own


def _without_open_voids(part: Part, stages: Stages, bench: Bench) -> Mesh:
    """A part's own surface less the voids that it came with, where a hole leads into each."""
    own = stages.cut(part)
    if not part.holes or part.shell is not None:
        return own
    return stages.cache.run(_filled, _Filling(own, _mouths_mm(part, stages), bench.house.smallest_chamber_ml * 1000))


def _mouths_mm(part: Part, stages: Stages) -> tuple[tuple[float, ...], ...]:
    """Where each hole leads, in the part's own frame."""
    return tuple(tuple(float(v) for v in d.at(d.wall_mm + BEYOND_MM)) for d in stages.drilled(part))


@dataclass(frozen=True)
class _Ends:
    """whole : a solid part's surface. mouths_mm : where its holes lead."""

    whole: Mesh
    mouths_mm: tuple[tuple[float, ...], ...]


def _blind(of: _Ends, _: Progress) -> tuple[bool, ...]:
    return tuple(points_inside(of.whole, np.array(of.mouths_mm)).tolist())


def whole_with_relief(part: Part, stages: Stages, bench: Bench) -> Part:
    """A part solid, without supports, and with those of its holes alone that lead through its own walls, as for its cups: none
    into chambers of a shell, nor into voids that count as filled."""
    whole = replace(part, shell=None, holes=()).unsupported()
    if not part.holes:
        return whole
    blind = stages.cache.run(_blind, _Ends(_without_open_voids(part, stages, bench), _mouths_mm(part, stages)))
    return whole.with_holes(tuple(hole for hole, ends in zip(part.holes, blind, strict=True) if not ends))


def mouths_around(part: Part, stages: Stages) -> NDArray[np.float64]:
    """Where each of a part's holes was set, in its pose around its own place, and its radius, (holes, 4)."""
    matrix = placing(stages.cut(part), part.pose)
    return np.array([(*(matrix[:3, :3] @ h.point_mm + matrix[:3, 3]), 0.5 * h.diameter_mm) for h in part.holes]).reshape(-1, 4)


def relief_of(part: Part, stages: Stages, bench: Bench) -> Relief | None:
    """Those holes, in its pose around its own place; None where there are none."""
    solids = stages.solids(whole_with_relief(part, stages, bench), bench.supports)
    return None if solids.drills is None else Relief(solids.drills, solids.bores)


def ready_for_posts(seen: Prediction, stages: Stages, progress: Progress) -> None:
    """Make beforehand what takes longest of tips for the very large parts of a prediction, and stays as these are turned.

    Raises
    ------
    Cancelled : when `progress` was cancelled meanwhile.
    """
    for solid in seen.solids:
        if solid.placed.first and solid.own.triangles > ROOM_TRIANGLES:
            stages.finer(solid.own, np.eye(4), ROOM_TRIANGLES, progress)
            stages.finish(solid.placed.part, seen.job.bench.house, progress)
