"""How far the film follows a pull, and so how long a lift has to be."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench

CLEARANCE_MM = 1.0


def film_follow_mm(pull_n: float, radius_mm: float, bench: Bench) -> float:
    """How far a stretched film follows a central pull [mm]: δ = F/(2π T) ln(b/a), b half the vat's short side.

    Parameters
    ----------
    radius_mm : a, of the disc that the pull is spread over: √(A/π) for one compact section. For several sections, of the disc
        with their second moment of area, since pulls that are spread over the plate draw less of a cone.

    Examples
    --------
    22.6 N on a 40 mm disc, T = 3 N/mm, b = 75 mm: 1.6 mm.
    """
    reach = math.log(bench.printer.half_vat_mm / max(radius_mm, 1e-3))
    return pull_n / (2 * math.pi * bench.film.tension_n_per_mm) * max(0.0, reach)


def needed_lift_mm(pull_n: float, radius_mm: float, bench: Bench) -> float:
    """Shortest lift that surely lets go [mm]: 2 δ + 1."""
    return 2 * film_follow_mm(pull_n, radius_mm, bench) + CLEARANCE_MM


def spread_radius_mm(area_mm2: NDArray[np.float64], x_mm: NDArray[np.float64], y_mm: NDArray[np.float64]) -> float:
    """Radius of the disc with the second moment of several sections [mm]: R² = 2 Σ A (d² + A/2π) / Σ A.

    Parameters
    ----------
    area_mm2, x_mm, y_mm : (n,) areas and centroids; each section is taken as a disc.
    """
    total = float(area_mm2.sum())
    if total <= 0:
        return 0.0
    x, y = float((area_mm2 * x_mm).sum()) / total, float((area_mm2 * y_mm).sum()) / total
    off2 = (x_mm - x) ** 2 + (y_mm - y) ** 2
    return math.sqrt(2 * float((area_mm2 * (off2 + area_mm2 / (2 * math.pi))).sum()) / total)
