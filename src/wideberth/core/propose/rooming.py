"""The room that a part leaves for posts: made once for a part in its pose, asked for many spots."""

from __future__ import annotations

from dataclasses import dataclass, replace

from wideberth.core.bench import Bench, SupportSettings
from wideberth.core.job import Part
from wideberth.core.model import Mesh
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress
from wideberth.core.support import Room, room_of


@dataclass(frozen=True)
class _Rooming:
    """outer : the part's surface around its own place."""

    outer: Mesh
    settings: SupportSettings


def _made_room(of: _Rooming, progress: Progress) -> Room:
    return room_of(of.outer, of.settings, progress)


def room_around(part: Part, stages: Stages, bench: Bench, progress: Progress | None = None) -> Room:
    """Room for posts under a part, around its own place; shell, holes and supports make no difference to it."""
    outer = stages.solids(replace(part, shell=None, holes=()).unsupported(), bench.supports).outer
    return stages.cache.run(_made_room, _Rooming(outer, bench.supports), progress)
