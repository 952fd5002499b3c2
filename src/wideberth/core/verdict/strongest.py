"""The strongest pull that a lift has to let go of."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.loads import peel_n

REFERENCE_RADIUS_MM = 20.0
"""Without a job the lift is judged on a disc of 40 mm, about the largest section that people print without a thought."""


@dataclass(frozen=True)
class Strongest:
    """The strongest pull of a print and the radius it is spread over; of a 40 mm disc when there is no print."""

    pull_n: float
    radius_mm: float
    what: str


def usual_pull(bench: Bench) -> Strongest:
    """Pull of the reference disc."""
    r = REFERENCE_RADIUS_MM
    area, around, squeeze = (np.array([v]) for v in (math.pi * r * r, 2 * math.pi * r, math.pi * r**4 / 8))
    return Strongest(float(peel_n(area, around, squeeze, bench)[0]), r, "a disc of 40 mm")
