"""Tips beyond a neck of the part's own: what they bear, and what is left to the neck.

A neck that is doubtful bends easily, so that tips beyond it bear the moment of what hangs there as if it were a hinge, and it
keeps what is left of the pull. Shares by which all tips carry a part as one stiff body say nothing of that: by those a neck is
as stiff as what it joins, and thin tips beyond it would only hide it, since it holds nothing alone any more.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import nnls
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from wideberth.core.layers import Sections
from wideberth.core.loads import Tug
from wideberth.core.predict import Prediction
from wideberth.core.support import allowed_mm, needed_mm
from wideberth.core.verdict import is_weak, weak_necks

SLACK = 1e-9


def doubtful_necks(seen: Prediction) -> list[Neck]:
    """The necks of the part's own in a prediction of it alone that are doubtful or worse, the weakest first."""
    necks = weak_necks(seen.printed, seen.loads, seen.job.bench)
    return [Neck.of(seen, c, margin) for c, margin in necks.items() if is_weak(margin, seen.job.bench.house)]


def _beyond(part: Sections, component: int, peeling: int) -> NDArray[np.bool_]:
    """Which components hang together with those on top of one, up to a later layer and without what lies as low as itself,
    (components,)."""
    between = (part.layer[part.lower] > part.layer[component]) & (part.layer[part.upper] <= peeling)
    joins = coo_array((np.ones(int(between.sum())), (part.upper[between], part.lower[between])), (part.count, part.count))
    _, piece = connected_components(joins, directed=False)
    return np.asarray(np.isin(piece, piece[part.upper[part.lower == component]]))


@dataclass(frozen=True, eq=False)
class Neck:
    """A neck that is doubtful or worse, as it is pulled most.

    Attributes
    ----------
    margin : its own. z_mm : of it; peeling : the layer that pulls it most. at_mm : (2,) its middle, on the plate; beyond :
    (components,) of the part, those that hang on it up to that layer; middle_mm : (3,) of those in that layer, there. pull_n,
    moment_nmm, area_mm2, strength_n_per_mm2 : of it then. bends_mm3 : by how much the moment is divided to give its stress.
    """

    margin: float
    z_mm: float
    peeling: int
    at_mm: NDArray[np.float64]
    beyond: NDArray[np.bool_]
    middle_mm: NDArray[np.float64]
    pull_n: float
    moment_nmm: float
    area_mm2: float
    strength_n_per_mm2: float
    bends_mm3: float

    @classmethod
    def of(cls, seen: Prediction, component: int, margin: float) -> Neck:
        """One of the part's components in a prediction of it alone."""
        part, necks, c = seen.printed.part_sections, seen.loads.necks, component
        layer, peeling = int(part.layer[c]), int(necks.peeling[c])
        z, z_peeling = (float(part.runs.grid.z_of(k)) for k in (layer, peeling))
        beyond = _beyond(part, c, peeling)
        last = np.flatnonzero(beyond & (part.layer == peeling))
        x, y = (float(np.average(of[last], weights=part.area_mm2[last])) for of in (part.x_mm, part.y_mm))
        pull, moment, area = float(necks.pull_n[c]), float(necks.moment_nmm[c]), float(part.area_mm2[c])
        bending = float(necks.stress_n_per_mm2[c]) - pull / area
        at, strength = np.array([part.x_mm[c], part.y_mm[c]]), float(seen.loads.neck_strength_n_per_mm2[c])
        middle, bends = np.array([x, y, z_peeling]), moment / bending if bending > SLACK else np.inf
        return cls(margin, z, peeling, at, beyond, middle, pull, moment, area, strength, bends)

    def margin_beside(self, tug: Tug, new: list[int]) -> tuple[float, NDArray[np.float64]]:
        """Its margin once some of a tug's tips, by number, bear what they can of what hangs beyond it, and what each of these
        bears [N]; those that touch nothing there bear nothing.

        Notes
        -----
        About a hinge Σ t r = F a, with r where tips touch and F a the moment, both level and from the neck; t ≥ 0 by least
        squares. The neck keeps F - Σ t and what is left of the moment.
        """
        touched, touches = tug.printed.touched, tug.printed.touches
        there = [n for n in new if touched[n] >= 0 and self.beyond[touched[n]]]
        bear = np.zeros(len(new))
        if not there:
            return self.margin, bear
        away = self.middle_mm[:2] - self.at_mm
        moment = self.moment_nmm * away / max(float(np.hypot(*away)), SLACK)
        reach = np.array([(touches[n].x_mm, touches[n].y_mm) for n in there]).T - self.at_mm[:, None]
        bear[[new.index(n) for n in there]], left_nmm = nnls(reach, moment)
        stress = abs(self.pull_n - bear.sum()) / self.area_mm2 + left_nmm / self.bends_mm3
        return self.strength_n_per_mm2 / max(float(stress), SLACK), bear

    def tips_mm(self, tug: Tug, new: list[int], bear_n: NDArray[np.float64]) -> NDArray[np.float64] | None:
        """Diameters [mm] to draw tips with for what they bear, (tips of `new`,); None where one would have to be too thick."""
        load = np.zeros((len(tug.tip_margin), len(tug.printed.touches)))
        load[self.peeling, new] = bear_n
        needed = needed_mm(load, tug.tips, tug.bench)
        return (
            allowed_mm(needed, tug.tips, tug.bench)[new] if needed.max(initial=0.0) <= tug.bench.supports.largest_tip_mm else None
        )
