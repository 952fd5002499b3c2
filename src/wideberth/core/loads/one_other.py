"""One tip less, or one that is thinner: whether the others bear what it leaves to them, without a tug of all."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers import Touch
from wideberth.core.loads import _kernels as kernels
from wideberth.core.loads.holders import tip_stiffnesses
from wideberth.core.loads.sharing import NEVER, pulled
from wideberth.core.loads.tug import Tug
from wideberth.core.loads.young import tips_at_peels

Others = kernels.Others
Values = NDArray[np.float64]
SURELY = 1 + 1e-6


def others(touches: tuple[Touch, ...], tug: Tug) -> Others:
    """Tips that may stand instead of those that share pulls, one at a time: as many, in their order."""
    at_peels = tips_at_peels(touches, tug.young, tug.printed.part_sections.layers)
    stiffness = tip_stiffnesses(touches, tug.bench.resin.green_modulus_mpa, at_peels.printed_mm, at_peels.stiff)
    return Others(stiffness, at_peels.capacity_n)


class OneOther:
    """Tips that share pulls, of which one is taken away, or another `instead` of it; as many as there are of those, by number.

    Layers are looked at one after the other, those first in which the tips hold least now: where too many fail, few are.
    """

    def __init__(self, tug: Tug, instead: Others | None = None) -> None:
        printed, holders, part = tug.printed, tug.holders, tug.printed.part_sections
        self._tips, self._tip_of = len(printed.touches), holders.tip
        self._pulled = pulled(part, tug.pulls, tug.hanging, tug.pulls.total_n[:, None])
        self._springs = tug.springs
        hold = tug.hold_margin
        self._weakest_first = np.argsort(np.where(np.isnan(hold), np.inf, hold), kind="stable")
        self._changes_holders = np.isin(printed.touched, printed.islands)
        self._other = instead or others((), tug)

    def overloads(self, tip: int, least: Values, most: int, most_mm2: Values | None = None) -> bool:
        """Whether for sure more than `most` tips hold less than `least`, (tips,), with one less or another instead of it, or one
        of those could not bear its load if it were thicker: what it bears over its strength is above `most_mm2`, (tips,).

        Never for sure of one under a beginning in mid-liquid, which may get other holders.
        """
        if self._changes_holders[tip]:
            return False
        until = np.full(len(self._springs.x_mm), NEVER)
        if not len(self._other.capacity_n.T):
            until[: len(self._tip_of)][self._tip_of == tip] = 0
        limits = kernels.Limits(least, np.full(self._tips, np.inf) if most_mm2 is None else most_mm2 * SURELY, most)
        looked_at = self._weakest_first, self._pulled, self._springs, self._tip_of
        return bool(kernels.overloads(*looked_at, until, tip, self._other, limits))
