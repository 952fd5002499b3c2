"""How feet stand against what pulls a part: pads of the base as equal springs under one stiff body.

Feet are tried many times: the verdict's own engine is asked once these hold. It knows ribs, slabs and pieces that stand apart; so
only how much better or worse some feet do than others is taken from here.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.loads import Pulls
from wideberth.core.support.graph import On, Supports

LEAST_SPAN = 1e-12
WAYS_OUT, PADS_OUT, MOST_OUTRIGGERS = 16, (1, 2, 3, 4), 6
"""Pads that carry nothing stand in one of so many directions, so many pads farther out than the feet there; no more of them."""
PAD_AS_RIB = 1.5
"""A pad takes as much resin as a rib of so many times its diameter."""
Values = NDArray[np.float64]
Places = NDArray[np.float64]
"""Where feet stand on the plate, (n, 2) [mm]."""


@dataclass(frozen=True, eq=False)
class Tilting:
    """What tilts a part off the plate: its pull and the first moments of that, in every layer that may be the worst for any feet.

    Attributes
    ----------
    pull_n, x_nmm, y_nmm : (layers,) of these.
    """

    pull_n: NDArray[np.float64]
    x_nmm: NDArray[np.float64]
    y_nmm: NDArray[np.float64]

    @classmethod
    def by(cls, pulls: Pulls, layers: int) -> Tilting:
        """All pulls on each of the layers together.

        What a foot bears is convex in the pull and its moments, so that the worst layer is a corner of their hull.
        """
        force, of = pulls.total_n, pulls.layer
        sums = np.stack(
            [np.bincount(of, part, layers).astype(float) for part in (force, force * pulls.x_mm, force * pulls.y_mm)], axis=1
        )
        return cls(*sums[_outermost(sums)].T)

    def hardest_n(self, feet: Places, pad_mm: float) -> float:
        """The hardest pull that a foot has to bear, as at its pad's outer edge: F/n and what tilting about the middle adds there,
        M (d + pad/2) / Σ d². Infinite without feet.

        Parameters
        ----------
        pad_mm : diameter of a foot's pad, that resists by its own width too: by d²/16.
        """
        if len(feet) == 0:
            return np.inf
        middle = feet.mean(axis=0)
        off = feet - middle
        second = off.T @ off + len(feet) * pad_mm**2 / 16 * np.eye(2)
        moment = np.stack((self.x_nmm - middle[0] * self.pull_n, self.y_nmm - middle[1] * self.pull_n))
        tilt = np.linalg.solve(second, moment)
        return float((self.pull_n / len(feet) + off @ tilt + 0.5 * pad_mm * np.hypot(*tilt)).max(initial=0.0))

    def hardest_with(self, feet: Places, more: Places, pad_mm: float) -> Values:
        """As `hardest_n`, for the same feet with others beside them: (m, k, 2) places of k more, (m,) [N]."""
        count = len(feet) + more.shape[1]
        middle = (feet.sum(axis=0) + more.sum(axis=1)) / count
        second = feet.T @ feet + np.einsum("mki,mkj->mij", more, more) - count * middle[:, :, None] * middle[:, None, :]
        second += count * pad_mm**2 / 16 * np.eye(2)
        moment = np.stack((self.x_nmm, self.y_nmm)) - middle[:, :, None] * self.pull_n
        tilt_x, tilt_y = _solved(second, moment)
        outer = feet[_outermost(feet)]
        off = np.concatenate((np.broadcast_to(outer, (len(more), *outer.shape)), more), axis=1) - middle[:, None, :]
        hardest = np.full(tilt_x.shape, -np.inf)
        for x, y in off.transpose(1, 2, 0)[..., None]:
            np.maximum(hardest, x * tilt_x + y * tilt_y, out=hardest)
        hardest += 0.5 * pad_mm * np.hypot(tilt_x, tilt_y)
        return np.asarray((self.pull_n / count + hardest).max(axis=1, initial=0.0))


def _solved(second: NDArray[np.float64], moment: NDArray[np.float64]) -> tuple[Values, Values]:
    """Both parts (m, layers) of what symmetric matrices (m, 2, 2) make moments (m, 2, layers) of: by Cramer's rule."""
    xx, xy, yy = (second[:, i, j, None] for i, j in ((0, 0), (0, 1), (1, 1)))
    x, y, area = moment[:, 0], moment[:, 1], xx * yy - xy * xy
    return (yy * x - xy * y) / area, (xx * y - xy * x) / area


