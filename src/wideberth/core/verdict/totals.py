"""Resin, time and price of a plate."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.bench import Bench
from wideberth.core.layers import Printed
from wideberth.core.loads import Loads
from wideberth.core.units import MM3_PER_ML


@dataclass(frozen=True)
class Totals:
    """Totals of a print. `price` is None when the resin has no price; never zero for not known.

    resin_ml counts part, supports, base, what clings to them after the drip and what stays in vat and filter; seconds_low and
    seconds_high are the bench's range.
    """

    resin_ml: float
    part_ml: float
    support_ml: float
    clinging_ml: float
    stays_ml: float
    seconds: float
    seconds_low: float
    seconds_high: float
    price: float | None
    currency: str


def totals(printed: Printed, loads: Loads, bench: Bench, clinging_ml: float) -> Totals:
    """Volumes from the runs, seconds from the layers, price by the litre."""
    part = printed.part.volume_mm3 / MM3_PER_ML
    everything = printed.all.volume_mm3 / MM3_PER_ML
    seconds = float(loads.seconds.sum())
    stays = bench.printer.stays_ml
    resin = everything + clinging_ml + stays
    price = None if bench.resin.price_per_litre is None else resin / 1000 * bench.resin.price_per_litre
    return Totals(
        resin,
        part,
        everything - part,
        clinging_ml,
        stays,
        seconds,
        seconds * (1 - bench.laws.time_less_share),
        seconds * (1 + bench.laws.time_more_share),
        price,
        bench.resin.currency,
    )
