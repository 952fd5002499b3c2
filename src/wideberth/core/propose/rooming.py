"""The room that a part leaves for posts: made once for a part in its pose, asked for many spots."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, SupportSettings
from wideberth.core.job import Part
from wideberth.core.model import Mesh, points_inside, voids_of
from wideberth.core.orient import placing
from wideberth.core.predict import Prediction, Stages, as_tips_are_judged
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


@dataclass(frozen=True)
class _KeepingOff:
    """room : of a part without its holes. mouths_mm : see `mouths_around`."""

    room: Room
    mouths_mm: tuple[tuple[float, ...], ...]


def _kept_off(of: _KeepingOff, _: Progress) -> Room:
    return replace(of.room, mouths_mm=np.array(of.mouths_mm))


def room_around(part: Part, stages: Stages, bench: Bench, progress: Progress | None = None) -> Room:
    """Room for posts under a part, around its own place, off the mouths of its holes; shell and supports make no difference to
    it, nor do voids that it came with once holes lead into them."""
    plain = stages.solids(replace(part, shell=None, holes=()).unsupported(), bench.supports)
    light = stages.finer(_without_open_voids(part, stages, bench), plain.matrix, ROOM_TRIANGLES, progress)
    room = stages.cache.run(_made_room, _Rooming(light, bench.supports))
    if not part.holes:
        return room
    mouths = tuple(map(tuple, mouths_around(part, stages).tolist()))
    return stages.cache.run(_kept_off, _KeepingOff(room, mouths))


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


def mouths_around(part: Part, stages: Stages) -> NDArray[np.float64]:
    """Where each of a part's holes was set, in its pose around its own place, and its radius, (holes, 4)."""
    matrix = placing(stages.cut(part), part.pose)
    return np.array([(*(matrix[:3, :3] @ h.point_mm + matrix[:3, 3]), 0.5 * h.diameter_mm) for h in part.holes]).reshape(-1, 4)


def relief_of(part: Part, stages: Stages, bench: Bench, progress: Progress | None = None) -> Relief | None:
    """A part's holes, as deep as they go, in its pose around its own place; None where there are none."""
    if not part.holes:
        return None
    solids = stages.solids(part.unsupported(), bench.supports, progress, as_tips_are_judged())
    return None if solids.drills is None else Relief(solids.drills, solids.bores)


def ready_for_posts(seen: Prediction, stages: Stages, progress: Progress) -> None:
    """Make beforehand what takes longest of tips for the very large parts of a prediction, and stays as these are turned.

    Raises
    ------
    Cancelled : when `progress` was cancelled meanwhile.
    """
    for solid, share in zip(seen.solids, progress.evenly(len(seen.solids)), strict=True):
        if solid.placed.first and solid.own.triangles > ROOM_TRIANGLES:
            lightening, looking = share.stretches(0.3, 1.0)
            stages.finer(solid.own, np.eye(4), ROOM_TRIANGLES, lightening)
            stages.finish(solid.placed.part, seen.job.bench.house, looking)
