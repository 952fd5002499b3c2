"""What a drifting temperature does through a print: thickness of the resin and the light it needs, hour by hour."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench.bench import Bench
from wideberth.core.bench.cure import exposure_advice, vat_c_at, viscosity_at

STEPS = 121


@dataclass(frozen=True, eq=False)
class Outlook:
    """Temperature, viscosity and exposures over hours, (n,) each; `crosses_h`: when it first leaves the resin's advice."""

    hours: NDArray[np.float64]
    vat_c: NDArray[np.float64]
    viscosity_pa_s: NDArray[np.float64]
    least_s: NDArray[np.float64]
    advised_s: NDArray[np.float64]
    most_s: NDArray[np.float64]
    crosses_h: float | None


def outlook(bench: Bench, hours: float) -> Outlook:
    """The outlook over a print of so many hours, or over its drift if that takes longer."""
    drift = bench.print.drift_h if bench.print.drift_to_c is not None else 0.0
    at = np.linspace(0.0, max(hours, drift, 1.0), STEPS)
    vat = np.array([vat_c_at(bench.print, float(h)) for h in at])
    advice = [exposure_advice(bench, float(c)) for c in vat]
    outside = (vat < bench.resin.coldest_c - 1e-9) | (vat > bench.resin.warmest_c + 1e-9)
    return Outlook(
        at,
        vat,
        np.array([viscosity_at(bench.resin, float(c)) for c in vat]),
        np.array([a.least_s for a in advice]),
        np.array([a.advised_s for a in advice]),
        np.array([a.most_s for a in advice]),
        float(at[outside.argmax()]) if outside.any() else None,
    )
