"""What it takes to peel a section off the film."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, bond_factor, exposures_of_layers, reference_energy, vat_viscosity


def line_n(perimeter_mm: NDArray[np.float64], bench: Bench) -> NDArray[np.float64]:
    """Line adhesion along the peeling front [N], (n,): γ P of perimeters (n,)."""
    return bench.film.line_adhesion_n_per_mm * perimeter_mm


def viscous_n(
    area_mm2: NDArray[np.float64],
    squeeze_mm4: NDArray[np.float64],
    bench: Bench,
    viscosity_pa_s: NDArray[np.float64] | float,
    mm_per_min: NDArray[np.float64] | float,
) -> NDArray[np.float64]:
    """Viscous share of components at a speed [N], (n,): τ A (S / (A ℓ0²))^m (μ/μ0)^n (v/v0)^n, the film's give included in τ.

    Parameters
    ----------
    area_mm2, squeeze_mm4 : (n,) A and S. viscosity_pa_s, mm_per_min : μ and v for all, or for each, (n,).
    """
    laws = bench.laws
    rate = viscosity_pa_s / laws.peel_viscosity_pa_s * mm_per_min / laws.peel_speed_mm_per_min
    area = np.maximum(area_mm2, 1e-12)
    shape = (np.maximum(squeeze_mm4, 0) / (area * laws.shape_length2_mm2)) ** laws.shape_power
    return np.asarray(bench.film.viscous_pull_n_per_mm2 * area_mm2 * shape * rate**laws.rate_power)


def peel_n(
    area_mm2: NDArray[np.float64],
    perimeter_mm: NDArray[np.float64],
    squeeze_mm4: NDArray[np.float64],
    bench: Bench,
    viscosity_pa_s: NDArray[np.float64] | float | None = None,
) -> NDArray[np.float64]:
    """Peel force [N] of components, (n,), at normal exposure: line adhesion and the viscous share at the first stage of the lift.

    Parameters
    ----------
    viscosity_pa_s : μ for each component, since the vat's temperature drifts; the vat's thickest when left out.
    """
    viscosity = vat_viscosity(bench) if viscosity_pa_s is None else viscosity_pa_s
    viscous = viscous_n(area_mm2, squeeze_mm4, bench, viscosity, bench.print.lift_mm_per_min)
    return line_n(perimeter_mm, bench) + viscous


def bond_factors(layers: int, bench: Bench, gain: float | None = None) -> NDArray[np.float64]:
    """How much harder each layer bonds to the film than at the reference dose, (layers,). `gain`: another κ than the bench's."""
    settings, laws = bench.print, bench.laws
    kappa = laws.exposure_gain if gain is None else gain
    reference, power = reference_energy(bench.resin, laws), bench.printer.irradiance_mw_per_cm2
    exposures, which = np.unique(exposures_of_layers(settings, layers), return_inverse=True)
    factors = [bond_factor(power * float(e), reference, kappa, laws.exposure_factor_limit) for e in exposures]
    return np.array(factors)[which]


def plate_strength(bench: Bench, gain: float | None = None) -> float:
    """Adhesion of the first layers to the plate [N/mm²], which rises with their dose as the bond does. `gain`: another κ."""
    laws = bench.laws
    kappa = laws.exposure_gain if gain is None else gain
    power, stated = bench.printer.irradiance_mw_per_cm2, laws.plate_reference_mj_per_cm2
    reference = laws.plate_reference_exposure_s * power if stated is None else stated
    factor = 1 + kappa * np.log(bench.print.first_exposure_s * power / reference)
    return float(laws.plate_adhesion_n_per_mm2 * np.clip(factor, 0.2, laws.exposure_factor_limit))
