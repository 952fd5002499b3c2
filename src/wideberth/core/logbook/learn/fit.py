"""All that the prints of a printer, resin and film teach, and a bench that has learnt it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, fitted_counts, load_bench, source_of_fit
from wideberth.core.logbook.expected import Expected
from wideberth.core.logbook.learn.estimate import ENDS, HALF_90, Estimate
from wideberth.core.logbook.learn.pulls import learn_pulls
from wideberth.core.logbook.learn.shown import Shown, shown_prints
from wideberth.core.logbook.learn.strength import learn_plate, learn_tips
from wideberth.core.logbook.learn.time_and_resin import GRAMS_SD, GRAMS_SHARE, Pair, learn_resin, learn_time
from wideberth.core.logbook.record import REAL, Entry, TakenFit
from wideberth.core.progress import Progress, quiet
from wideberth.core.units import GAS_CONSTANT_J_PER_MOL_K, kelvin

if TYPE_CHECKING:
    from wideberth.core.logbook.store import Logbook

Values = NDArray[np.float64]
RANGE_OF = {
    "film.line_adhesion_n_per_mm": "ranges.line_adhesion",
    "film.viscous_pull_n_per_mm2": "ranges.viscous_pull",
    "laws.rate_power": "ranges.rate_power",
    "laws.seal_kpa": "ranges.seal",
    "resin.green_strength_mpa": "ranges.green_strength",
    "resin.green_beta": "ranges.setting_rate",
    "laws.plate_adhesion_n_per_mm2": "ranges.plate_adhesion",
}
"""The bench key of each coefficient's range."""
WIDEST = {"resin.green_beta": 2.0}
"""Ranges that a bench takes at most, where it is more than the value itself."""
USUAL_WARMTH_C = 1.0
PEAK_LAYERS = 3
"""Layers to either side of the strongest pull, whose middle reading is taken: one may be wild."""
MOST_PRINTS = 200
"""The latest prints of each kind that a fit looks at."""


@dataclass(frozen=True)
class Residual:
    """Measured over said, of one print: as it was said then, and as the fit would say it; None where nothing was measured."""

    id: str
    time: tuple[float, float] | None
    resin: tuple[float, float] | None
    peak: tuple[float, float] | None


@dataclass(frozen=True)
class Fit:
    """What prints teach.

    group : printer, resin, film. pulls : γ, τ, n and the seal. tips, setting, plate : σ_g, β, σ_p. time : motion and overhead.
    resin : what clings and what stays. warmth_c : by which the vat differs from what was set, a standard deviation. prints : of
    the very group, and all that were looked at. residuals : of each print of the group, the oldest first.
    """

    group: tuple[str, str, str]
    pulls: tuple[Estimate, ...]
    tips: Estimate
    setting: Estimate
    plate: Estimate
    time: Pair
    resin: Pair
    warmth_c: float
    prints: int
    looked_at: int
    residuals: tuple[Residual, ...] = ()

    @property
    def estimates(self) -> tuple[Estimate, ...]:
        """All, those that the prints cannot tell too."""
        return (
            *self.pulls,
            self.tips,
            self.setting,
            self.plate,
            self.time.one,
            self.time.other,
            self.resin.one,
            self.resin.other,
        )

    def of(self, key: str) -> Estimate:
        """The estimate of a coefficient.

        Raises
        ------
        KeyError
        """
        return {e.key: e for e in self.estimates}[key]

    def with_partner(self, key: str) -> frozenset[str]:
        """A coefficient, and the one that is only told as a sum with it, where there is one."""
        for one, other in ((p.one, p.other) for p in (self.time, self.resin)):
            if key in (one.key, other.key) and one.together:
                return frozenset((one.key, other.key))
        if key in (self.tips.key, self.setting.key) and self.tips.together:
            return frozenset((self.tips.key, self.setting.key))
        return frozenset((key,))

    @property
    def of_use(self) -> tuple[Estimate, ...]:
        """Those that are worth taking over."""
        return tuple(e for e in self.estimates if e.is_of_use)


def makers_of(entries: Sequence[Entry]) -> list[str]:
    """Who printed what is logged: real printers first, then simulated ones, those with the newest prints first."""
    found = list(dict.fromkeys(e.maker for e in entries))
    return sorted(found, key=lambda maker: maker != REAL)


