"""σ_g with β, and σ_p, from what held and what let go: each print bounds them from one side (censored data)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator
from scipy.special import log_ndtr, ndtr

from wideberth.core.bench import LEAST_BETA, MOST_BETA, Bench, critical_exposure, set_share, strength_factor, viscosity_at
from wideberth.core.logbook.expected import CHECKS, PULLED, Expected
from wideberth.core.logbook.learn.estimate import ENDS, HALF_90, KNOWN_WITHIN, Estimate, log_sd
from wideberth.core.logbook.learn.shown import Shown
from wideberth.core.logbook.record import PartOutcome

Values = NDArray[np.float64]
TIP_SCATTER, PLATE_SCATTER = 0.15, 0.10
"""By which tips, and first layers, differ from each other, in ln."""
LEAST_SPREAD = 0.04
"""Of what is printed, in ln: whole prints differ by so much."""
OTHERWISE = 0.02
"""Of prints that are lost for reasons that no load tells: a bit in the vat, a scratch in the film."""
CAUSES_OF_TIPS = ("", "tips", "unknown")
CAUSES_OF_PLATE = ("", "plate", "unknown")
GRID = np.linspace(-1.2, 1.2, 481)
"""ln of the factor on a strength."""
KEY_TIPS, KEY_SETTING, KEY_PLATE = "resin.green_strength_mpa", "resin.green_beta", "laws.plate_adhesion_n_per_mm2"
TRIED, SETTINGS = np.linspace(-ENDS, ENDS, 7), np.linspace(-ENDS, ENDS, 81)
"""ln of the factor on β, in standard deviations: for which prints are asked, and between which their answers are drawn."""
LEVERAGE = 0.02
"""In ln of strength: where no β makes more than that of a print's tips it tells nothing of β."""


def learn_tips(prints: list[Shown], bench: Bench, pulls: list[Estimate]) -> tuple[Estimate, Estimate]:
    """σ_g and β: a part that held says that its tips are stronger than it takes to hold it, one that was lost that they are not.

    At the light for which σ_g is stated β makes no difference; of prints at other light, or warmth, it makes the more the farther
    that is. Where all have about the same, both are told as one: strength at that light.

    Parameters
    ----------
    pulls : what is known of γ, τ, n and the seal by now: loads are taken with them.
    """
    was = bench.resin.green_strength_mpa
    beta, tried = bench.resin.green_beta, TRIED * log_sd(bench.ranges.setting_rate)
    says, telling, levers = np.zeros((len(TRIED), len(GRID))), 0, []
    for shown in prints:
        e = shown.expected
        if len(e.tip_print) == 0 or shown.entry.film_torn or shown.entry.cause not in CAUSES_OF_TIPS:
            continue
        more = _load_factors(shown, pulls, bench) * e.at.strength_mpa / was / _warmth_strength(shown, bench)
        stronger = np.array([_set_by(e, beta * float(np.exp(by))) for by in tried])
        lever = np.log(stronger[-1] / stronger[0]).mean() / (tried[-1] - tried[0])
        matters = np.ptp(np.log(stronger), axis=0).max() > LEVERAGE
        told = False
        for part in shown.entry.parts:
            own = np.flatnonzero(e.tip_print == part.number).astype(np.int64)
            if part.fate == "not looked at" or len(own) == 0:
                continue
            told = True
            if matters:
                says += np.array([_part_says(shown, part, own, more / each) for each in stronger])
            else:
                says += _part_says(shown, part, own, more)
        telling += told
        levers += [lever] if told and matters else []
    return _both_of(bench, says, telling, levers)


def _set_by(e: Expected, beta: float) -> Values:
    """How many times as strong as reckoned each tip is with another β, (tips,)."""
    stated, known = e.at.stated_ratio, np.isfinite(e.tip_ratio) & (e.tip_ratio > 1)
    ratio = np.where(known, e.tip_ratio, stated)
    if not stated > 1:  # of a print that was logged before it was kept
        return np.ones(len(ratio))
    now, then = (set_share(ratio, b) / set_share(stated, b) for b in (beta, e.at.green_beta))
    return np.asarray(now / then)