def _outermost(points: NDArray[np.float64]) -> NDArray[np.int64]:
    """Corners of the hull of points (n, 2) or (n, 3); all of them where they are few, or lie on a line or in a plane."""
    least = points.min(axis=0, initial=np.inf)
    try:
        within = (points - least) / np.maximum(np.ptp(points, axis=0), LEAST_SPAN)
        return np.sort(scipy.spatial.ConvexHull(within).vertices).astype(np.int64)
    except (scipy.spatial.QhullError, ValueError):
        return np.arange(len(points))


def feet_of(supports: Supports) -> Places:
    """Where they stand on the plate, (n, 2)."""
    return np.array([(f.x_mm, f.y_mm) for f in supports.feet if f.on is On.PLATE]).reshape(-1, 2)


def outriggers(feet: Places, tilting: Tilting, most_n: float, pad_mm: float) -> Places:
    """Pads to stand beside feet so that none of them has to bear more than `most_n`, (n, 2) [mm]: those of one, or of two, that
    take least resin with their ribs, or as few more as do; those that help most where none do."""
    if tilting.hardest_n(feet, pad_mm) <= most_n:
        return np.empty((0, 2))
    around = _places_around(feet, pad_mm)
    to_rib_mm = np.linalg.norm(around[:, None] - feet, axis=2).min(axis=1)
    each, found = np.arange(len(around)), []
    for tried in (each[:, None], np.stack(np.triu_indices(len(around), 1), axis=1)):
        hardest = tilting.hardest_with(feet, around[tried], pad_mm)
        takes = (to_rib_mm[tried] + PAD_AS_RIB * pad_mm).sum(axis=1)
        takes[hardest > most_n] = np.inf
        found.append((float(takes.min()), tried[takes.argmin()]))
    takes_least, pads = min(found, key=lambda one: one[0])
    if np.isfinite(takes_least):
        return around[pads]
    pads, bears = tried[hardest.argmin()], float(hardest.min())
    while bears > most_n and len(pads) < MOST_OUTRIGGERS:
        tried = np.column_stack((np.broadcast_to(pads, (len(each), len(pads))), each))
        hardest = tilting.hardest_with(feet, around[tried], pad_mm)
        if hardest.min() >= bears:
            break
        pads, bears = tried[hardest.argmin()], float(hardest.min())
    return around[pads]


def widest(feet: Places, pad_mm: float) -> Places:
    """Feet with pads as far out as these may be, four around."""
    return np.concatenate((feet, _places_around(feet, pad_mm).reshape(len(PADS_OUT), WAYS_OUT, 2)[-1, :: WAYS_OUT // 4]))


def _places_around(feet: Places, pad_mm: float) -> Places:
    """Where pads that carry nothing may stand, (n, 2) [mm], the nearest first."""
    turn = 2 * np.pi * np.arange(WAYS_OUT) / WAYS_OUT
    ways, middle = np.column_stack((np.cos(turn), np.sin(turn))), feet.mean(axis=0)
    reach = ((feet - middle) @ ways.T).max(axis=0)
    return np.concatenate([middle + (reach + steps * pad_mm)[:, None] * ways for steps in PADS_OUT])


def with_outriggers(supports: Supports, spots: Places) -> Supports:
    """Supports with pads that carry nothing at some places, (n, 2) [mm]."""
    for x, y in spots:
        supports = supports.with_outrigger(float(x), float(y))
    return supports
