"""On the way down: how long the squeezed layer takes to near its height, and what its resin pushes on the posts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, Motion, by_layer
from wideberth.core.layers import Touch
from wideberth.core.loads import _kernels as kernels
from wideberth.core.loads.pulls import VISCOUS, WEIGHT
from wideberth.core.loads.young import Young
from wideberth.core.units import MM_PER_M

MM4_PER_M4 = 1e12
LEAST_STIFF = 1e-3
"""Of what is stated: a post that is hardly printed bends at once."""


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


def return_share(moved: Motion, bench: Bench) -> float:
    """How hard a return pushes beside how hard the lift peels by viscosity: (v_return/v_lift)ⁿ."""
    return float((moved.closing_mm_per_min / moved.lift_mm_per_min) ** bench.laws.rate_power)


def buckling_n(diameter_mm: float, length_mm: float, modulus_mpa: float) -> float:
    """Push at which a round post bends aside [N]: Euler's π² E I/L² with I = π d⁴/64, hinged at both ends.

    Examples
    --------
    A post of 1.2 mm and 20 mm in young resin of 400 MPa: 1.0 N.
    """
    return float(np.pi**2 * modulus_mpa * np.pi * diameter_mm**4 / 64 / max(length_mm, 1e-6) ** 2)


@dataclass(frozen=True, eq=False)
class Pushed:
    """Posts under the push of the return.

    Attributes (arrays of (posts,))
    ----------
    of : which print, and the id of the post in it. tips : indices of the tips that each carries.
    push_n : greatest push; layer : when. length_mm : the longest stretch of
    the post between braces, diameter_mm : of the post; stays : whether it may get no stouter.
    capacity_n : Euler's. `margin` : the one over the other, infinite where nothing pushes.
    """

    of: tuple[tuple[int, str], ...]
    tips: tuple[tuple[int, ...], ...]
    push_n: NDArray[np.float64]
    layer: NDArray[np.int64]
    length_mm: NDArray[np.float64]
    diameter_mm: NDArray[np.float64]
    capacity_n: NDArray[np.float64]
    stays: NDArray[np.bool_]

    @property
    def margin(self) -> NDArray[np.float64]:
        with np.errstate(divide="ignore"):
            return np.where(self.push_n > 0, self.capacity_n / np.maximum(self.push_n, 1e-12), np.inf)


def pushed(touches: tuple[Touch, ...], tip_n: NDArray[np.float64], bench: Bench, set_so_far: Young | None = None) -> Pushed:
    """What presses on each post, on the return and where a tilting pull pushes it.

    Parameters
    ----------
    tip_n : (layers, tips, causes) shares of the pull. The return pushes with the viscous share at its own speed, less the weight
        that hangs there; a share below zero is a push while lifting. set_so_far : how stiff the posts have become; as stated
        when left out.
    """
    number: dict[tuple[int, str], int] = {}
    of_tip = np.array([number.setdefault((t.part, t.post or f"under {i}"), len(number)) for i, t in enumerate(touches)], np.int64)
    posts = len(number)
    carried = tuple(tuple(np.flatnonzero(of_tip == p).tolist()) for p in range(posts))
    length, thick, stays = np.zeros(posts), np.zeros(posts), np.zeros(posts, bool)
    np.maximum.at(length, of_tip, [t.bends_mm for t in touches])
    np.maximum.at(thick, of_tip, [t.post_diameter_mm for t in touches])
    stays[of_tip] = [t.post_stays for t in touches]
    modulus = bench.resin.green_modulus_mpa
    capacity = np.array([buckling_n(mm, long, modulus) for mm, long in zip(thick, length, strict=True)])
    push, layer = np.zeros(posts), np.zeros(posts, np.int64)
    if posts and len(tip_n):
        stiff = np.ones((len(tip_n), posts)) if set_so_far is None else _stiff(touches, of_tip, len(tip_n), set_so_far)
        returns = by_layer(bench, len(tip_n), lambda moved: return_share(moved, bench))
        push, layer = kernels.hardest_pushes(np.ascontiguousarray(tip_n), VISCOUS, WEIGHT, returns, of_tip, stiff)
        capacity *= stiff[layer, np.arange(posts)]
    return Pushed(tuple(number), carried, push, layer, length, thick, capacity, stays)


def _stiff(touches: tuple[Touch, ...], of_tip: NDArray[np.int64], layers: int, set_so_far: Young) -> NDArray[np.float64]:
    """How stiff the middle of each post is at each layer over what is stated, (layers, posts). of_tip : (tips,) its post."""
    middle = np.bincount(of_tip, [0.5 * (t.post_top_mm + t.post_foot_mm) for t in touches]) / np.bincount(of_tip)
    at = set_so_far.layers_at(middle)
    return np.maximum(set_so_far.factor(at[None, :], np.arange(layers)[:, None]), LEAST_STIFF)
