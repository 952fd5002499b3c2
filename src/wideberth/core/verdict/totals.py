"""Resin, time and price of a plate."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.layers import Printed
from wideberth.core.loads import Loads
from wideberth.core.units import MM3_PER_ML


@dataclass(frozen=True)
class Totals:
    """Totals of a print. `price` is None when the resin has no price; never zero for not known.

    resin_ml counts part, supports, base and what clings to them; seconds_low and seconds_high are the bench's range.
    """

    resin_ml: float
    part_ml: float
    support_ml: float
    clinging_ml: float
    seconds: float
    seconds_low: float
    seconds_high: float
    price: float | None
    currency: str


def totals(printed: Printed, loads: Loads, bench: Bench) -> Totals:
    """Volumes from the runs, seconds from the layers, price by the litre."""
    part = printed.part.volume_mm3 / MM3_PER_ML
    everything = printed.all.volume_mm3 / MM3_PER_ML
    clinging = wetted_mm2(loads, printed.all.grid.layer_mm) * bench.laws.clinging_mm / MM3_PER_ML
    seconds = float(loads.seconds.sum())
    resin = everything + clinging
    price = None if bench.resin.price_per_litre is None else resin / 1000 * bench.resin.price_per_litre
    spread = bench.laws.time_spread
    return Totals(
        resin,
        part,
        everything - part,
        clinging,
        seconds,
        seconds * (1 - spread),
        seconds * (1 + spread),
        price,
        bench.resin.currency,
    )


def wetted_mm2(loads: Loads, layer_mm: float) -> float:
    """Wetted surface: side walls from the perimeters, level faces from the changes of area."""
    changes = np.abs(np.diff(loads.area_mm2, prepend=0.0, append=0.0)).sum()
    return float((loads.perimeter_mm * layer_mm).sum() + changes)
