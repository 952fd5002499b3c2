"""How far the film follows a pull, and so how long a lift has to be."""

from __future__ import annotations

import math

from wideberth.core.bench import Bench

CLEARANCE_MM = 1.0


def film_follow_mm(pull_n: float, area_mm2: float, bench: Bench) -> float:
    """How far a stretched film follows a central pull [mm]: δ = F/(2π T) ln(b/a), a = √(A/π), b half the vat's short side.

    Examples
    --------
    22.6 N on a 40 mm disc, T = 3 N/mm, b = 75 mm: 1.6 mm.
    """
    a = math.sqrt(max(area_mm2, 1e-6) / math.pi)
    return pull_n / (2 * math.pi * bench.film.tension_n_per_mm) * max(0.0, math.log(bench.printer.half_vat_mm / a))


def needed_lift_mm(pull_n: float, area_mm2: float, bench: Bench) -> float:
    """Shortest lift that surely lets go [mm]: 2 δ + 1."""
    return 2 * film_follow_mm(pull_n, area_mm2, bench) + CLEARANCE_MM
