"""The log's tracks as curves over height, thinned so that no peak is lost."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from wideberth.core.predict import Prediction

MOST_MARGIN = 6.0
POINTS = 900
Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Curve:
    """One curve of a track.

    Attributes
    ----------
    values : (n,) one a stretch of heights. look : "sand", "deep" or "hazard" for a filled curve, "line", or "band" between
    `values` and `other`. other : the other side of a band, or what a filled curve stands on.
    """

    values: Values
    look: str
    other: Values | None = None


@dataclass(frozen=True)
class Track:
    """What a track shows.

    Attributes
    ----------
    key, title, unit : its name. why : what it is, for a tooltip. curves : of a prediction, the last one being what a ghost shows.
    guides : (value, whether it is a hazard) lines. top, bottom : ends of the scale. text : the value at a layer.
    """

    key: str
    title: str
    unit: str
    why: str
    curves: Callable[[Prediction], tuple[Curve, ...]]
    text: Callable[[Prediction, int], str]
    guides: Callable[[Prediction], tuple[tuple[float, bool], ...]] = lambda _: ()
    top: Callable[[Prediction], float] | None = None
    bottom: Callable[[Prediction], float] | None = None


_DRAWN: WeakKeyDictionary[Prediction, dict[str, tuple[Curve, ...]]] = WeakKeyDictionary()


def curves_of(track: Track, p: Prediction) -> tuple[Curve, ...]:
    """The curves of a track for a prediction, found once: a ghost is drawn beside everything that a held part would come to."""
    kept = _DRAWN.setdefault(p, {})
    if track.key not in kept:
        kept[track.key] = track.curves(p)
    return kept[track.key]


def thinned(values: Values, keep: str) -> Values:
    """At most 900 values, each the `max` or `min` of its stretch of layers."""
    if len(values) <= POINTS:
        return values
    low = keep == "min"
    filled = np.where(np.isnan(values), np.inf if low else -np.inf, values)
    edges = (np.arange(POINTS) * len(values)) // POINTS
    kept = np.minimum.reduceat(filled, edges) if low else np.maximum.reduceat(filled, edges)
    return np.where(np.isinf(kept), np.nan, kept)


def heights(p: Prediction) -> Values:
    """Heights [mm] that go with thinned values."""
    count = min(POINTS, p.loads.layers)
    return (np.arange(count) + 0.5) / count * p.loads.layers * p.layer_mm


def nice_top(value: float) -> float:
    """A round number at or above a value, for the end of a scale."""
    if not 0 < value < np.inf:
        return 1.0
    power = 10.0 ** np.floor(np.log10(value))
    return float(min(s for s in (1, 1.5, 2, 3, 4, 5, 6, 8, 10, 15) if s * power >= value * 1.02) * power)


def scale_of(
    track: Track, p: Prediction, ghost: Prediction | None = None, low_mm: float = 0.0, high_mm: float = np.inf
) -> tuple[float, float]:
    """Both ends of a track's scale, wide enough for what it shows between two heights and for the ghost."""
    low = track.bottom(p) if track.bottom else 0.0
    if track.top:
        return low, track.top(p)
    shown = [p] if ghost is None else [p, ghost]
    seen = [(heights(q) >= low_mm) & (heights(q) <= high_mm) for q in shown]
    most = max(
        float(np.nanmax(np.append(c.values[own], 0.0))) for q, own in zip(shown, seen, strict=True) for c in curves_of(track, q)
    )
    return low, nice_top(most)


def _area(p: Prediction) -> tuple[Curve, ...]:
    return (Curve(thinned(p.loads.area_mm2, "max"), "sand"),)


def _pull(p: Prediction) -> tuple[Curve, ...]:
    peel, pull = thinned(p.loads.peel_n, "max"), thinned(p.loads.pull_n, "max")
    return Curve(peel, "deep"), Curve(pull, "hazard", peel), Curve(pull, "line")


def _margin(margin: Values, low: Values, high: Values) -> tuple[Curve, ...]:
    most = MOST_MARGIN * 1.5
    sides = [thinned(np.fmin(v, most), "min") for v in (low, high, margin)]
    return Curve(sides[0], "band", sides[1]), Curve(sides[2], "line")


