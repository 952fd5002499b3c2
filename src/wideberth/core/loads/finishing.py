"""What a mark costs on each face: how many times as long as on a usual one, by its kind and by what was marked; or forbidden."""

from __future__ import annotations

from collections.abc import Callable
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


@dataclass(frozen=True, eq=False)
class Finishing:
    """Where marks are forbidden, `barred` (faces,), is known at once; `whole` gives the finish, and may wait for it."""

    barred: NDArray[np.bool_]
    whole: Callable[[], Finish]


def finish_of(surface: NDArray[np.uint8], mark: NDArray[np.int8], house: HouseRules) -> Finish:
    """How a house finishes faces of some kinds (faces,) and marks (faces,): what was marked decides before the kind does."""
    by_kind = np.array([getattr(house, f"{kind}_mark_times") for kind in SURFACES])
    times = by_kind[surface]
    times[mark == MARKS.index(MarkKind.HIDDEN)] = house.hidden_mark_times
    for kind, asked in _asked(house):
        times[mark == MARKS.index(kind)] = DEAREST if asked is None else asked
    return Finish(times, barred_by(mark, house), surface, mark)


def barred_by(mark: NDArray[np.int8], house: HouseRules) -> NDArray[np.bool_]:
    """Which faces a house lets carry no mark, (faces,), whatever their kind: by what was marked, (faces,)."""
    return np.isin(mark, [MARKS.index(kind) for kind, asked in _asked(house) if asked is None])


def _asked(house: HouseRules) -> tuple[tuple[MarkKind, float | None], ...]:
    """What a mark takes on faces that are to stay as they are; None where it is forbidden."""
    return (MarkKind.KEEP_CLEAN, house.clean_mark_times), (MarkKind.MATING, house.mating_mark_times)
