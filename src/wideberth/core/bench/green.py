"""Green strength by light: how far young resin has set at the peel in question, and what a thin tip is printed as."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray
from scipy.special import chndtr, i0e, ndtri

from wideberth.core.bench.bench import Bench
from wideberth.core.bench.cure import critical_exposure, exposures_of_layers
from wideberth.core.bench.rules import Laws
from wideberth.core.bench.schema import Printer, Resin

Values = NDArray[np.float64]
FADED = 1e-4
"""Share of a layer's light that is left where later layers add no more to what is below."""
MOST_STEPS, CLOSE = 40, 1e-9
SHARP_MM = 1e-3
"""Less blur than this is none."""
MOST_BEYOND = 4.0
"""Times the blur by which a disc's radius is drawn beyond its print's at most: where hardly anything sets."""
PLACES = 24
"""Places on a pixel that are tried along each of its sides."""
EVEN_PIXELS = 30.0
"""Pixels across from which a disc's lit area is its own, within a hundredth."""
STRAIGHT = 20.0
"""Times the blur from which a disc's edge counts as straight: within a thousandth of its diameter."""
MOST_RATIO = 15.0
"""E_w/E_c beyond which no resin sets any further that one could tell."""


def reference_energy(resin: Resin, laws: Laws) -> float:
    """Dose [mJ/cm²] for which the resin's strength, its stiffness and the film's γ and τ are stated.

    The resin's own key, or else what is advised for its reference layer at its reference temperature.
    """
    if resin.reference_energy_mj_per_cm2 is not None:
        return resin.reference_energy_mj_per_cm2
    depth = laws.advised_depth_ratio * resin.reference_layer_mm
    return float(resin.critical_exposure_mj_per_cm2 * np.exp(depth / resin.penetration_depth_mm))


def set_share(ratio: ArrayLike, beta: float) -> Values:
    """Share of its greatest strength that resin has reached, 0 to 1, of the shape of `ratio`.

    1 - exp(-β (E_w/E_c - 1)), nothing below the gel point: Jacobs' green modulus.

    Parameters
    ----------
    ratio : E_w/E_c, the dose over what just sets. beta : β, the resin's.

    Source: P. Jacobs (1992), Rapid Prototyping & Manufacturing, ch. 4.
    """
    return np.asarray(-np.expm1(-beta * np.maximum(np.asarray(ratio, float) - 1.0, 0.0)))


def strength_factor(ratio: ArrayLike, bench: Bench) -> Values:
    """Green strength, or modulus, at a dose over the resin's stated one, of the shape of `ratio` = E_w/E_c; less for used resin.

    Examples
    --------
    Dp 0.12 mm, Ec 4, layers of 0.05 mm, stated at 10 mJ/cm² (E_w/E_c 1.65): 1.31 at a fifth more light, 1.89 at twice the light.
    """
    resin = bench.resin
    fresh = 1 - resin.used_weaker_share * resin.used_share
    return fresh * set_share(ratio, resin.green_beta) / set_share(stated_ratio(bench), resin.green_beta)


def stated_ratio(bench: Bench) -> float:
    """E_w/E_c at which the resin's strength and stiffness are stated."""
    resin = bench.resin
    through = np.exp(-resin.reference_layer_mm / resin.penetration_depth_mm)
    return float(reference_energy(resin, bench.laws) * through / resin.critical_exposure_mj_per_cm2)


def ratio_at(factor: ArrayLike, bench: Bench) -> Values:
    """E_w/E_c at which `strength_factor` is so much, of the shape of `factor`: its inverse; 1 where nothing has set.

    Resin that is all but through with setting is the same at any further light: it counts as at `MOST_RATIO`.
    """
    resin = bench.resin
    fresh = 1 - resin.used_weaker_share * resin.used_share
    share = np.asarray(factor, float) * set_share(stated_ratio(bench), resin.green_beta) / fresh
    with np.errstate(divide="ignore"):
        return np.asarray(np.minimum(1 - np.log1p(-np.clip(share, 0.0, 1.0)) / resin.green_beta, MOST_RATIO))


