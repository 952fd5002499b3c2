"""Viscosity and light: how warmth thins a resin, what an exposure cures, how first layers grow."""

from __future__ import annotations

import math

from wideberth.core.bench.bench import Bench
from wideberth.core.bench.schema import Printer, PrintSettings, Resin
from wideberth.core.units import GAS_CONSTANT_J_PER_MOL_K, kelvin


def viscosity_at(resin: Resin, celsius: float) -> float:
    """Viscosity [Pa·s] at a temperature, by Arrhenius' law from the stated one.

    Examples
    --------
    About half for ten degrees more, with an activation energy of 50 kJ/mol.
    """
    inverse = 1 / kelvin(celsius) - 1 / kelvin(resin.reference_c)
    return resin.viscosity_pa_s * math.exp(resin.activation_j_per_mol / GAS_CONSTANT_J_PER_MOL_K * inverse)


def vat_viscosity(bench: Bench) -> float:
    """Viscosity [Pa·s] of the bench's resin at the vat's temperature."""
    return viscosity_at(bench.resin, bench.print.vat_c)


def exposure_of_layer(settings: PrintSettings, layer: int) -> float:
    """Exposure [s] of layer 0, 1, ...: first layers, then a linear transition, then normal."""
    beyond = layer - settings.first_layers + 1
    if beyond <= 0:
        return settings.first_exposure_s
    if beyond <= settings.transition_layers:
        share = beyond / (settings.transition_layers + 1)
        return settings.first_exposure_s + share * (settings.exposure_s - settings.first_exposure_s)
    return settings.exposure_s


def bond_factor(exposure_s: float, normal_s: float, gain: float, limit: float) -> float:
    """How much harder a layer bonds than at normal exposure: 1 + κ ln(E/E_normal), from 1 to `limit`."""
    return min(limit, max(1.0, 1.0 + gain * math.log(exposure_s / normal_s)))


def cured_depth_mm(resin: Resin, printer: Printer, exposure_s: float) -> float:
    """Depth [mm] that an exposure cures: Dp ln(E/Ec), Jacobs' working curve; negative when nothing sets."""
    energy = printer.irradiance_mw_per_cm2 * exposure_s
    return resin.penetration_depth_mm * math.log(energy / resin.critical_exposure_mj_per_cm2)


def first_layer_growth_mm(bench: Bench) -> float:
    """How far light bleeds out of a first-layer outline [mm]: b ln(E/E_normal)."""
    return bench.laws.edge_bleed_mm * max(0.0, math.log(bench.print.first_exposure_s / bench.print.exposure_s))
