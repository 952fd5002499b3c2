"""A job over one value of its bench: margins, blur, growth, effort and hours, each point predicted anew on the same plate."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, coldest_c, cured_depth_mm, exposure_advice, first_layer_growth_mm, warmest_c
from wideberth.core.errors import WideBerthError
from wideberth.core.job import Job
from wideberth.core.loads import peel_strength
from wideberth.core.predict import Prediction, Stages, weighed_again
from wideberth.core.progress import Progress, quiet

Values = NDArray[np.float64]
POINTS = 15
THREADS = 2
AXES = ("print.exposure_s", "print.first_exposure_s", "print.lift_mm_per_min", "print.vat_c")
"""Bench values that a job is drawn over."""
DIGITS = {"print.exposure_s": 2, "print.first_exposure_s": 1, "print.lift_mm_per_min": 0, "print.vat_c": 1}
SPREAD = {"print.exposure_s": (0.5, 2.5), "print.first_exposure_s": (0.2, 3.0), "print.lift_mm_per_min": (0.2, 3.0)}
"""Times the present value."""
AS_QUICK = 1.02
"""Times the least hours: what is no quicker than that is no reason to change anything."""
AROUND_C = 6.0
"""Degrees beyond the resin's advice that are drawn too."""


@dataclass(frozen=True, eq=False)
class Swept:
    """A job over one bench value.

    Attributes ((points,) unless said otherwise)
    ----------
    key, present : the bench value, and what it is now. values : what was tried, rising, the present one among them. hold, plate :
    weakest margins, NaN where nothing hangs or stands, or the value cannot be. blur_mm : what goes deeper than a layer when
    warmest. growth_mm : of first layers. effort_n : of the body that comes off hardest. hours : of the print.
    band : the sensible stretch, lower and upper end; None where there is none. best : the value of the band that holds as the
    house wants in the least hours and with the least change, or holds most.
    """

    key: str
    present: float
    values: Values
    hold: Values
    plate: Values
    blur_mm: Values
    growth_mm: Values
    effort_n: Values
    hours: Values
    band: tuple[float, float] | None
    best: float | None

    @property
    def weakest(self) -> Values:
        """The lesser margin of each point."""
        return np.fmin(self.hold, self.plate)


def swept(
    seen: Prediction, key: str, stages: Stages, progress: Progress | None = None, told: Callable[[int], None] | None = None
) -> Swept:
    """Draw a job over one of `AXES`, as finely as a prediction of it.

    Parameters
    ----------
    seen : the job as it is. told : hears how many points are done.

    Raises
    ------
    Cancelled : when the progress is cancelled.
    """
    progress = progress or quiet()
    job, bench = seen.job, seen.job.bench
    section, _, name = key.partition(".")
    present = float(getattr(getattr(bench, section), name))
    values = axis_values(bench, key)
    figures = np.full((6, len(values)), np.nan)

    def point(value: float) -> tuple[float, ...]:
        other = with_axis(job, key, value)
        after = seen if value == present else weighed_again(seen, other, stages)
        v, p = after.verdict, other.bench.print
        warm = cured_depth_mm(other.bench.resin, other.bench.printer, p.exposure_s, warmest_c(p)) - p.layer_height_mm
        return (
            np.nan if v.hold_margin is None else v.hold_margin,
            np.nan if v.plate_margin is None else v.plate_margin,
            max(0.0, warm),
            first_layer_growth_mm(other.bench),
            max((r.effort_n for r in v.removals), default=0.0),
            after.loads.seconds.sum() / 3600,
        )

    with ThreadPoolExecutor(THREADS) as side_by_side:
        tried = [side_by_side.submit(point, float(value)) for value in values]
        try:
            for number, one in enumerate(tried):
                progress.at(number / len(values), "drawing the chart")
                try:
                    figures[:, number] = one.result()
                except WideBerthError:
                    continue
                if told is not None:
                    told(number + 1)
        finally:
            for one in tried:
                one.cancel()
    hold, plate, blur, growth, effort, hours = figures
    weakest = np.fmin(hold, plate)
    band = sensible_band(seen, key, values, weakest)
    return Swept(
        key, present, values, hold, plate, blur, growth, effort, hours, band, _best(present, values, weakest, hours, band, bench)
    )


