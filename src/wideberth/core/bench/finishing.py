"""Minutes of finishing that a support's mark takes, and the schools that differ on where marks belong."""

from __future__ import annotations

from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench.rules import HouseRules

Diameter = TypeVar("Diameter", float, NDArray[np.float64])

SCHOOLS: dict[str, dict[str, float]] = {
    "busy faces hide marks": {"smooth_mark_times": 1.0, "flat_mark_times": 0.8, "busy_mark_times": 0.4},
    "smooth faces sand clean": {"smooth_mark_times": 0.5, "flat_mark_times": 0.4, "busy_mark_times": 2.0},
}
"""Where marks belong is disputed: what each school sets of the house rules. The first is the default."""


def mark_min(diameter_mm: Diameter, house: HouseRules) -> Diameter:
    """Minutes to finish a mark on a usual face, for a tip of that diameter or for each of several: a + b d².

    Examples
    --------
    0.3 min and 2 min/mm², 0.4 mm: 0.62 min.
    """
    return house.mark_min + house.mark_min_per_mm2 * diameter_mm**2


def school_of(house: HouseRules) -> str:
    """The school that house rules follow; "" for one of their own."""
    return next((name for name, sets in SCHOOLS.items() if all(getattr(house, k) == v for k, v in sets.items())), "")
