"""σ_g and σ_p from what held and what let go: each print bounds them from one side (censored data)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.special import log_ndtr, ndtr

from wideberth.core.bench import Bench
from wideberth.core.logbook.expected import CHECKS, PULLED
from wideberth.core.logbook.learn.estimate import Estimate, log_sd
from wideberth.core.logbook.learn.shown import Shown

Values = NDArray[np.float64]
TIP_SCATTER, PLATE_SCATTER = 0.15, 0.10
"""By which tips, and first layers, differ from each other, in ln."""
OTHERWISE = 0.02
"""Of prints that are lost for reasons that no load tells: a bit in the vat, a scratch in the film."""
CAUSES_OF_TIPS = ("", "tips", "unknown")
CAUSES_OF_PLATE = ("", "plate", "unknown")
GRID = np.linspace(-1.2, 1.2, 481)
"""ln of the factor on a strength."""
KEY_TIPS, KEY_PLATE = "resin.green_strength_mpa", "laws.plate_adhesion_n_per_mm2"


def learn_tips(prints: list[Shown], bench: Bench, pulls: list[Estimate]) -> Estimate:
    """σ_g: a tip that held says that its strength is above its load, a part that was lost that one of its tips' was below.

    Parameters
    ----------
    pulls : what is known of γ, τ, n and the seal by now: loads are taken with them.
    """
    was, share = bench.resin.green_strength_mpa, bench.ranges.green_strength
    says, telling = np.zeros(len(GRID)), 0
    for shown in prints:
        e = shown.expected
        if len(e.tip_print) == 0 or shown.entry.film_torn or shown.entry.cause not in CAUSES_OF_TIPS:
            continue
        factor = was / e.at.strength_mpa
        more = _load_factors(shown, pulls) / factor
        told = False
        for part in shown.entry.parts:
            own = np.flatnonzero(e.tip_print == part.number)
            if part.fate == "not looked at" or len(own) == 0:
                continue
            told = True
            if part.fate == "lost":
                says += _lost(shown, part.lost_layer, own, more)
            else:
                load = e.tip_so_far[_last_check(shown), own] * more[own]
                says += _held(load).sum(axis=1)
        telling += told
    return _most_likely_of(KEY_TIPS, was, share, says, telling)


def _held(load: Values) -> Values:
    """Ln of the odds that tips of each strength on the grid hold loads over their strength, (grid, tips)."""
    return np.asarray(log_ndtr((GRID[:, None] - np.log(np.maximum(load, 1e-9))[None, :]) / TIP_SCATTER))


def _lost(shown: Shown, layer: int | None, own: Values, more: Values) -> Values:
    """Ln of the odds that a part is lost where it was, for each strength on the grid; it may always be for another reason."""
    e = shown.expected
    check = _last_check(shown) if layer is None else min(layer * CHECKS // e.layers, CHECKS - 1)
    until = _held(e.tip_so_far[check, own] * more[own]).sum(axis=1)
    before = np.zeros(len(GRID)) if layer is None or check == 0 else _held(e.tip_so_far[check - 1, own] * more[own]).sum(axis=1)
    fails = np.exp(before) - np.exp(until)
    return np.asarray(np.log((1 - OTHERWISE) * np.maximum(fails, 0.0) + OTHERWISE / (1 if layer is None else CHECKS)))


def _last_check(shown: Shown) -> int:
    """The check until which a print was printed."""
    layers = shown.entry.layers if shown.entry.layers is not None else shown.expected.layers
    return max(min(layers * CHECKS // shown.expected.layers, CHECKS) - 1, 0)


def _load_factors(shown: Shown, pulls: list[Estimate]) -> Values:
    """What the coefficients as they are known by now make of each tip's load, (tips,); causes as at its worst layer."""
    e, by_key = shown.expected, {p.key: p.value for p in pulls}
    line, viscous, power, seal = by_key.values()
    rate = e.rate[e.tip_layer] if len(e.tip_layer) else np.zeros(0)
    factor = np.ones((len(e.tip_print), e.tip_cause_n.shape[1]))
    factor[:, PULLED[0]] = line / e.at.line_adhesion
    factor[:, PULLED[1]] = viscous / e.at.viscous_pull * np.maximum(rate, 1e-9) ** (power - e.at.rate_power)
    factor[:, PULLED[2]] = seal / e.at.seal_kpa
    before, after = e.tip_cause_n.sum(axis=1), (e.tip_cause_n * factor).sum(axis=1)
    return np.clip(np.divide(after, before, out=np.ones(len(before)), where=before > 1e-9), 0.1, 10.0)


def learn_plate(prints: list[Shown], bench: Bench, pulls: list[Estimate]) -> Estimate:
    """σ_p: what stayed on the plate says that it grips more than it was pulled with, what came off that it grips less."""
    was, share = bench.laws.plate_adhesion_n_per_mm2, bench.ranges.plate_adhesion
    says, telling = np.zeros(len(GRID)), 0
    by_key = {p.key: p.value for p in pulls}
    line, viscous, power, seal = by_key.values()
    for shown in prints:
        e, entry = shown.expected, shown.entry
        margin = np.where(np.isfinite(e.plate_margin) & (e.plate_margin > 0), e.plate_margin, np.inf)
        came_off = entry.off_plate is not None
        if not np.isfinite(margin).any() or entry.failed is None or (came_off and entry.cause not in CAUSES_OF_PLATE):
            continue
        now = line / e.at.line_adhesion * e.line_n + seal / e.at.seal_kpa * e.sealed_n + e.vented_n
        now = now + viscous / e.at.viscous_pull * e.viscous_n * np.maximum(e.rate, 1e-9) ** (power - e.at.rate_power)
        pulled = now / np.maximum(e.pull_n, 1e-9) / margin * (e.at.plate_adhesion / was)
        layers = entry.layers if entry.layers is not None else e.layers
        telling += 1
        if not came_off:
            says += _grips(float(pulled[:layers].max(initial=0.0)))
        else:
            assert entry.off_plate is not None
            until = _grips(float(pulled[: entry.off_plate + 1].max()))
            says += np.log((1 - OTHERWISE) * -np.expm1(until) + OTHERWISE)
    return _most_likely_of(KEY_PLATE, was, share, says, telling)


def _grips(pulled: float) -> Values:
    return np.asarray(log_ndtr((GRID - np.log(max(pulled, 1e-9))) / PLATE_SCATTER))


def _most_likely_of(key: str, was: float, share: float, says: Values, telling: int) -> Estimate:
    """Mean and spread of ln of the factor, on the grid, with what was thought before."""
    sd = log_sd(share)
    weight = says - 0.5 * (GRID / sd) ** 2
    weight = np.exp(weight - weight.max())
    weight /= weight.sum()
    mean = float((GRID * weight).sum())
    after = float(np.sqrt(((GRID - mean) ** 2 * weight).sum()))
    return Estimate(key, was, sd, was * float(np.exp(mean)), after, telling)


def chance_of_letting_go(margin: float, share: float, scatter: float = TIP_SCATTER) -> float:
    """That something predicted with a margin and a range of so much of it lets go: Φ(-ln margin / sd)."""
    return float(ndtr(-np.log(max(margin, 1e-6)) / np.hypot(log_sd(share), scatter)))
