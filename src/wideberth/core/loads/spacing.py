"""How far apart tips stand under a flat underside: as far as the young sheet between them bears its own peel."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from wideberth.core.bench import Bench, bond_factor, own_ratios, reference_energy, strength_factor, vat_viscosity

GRID_SAG = 0.06
"""Sag of a square grid of point tips over p a⁴/(E h³), a their distance (Timoshenko and Woinowsky-Krieger, 1959)."""
LAYERS_OF_SAG = 1.0
CLOSEST_MM, FARTHEST_MM = 2.0, 8.0


def spacing_mm(bench: Bench) -> float:
    """The bench's own spacing [mm], or where it has none that at which a flat underside sags by one layer.

    a = (t E h³/(0.06 p))^¼: h the young sheet of `laws.young_layers`, as stiff as its newest layer's own light makes it when
    coldest, p the film's viscous pull on a square millimetre at the slow lift.

    Examples
    --------
    0.05 mm, 0.25 mm of 400 MPa, p 0.016 N/mm²: 4.2 mm.
    """
    if bench.supports.spacing_mm is not None:
        return bench.supports.spacing_mm
    p, laws, resin = bench.print, bench.laws, bench.resin
    rate = vat_viscosity(bench) / laws.peel_viscosity_pa_s * p.lift_mm_per_min / laws.peel_speed_mm_per_min
    dose = bench.printer.irradiance_mw_per_cm2 * p.exposure_s
    bond = bond_factor(dose, reference_energy(resin, laws), laws.exposure_gain, laws.exposure_factor_limit)
    pull = bench.film.viscous_pull_n_per_mm2 * rate**laws.rate_power * bond
    later = _plain(bench)
    stiff = float(strength_factor(own_ratios(np.array([p.vat_c]), later), later)[0])
    sheet = (laws.young_layers * p.layer_height_mm) ** 3 * resin.green_modulus_mpa * max(stiff, 1e-3)
    apart = (LAYERS_OF_SAG * p.layer_height_mm * sheet / (GRID_SAG * max(pull, 1e-9))) ** 0.25
    return float(np.clip(apart, CLOSEST_MM, FARTHEST_MM))


def _plain(bench: Bench) -> Bench:
    """The bench without first layers: what hangs on tips is lit as all others."""
    return replace(bench, print=replace(bench.print, first_layers=0, transition_layers=0))