def _both_of(bench: Bench, says: Values, telling: int, levers: list[float]) -> tuple[Estimate, Estimate]:
    """σ_g and β from the odds of both, (tried, grid), with what was thought before; together where prints tell only their sum.

    Parameters
    ----------
    levers : by how much ln of strength goes with ln β, of each print that tells anything of it.
    """
    was, beta = bench.resin.green_strength_mpa, bench.resin.green_beta
    sd, setting_sd = log_sd(bench.ranges.green_strength), log_sd(bench.ranges.setting_rate)
    weight = PchipInterpolator(TRIED, says)(SETTINGS) - 0.5 * (GRID / sd) ** 2 - 0.5 * SETTINGS[:, None] ** 2
    weight = np.exp(weight - weight.max())
    weight /= weight.sum()
    of_strength, of_setting = weight.sum(axis=0), weight.sum(axis=1)
    means = float(of_strength @ GRID), float(of_setting @ SETTINGS) * setting_sd
    off, off_setting = GRID - means[0], SETTINGS * setting_sd - means[1]
    after = float(np.sqrt(of_strength @ off**2)), float(np.sqrt(of_setting @ off_setting**2))
    tips = Estimate(KEY_TIPS, was, sd, was * float(np.exp(means[0])), after[0], telling)
    found = float(np.clip(beta * np.exp(means[1]), LEAST_BETA, MOST_BETA))
    setting = Estimate(KEY_SETTING, beta, setting_sd, found, after[1], len(levers))
    if not levers or tips.is_told:
        return tips, setting
    lever, covariance = float(np.mean(levers)), float(off_setting @ weight @ off)
    whole = np.sqrt(max(after[0] ** 2 + 2 * lever * covariance + (lever * after[1]) ** 2, 0.0))
    together = bool(HALF_90 * whole <= KNOWN_WITHIN and whole < 0.5 * np.hypot(sd, lever * setting_sd))
    return replace(tips, together=together), replace(setting, together=together)


