"""Finish: what a mark costs on each face of a part, by its kind of surface, what was marked, and the house."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.bench import HouseRules
from wideberth.core.loads import MARKS, UNMARKED, Finish, finish_of
from wideberth.core.model import Mark, MarkKind, carried_over
from wideberth.core.predict.stage.origins import Origins
from wideberth.core.predict.stage.surfaces import Surfaces
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class FinishInput:
    """surfaces : of the sized and cut mesh. whole : origins of its faces on the sized one, None where nothing is cut; source :
    origins of that one's faces on the source mesh, None where nothing is marked."""

    surfaces: Surfaces
    whole: Origins | None
    source: Origins | None
    marks: tuple[Mark, ...]
    house: HouseRules


def finish(of: FinishInput, _: Progress) -> Finish:
    """See `finish_of`. What a cut has laid bare is a mating face; marks of one face hold in their order, the last one last."""
    mark = np.full(len(of.surfaces.kind), UNMARKED, np.int8)
    if of.source is not None:
        origin = of.source.face
        if of.whole is not None:
            origin = np.where(of.whole.face >= 0, origin[of.whole.face], -1)
        for each in of.marks:
            mark[carried_over(each, origin)] = MARKS.index(each.kind)
    if of.whole is not None:
        mark[of.whole.face < 0] = MARKS.index(MarkKind.MATING)
    return finish_of(of.surfaces.kind, mark, of.house)
