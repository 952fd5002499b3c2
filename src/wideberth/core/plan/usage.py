"""What a run uses: resin, hours, light, film, bath, work; each figure from its prediction."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.bench import Bench, bath_room_g
from wideberth.core.plan.clock import time_shares
from wideberth.core.predict import Prediction
from wideberth.core.units import SECONDS_PER_MINUTE

SECONDS_PER_HOUR = 3600.0
W_PER_KW = 1000.0


@dataclass(frozen=True)
class Usage:
    """Of one run of a plate.

    film_share, screen_share : of their lives, by hours or pulls, and by exposure hours. bath_g, bath_ml : resin that goes into
    the dirty bath, and solvent that it wears out. finishing_min : of its marks, None where it is not known on what its tips
    stand.
    """

    name: str
    resin_ml: float
    hours: float
    exposure_h: float
    pulls: int
    film_share: float
    screen_share: float
    bath_g: float
    bath_ml: float
    energy_kwh: float
    tips: int
    finishing_min: float | None


def film_share(hours: float, pulls: int, bench: Bench) -> float:
    """Share of a film's life, by whichever ends it first."""
    film = bench.film
    return max(hours / film.lasts_h, pulls / film.lasts_pulls) / film.treatment_factor


def usage_of(prediction: Prediction) -> Usage:
    """What a run of a predicted plate uses, in the middle of its ranges."""
    bench, totals, care = prediction.job.bench, prediction.verdict.totals, prediction.verdict.care
    layers, hours = prediction.loads.layers * prediction.fineness.layers_as_one, totals.seconds / SECONDS_PER_HOUR
    lit_h = time_shares(prediction).light_s / SECONDS_PER_HOUR
    station, trade = bench.station, bench.trade
    worn = care.to_bath_g / bath_room_g(station.dirty_bath_ml, station)
    lamp_h = 0.5 * (care.cure_low_min + care.cure_high_min) / SECONDS_PER_MINUTE
    return Usage(
        prediction.job.plate(prediction.plate).name,
        totals.resin_ml,
        hours,
        lit_h,
        layers,
        film_share(hours, layers, bench),
        lit_h / bench.printer.light_lasts_h,
        care.to_bath_g,
        worn * station.dirty_bath_ml,
        (trade.printer_w * hours + trade.station_w * lamp_h) / W_PER_KW,
        len(prediction.printed.touches),
        prediction.verdict.finishing_min,
    )