def learn(log: Logbook, bench: Bench, progress: Progress | None = None, maker: str = "") -> Fit:
    """What the log teaches for a bench's printer, resin and film.

    Prints with the same film on other printers, or of the same resin, speak too where they can, with more scatter.

    Parameters
    ----------
    maker : whose prints; "" for real printers, or where none of them printed anything, the simulated one with the newest print.

    Raises
    ------
    BadLog : see `Logbook`. Cancelled.
    """
    progress = progress or quiet()
    group = (bench.printer.name, bench.resin.name, bench.film.name)
    entries = [e for e in log.entries() if _shares(e, group)]
    maker = maker or next(iter(makers_of(entries)), REAL)
    entries = [e for e in entries if e.maker == maker]
    own = [e for e in entries if e.group == group][:MOST_PRINTS]
    others = [e for e in entries if e.group != group][: MOST_PRINTS - len(own)]
    shown: list[Shown] = []
    for number, entry in enumerate([*own, *others]):
        progress.at(0.6 * number / max(len(own) + len(others), 1), "reading prints")
        shown += shown_prints(log, [entry], group)
    fit = fit_of(shown, unlearnt(bench, log.fits()), progress.part(0.6, 1.0))
    return replace(fit, residuals=residuals_of([s for s in reversed(shown) if s.own], fit, bench))


def _shares(entry: Entry, group: tuple[str, str, str]) -> bool:
    return any(a == b for a, b in zip(entry.group, group, strict=True))


def fit_of(shown: list[Shown], bench: Bench, progress: Progress | None = None) -> Fit:
    """What prints teach for a bench: each coefficient from those that share what it belongs to."""
    progress = progress or quiet()
    printer, resin, film = bench.printer.name, bench.resin.name, bench.film.name
    same_film = [s for s in shown if s.entry.film == film]
    same_printer = [s for s in shown if s.entry.printer == printer]
    same_resin = [s for s in shown if s.entry.resin == resin]
    progress.at(0.0, "pulls")
    pulls = learn_pulls([s for s in same_film if s.entry.resin == resin], bench)
    progress.at(0.6, "what held and what let go")
    (tips, setting), plate = learn_tips(same_resin, bench, pulls), learn_plate(same_printer, bench, pulls)
    progress.at(0.8, "time and resin")
    time = learn_time(same_printer, bench)
    weighed = learn_resin([s for s in same_resin if s.entry.printer == printer], bench)
    own = sum(s.own for s in shown)
    return Fit(
        (printer, resin, film), tuple(pulls), tips, setting, plate, time, weighed, _warmth_c(same_printer), own, len(shown)
    )


def _warmth_c(prints: list[Shown]) -> float:
    """By which the vat differs from what was set; what is usual counts as four prints."""
    off = [s.entry.vat_c - float(np.median(s.expected.vat_c)) for s in prints if s.entry.vat_c is not None]
    return float(np.sqrt((sum(o**2 for o in off) + 4 * USUAL_WARMTH_C**2) / (len(off) + 4)))


def unlearnt(bench: Bench, fits: Sequence[TakenFit]) -> Bench:
    """A bench as it was before any print taught it: what is thought before a fit must not rest on the same prints.

    Parameters
    ----------
    fits : that were taken over, the latest first. A value of which none knows what it was is that of the standard bench.
    """
    standard = {v.key: v.value for v in load_bench().values()}
    group = (bench.printer.name, bench.resin.name, bench.film.name)
    for key in fitted_counts(bench):
        known = [fit.values[key][0] for fit in fits if key in fit.values and fit.group == group]
        was = known[-1] if known else standard[key]
        if was is not None:
            bench = bench.with_value(key, was, "before prints")
    return bench


def changed_values(before: Bench, after: Bench) -> dict[str, tuple[float, float]]:
    """Numbers of a bench that are others in another one, by key, before and after; and those that are now fitted."""
    fitted = fitted_counts(after)
    return {
        b.key: (float(b.value), float(a.value))
        for b, a in zip(before.values(), after.values(), strict=True)
        if isinstance(b.value, int | float) and isinstance(a.value, int | float) and (b.value != a.value or b.key in fitted)
    }


def learnt_bench(bench: Bench, fit: Fit, keys: tuple[str, ...] | None = None) -> Bench:
    """A bench with the estimates that the prints tell, or some of them; what is only bounded narrows its range.

    Raises
    ------
    BadBench : when a value is out of range.
    """
    chosen = [e for e in fit.estimates if e.prints and (e.is_of_use if keys is None else e.key in keys)]
    for estimate in chosen:
        source = source_of_fit(estimate.prints)
        bench = bench.with_value(estimate.key, float(f"{estimate.value:.5g}"), source)
        if estimate.key in RANGE_OF:
            share = float(np.clip(estimate.range_share, 0.01, WIDEST.get(estimate.key, 1.0)))
            bench = bench.with_value(RANGE_OF[estimate.key], float(f"{share:.3g}"), source)
    if fit.time.one.prints and any(e.key in (fit.time.one.key, fit.time.other.key) for e in chosen):
        share = float(np.clip(np.expm1(ENDS * fit.time.scatter), 0.005, 0.5))
        for key in ("laws.time_less_share", "laws.time_more_share"):
            bench = bench.with_value(key, float(f"{share:.3g}"), source_of_fit(fit.time.one.prints))
    return bench


