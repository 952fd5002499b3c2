"""Marked: what each face of a part's cut mesh was marked as; marks stay through mends, sizes and cuts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.loads import MARKS, UNMARKED
from wideberth.core.model import Mark, MarkKind, carried_over
from wideberth.core.predict.stage.origins import Origins
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class MarkedInput:
    """faces : how many the cut mesh has. whole : their origins on the sized one, None where nothing is cut; source : origins of
    that one's faces on the source mesh, None where nothing is marked."""

    faces: int
    whole: Origins | None
    source: Origins | None
    marks: tuple[Mark, ...]


@dataclass(frozen=True, eq=False)
class Marked:
    """mark : (faces,) as a place in `MARKS`, or `UNMARKED`."""

    mark: NDArray[np.int8]


def marked(of: MarkedInput, _: Progress) -> Marked:
    """Marks by face. What a cut has laid bare is a mating face."""
    mark = np.full(of.faces, UNMARKED, np.int8)
    if of.source is not None:
        origin = of.source.face
        if of.whole is not None:
            origin = np.where(of.whole.face >= 0, origin[of.whole.face], -1)
        for each in of.marks:
            mark[carried_over(each, origin)] = MARKS.index(each.kind)
    if of.whole is not None:
        mark[of.whole.face < 0] = MARKS.index(MarkKind.MATING)
    return Marked(mark)
