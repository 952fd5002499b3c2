"""How long each layer takes, how warm the resin is by then, and how deep its light cures."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, by_layer, cured_depth_mm, exposures_of_layers, vat_c_at, viscosity_at


def layer_seconds(area_mm2: NDArray[np.float64], bench: Bench) -> NDArray[np.float64]:
    """Seconds of each layer: waits, exposure, two-stage lift and return, overhead; (layers,).

    Parameters
    ----------
    area_mm2 : (layers,) sections, which a laser has to write one after the other; a screen lights them at once.
    """
    p = bench.print
    between = by_layer(bench, len(area_mm2), lambda m: m.seconds)
    light = exposures_of_layers(p, len(area_mm2))
    if bench.printer.writes_mm2_per_s is not None:
        light = light / p.exposure_s * area_mm2 / bench.printer.writes_mm2_per_s
    return light + between


def layer_temperatures(seconds: NDArray[np.float64], bench: Bench) -> NDArray[np.float64]:
    """Temperature [°C] of the vat when each layer peels, (layers,), by the drift over the time gone by."""
    if bench.print.drift_to_c is None:
        return np.full(len(seconds), bench.print.vat_c)
    hours = np.cumsum(seconds) / 3600
    return np.array([vat_c_at(bench.print, h) for h in hours])


def layer_viscosities(vat_c: NDArray[np.float64], bench: Bench) -> NDArray[np.float64]:
    """Viscosity [Pa·s] when each layer peels, (layers,)."""
    if bench.print.drift_to_c is None:
        return np.full(len(vat_c), viscosity_at(bench.resin, bench.print.vat_c))
    return np.array([viscosity_at(bench.resin, c) for c in vat_c])


def layer_depths(vat_c: NDArray[np.float64], bench: Bench) -> NDArray[np.float64]:
    """Cured depth [mm] of each layer by its own exposure and temperature, (layers,)."""
    exposures = exposures_of_layers(bench.print, len(vat_c))
    return np.array(
        [cured_depth_mm(bench.resin, bench.printer, float(e), float(c)) for e, c in zip(exposures, vat_c, strict=True)]
    )
