"""Named units and the few conversions the program needs. Lengths are millimetres unless a name says otherwise."""

from __future__ import annotations

import math

MM_PER_INCH = 25.4
MM3_PER_ML = 1000.0
MM_PER_M = 1000.0
KG_PER_M3_IN_G_PER_ML = 1e-3
SECONDS_PER_MINUTE = 60.0
GRAVITY_M_PER_S2 = 9.80665
GAS_CONSTANT_J_PER_MOL_K = 8.314462618
KELVIN_AT_0_C = 273.15
N_PER_MM2_PER_KPA = 1e-3
N_PER_MM2_PER_PA = 1e-6

LENGTH_UNITS_MM = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": MM_PER_INCH, "inch": MM_PER_INCH, "µm": 1e-3, "um": 1e-3}


def kelvin(celsius: float) -> float:
    """Absolute temperature [K] of a temperature in degrees Celsius."""
    return celsius + KELVIN_AT_0_C


def mm_per_s(mm_per_min: float) -> float:
    """Speed in mm/s of a speed in mm/min."""
    return mm_per_min / SECONDS_PER_MINUTE


def duration_text(seconds: float) -> str:
    """A duration as a workshop says it: `7 h 40`, `12 min`, `45 s`."""
    if seconds < 60:
        return f"{seconds:.0f} s"
    minutes = round(seconds / 60)
    if minutes < 60:
        return f"{minutes} min"
    return f"{minutes // 60} h {minutes % 60:02d}"


def duration_range_text(low_s: float, high_s: float) -> str:
    """A range of durations, finer where both ends would read the same: `7 h 30 to 9 h 10`, `7.6 to 8.4 min`."""
    low, high = duration_text(low_s), duration_text(high_s)
    if low != high:
        return f"{low} to {high}"
    unit, of = (1.0, "s") if high_s < 60 else (60.0, "min")
    a, b = f"{low_s / unit:.1f}", f"{high_s / unit:.1f}"
    return f"{a} to {b} {of}" if a != b else f"{a} {of}"


def money_text(amount: float, currency: str) -> str:
    """An amount with two decimals, or with as many as show two digits of it."""
    if amount == 0 or abs(amount) >= 0.1:
        return f"{amount:.2f} {currency}"
    return f"{amount:.{1 - math.floor(math.log10(abs(amount)))}f} {currency}"


def g_weight_n(volume_mm3: float, density_kg_per_m3: float) -> float:
    """Weight [N] of a volume [mm³] at a density [kg/m³]; a density difference gives the weight less the lift."""
    return density_kg_per_m3 * 1e-9 * volume_mm3 * GRAVITY_M_PER_S2
