"""A mix weighed out: grams of each of its resins."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from wideberth.core.bench import Mix, Resin, volume_shares

KG_PER_M3_OF_G_PER_ML = 1000.0


@dataclass(frozen=True)
class Portion:
    """One resin of a mix. after_g : what the scale shows once it is in, the cup taken off."""

    resin: str
    ml: float
    grams: float
    after_g: float


def weighed_out(mix: Mix, resin_of: Callable[[str], Resin], ml: float) -> tuple[Portion, ...]:
    """What to weigh into one cup for so many millilitres of a mix, in its order; volumes add up.

    Parameters
    ----------
    resin_of : the resin of a name.
    """
    resins = [resin_of(i.resin) for i in mix.ingredients]
    portions, so_far = [], 0.0
    for resin, share in zip(resins, volume_shares(mix, resins), strict=True):
        grams = ml * share * resin.density_kg_per_m3 / KG_PER_M3_OF_G_PER_ML
        so_far += grams
        portions.append(Portion(resin.name, ml * share, grams, so_far))
    return tuple(portions)
