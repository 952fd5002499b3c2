"""Coming off the plate: the front that a scraper opens under each body, what it takes, and what is weaker than that.

A scraper opens the contact along a front: F_off = g w, with w the widest front that it meets on its way in the best direction
and g = σ_p λ, the plate's grip times the depth of the opening. λ was never measured here: rough until graded in the log.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

from wideberth.core.bench import Bench, HouseRules, exposure_advice, first_layer_growth_mm
from wideberth.core.layers import Printed, Standing
from wideberth.core.loads.loads import Loads
from wideberth.core.loads.peel import bond_factors, plate_strength
from wideberth.core.loads.pulls import LINE, VISCOUS

Values = NDArray[np.float64]
SHEET_SHARE = 0.5
"""A body counts as a sheet up to where it has less than this share of its contact's area."""
BY_HAND, WITH_BLADE, DAMAGE = "by hand", "with a blade", "will damage"
LONGEST_FIRST_S = 1000.0


@dataclass(frozen=True)
class Removal:
    """How one body comes off the plate.

    x_mm, y_mm : middle of its contact. contact_mm2, front_mm : its area, and the widest front on the way in the best direction.
    direction_deg : that direction, from +x towards +y. effort_n : F_off. effort : by hand, with a blade, or will damage.
    neck_mm2, neck_z_mm, neck_n : the weakest of the sections between the plate and half of the body, as they have set when all
    is printed, and the pull that breaks it: what a pull at the part itself would have to pass. sheet_mm : height up to which the
    body is as wide as its contact; sheet_least_mm : how thick a sheet has to be so that the front's bend does not break it.
    """

    x_mm: float
    y_mm: float
    contact_mm2: float
    front_mm: float
    direction_deg: float
    effort_n: float
    effort: str
    neck_mm2: float
    neck_z_mm: float
    neck_n: float
    sheet_mm: float
    sheet_least_mm: float

    @property
    def sheet_breaks(self) -> bool:
        """Whether it is thinner than the bend of its front bears."""
        return self.sheet_mm < self.sheet_least_mm

    @property
    def neck_breaks(self) -> bool:
        """Whether a pull at the part breaks it before it comes off."""
        return self.neck_n < self.effort_n


def removals(printed: Printed, loads: Loads, bench: Bench) -> tuple[Removal, ...]:
    """Every body that stands on the plate, the one that takes most first."""
    grid = printed.all.grid
    z = np.asarray(grid.z_of(np.arange(grid.layers)))
    newest = np.full(len(z), len(z) - 1)
    strength = bench.resin.green_strength_mpa * loads.young.factor(loads.young.layers_at(z), newest)
    found = [_removal(body, z, strength, grid.layer_mm, bench) for body in printed.standing]
    return tuple(sorted(found, key=lambda r: -r.effort_n))


def _removal(body: Standing, z_mm: Values, strength: Values, layer_mm: float, bench: Bench) -> Removal:
    g = peel_strength(bench)
    neck, neck_n = _weakest(body.area_mm2, strength)
    thin = np.flatnonzero(body.area_mm2 < SHEET_SHARE * body.contact_mm2)
    least = np.sqrt(6 * g * bench.laws.removal_mm / max(float(strength[0]), 1e-9))
    return Removal(
        body.x_mm,
        body.y_mm,
        body.contact_mm2,
        body.front_mm,
        body.direction_deg,
        g * body.front_mm,
        effort_class(g * body.front_mm, bench.house),
        float(body.area_mm2[neck]),
        float(z_mm[neck]),
        neck_n,
        float((thin[0] if len(thin) else len(z_mm)) * layer_mm),
        float(least),
    )


def peel_strength(bench: Bench) -> float:
    """G [N/mm] of the plate: σ_p λ at the first layers' dose, by the plate's surface."""
    return plate_strength(bench) * bench.laws.removal_mm * bench.printer.removal_factor


def effort_class(effort_n: float, house: HouseRules) -> str:
    """By hand, with a blade, or will damage, by the house's bounds."""
    return BY_HAND if effort_n <= house.by_hand_n else WITH_BLADE if effort_n <= house.with_blade_n else DAMAGE


def _weakest(area_mm2: Values, strength: Values) -> tuple[int, float]:
    """The layer that a pull breaks first between the plate and half of a body, and that pull."""
    grown = np.cumsum(area_mm2)
    bulk = int(np.searchsorted(grown, 0.5 * grown[-1]))
    bears = (area_mm2 * strength)[: bulk + 1]
    at = int(bears.argmin())
    return at, float(bears[at])


@dataclass(frozen=True)
class FirstLight:
    """What a first exposure comes to. margin : the plate's least, None where nothing stands. growth_mm : of the outline.
    effort_n : of the body that takes most."""

    exposure_s: float
    margin: float | None
    growth_mm: float
    effort_n: float


def with_first_light(loads: Loads, bench: Bench, front: float, exposure_s: float) -> FirstLight:
    """What another first exposure comes to, from loads that are known.

    Notes
    -----
    On the plate line adhesion and viscous pull of each layer go by its bond, which the exposure of first layers and of the
    transition decides, and the grip by the first layers' own; everything else stays.
    """
    other = replace(bench, print=replace(bench.print, first_exposure_s=exposure_s))
    by_bond = bond_factors(loads.layers, other) / bond_factors(loads.layers, bench)
    stress = loads.plate_cause_n_per_mm2.copy()
    stress[:, [LINE, VISCOUS]] *= by_bond[:, None]
    most = float(stress.sum(axis=1).max(initial=0.0))
    margin = plate_strength(other) / most if most > 0 else None
    return FirstLight(exposure_s, margin, first_layer_growth_mm(other), peel_strength(other) * front)


def least_first_light(loads: Loads, bench: Bench, front: float, wanted: float) -> FirstLight | None:
    """The shortest first exposure that bonds and grips with a margin; None where none does."""

    def short_of(log_s: float) -> float:
        margin = with_first_light(loads, bench, front, float(np.exp(log_s))).margin
        return (margin if margin is not None else np.inf) - wanted

    low, high = np.log(exposure_advice(bench, bench.print.vat_c).least_s), np.log(LONGEST_FIRST_S)
    if short_of(low) >= 0:
        return with_first_light(loads, bench, front, float(np.exp(low)))
    if short_of(high) < 0:
        return None
    least = brentq(short_of, low, high, xtol=1e-4)
    return with_first_light(loads, bench, front, float(np.exp(least)))
