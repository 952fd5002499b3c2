"""How thick tips have to be for what they carry."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, SupportSettings, drawn_tip_mm, growth_beyond_blur_mm, printed_tip_mm
from wideberth.core.loads import LEAST_MPA, TipsAtPeels

SIZE_STEP_MM = 0.025
MARGIN_RESERVE = 1.15
CARRIERS_MM = 2.0
"""Tips up to so far above the lowest carry what is printed first."""


def needed_mm(tip_load_n: NDArray[np.float64], tips: TipsAtPeels, bench: Bench) -> NDArray[np.float64]:
    """Diameters [mm] to draw tips with so that they hold their loads with the wanted margin and a reserve, (tips,).

    Each is printed as large as the worst of its layers asks for by what it has set to then.

    Parameters
    ----------
    tip_load_n : (layers, tips), below zero where a tip is pushed.
    """
    strength = np.maximum(tips.strength_n_per_mm2, LEAST_MPA)
    worst = (np.maximum(tip_load_n, 0) / strength).max(axis=0, initial=0.0)
    area = worst * bench.supports.wanted_margin * MARGIN_RESERVE
    wanted = np.maximum(np.sqrt(4 * area / np.pi) - 2 * growth_beyond_blur_mm(bench), 0.0)
    return drawn_tip_mm(wanted, tips.ratio, bench.printer.blur_mm)


def steadying_mm(
    unsteady: NDArray[np.float64], unsteady_tip: NDArray[np.int64], tips: TipsAtPeels, bench: Bench
) -> NDArray[np.float64]:
    """Diameters [mm] to draw tips with so that what hangs on them unsteadily is held by their own bending with a reserve,
    (tips,), 0 for all others. What a tip resists of a moment goes with its cube.

    Parameters
    ----------
    unsteady, unsteady_tip : (layers,) see `Loads`.
    """
    worst = np.zeros(len(tips.drawn_mm))
    shaky = np.flatnonzero((unsteady > 1.0) & (unsteady_tip >= 0))
    np.maximum.at(worst, unsteady_tip[shaky], unsteady[shaky])
    which = np.flatnonzero(worst)
    wide = tips.printed_mm[which] * (worst[which] * MARGIN_RESERVE) ** (1 / 3) - 2 * growth_beyond_blur_mm(bench)
    needed = np.zeros(len(worst))
    needed[which] = drawn_tip_mm(np.maximum(wide, 0.0), tips.ratio[which], bench.printer.blur_mm)
    return needed


def most_mm2(tips: TipsAtPeels, bench: Bench) -> NDArray[np.float64]:
    """Load over strength [mm²] up to which tips need not be drawn thicker than allowed, (tips,): `needed_mm` turned round."""
    settings = bench.supports
    printed = printed_tip_mm(settings.largest_tip_mm, tips.ratio, bench.printer.blur_mm)
    wide = np.where(printed > 0, printed + 2 * growth_beyond_blur_mm(bench), 0.0)
    return np.asarray(np.pi / 4 * np.maximum(wide, 0.0) ** 2 / (settings.wanted_margin * MARGIN_RESERVE))


def fitting_mm(
    tip_load_n: NDArray[np.float64], tips: TipsAtPeels, bench: Bench, least_mm: NDArray[np.float64] | float = 0.0
) -> NDArray[np.float64]:
    """Diameters [mm] for tips (tips,) as allowed for what they carry. least_mm : (tips,) what they have to be for another
    reason."""
    return allowed_mm(np.maximum(needed_mm(tip_load_n, tips, bench), least_mm), tips, bench)


def allowed_mm(needed: NDArray[np.float64], tips: TipsAtPeels, bench: Bench) -> NDArray[np.float64]:
    """Diameters [mm] for tips (tips,) that need some, but no less and no more than allowed: in steps of 0.025 mm, the next of the
    house's three sizes, those heavy that carry what is printed first, or all as the thickest has to be."""
    settings = bench.supports
    steps = np.ceil(needed / SIZE_STEP_MM - 1e-9) * SIZE_STEP_MM
    if settings.sizes in ("light, medium, heavy", "heavy first"):
        three = np.sort([settings.light_tip_mm, settings.medium_tip_mm, settings.heavy_tip_mm])
        steps = three[np.minimum(np.searchsorted(three, needed - 1e-9), 2)]
        if settings.sizes == "heavy first" and len(steps):
            steps = np.where(tips.z_mm <= tips.z_mm.min() + CARRIERS_MM, three[2], steps)
    elif settings.sizes == "one size" and len(steps):
        steps = np.full(len(steps), steps.max())
    return np.asarray(np.clip(steps, settings.smallest_tip_mm, settings.largest_tip_mm))


def contact_depth_mm(diameter_mm: float, in_relief: bool, settings: SupportSettings) -> float:
    """How deep a tip reaches into the part [mm]: thicker ones deeper, from the usual depth to the deepest; in relief, from which
    a deep tip tears divots, no deeper than usual."""
    least, most = settings.contact_depth_mm, max(settings.deepest_contact_mm, settings.contact_depth_mm)
    if in_relief:
        return least
    span = settings.largest_tip_mm - settings.smallest_tip_mm
    share = float(np.clip((diameter_mm - settings.smallest_tip_mm) / span, 0.0, 1.0)) if span > 0 else 0.0
    return round(least + share * (most - least), 3)
