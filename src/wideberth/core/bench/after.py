"""After the print: how a hanging film drips off, how a bath fills up, how long a lamp takes."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from wideberth.core.bench.bench import Bench
from wideberth.core.bench.schema import Resin, Station
from wideberth.core.units import GRAVITY_M_PER_S2, MM_PER_M, SECONDS_PER_MINUTE

Values = NDArray[np.float64]
FLATTEST = 0.2
"""Cosine of the steepest lean from upright that a film is reckoned with; what lies flatter holds a pool, not a film."""
SOLVENT_KG_PER_M3 = {"isopropanol": 785.0, "glycol ether": 950.0, "water": 1000.0}
"""Densities at room temperature, of the common handbooks."""
LIT_DEPTHS = 3.0
"""Times the penetration depth that lamplight reaches: a twentieth of it is left there."""
MJ_PER_J = 1000.0


def film_mm(below_mm: ArrayLike, minutes: float, upright: ArrayLike, viscosity_pa_s: float, density_kg_per_m3: float) -> Values:
    """Thickness [mm] of a film that hangs and drips, of the shape of `below_mm`: √(μ z/(ρ g τ cos α)).

    Parameters
    ----------
    below_mm : z, from the wall's top edge along the wall. upright : cos α, α the wall's lean from upright.

    Source: H. Jeffreys (1930), The draining of a vertical plate.

    Examples
    --------
    0.2 Pa·s, 50 mm, upright: 0.12 mm after a minute, 0.04 mm after twelve.
    """
    lean = np.maximum(np.asarray(upright, float), FLATTEST)
    metres2 = viscosity_pa_s * np.asarray(below_mm, float) / MM_PER_M
    metres2 = metres2 / (density_kg_per_m3 * GRAVITY_M_PER_S2 * minutes * SECONDS_PER_MINUTE * lean)
    return np.asarray(np.sqrt(metres2) * MM_PER_M)


def worth_waiting_min(clings_ml: float, minutes: float, minutes_per_ml: float, longest_min: float) -> float:
    """How long to let it drip [min] when a millilitre is worth so many minutes, and no longer than the resin may hang.

    What clings falls off as c/√τ. Waiting a moment longer saves c/(2 τ^1.5) of it; that is worth the moment up to
    τ = (v c/2)^(2/3).

    Parameters
    ----------
    clings_ml : what clings after `minutes`.
    """
    c = clings_ml * math.sqrt(minutes)
    return min(longest_min, (0.5 * minutes_per_ml * c) ** (2 / 3))


def bath_share(load_g: float, bath_ml: float, station: Station) -> float:
    """Share of resin by mass, water left out, in a bath that has taken so much."""
    solvent = bath_ml * SOLVENT_KG_PER_M3[station.solvent] / 1000.0 * station.strength_share
    return load_g / (load_g + solvent)


def bath_room_g(bath_ml: float, station: Station) -> float:
    """Resin that a fresh bath takes until it is spent [g]: w m/(1 - w), w the share, m its solvent without water."""
    solvent = bath_ml * SOLVENT_KG_PER_M3[station.solvent] / 1000.0 * station.strength_share
    return solvent * station.spent_share / (1 - station.spent_share)


def cure_min(dose_j_per_cm2: float, station: Station) -> float:
    """Minutes under the lamp for a dose: over the lamp's strength and the share of time that a face looks at it.

    Examples
    --------
    4 J/cm² at 12 mW/cm² on a turntable (a half): 11.1 min.
    """
    return dose_j_per_cm2 * MJ_PER_J / (station.lamp_mw_per_cm2 * station.lit_share) / SECONDS_PER_MINUTE


def cure_dose_j_per_cm2(station: Station) -> float:
    """Dose that a face gets in the station's own time under the lamp: `cure_min` turned round."""
    return station.cure_s * station.lamp_mw_per_cm2 * station.lit_share / MJ_PER_J


def lit_mm(resin: Resin) -> float:
    """Depth [mm] that lamplight reaches into cured resin: a few penetration depths; what lies deeper sets by warmth and time."""
    return LIT_DEPTHS * resin.penetration_depth_mm


def inner_cure_min(dose_j_per_cm2: float, wall_mm: float, bench: Bench) -> float | None:
    """Minutes for an inner wall that is lit through a wall only: e^(wall/Dp) as long; None beyond what light reaches."""
    if wall_mm > lit_mm(bench.resin):
        return None
    return cure_min(dose_j_per_cm2, bench.station) * math.exp(wall_mm / bench.resin.penetration_depth_mm)
