"""What a mix of resins comes to: viscosity, density, light, price and strength, each by its rule."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

from wideberth.core.bench.cure import critical_exposure, viscosity_at
from wideberth.core.bench.schema import Ingredient, Mix, Resin
from wideberth.core.errors import BadBench


def mixed(mix: Mix, resin_of: Callable[[str], Resin]) -> Resin:
    """The resin that a mix makes.

    Parameters
    ----------
    resin_of : the resin of a name.

    Notes
    -----
    With volume shares wᵢ: ln μ = Σ wᵢ ln μᵢ (Arrhenius' mixing rule; the activation energies add up likewise, so that it
    holds at every temperature), density and price Σ wᵢ ρᵢ, 1/Dp = Σ wᵢ/Dpᵢ (absorbances add up, as Beer's law has it),
    ln Ec = Σ wᵢ ln Ecᵢ (an estimate: test it). Of cure, wash and rest the
    most careful value counts. Modulus and strength lie between the bounds of Reuss (all in a row) and Voigt
    (all side by side); the lower one is used, and both are given as the range of the strength.

    Raises
    ------
    BadBench : when a resin is itself a mix.
    """
    resins = [resin_of(i.resin) for i in mix.ingredients]
    for ingredient, resin in zip(mix.ingredients, resins, strict=True):
        if resin.ingredients:
            raise BadBench(f"`{ingredient.resin}` is a mix itself.", where=mix.name, remedy="List the resins it is made of.")
    share = volume_shares(mix, resins)

    def mean(values: list[float]) -> float:
        return sum(w * v for w, v in zip(share, values, strict=True))

    def row(values: list[float]) -> float:
        return 1 / sum(w / v for w, v in zip(share, values, strict=True))

    reference = mean([r.reference_c for r in resins])
    prices = [r.price_per_litre for r in resins]
    currencies = {r.currency for r in resins}
    known = [p for p in prices if p is not None]
    priced = len(known) == len(prices) and len(currencies) == 1
    least_dose = max(r.cure_low_j_per_cm2 for r in resins)
    worries = [w for w in ("yes", "disputed", "no") if w in {r.brittle_overcured for r in resins}]
    low = row([r.strength_low_mpa or r.green_strength_mpa for r in resins])
    high = mean([r.strength_high_mpa or r.green_strength_mpa for r in resins])
    return Resin(
        name=mix.name,
        viscosity_pa_s=math.exp(mean([math.log(viscosity_at(r, reference)) for r in resins])),
        reference_c=reference,
        activation_j_per_mol=mean([r.activation_j_per_mol for r in resins]),
        density_kg_per_m3=mean([r.density_kg_per_m3 for r in resins]),
        solid_density_kg_per_m3=mean([r.solid_density_kg_per_m3 for r in resins]),
        green_strength_mpa=row([r.green_strength_mpa for r in resins]),
        green_modulus_mpa=row([r.green_modulus_mpa for r in resins]),
        penetration_depth_mm=row([r.penetration_depth_mm for r in resins]),
        critical_exposure_mj_per_cm2=math.exp(mean([math.log(critical_exposure(r, reference)) for r in resins])),
        green_beta=mean([r.green_beta for r in resins]),
        cure_gain_per_c=mean([r.cure_gain_per_c for r in resins]),
        coldest_c=max(r.coldest_c for r in resins),
        warmest_c=min(r.warmest_c for r in resins),
        thinnest_wall_mm=max(r.thinnest_wall_mm for r in resins),
        water_washable=all(r.water_washable for r in resins),
        cure_low_j_per_cm2=least_dose,
        cure_high_j_per_cm2=max(least_dose, min(r.cure_high_j_per_cm2 for r in resins)),
        wash_min=max(r.wash_min for r in resins),
        longest_wet_min=min(r.longest_wet_min for r in resins),
        rest_before_paint_h=max(r.rest_before_paint_h for r in resins),
        brittle_overcured=worries[0],
        sheet="; ".join(dict.fromkeys(r.sheet for r in resins)),
        price_per_litre=mean(known) if priced else None,
        currency=resins[0].currency if priced else "",
        strength_low_mpa=low,
        strength_high_mpa=high,
        ingredients=mix.ingredients,
    )


def volume_shares(mix: Mix, resins: list[Resin]) -> list[float]:
    """Share of each resin by volume, summing to 1; weighed parts are turned into volumes by the liquid densities."""
    volumes = [
        i.parts / (r.density_kg_per_m3 if mix.by == "weight" else 1.0) for i, r in zip(mix.ingredients, resins, strict=True)
    ]
    return [v / sum(volumes) for v in volumes]


def with_parts(mix: Mix, number: int, parts: float) -> Mix:
    """The mix with other parts of one of its resins."""
    changed = list(mix.ingredients)
    changed[number] = Ingredient(changed[number].resin, parts)
    return replace(mix, ingredients=tuple(changed))