def own_ratios(vat_c: Values, bench: Bench) -> Values:
    """E_w/E_c of each printed layer by its own light alone, (layers,): E e^(-t/Dp) at its far side over Ec at its temperature.

    Parameters
    ----------
    vat_c : (layers,) temperature of the resin as each layer is lit.
    """
    settings, resin = bench.print, bench.resin
    through = np.exp(-settings.layer_height_mm / resin.penetration_depth_mm)
    energy = bench.printer.irradiance_mw_per_cm2 * exposures_of_layers(settings, len(vat_c))
    sets_at = critical_exposure(resin, resin.reference_c) * np.exp(resin.cure_gain_per_c * (resin.reference_c - vat_c))
    return np.asarray(energy * through / sets_at)


def later_light(bench: Bench) -> Values:
    """Share of its light that a later layer lets through to the far side of this one, beside what it gives its own far side: for
    the next layer, the one after it and so on until hardly any is left, (n,): e^(-j t/Dp)."""
    each = bench.print.layer_height_mm / bench.resin.penetration_depth_mm
    return np.exp(-each * np.arange(1, max(1, int(np.ceil(-np.log(FADED) / each))) + 1))


def printed_tip_mm(drawn_mm: ArrayLike, ratio: ArrayLike, blur_mm: float) -> Values:
    """Diameter [mm] that a drawn one is printed as where the light's edge is blurred, of the shape of both; 0 where none sets.

    The edge of a disc's light is spread by a normal curve of width s: at ρ from the middle of a disc of radius r there is
    P(ρ) = P[χ'²(2, ρ²/s²) ≤ r²/s²] of the dose, and the outline is where E_w P(ρ) = E_c.

    Parameters
    ----------
    drawn_mm : 2 r. ratio : E_w/E_c where the light is whole. blur_mm : s.
    """
    drawn, ratio = np.broadcast_arrays(np.asarray(drawn_mm, float), np.asarray(ratio, float))
    if blur_mm < SHARP_MM:
        return np.where(ratio > 1, drawn, 0.0)
    radius, wanted = 0.5 * drawn / blur_mm, 1 / np.maximum(ratio, 1e-12)
    edge = np.where(ratio > 1, drawn - 2 * blur_mm * ndtri(np.minimum(wanted, 1.0)), 0.0)  # as a straight one
    sets = (middle_light(drawn, blur_mm) > wanted) & (radius <= STRAIGHT)
    round_edge = np.zeros(drawn.shape)
    round_edge[sets] = 2 * blur_mm * _outline(radius[sets], wanted[sets])
    return np.where(radius > STRAIGHT, edge, round_edge)


def _outline(radius: Values, wanted: Values) -> Values:
    """Where the light P(ρ) of discs falls to what is wanted, all in blurs, (n,).

    With f_k the share for k degrees of freedom, d f_2/dρ = ρ (f_4 - f_2).
    """

    def excess(at: Values) -> tuple[Values, Values]:
        light = chndtr(radius**2, 2.0, at**2)
        return light - wanted, at * (chndtr(radius**2, 4.0, at**2) - light)

    start = np.maximum(radius - ndtri(wanted), 0.0)  # as for a straight edge
    return _crossing(excess, start, radius + np.sqrt(-2 * np.log(wanted)) + 1.0)


def _crossing(excess: Callable[[Values], tuple[Values, Values]], start: Values, most: Values) -> Values:
    """Where something that falls crosses nought between 0 and `most`, (n,), to a billionth of a blur: by Newton's steps from
    `start`, halved where one leaves what is known to hold it, but for the last, which is shorter than counts. excess : what
    falls, and its slope."""
    low, high, at = np.zeros(most.shape), most, np.minimum(start, most)
    for _ in range(MOST_STEPS):
        over, slope = excess(at)
        low, high = np.where(over > 0, at, low), np.where(over > 0, high, at)
        after = at - np.divide(over, slope, out=np.full(at.shape, np.inf), where=slope < 0)
        after = np.where((after > low) & (after < high) | (np.abs(after - at) < CLOSE), after, 0.5 * (low + high))
        if (np.abs(after - at) < CLOSE).all():
            return after
        at = after
    return at