def _part_says(shown: Shown, part: PartOutcome, own: NDArray[np.int64], more: Values) -> Values:
    """Ln of the odds of what became of a part, for each strength on the grid; it may always be lost for another reason."""
    e, last = shown.expected, _last_check(shown)
    weight = np.maximum(e.tip_cause_n[own].sum(axis=1), 1e-9) * more[own]

    def holds(check: int) -> Values:
        """Odds that it still hangs at the end of a stretch of layers."""
        if check < 0:
            return np.ones(len(GRID))
        middle, spread = least_strength(e.tip_so_far[check, own] * more[own], weight)
        return np.asarray(ndtr((GRID - middle) / spread))

    if part.fate != "lost":
        return np.asarray(np.log((1 - OTHERWISE) * holds(last) + 1e-12))
    check = last if part.lost_layer is None else min(part.lost_layer * CHECKS // e.layers, CHECKS - 1)
    before = holds(-1 if part.lost_layer is None else check - 1)
    fails = np.maximum(before - holds(check), 0.0)
    return np.asarray(np.log((1 - OTHERWISE) * fails + OTHERWISE / (1 if part.lost_layer is None else CHECKS)))


def least_strength(ratio: Values, weight: Values, draws: int = 200) -> tuple[float, float]:
    """Ln of the least strength, over the bench's, with which tips together hold a part: its mean and spread, tips being unequal.

    Parameters
    ----------
    ratio : (tips,) load over strength of each. weight : (tips,) load of each, for what falls to the others when one lets go.

    Notes
    -----
    The tip that is nearest to letting go goes first, and its load falls to the others in proportion. With strengths e, sorted by
    e/ratio, the part holds at a strength s when for some m, the m weakest gone, s e/ratio of the next is at least the whole load
    over what is left: s = 1/max(e/ratio · left/whole). Tips that nothing pulls hold nothing.
    """
    pulled = ratio > 1e-9
    if not pulled.any():
        return float(GRID[0]) - 1.0, TIP_SCATTER
    ratio, weight = ratio[pulled], weight[pulled]
    strength = np.exp(np.random.default_rng(0).normal(0.0, TIP_SCATTER, (draws, len(ratio))))
    each = strength / ratio
    order = np.argsort(each, axis=1)
    each = np.take_along_axis(each, order, axis=1)
    left = np.cumsum(weight[order][:, ::-1], axis=1)[:, ::-1] / weight.sum()
    needed = -np.log((each * left).max(axis=1))
    return float(needed.mean()), float(np.hypot(needed.std(), LEAST_SPREAD))


def _last_check(shown: Shown) -> int:
    """The check until which a print was printed."""
    layers = shown.entry.layers if shown.entry.layers is not None else shown.expected.layers
    return max(min(layers * CHECKS // shown.expected.layers, CHECKS) - 1, 0)


def _warmth(shown: Shown) -> tuple[float, float]:
    """The vat as it was, in the middle, and as it was expected [°C]."""
    expected = float(np.median(shown.expected.vat_c))
    return (expected if shown.entry.vat_c is None else shown.entry.vat_c), expected


def _warmth_strength(shown: Shown, bench: Bench) -> float:
    """What the vat's true warmth makes of green strength, by the dose at the far side of a layer."""
    resin, e = bench.resin, shown.expected
    dose = bench.printer.irradiance_mw_per_cm2 * bench.print.exposure_s * np.exp(-e.layer_mm / resin.penetration_depth_mm)
    there, reckoned = (strength_factor(dose / critical_exposure(resin, c), bench) for c in _warmth(shown))
    return float(there / np.maximum(reckoned, 1e-6))


def _thicker(shown: Shown, bench: Bench) -> float:
    """Viscosity at the vat's true warmth over that at the expected one."""
    there, reckoned = (viscosity_at(bench.resin, c) for c in _warmth(shown))
    return there / reckoned


def _load_factors(shown: Shown, pulls: list[Estimate], bench: Bench) -> Values:
    """What the coefficients as they are known by now, and the vat's warmth, make of each tip's load, (tips,); causes as at its
    worst layer."""
    e, by_key = shown.expected, {p.key: p.value for p in pulls}
    line, viscous, power, seal = by_key.values()
    rate = e.rate[e.tip_layer] if len(e.tip_layer) else np.zeros(0)
    factor = np.ones((len(e.tip_print), e.tip_cause_n.shape[1]))
    factor[:, PULLED[0]] = line / e.at.line_adhesion
    factor[:, PULLED[1]] = viscous / e.at.viscous_pull * np.maximum(rate, 1e-9) ** (power - e.at.rate_power)
    factor[:, PULLED[1]] *= _thicker(shown, bench) ** power
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
        came_off = entry.off_plate is not None or (entry.failed and entry.cause == "plate")
        if not np.isfinite(margin).any() or entry.failed is None or (came_off and entry.cause not in CAUSES_OF_PLATE):
            continue
        now = line / e.at.line_adhesion * e.line_n + seal / e.at.seal_kpa * e.sealed_n + e.vented_n
        thicker = _thicker(shown, bench) ** power
        now = now + thicker * viscous / e.at.viscous_pull * e.viscous_n * np.maximum(e.rate, 1e-9) ** (power - e.at.rate_power)
        pulled = now / np.maximum(e.pull_n, 1e-9) / margin * (e.at.plate_adhesion / was)
        layers = entry.layers if entry.layers is not None else e.layers
        telling += 1
        if not came_off:
            says += _grips(float(pulled[:layers].max(initial=0.0)))
        else:
            last = layers if entry.off_plate is None else entry.off_plate + 1
            until = _grips(float(pulled[:last].max(initial=0.0)))
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
