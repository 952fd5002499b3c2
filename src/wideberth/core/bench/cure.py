"""Viscosity and light: how warmth thins a resin, what an exposure cures, how first layers grow."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench.bench import Bench
from wideberth.core.bench.schema import Printer, PrintSettings, Resin
from wideberth.core.units import GAS_CONSTANT_J_PER_MOL_K, kelvin

UNDER, RIGHT, BLEEDING = "under-bonded", "right", "bleeding"


def viscosity_at(resin: Resin, celsius: float) -> float:
    """Viscosity [Pa·s] at a temperature, by Arrhenius' law from the stated one, thickened by what of it is used.

    Examples
    --------
    About half for ten degrees more, with an activation energy of 50 kJ/mol.
    """
    inverse = 1 / kelvin(celsius) - 1 / kelvin(resin.reference_c)
    used = 1 + resin.used_thicker_share * resin.used_share
    return used * resin.viscosity_pa_s * math.exp(resin.activation_j_per_mol / GAS_CONSTANT_J_PER_MOL_K * inverse)


def vat_viscosity(bench: Bench) -> float:
    """Viscosity [Pa·s] of the bench's resin at the thickest that the vat gets: at the start or the end of the drift."""
    return viscosity_at(bench.resin, coldest_c(bench.print))


def coldest_c(settings: PrintSettings) -> float:
    """The coldest temperature [°C] of the print."""
    return settings.vat_c if settings.drift_to_c is None else min(settings.vat_c, settings.drift_to_c)


def warmest_c(settings: PrintSettings) -> float:
    """The warmest temperature [°C] of the print."""
    return settings.vat_c if settings.drift_to_c is None else max(settings.vat_c, settings.drift_to_c)


def vat_c_at(settings: PrintSettings, hours: float) -> float:
    """Temperature [°C] of the vat after so many hours: from the start's to the drift's end, evenly, and then it stays."""
    if settings.drift_to_c is None:
        return settings.vat_c
    share = min(1.0, max(0.0, hours / settings.drift_h))
    return settings.vat_c + share * (settings.drift_to_c - settings.vat_c)


def exposure_of_layer(settings: PrintSettings, layer: int) -> float:
    """Exposure [s] of layer 0, 1, ...: first layers, then a linear transition, then normal."""
    beyond = layer - settings.first_layers + 1
    if beyond <= 0:
        return settings.first_exposure_s
    if beyond <= settings.transition_layers:
        share = beyond / (settings.transition_layers + 1)
        return settings.first_exposure_s + share * (settings.exposure_s - settings.first_exposure_s)
    return settings.exposure_s


def exposures_of_layers(settings: PrintSettings, layers: int) -> NDArray[np.float64]:
    """Exposure [s] of each of so many layers, (layers,): see `exposure_of_layer`."""
    exposures = np.full(layers, settings.exposure_s)
    special = min(layers, settings.first_layers + settings.transition_layers)
    exposures[:special] = [exposure_of_layer(settings, k) for k in range(special)]
    return exposures


def bond_factor(energy_mj_per_cm2: float, reference_mj_per_cm2: float, gain: float, limit: float) -> float:
    """How much harder a layer bonds than at the reference dose: 1 + κ ln(E/E_ref), from 1/`limit` to `limit`.

    Examples
    --------
    A fifth more light than the reference with κ = 0.25: 1.046.
    """
    return min(limit, max(1 / limit, 1.0 + gain * math.log(energy_mj_per_cm2 / reference_mj_per_cm2)))


def critical_exposure(resin: Resin, celsius: float) -> float:
    """Ec [mJ/cm²] at a temperature: Ec exp(k (T_ref - T)); warm resin cures faster."""
    return resin.critical_exposure_mj_per_cm2 * math.exp(resin.cure_gain_per_c * (resin.reference_c - celsius))


def cured_depth_mm(resin: Resin, printer: Printer, exposure_s: float, celsius: float | None = None) -> float:
    """Depth [mm] that an exposure cures: Dp ln(E/Ec), Jacobs' working curve; negative when nothing sets.

    Parameters
    ----------
    celsius : of the resin; at its reference temperature when left out.
    """
    energy = printer.irradiance_mw_per_cm2 * exposure_s
    at = resin.reference_c if celsius is None else celsius
    return resin.penetration_depth_mm * math.log(energy / critical_exposure(resin, at))


def exposure_for_depth(resin: Resin, printer: Printer, depth_mm: float, celsius: float) -> float:
    """Exposure [s] that cures to a depth, the working curve turned round."""
    energy = critical_exposure(resin, celsius) * math.exp(depth_mm / resin.penetration_depth_mm)
    return energy / printer.irradiance_mw_per_cm2


@dataclass(frozen=True)
class ExposureAdvice:
    """What an exposure means for a layer height at a temperature.

    state : under-bonded, right or bleeding. depth_ratio : cured depth over layer height. least_s, advised_s, most_s :
    exposures that just bond, that are advised, and beyond which down-facing details blur.
    """

    state: str
    depth_mm: float
    depth_ratio: float
    least_s: float
    advised_s: float
    most_s: float


def exposure_advice(bench: Bench, celsius: float, exposure_s: float | None = None) -> ExposureAdvice:
    """The advised exposure for the bench's layer height, and what the present one (or another) means."""
    settings, laws, t = bench.print, bench.laws, bench.print.layer_height_mm
    seconds = settings.exposure_s if exposure_s is None else exposure_s
    least, advised, most = (
        exposure_for_depth(bench.resin, bench.printer, ratio * t, celsius)
        for ratio in (laws.bond_depth_ratio, laws.advised_depth_ratio, laws.blur_depth_ratio)
    )
    depth = cured_depth_mm(bench.resin, bench.printer, seconds, celsius)
    state = UNDER if seconds < least else BLEEDING if seconds > most else RIGHT
    return ExposureAdvice(state, depth, depth / t, least, advised, most)


def first_layer_growth_mm(bench: Bench) -> float:
    """How far light bleeds out of a first-layer outline [mm]: b ln(E/E_normal)."""
    return bench.laws.edge_bleed_mm * max(0.0, math.log(bench.print.first_exposure_s / bench.print.exposure_s))
