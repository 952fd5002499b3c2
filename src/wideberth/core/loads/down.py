"""On the way down: how long the squeezed layer takes to near its height."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench

MM4_PER_M4 = 1e12
MM_PER_M = 1e3


def settling_s(
    squeeze_mm4: NDArray[np.float64], viscosity_pa_s: NDArray[np.float64], layer_mm: float, bench: Bench
) -> NDArray[np.float64]:
    """Time constant [s] with which each layer nears its height: T = 12 μ S/(t³ K), (layers,).

    Parameters
    ----------
    squeeze_mm4 : squeeze integral of all that a layer has, since all of it pushes on one arm. layer_mm : t, the printed height.

    Notes
    -----
    Reynolds' thin film gives F = 12 μ S ḣ/h³; against an arm of stiffness K near h = t the excess falls off as e^(-time/T).

    Examples
    --------
    A disc of 40 mm at t = 0.05 mm, 0.2 Pa·s and 10⁶ N/m: 1.2 s.
    """
    stiff = bench.printer.stiffness_n_per_m
    return 12 * viscosity_pa_s * squeeze_mm4 / MM4_PER_M4 / ((layer_mm / MM_PER_M) ** 3 * stiff)
