"""What a mark costs on each face: how many times as long as on a usual one, by its kind and by what was marked; or forbidden."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import HouseRules
from wideberth.core.model import SURFACES, MarkKind

MARKS = tuple(MarkKind)
UNMARKED = -1
"""In arrays of marks: the face has none; others are places in `MARKS`."""
DEAREST = 10.0
"""Where marks are forbidden and cannot be helped they take so many times as long."""


@dataclass(frozen=True, eq=False)
class Finish:
    """Faces of a mesh as a mark meets them.

    Attributes
    ----------
    times : (faces,) how many times as long as on a usual face a mark takes. barred : (faces,) whether it is forbidden.
    surface : (faces,) kind, as a place in `SURFACES`. mark : (faces,) what was marked, as a place in `MARKS`, or `UNMARKED`.
    """

    times: NDArray[np.float64]
    barred: NDArray[np.bool_]
    surface: NDArray[np.uint8]
    mark: NDArray[np.int8]

    def of(self, faces: NDArray[np.int64]) -> Finish:
        """Of some faces, or of others that lie on these, (n,) by number."""
        return Finish(self.times[faces], self.barred[faces], self.surface[faces], self.mark[faces])


def finish_of(surface: NDArray[np.uint8], mark: NDArray[np.int8], house: HouseRules) -> Finish:
    """How a house finishes faces of some kinds (faces,) and marks (faces,): what was marked decides before the kind does."""
    by_kind = np.array([getattr(house, f"{kind}_mark_times") for kind in SURFACES])
    times, barred = by_kind[surface], np.zeros(len(surface), bool)
    times[mark == MARKS.index(MarkKind.HIDDEN)] = house.hidden_mark_times
    for kind, asked in ((MarkKind.KEEP_CLEAN, house.clean_mark_times), (MarkKind.MATING, house.mating_mark_times)):
        marked = mark == MARKS.index(kind)
        times[marked] = DEAREST if asked is None else asked
        barred[marked] = asked is None
    return Finish(times, barred, surface, mark)