@dataclass(frozen=True)
class Interval:
    """A figure of a new print with its 90 % interval."""

    value: float
    low: float
    high: float

    def holds(self, measured: float) -> bool:
        """Whether a measured one lies in it."""
        return self.low <= measured <= self.high


@dataclass(frozen=True)
class Forecast:
    """What a new print will measure: seconds, resin [mL], the strongest pull [N]."""

    seconds: Interval
    resin_ml: Interval
    peak_n: Interval


def forecast_of(expected: Expected, fit: Fit, bench: Bench) -> Forecast:
    """A predicted print as the fit has it, with intervals that take errors of the fit and the scatter of prints together."""
    e, at, motion, overhead = expected, expected.at, fit.time.one, fit.time.other
    bare, count = float(e.moved_s.sum()) / at.motion_factor, e.layers
    waits = float((e.seconds - e.moved_s - e.lit_s).sum()) - at.overhead_s * count
    moving = motion.value * bare + overhead.value * count + waits
    sd = np.hypot(fit.time.sd_of(bare, count), fit.time.scatter * moving)
    seconds = _about(moving + float(e.lit_s.sum()), float(sd))

    cling, stays = fit.resin.one, fit.resin.other
    clings = e.clings_ml / max(at.cling_factor, 1e-6)
    used = e.solid_ml + cling.value * clings + stays.value
    weighed = np.hypot(GRAMS_SD / at.density, GRAMS_SHARE * used)
    resin = _about(used, float(np.hypot(fit.resin.sd_of(clings, 1.0), fit.resin.scatter * weighed)))

    line, viscous, power, seal = fit.pulls
    causes = pulls_of(e, fit)
    k = int(np.argmax(causes.sum(axis=0)))
    of_warmth = (
        power.value * fit.warmth_c * bench.resin.activation_j_per_mol / GAS_CONSTANT_J_PER_MOL_K / kelvin(float(e.vat_c[k])) ** 2
    )
    peak = float(causes[:, k].sum())
    shares = np.array([line.sd, np.hypot(viscous.sd, of_warmth), seal.sd]) * causes[:3, k]
    by_power = power.sd * power.value * abs(np.log(max(float(e.rate[k]), 1e-9))) * causes[1, k]
    pull = _about(peak, float(np.sqrt((shares**2).sum() + by_power**2 + (line.scatter * peak) ** 2)))
    return Forecast(seconds, resin, pull)


def pulls_of(expected: Expected, fit: Fit) -> Values:
    """Line, viscous, sealed and vented pull of each layer as the fit has it, (4, layers)."""
    e, at = expected, expected.at
    line, viscous, power, seal = (one.value for one in fit.pulls)
    drawn = viscous / at.viscous_pull * e.viscous_n * np.maximum(e.rate, 1e-9) ** (power - at.rate_power)
    return np.array([line / at.line_adhesion * e.line_n, drawn, seal / at.seal_kpa * e.sealed_n, e.vented_n])


def residuals_of(prints: list[Shown], fit: Fit, bench: Bench) -> tuple[Residual, ...]:
    """What is left of each print, before and after a fit."""
    made = []
    for shown in prints:
        e, m, entry = shown.expected, shown.measured, shown.entry
        then, whole = forecast_of(e, fit, bench), entry.ended == "done" and entry.failed is not True
        time = resin = peak = None
        if whole and entry.seconds:
            time = (entry.seconds / float(e.seconds.sum()), entry.seconds / then.seconds.value)
        if whole and entry.resin_g:
            used = entry.resin_g / e.at.density
            resin = (used / e.resin_ml, used / then.resin_ml.value)
        k = int(np.argmax(e.pull_n))
        if m is not None and m.has_pull and k < shown.sound_layers:
            near = np.flatnonzero((np.abs(m.layer - k) <= PEAK_LAYERS) & np.isfinite(m.pull_n) & (m.layer < e.layers))
            said, would = e.pull_n[m.layer[near]], pulls_of(e, fit).sum(axis=0)[m.layer[near]]
            if len(near) and said.min() > 0 and would.min() > 0:
                peak = (float(np.median(m.pull_n[near] / said)), float(np.median(m.pull_n[near] / would)))
        made.append(Residual(entry.id, time, resin, peak))
    return tuple(made)


def _about(value: float, sd: float) -> Interval:
    return Interval(value, max(value - HALF_90 * sd, 0.0), value + HALF_90 * sd)
