"""How thick tips have to be for what they carry."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, drawn_tip_mm, growth_beyond_blur_mm
from wideberth.core.loads import TipsAtPeels

LEAST_MPA = 1e-3
SIZE_STEP_MM = 0.025
MARGIN_RESERVE = 1.15


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


def fitting_mm(tip_load_n: NDArray[np.float64], tips: TipsAtPeels, bench: Bench) -> NDArray[np.float64]:
    """Diameters [mm] for tips (tips,), as `needed_mm` in steps of 0.025 mm, within the allowed sizes."""
    steps = np.ceil(needed_mm(tip_load_n, tips, bench) / SIZE_STEP_MM - 1e-9) * SIZE_STEP_MM
    return np.asarray(np.clip(steps, bench.supports.smallest_tip_mm, bench.supports.largest_tip_mm))
