"""How long each layer takes, how warm the resin is by then, and how deep its light cures."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, cured_depth_mm, exposure_of_layer, vat_c_at, viscosity_at
from wideberth.core.units import mm_per_s


def move_s(distance_mm: float, mm_per_min: float, acceleration_mm_per_s2: float) -> float:
    """Time [s] of one move from rest to rest with finite acceleration: trapezoidal, or triangular when it is short."""
    if distance_mm <= 0:
        return 0.0
    speed = mm_per_s(mm_per_min)
    if distance_mm * acceleration_mm_per_s2 >= speed**2:
        return distance_mm / speed + speed / acceleration_mm_per_s2
    return 2 * math.sqrt(distance_mm / acceleration_mm_per_s2)


def layer_seconds(area_mm2: NDArray[np.float64], bench: Bench) -> NDArray[np.float64]:
    """Seconds of each layer: waits, exposure, two-stage lift and return, overhead; (layers,).

    Parameters
    ----------
    area_mm2 : (layers,) sections, which a laser has to write one after the other; a screen lights them at once.
    """
    p, a = bench.print, bench.printer.acceleration_mm_per_s2
    total_lift = p.lift_mm + p.second_lift_mm
    slow = min(p.slow_return_mm, total_lift)
    motion = (
        move_s(p.lift_mm, p.lift_mm_per_min, a)
        + move_s(p.second_lift_mm, p.second_lift_mm_per_min, a)
        + move_s(total_lift - slow, p.return_mm_per_min, a)
        + move_s(slow, p.slow_return_mm_per_min, a)
    )
    still = p.wait_before_s + p.wait_after_s + p.wait_lifted_s + bench.printer.overhead_s
    light = np.array([exposure_of_layer(p, k) for k in range(len(area_mm2))])
    if bench.printer.writes_mm2_per_s is not None:
        light = light / p.exposure_s * area_mm2 / bench.printer.writes_mm2_per_s
    return light + motion + still


def layer_temperatures(seconds: NDArray[np.float64], bench: Bench) -> NDArray[np.float64]:
    """Temperature [°C] of the vat when each layer peels, (layers,), by the drift over the time gone by."""
    hours = np.cumsum(seconds) / 3600
    return np.array([vat_c_at(bench.print, h) for h in hours])


def layer_viscosities(vat_c: NDArray[np.float64], bench: Bench) -> NDArray[np.float64]:
    """Viscosity [Pa·s] when each layer peels, (layers,)."""
    return np.array([viscosity_at(bench.resin, c) for c in vat_c])


def layer_depths(vat_c: NDArray[np.float64], bench: Bench) -> NDArray[np.float64]:
    """Cured depth [mm] of each layer by its own exposure and temperature, (layers,)."""
    p, printer = bench.print, bench.printer
    return np.array([cured_depth_mm(bench.resin, printer, exposure_of_layer(p, k), float(c)) for k, c in enumerate(vat_c)])
