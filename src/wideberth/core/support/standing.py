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


def _outermost(points: NDArray[np.float64]) -> NDArray[np.int64]:
    """Corners of the hull of points (n, 3); all of them where they are few, or lie in a plane."""
    least = points.min(axis=0, initial=np.inf)
    try:
        within = (points - least) / np.maximum(np.ptp(points, axis=0), LEAST_SPAN)
        return np.sort(scipy.spatial.ConvexHull(within).vertices).astype(np.int64)
    except (scipy.spatial.QhullError, ValueError):
        return np.arange(len(points))


def feet_of(supports: Supports) -> Places:
    """Where they stand on the plate, (n, 2)."""
    return np.array([(f.x_mm, f.y_mm) for f in supports.feet if f.on is On.PLATE]).reshape(-1, 2)


def outriggers(feet: Places, steps: int, pad_mm: float) -> Places:
    """Two pads to both sides of the line on which feet stand, so many pads farther out than any of them, (2, 2) [mm]."""
    middle = feet.mean(axis=0)
    off = feet - middle
    across = np.linalg.eigh(off.T @ off)[1][:, 0] if len(feet) > 1 else np.array([0.0, 1.0])
    out = float(np.abs(off @ across).max()) + steps * pad_mm
    return np.array([middle - out * across, middle + out * across])


def with_outriggers(supports: Supports, spots: Places) -> Supports:
    """Supports with pads that carry nothing at some places, (n, 2) [mm]."""
    for x, y in spots:
        supports = supports.with_outrigger(float(x), float(y))
    return supports