def axis_values(bench: Bench, key: str) -> Values:
    """What is tried of a bench value, (points,) rising: evenly spread in ratio, or in degrees, and the present one."""
    section, _, name = key.partition(".")
    present = float(getattr(getattr(bench, section), name))
    if key == "print.vat_c":
        low = min(bench.resin.coldest_c - AROUND_C, present - 1)
        high = max(bench.resin.warmest_c + AROUND_C, present + 1)
        values = np.linspace(max(-10.0, low), min(80.0, high), POINTS)
    else:
        low, high = (present * by for by in SPREAD[key])
        if key == "print.lift_mm_per_min":
            high = max(min(high, bench.printer.fastest_mm_per_min), present * 1.2)
        if key == "print.first_exposure_s":
            low = max(low, min(bench.print.exposure_s, present))
        values = np.geomspace(low, high, POINTS)
    rounded = np.round(values, DIGITS[key])
    rounded[np.abs(rounded - present).argmin()] = present
    return np.unique(rounded)


def with_axis(job: Job, key: str, value: float) -> Job:
    """The job at another value; a drifting vat drifts as far from wherever it starts, and the first layers lift as they did."""
    p = job.bench.print
    bench = job.bench.with_value(key, value, "on a chart")
    if key == "print.vat_c" and p.drift_to_c is not None:
        bench = bench.with_value("print.drift_to_c", p.drift_to_c + value - p.vat_c, "on a chart")
    return replace(job, bench=bench)


def sensible_band(seen: Prediction, key: str, values: Values, weakest: Values) -> tuple[float, float] | None:
    """The stretch of values that a careful person would stay in; None where there is none.

    Light: what bonds when coldest to what does not blur when warmest. First light: what grips to what a blade takes off. Lift: up
    to what still holds as the house wants. Temperature: the resin's advice.
    """
    bench, v = seen.job.bench, seen.verdict
    if key == "print.exposure_s":
        low = exposure_advice(bench, coldest_c(bench.print)).least_s
        high = exposure_advice(bench, warmest_c(bench.print)).most_s
    elif key == "print.first_exposure_s":
        low = v.first_light.exposure_s if v.first_light is not None else np.inf
        front = max((r.front_mm for r in v.removals), default=0.0)
        takes = [peel_strength(with_axis(seen.job, key, float(value)).bench) * front for value in values]
        gentle = values[np.array(takes) <= bench.house.with_blade_n]
        high = float(gentle.max(initial=-np.inf))
    elif key == "print.lift_mm_per_min":
        held = values[weakest >= bench.house.margin_note]
        low, high = float(values[0]), float(held.max(initial=-np.inf))
    else:
        low, high = bench.resin.coldest_c, bench.resin.warmest_c
    return (float(low), float(high)) if low < high else None


def _best(
    present: float, values: Values, weakest: Values, hours: Values, band: tuple[float, float] | None, bench: Bench
) -> float | None:
    """Within the band: of what holds as the house wants in hardly more than the least hours, the nearest to the present one; else
    what holds most."""
    if band is None:
        return None
    inside = np.flatnonzero((values >= band[0]) & (values <= band[1]) & np.isfinite(weakest))
    if len(inside) == 0:
        return None
    held = inside[weakest[inside] >= bench.house.margin_note]
    if len(held) == 0:
        return float(values[inside[weakest[inside].argmax()]])
    quick = held[hours[held] <= AS_QUICK * hours[held].min()]
    return float(values[quick[np.abs(values[quick] - present).argmin()]])
