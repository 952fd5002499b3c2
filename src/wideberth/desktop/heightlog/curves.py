"""The log's curves, thinned for drawing so that no peak is lost."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.job import Prediction

MOST_MARGIN = 6.0
POINTS = 900


@dataclass(frozen=True, eq=False)
class LogCurves:
    """Curves over height, (n,) each; margins cut off at 6. `tops`: ends of the four scales."""

    z_mm: NDArray[np.float64]
    area_mm2: NDArray[np.float64]
    pull_n: NDArray[np.float64]
    peel_n: NDArray[np.float64]
    hold_margin: NDArray[np.float64]
    plate_margin: NDArray[np.float64]
    hours: NDArray[np.float64]
    tops: tuple[float, float, float, float]


def thinned(values: NDArray[np.float64], keep: str) -> NDArray[np.float64]:
    """At most 900 values, each the `max` or `min` of its stretch of layers."""
    if len(values) <= POINTS:
        return values
    low = keep == "min"
    filled = np.where(np.isnan(values), np.inf if low else -np.inf, values)
    edges = (np.arange(POINTS) * len(values)) // POINTS
    kept = np.minimum.reduceat(filled, edges) if low else np.maximum.reduceat(filled, edges)
    return np.where(np.isinf(kept), np.nan, kept)


def nice_top(value: float) -> float:
    """A round number at or above a value, for the end of a scale."""
    if value <= 0:
        return 1.0
    power = 10.0 ** np.floor(np.log10(value))
    return float(next(s for s in (1, 1.5, 2, 3, 4, 5, 6, 8, 10, 15) if s * power >= value * 1.02) * power)


def log_curves(p: Prediction) -> LogCurves:
    """Curves of a prediction."""
    f = p.loads
    hours = np.cumsum(f.seconds) / 3600
    count = min(POINTS, f.layers)
    z = (np.arange(count) + 0.5) / count * f.layers * p.layer_mm
    area, pull = thinned(f.area_mm2, "max"), thinned(f.pull_n, "max")
    return LogCurves(
        z, area, pull, thinned(f.peel_n, "max"), thinned(np.fmin(f.hold_margin, MOST_MARGIN * 1.5), "min"),
        thinned(np.fmin(f.plate_margin, MOST_MARGIN * 1.5), "min"), thinned(hours, "max"),
        (nice_top(float(area.max())), nice_top(float(pull.max())), MOST_MARGIN, nice_top(float(hours[-1]))),
    )  # fmt: skip


def readout(p: Prediction, layer: int) -> tuple[str, str, str, str]:
    """Values of the four tracks at a layer, as text."""
    f = p.loads
    hold = f.hold_margin[layer] if not np.isnan(f.hold_margin[layer]) else f.plate_margin[layer]
    margin = "–" if np.isnan(hold) else f"×{hold:.1f}" if hold < 100 else ">×99"
    return (f"{f.area_mm2[layer]:.0f}", f"{f.pull_n[layer]:.1f}", margin, f"{f.seconds[: layer + 1].sum() / 3600:.1f}")