def middle_light(drawn_mm: ArrayLike, blur_mm: float) -> Values:
    """Share of the dose that the middle of a disc gets, of the shape of `drawn_mm`: 1 - exp(-r²/(2 s²))."""
    if blur_mm < SHARP_MM:
        return np.ones(np.shape(drawn_mm))
    return np.asarray(-np.expm1(-0.125 * (np.asarray(drawn_mm, float) / blur_mm) ** 2))


def lit_share(drawn_mm: ArrayLike, printer: Printer) -> tuple[Values, Values]:
    """Area of the pixels that are lit for a disc over the disc's own, (n,) each: the 5th and the 95th percentile of all places.

    A pixel is lit where its middle lies in the disc. Where a tip falls on the grid is chance: over all places the share is 1 on
    average, and the smaller the disc, the more it varies. From `EVEN_PIXELS` across both are 1.

    Parameters
    ----------
    drawn_mm : (n,) diameters.
    """
    drawn, which = np.unique(np.round(np.asarray(drawn_mm, float), 3), return_inverse=True)
    ends = np.array([_lit_ends(float(d), printer.pixel_x_mm, printer.pixel_y_mm) for d in drawn]).reshape(-1, 2)
    return ends[which, 0], ends[which, 1]


@lru_cache(maxsize=10_000)
def _lit_ends(drawn_mm: float, x_mm: float, y_mm: float) -> tuple[float, float]:
    """The same of one disc, on pixels of so many millimetres."""
    across, along = drawn_mm / x_mm, drawn_mm / y_mm
    if drawn_mm <= 0 or max(across, along) > EVEN_PIXELS:
        return 1.0, 1.0
    places = (np.arange(PLACES)[:, None] + 0.5) / PLACES
    x = x_mm * (np.arange(-int(across) - 2, int(across) + 3) + places)
    y = y_mm * (np.arange(-int(along) - 2, int(along) + 3) + places)
    inside = (x[:, None, :, None] ** 2 + y[None, :, None, :] ** 2 <= drawn_mm**2 / 4).sum(axis=(2, 3))
    low, high = np.quantile(inside * (x_mm * y_mm) / (np.pi / 4 * drawn_mm**2), [0.05, 0.95])
    return float(low), float(high)


def drawn_tip_mm(printed_mm: ArrayLike, ratio: ArrayLike, blur_mm: float) -> Values:
    """Diameter [mm] to draw so that a tip is printed as wanted: `printed_tip_mm` turned round, of the shape of both."""
    printed, ratio = np.broadcast_arrays(np.asarray(printed_mm, float), np.asarray(ratio, float))
    if blur_mm < SHARP_MM:
        return printed.copy()
    wanted = 1 / np.maximum(ratio, 1e-12)
    straight = printed + 2 * blur_mm * ndtri(np.minimum(wanted, 1.0))
    sets = (ratio > 1) & (printed > 0) & (straight <= 2 * blur_mm * STRAIGHT)
    drawn = np.where(printed > 0, straight, 0.0)
    drawn[sets] = 2 * blur_mm * _disc(0.5 * printed[sets] / blur_mm, wanted[sets])
    return np.where(ratio > 1, drawn, printed + 2 * blur_mm * MOST_BEYOND)


def _disc(edge: Values, wanted: Values) -> Values:
    """Radius of the disc whose light falls to what is wanted at an edge, all in blurs, (n,).

    Its slope is the density of χ'²: e^(-(r - ρ)²/2) I_0(r ρ) e^(-r ρ) r.
    """

    def lacking(r: Values) -> tuple[Values, Values]:
        return wanted - chndtr(r**2, 2.0, edge**2), -r * np.exp(-0.5 * (r - edge) ** 2) * i0e(r * edge)

    return _crossing(lacking, np.maximum(edge + ndtri(wanted), 0.0), edge + MOST_BEYOND)
