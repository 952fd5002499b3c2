"""The room that a part leaves for posts: made once for a part in its pose, asked for many spots."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from wideberth.core.bench import Bench, SupportSettings
from wideberth.core.job import Part
from wideberth.core.model import Mesh
from wideberth.core.predict import Prediction, Stages
from wideberth.core.progress import Progress
from wideberth.core.support import ROOM_TRIANGLES, Room, room_of


@dataclass(frozen=True)
class _Rooming:
    """light : the part's surface around its own place, or a stand-in of it."""

    light: Mesh
    settings: SupportSettings


def _made_room(of: _Rooming, _: Progress) -> Room:
    return room_of(of.light, of.settings)


def room_around(part: Part, stages: Stages, bench: Bench, progress: Progress | None = None) -> Room:
    """Room for posts under a part, around its own place; shell, holes and supports make no difference to it."""
    plain = stages.solids(replace(part, shell=None, holes=()).unsupported(), bench.supports)
    light = stages.finer(plain.own, plain.matrix, ROOM_TRIANGLES, progress)
    return stages.cache.run(_made_room, _Rooming(light, bench.supports))


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
