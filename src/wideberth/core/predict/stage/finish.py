"""Finish: what a mark costs on each face of a part, by its kind of surface, what was marked, and the house."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.bench import HouseRules
from wideberth.core.loads import Finish, finish_of
from wideberth.core.predict.stage.marked import Marked
from wideberth.core.predict.stage.surfaces import Surfaces
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class FinishInput:
    """surfaces, marked : of the sized and cut mesh."""

    surfaces: Surfaces
    marked: Marked
    house: HouseRules


def finish(of: FinishInput, _: Progress) -> Finish:
    """See `finish_of`."""
    return finish_of(of.surfaces.kind, of.marked.mark, of.house)
