"""Overhead and motion from how long layers took; what clings and stays from the scale."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.logbook.learn.estimate import HALF_90, KNOWN_WITHIN, Estimate, most_likely
from wideberth.core.logbook.learn.shown import Shown

Values = NDArray[np.float64]
MOTION_SD, OVERHEAD_SD_S = 0.10, 1.5
CLING_SD, STAYS_SHARE = 0.5, 0.5
"""What was thought before: of motion and cling as factors, of the overhead in seconds, of what stays as a share."""
TIME_SCATTER, OTHER_TIME_SCATTER = 0.015, 0.05
SECONDS_SD = 2.0
GRAMS_SD, GRAMS_SHARE = 0.6, 0.01
"""Of a weighing, and of the resin of a whole print."""
USUAL_PRINTS = 4
"""Prints that what is usual counts for, where the scatter of prints is learnt."""


@dataclass(frozen=True)
class Pair:
    """Two coefficients that are learnt from sums of both, and how their errors go together, -1 to 1. scatter : from print to
    print; of time in ln, of resin over what is usual."""

    one: Estimate
    other: Estimate
    correlation: float
    scatter: float = 0.0

    def sd_of(self, by_one: float, by_other: float) -> float:
        """Standard deviation of a sum of both, each so many times."""
        a, b = by_one * self.one.sd, by_other * self.other.sd
        return float(np.sqrt(max(a**2 + b**2 + 2 * self.correlation * a * b, 0.0)))


def _pair(one: Estimate, other: Estimate, covariance: Values, by: tuple[float, float], scatter: float = 0.0) -> Pair:
    """Both of them; `by` : how often each is in the sum that prints tell. Known as a sum they are taken together or not at
    all."""
    sd = np.sqrt(np.diag(covariance)[:2])
    pair = Pair(one, other, float(covariance[0, 1] / max(sd[0] * sd[1], 1e-12)), scatter)
    whole, before = by[0] * one.value + by[1] * other.value, float(np.hypot(by[0] * one.was_sd, by[1] * other.was_sd))
    left = pair.sd_of(*by)
    if HALF_90 * left <= KNOWN_WITHIN * whole and left < 0.5 * before:
        return replace(pair, one=replace(one, together=True), other=replace(other, together=True))
    return pair


def learn_time(prints: list[Shown], bench: Bench) -> Pair:
    """How much longer a printer's motion takes than reckoned, and its own overhead a layer.

    Notes
    -----
    First layers and the others are two sums a print, as they move differently: Σ seconds = (1 + e)(f Σ motion + Σ waits + o n) +
    Σ light, e of the print. Where all layers move alike f and o are told only together, and their intervals say so.
    """
    printer = bench.printer
    rows: list[tuple[int, float, float, float, float, float]] = []
    used = 0
    for shown in prints:
        m, e = shown.measured, shown.expected
        if m is None or len(m) < 3:
            continue
        k = m.layer[m.layer < e.layers]
        taken = m.seconds[: len(k)]
        own = (e.seconds - e.moved_s - e.lit_s - e.at.overhead_s)[k]
        bare = e.moved_s[k] / e.at.motion_factor
        first = k < e.first_layers
        for which in (first, ~first):
            if which.any():
                rows.append((used, float(taken[which].sum()), float(bare[which].sum()), float(own[which].sum()),
                             float(e.lit_s[k][which].sum()), float(which.sum())))  # fmt: skip
        used += 1
    now = (printer.motion_factor, printer.overhead_s)
    if not used:
        return Pair(
            Estimate("printer.motion_factor", now[0], MOTION_SD, now[0], MOTION_SD, 0, False),
            Estimate("printer.overhead_s", now[1], OVERHEAD_SD_S, now[1], OVERHEAD_SD_S, 0, False),
            0.0,
            TIME_SCATTER,
        )
    table = np.array(rows)
    of, taken, bare, own, lit, count = table[:, 0].astype(int), *table[:, 1:].T
    scatter = np.array(
        [TIME_SCATTER if s.own else OTHER_TIME_SCATTER for s in prints if s.measured is not None and len(s.measured) >= 3]
    )

    def misses(x: Values) -> Values:
        seconds = np.exp(x[2:])[of] * (x[0] * bare + own + x[1] * count) + lit
        before = np.concatenate((((x[:2] - now) / (MOTION_SD, OVERHEAD_SD_S)), x[2:] / scatter))
        return np.concatenate(((taken - seconds) / (SECONDS_SD + 1e-3 * taken), before))

    x, covariance, _ = most_likely(misses, np.array([*now, *np.zeros(used)]), len(rows))
    sd = np.sqrt(np.diag(covariance))
    squares = float((x[2:][scatter == TIME_SCATTER] ** 2).sum()) + 4 * TIME_SCATTER**2
    spread = float(np.sqrt(squares / (int((scatter == TIME_SCATTER).sum()) + 4)))
    return _pair(
        Estimate("printer.motion_factor", now[0], MOTION_SD, float(np.clip(x[0], 0.5, 3.0)), float(sd[0]), used, False),
        Estimate("printer.overhead_s", now[1], OVERHEAD_SD_S, max(float(x[1]), 0.0), float(sd[1]), used, False),
        covariance,
        (float(bare.sum()), float(count.sum())),
        spread,
    )


def learn_resin(prints: list[Shown], bench: Bench) -> Pair:
    """What clings, as a factor, and what stays in vat and filter [mL], from prints that were weighed."""
    now = (bench.resin.cling_factor, bench.printer.stays_ml)
    sds = (CLING_SD, max(STAYS_SHARE * now[1], 1.0))
    rows = []
    for shown in prints:
        e, grams = shown.expected, shown.entry.resin_g
        whole = shown.entry.layers in (None, e.layers) and shown.entry.off_plate is None and not shown.entry.film_torn
        if grams is not None and whole:
            rows.append((grams / e.at.density, e.solid_ml, e.clings_ml / max(e.at.cling_factor, 1e-6), e.at.density))
    keys = ("resin.cling_factor", "printer.stays_ml")
    if not rows:
        return Pair(
            Estimate(keys[0], now[0], sds[0], now[0], sds[0], 0, False),
            Estimate(keys[1], now[1], sds[1], now[1], sds[1], 0, False),
            0.0,
            1.0,
        )
    used, solid, cling, density = np.array(rows).T

    def misses(x: Values) -> Values:
        sd = np.hypot(GRAMS_SD / density, GRAMS_SHARE * used)
        return np.concatenate(((used - solid - x[0] * cling - x[1]) / sd, (x - now) / sds))

    x, covariance, left = most_likely(misses, np.array(now), len(rows))
    spread = float(np.sqrt((float((left**2).sum()) + USUAL_PRINTS) / (len(left) + USUAL_PRINTS)))
    sd = np.sqrt(np.diag(covariance))
    return _pair(
        Estimate(keys[0], now[0], sds[0], float(np.clip(x[0], 0.0, 10.0)), float(sd[0]), len(rows), False),
        Estimate(keys[1], now[1], sds[1], max(float(x[1]), 0.0), float(sd[1]), len(rows), False),
        covariance,
        (float(cling.mean()), 1.0),
        spread,
    )