def _line(values: Values) -> tuple[Curve, ...]:
    return (Curve(thinned(values, "max"), "line"),)


def _times(value: float) -> str:
    """A margin: a dash where nothing hangs, in words where something hangs on nothing."""
    if np.isnan(value):
        return "–"
    if value == 0:
        return "not held"
    return f"×{value:.1f}" if value < 100 else ">×99"


def _hours(p: Prediction) -> Values:
    return np.asarray(np.cumsum(p.loads.seconds) / 3600)


def _depth(p: Prediction) -> Values:
    """Cured depth over the printed layer height."""
    return np.asarray(p.loads.cured_mm / p.job.bench.print.layer_height_mm)


def _advised_warmth(p: Prediction) -> tuple[tuple[float, bool], ...]:
    resin = p.job.bench.resin
    return tuple((float(c), True) for c in (resin.coldest_c, resin.warmest_c) if c is not None)


MARGINS = ((1.0, True), (2.0, False))
TRACKS: dict[str, Track] = {
    track.key: track
    for track in (
        Track("area", "Area", "mm²", "solid area of each layer, base and supports included", _area,
              lambda p, k: f"{p.loads.area_mm2[k]:.0f}"),
        Track("pull", "Pull", "N", "peel and, on top of it, suction", _pull, lambda p, k: f"{p.loads.pull_n[k]:.1f}"),
        Track("hold", "Tips", "×", "margin of the weakest tip: capacity over its share of the pull, with the range of the "
              "bench's coefficients", lambda p: _margin(p.loads.hold_margin, p.loads.ranges.hold_low, p.loads.ranges.hold_high),
              lambda p, k: _times(p.loads.hold_margin[k]), lambda _: MARGINS, lambda _: MOST_MARGIN),
        Track("plate", "Plate", "×", "margin of the plate: adhesion over the greatest stress under the base, with its range",
              lambda p: _margin(p.loads.plate_margin, p.loads.ranges.plate_low, p.loads.ranges.plate_high),
              lambda p, k: _times(p.loads.plate_margin[k]), lambda _: MARGINS, lambda _: MOST_MARGIN),
        Track("time", "Time", "h", "time so far", lambda p: _line(_hours(p)), lambda p, k: f"{_hours(p)[k]:.1f}"),
        Track("seconds", "Layer", "s", "seconds of each layer",
              lambda p: _line(p.loads.seconds / p.fineness.layers_as_one),
              lambda p, k: f"{p.loads.seconds[k] / p.fineness.layers_as_one:.1f}"),
        Track("cure", "Cure", "layers", "how many layers deep the light cures; under the first line a layer does not bond, past "
              "the second down-facing details blur", lambda p: _line(_depth(p)), lambda p, k: f"{_depth(p)[k]:.1f}",
              lambda p: ((p.job.bench.laws.bond_depth_ratio, True), (p.job.bench.laws.blur_depth_ratio, False))),
        Track("warmth", "Vat", "°C", "temperature of the resin, and what it is advised for", lambda p: _line(p.loads.vat_c),
              lambda p, k: f"{p.loads.vat_c[k]:.1f}", _advised_warmth,
              lambda p: max(40.0, float(p.loads.vat_c.max()) + 2), lambda p: min(10.0, float(p.loads.vat_c.min()) - 2)),
        Track("settling", "Settle", "s", "twice the time constant with which a layer nears its height, and the wait it gets",
              lambda p: _line(2 * p.loads.settling_s), lambda p, k: f"{2 * p.loads.settling_s[k]:.1f}",
              lambda p: ((p.job.bench.print.wait_before_s, True),)),
        Track("pieces", "Pieces", "", "components of each layer", lambda p: _line(p.loads.components.astype(float)),
              lambda p, k: f"{p.loads.components[k]}"),
    )
}  # fmt: skip
USUAL = (("area", 1.0), ("pull", 1.2), ("hold", 0.95), ("plate", 0.8), ("time", 0.65))
"""Tracks that are shown at first, each with its share of the width."""
