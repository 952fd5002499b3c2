"""γ, τ, n and the seal from what load cells felt."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from wideberth.core.bench import Bench, viscosity_at
from wideberth.core.logbook.learn.estimate import Estimate, log_sd, most_likely
from wideberth.core.logbook.learn.shown import Shown, thinned

Values = NDArray[np.float64]
LAYERS_A_PRINT = 160
MODEL_SHARE = 0.02
"""Of a layer's pull that the laws may be off from one layer to the next."""
OWN_SCATTER, OTHER_SCATTER = 0.04, 0.15
"""By which whole prints differ, in ln: on the very printer, and on others with the same film."""
OFFSET_N, DRIFT_N = 1.0, 0.5
LEAST_LAYERS = 30
SMOOTHED = 41
"""Readings of a thermometer, of which the middle one counts: a vat does not change faster."""
FACTORS = 4
KEYS = ("film.line_adhesion_n_per_mm", "film.viscous_pull_n_per_mm2", "laws.rate_power", "laws.seal_kpa")


@dataclass(frozen=True, eq=False)
class Felt:
    """Layers of one print: pulls by cause over the coefficients they were reckoned with, what was felt, and its scatter.

    line, viscous, sealed, vented : (n,), at coefficients of one where they are fitted. rate : μ/μ0 · v/v0 at the measured warmth.
    along : 0 to 1, of the print. is_own.
    """

    line: Values
    viscous: Values
    sealed: Values
    vented: Values
    rate: Values
    along: Values
    felt_n: Values
    sd_n: Values
    is_own: bool


def felt_of(shown: Shown, bench: Bench) -> Felt | None:
    """What a print says of pulls; None without a load cell, or where too few layers were sound."""
    e, m = shown.expected, shown.measured
    if m is None or not m.has_pull:
        return None
    usable = np.isfinite(m.pull_n) & (m.layer < shown.sound_layers)
    rows = np.flatnonzero(usable)
    if len(rows) < LEAST_LAYERS:
        return None
    warm = np.where(np.isfinite(m.vat_c), m.vat_c, e.vat_c[np.minimum(m.layer, e.layers - 1)])
    warm = median_filter(warm, SMOOTHED, mode="nearest")  # else n is learnt from the thermometer's noise, and comes out small
    rows = rows[thinned(len(rows), LAYERS_A_PRINT)]
    k, at, vat_c = m.layer[rows], e.at, warm[rows]
    thicker = np.array(
        [
            viscosity_at(bench.resin, float(c)) / viscosity_at(bench.resin, float(o))
            for c, o in zip(vat_c, e.vat_c[k], strict=True)
        ]
    )
    noise = _noise_n(m.pull_n[usable] - e.pull_n[m.layer[usable]])
    return Felt(
        e.line_n[k] / at.line_adhesion,
        e.viscous_n[k] / at.viscous_pull / np.maximum(e.rate[k], 1e-9) ** at.rate_power,
        e.sealed_n[k] / at.seal_kpa,
        e.vented_n[k],
        e.rate[k] * thicker,
        k / max(e.layers - 1, 1),
        m.pull_n[rows],
        np.hypot(noise, MODEL_SHARE * e.pull_n[k]),
        shown.own,
    )


def _noise_n(misses: Values) -> float:
    """Scatter of a load cell from second differences, which neither an offset nor a slow change enters: their sd is √6 of it."""
    second = np.diff(misses, 2)
    return max(float(np.median(np.abs(second))) / 0.6745 / np.sqrt(6), 0.01)


def learn_pulls(prints: list[Shown], bench: Bench) -> list[Estimate]:
    """Estimates of γ, τ, n and the seal; those of the bench where no print has a load cell's word.

    Notes
    -----
    Each layer: felt = s (γ L + τ V r^n + p C) + o + d x, with s, o and d of its print: how hard it pulled as a whole, offset and
    drift of the cell. Their scatter is given; γ, τ, n and p have the bench's ranges before.
    """
    all_felt = [felt for shown in prints if (felt := felt_of(shown, bench)) is not None]
    r, film, laws = bench.ranges, bench.film, bench.laws
    was = np.array([film.line_adhesion_n_per_mm, film.viscous_pull_n_per_mm2, laws.rate_power, laws.seal_kpa])
    was_sd = np.array([log_sd(s) for s in (r.line_adhesion, r.viscous_pull, r.rate_power, r.seal)])
    if not all_felt or (was <= 0).any():
        return [Estimate(k, float(w), float(s), float(w), float(s), 0) for k, w, s in zip(KEYS, was, was_sd, strict=True)]
    own = np.array([OWN_SCATTER if f.is_own else OTHER_SCATTER for f in all_felt])
    count, ends = len(all_felt), np.cumsum([len(f.felt_n) for f in all_felt])
    of = np.repeat(np.arange(count), np.diff(np.append(0, ends)))
    joined = {name: np.concatenate([getattr(f, name) for f in all_felt]) for name in
              ("line", "viscous", "sealed", "vented", "rate", "along", "felt_n", "sd_n")}  # fmt: skip
    log_rate = np.log(np.maximum(joined["rate"], 1e-9))

    def misses(x: Values) -> Values:
        line, viscous, power, seal = was * np.exp(x[:FACTORS])
        scale, offset, drift = x[FACTORS:].reshape(3, count)
        pull = line * joined["line"] + viscous * joined["viscous"] * np.exp(power * log_rate) + seal * joined["sealed"]
        felt = np.exp(scale)[of] * (pull + joined["vented"]) + offset[of] + drift[of] * joined["along"]
        before = np.concatenate((x[:FACTORS] / was_sd, scale / own, offset / OFFSET_N, drift / DRIFT_N))
        return np.concatenate(((joined["felt_n"] - felt) / joined["sd_n"], before))

    x, covariance, _ = most_likely(misses, np.zeros(FACTORS + 3 * count), len(of))
    sds = np.sqrt(np.diag(covariance)[:FACTORS])
    scatter = _scatter(x[FACTORS : FACTORS + count][own == OWN_SCATTER])
    return [
        Estimate(key, float(w), float(b), float(w * np.exp(v)), float(s), count, True, scatter if place < 2 else 0.0)
        for place, (key, w, b, v, s) in enumerate(zip(KEYS, was, was_sd, x[:FACTORS], sds, strict=True))
    ]


def _scatter(scales: Values) -> float:
    """How much whole prints differ, in ln; what was given before counts as four prints more."""
    squares = float((scales**2).sum()) + 4 * OWN_SCATTER**2
    return float(np.sqrt(squares / (len(scales) + 4)))
