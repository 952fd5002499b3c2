"""What can be heard and seen of a run, and when; and what its time is made of."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, Motion, by_layer
from wideberth.core.loads import layer_seconds
from wideberth.core.plan.presence import Run
from wideberth.core.predict import Prediction
from wideberth.core.units import SECONDS_PER_MINUTE, duration_text


@dataclass(frozen=True)
class Moment:
    """Something that can be told of a run. after_s : of printing, in the middle, and with the bench's range for time."""

    name: str
    told: str
    layer: int
    after_s: float
    low_s: float
    high_s: float


def moments(prediction: Prediction) -> tuple[Moment, ...]:
    """When to listen for the release, when to see the part, when the half is through, and the end.

    Notes
    -----
    A release is heard at the end of a layer's light. A part is first seen when its layers and the lift together are more than
    the resin is deep.
    """
    bench, seconds = prediction.job.bench, np.cumsum(seconds_of_layers(prediction))
    heard = min(max(1, bench.print.first_layers), len(seconds))
    seen = first_seen(bench, len(seconds))
    told = [
        ("listen", "the first layers let go of the film: a dull crack each time; silence means that nothing holds", 1),
        ("first layers done", "from here the light is shorter and the crack softer", heard),
    ]
    if seen is not None:
        told.append(("look", "lifted, the part shows over the resin for the first time", seen + 1))
    told += [
        ("half of the time", "", int(np.searchsorted(seconds, 0.5 * seconds[-1])) + 1),
        ("end", "take it off once the last return is over", len(seconds)),
    ]
    return tuple(_moment(name, text, layer, float(seconds[layer - 1]), bench) for name, text, layer in told)


def seconds_of_layers(prediction: Prediction) -> NDArray[np.float64]:
    """From light to light of every layer that is printed, (layers,); a preview's are taken apart again."""
    area = np.repeat(prediction.loads.area_mm2, prediction.fineness.layers_as_one)
    return layer_seconds(area, prediction.job.bench)


def first_seen(bench: Bench, layers: int) -> int | None:
    """The first layer, from 0, at whose lift the part shows over the resin; None for a print that is too low."""
    lift = by_layer(bench, layers, lambda m: m.total_lift_mm)
    height = (np.arange(layers) + 1) * bench.print.layer_height_mm
    over = np.flatnonzero(height + lift > bench.print.resin_depth_mm)
    return int(over[0]) if len(over) else None


def _moment(name: str, told: str, layer: int, after_s: float, bench: Bench) -> Moment:
    low, high = 1 - bench.laws.time_less_share, 1 + bench.laws.time_more_share
    return Moment(name, told, layer, after_s, after_s * low, after_s * high)


@dataclass(frozen=True)
class TimeShares:
    """Of what a run's time is made [s]: light, motion, waits, the printer's own."""

    light_s: float
    motion_s: float
    waits_s: float
    overhead_s: float

    @property
    def seconds(self) -> float:
        return self.light_s + self.motion_s + self.waits_s + self.overhead_s


def time_shares(prediction: Prediction) -> TimeShares:
    """Light, motion, waits and overhead of all layers. What a laser writes is what remains of the layers' seconds."""
    bench, seconds = prediction.job.bench, seconds_of_layers(prediction)
    layers = len(seconds)
    motion = float(by_layer(bench, layers, lambda m: m.moving_s).sum())
    waits = float(by_layer(bench, layers, lambda m: m.still_s).sum())
    overhead = float(by_layer(bench, layers, lambda m: m.overhead_s).sum())
    total = float(seconds.sum())
    return TimeShares(total - motion - waits - overhead, motion, waits, overhead)


def says_text(prediction: Prediction) -> str:
    """What a count of light and lifts alone would promise, and what it will take: `says 5 h 10, will take 5 h 56`.

    A promise of that kind knows exposure, lift and return at full speed, and no waits, no finite acceleration, no overhead.
    """
    bench, seconds = prediction.job.bench, seconds_of_layers(prediction)
    layers = len(seconds)
    bare = time_shares(prediction).light_s + float(by_layer(bench, layers, _at_full_speed).sum())
    return f"says {duration_text(bare)}, will take {duration_text(float(seconds.sum()))}"


def _at_full_speed(motion: Motion) -> float:
    """Seconds of a motion that starts and stops at once."""
    fast = motion.total_lift_mm - motion.slow_mm
    minutes = motion.lift_mm / motion.lift_mm_per_min + motion.second_lift_mm / motion.second_lift_mm_per_min
    minutes += fast / motion.return_mm_per_min + motion.slow_mm / motion.slow_return_mm_per_min
    return float(minutes * SECONDS_PER_MINUTE)


def run_of(prediction: Prediction) -> Run:
    """A predicted plate as something to be begun, waited for and taken off."""
    bench, totals = prediction.job.bench, prediction.verdict.totals
    return Run(
        timedelta(seconds=totals.seconds_low),
        timedelta(seconds=totals.seconds_high),
        timedelta(minutes=bench.trade.start_min),
        timedelta(minutes=bench.hours.after_min),
        timedelta(minutes=bench.resin.longest_wet_min),
    )
