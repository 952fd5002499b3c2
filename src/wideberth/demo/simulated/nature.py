"""What a simulated printer does in truth: hidden coefficients, and every layer as its sensors feel it.

Nothing that predicts or learns may look here: the simulated printer is the only one that knows.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import (
    LEAST_BETA,
    MOST_BETA,
    Bench,
    critical_exposure,
    shipped,
    shipped_names,
    strength_factor,
    viscosity_at,
)
from wideberth.core.devices import LookedAt, Lost
from wideberth.core.logbook import Expected, Sample
from wideberth.core.units import KG_PER_M3_IN_G_PER_ML

Values = NDArray[np.float64]
SPIKE_SHARE = 0.004
"""Of the readings of a load cell that are wild: a door, a step on the floor."""
FILL_G = 100.0
"""More in the vat than the job needs."""


@dataclass(frozen=True)
class Hidden:
    """The truth of one printer, resin and film, as factors of the bench's coefficients unless a unit is named.

    line, viscous, sealed : of γ, τ and of sealed suction. rate_power : of n. strength, plate : of σ_g and σ_p. setting : of β.
    motion : of the time that moves take. overhead_s : of each layer. cling : of what clings. stays_ml : in vat and filter.
    print_scatter : by which whole prints pull harder or less hard, in ln. tip_scatter : by which tips differ, in ln. cell_n,
    scale_g, warmth_c : noise of the sensors. offset_n, drift_n_per_h : of the load cell, drawn for each print within these.
    vat_off_c : by which the vat is warmer than set, drawn for each print within it.
    """

    line: float = 1.0
    viscous: float = 1.0
    sealed: float = 1.0
    rate_power: float = 1.0
    strength: float = 1.0
    plate: float = 1.0
    motion: float = 1.0
    overhead_s: float = 1.0
    cling: float = 1.0
    stays_ml: float = 2.0
    print_scatter: float = 0.03
    tip_scatter: float = 0.12
    time_scatter: float = 0.01
    cell_n: float = 0.12
    scale_g: float = 0.4
    warmth_c: float = 0.2
    offset_n: float = 0.4
    drift_n_per_h: float = 0.05
    vat_off_c: float = 1.5
    setting: float = 1.0


def hidden_of(seed: int, bench: Bench) -> Hidden:
    """The truth of a simulated printer by its seed, over the coefficients of a bench.

    It is drawn about the coefficients as they ship, within the bench's ranges: a bench that has learnt comes nearer to it.
    """
    draw, ship = np.random.default_rng([seed, 7]), as_shipped(bench)
    r = ship.ranges

    def about(share: float) -> float:
        """ln-normal, two standard deviations to the end of the range."""
        return float(np.exp(draw.normal(0, 0.5 * np.log1p(share))))

    def over(shipped: float, now: float) -> float:
        return shipped / now if now > 0 else 1.0

    film, laws = bench.film, bench.laws
    return Hidden(
        line=about(r.line_adhesion) * over(ship.film.line_adhesion_n_per_mm, film.line_adhesion_n_per_mm),
        viscous=about(r.viscous_pull) * over(ship.film.viscous_pull_n_per_mm2, film.viscous_pull_n_per_mm2),
        sealed=about(r.seal) * over(ship.laws.seal_kpa, laws.seal_kpa),
        rate_power=about(r.rate_power) * over(ship.laws.rate_power, laws.rate_power),
        strength=about(r.green_strength) * over(ship.resin.green_strength_mpa, bench.resin.green_strength_mpa),
        plate=about(r.plate_adhesion) * over(ship.laws.plate_adhesion_n_per_mm2, laws.plate_adhesion_n_per_mm2),
        motion=float(draw.uniform(0.97, 1.15)) * over(ship.printer.motion_factor, bench.printer.motion_factor),
        overhead_s=float(ship.printer.overhead_s * draw.uniform(0.8, 1.8)),
        cling=float(draw.uniform(0.6, 1.8)) * over(ship.resin.cling_factor, bench.resin.cling_factor),
        stays_ml=float(ship.printer.stays_ml * draw.uniform(0.6, 2.0)),
        cell_n=float(draw.uniform(0.05, 0.2)),
        setting=about(r.setting_rate) * over(ship.resin.green_beta, bench.resin.green_beta),
    )


def as_shipped(bench: Bench) -> Bench:
    """A bench whose printer, film, resin, laws and ranges are the shipped ones of the same titles; what is no shipped one
    stays."""
    for section in ("printer", "film", "resin", "laws", "ranges"):
        title = getattr(bench, section).name
        for name in shipped_names(section):
            if (made := shipped(section, name)) is not None and made.name == title:
                bench = replace(bench, **{section: made})
    return bench


@dataclass(frozen=True)
class Mishap:
    """Something that is to go wrong: "tip" (all tips of a print let go), "film" (it tears), "power" (a cut), "cold" (a cold
    night),
    "patch" (a part of the screen goes dark under a print). layer : from 0. print : by its number."""

    kind: str
    layer: int
    print: int = 0


MISHAPS = ("tip", "film", "power", "cold", "patch")
COLD_C, COLD_H = 9.0, 2.0
TORN_TIMES, TORN_G_PER_LAYER = 1.8, 0.6


def mishap_of(seed: int, expected: Expected) -> Mishap | None:
    """One by lot, for three prints in ten."""
    draw = np.random.default_rng([seed, 11])
    if draw.random() > 0.3 or expected.layers < 20:
        return None
    kind = str(draw.choice(MISHAPS))
    return Mishap(kind, int(draw.integers(expected.layers // 10, expected.layers)), int(draw.integers(len(expected.names))))


@dataclass
class Truth:
    """What is found in the end: lost : print by number, with the layer at which it let go. tips : that let go, with their layers.
    off_plate : layer at which all came off. ended : layer after the last one printed. used_g : of resin, all told."""

    lost: dict[int, int] = field(default_factory=dict)
    tips: dict[int, int] = field(default_factory=dict)
    off_plate: int | None = None
    torn: int | None = None
    ended: int = 0
    power_cut: bool = False
    used_g: float = 0.0

    def told(self) -> LookedAt:
        """As a simulated printer tells it once someone could look."""
        lost = tuple(Lost(number, layer) for number, layer in self.lost.items())
        return LookedAt(lost, tuple(self.tips), self.off_plate, self.torn, self.used_g)


class Play:
    """One print as it goes in truth: `layers()` yields what the sensors feel, `truth` fills as it goes."""

    def __init__(self, expected: Expected, bench: Bench, hidden: Hidden, seed: int, mishap: Mishap | None = None) -> None:
        self._e, self._bench, self._h, self._mishap = expected, bench, hidden, mishap
        self._draw = np.random.default_rng([seed, 13])
        draw, h = self._draw, hidden
        self._scale = float(np.exp(draw.normal(0, h.print_scatter)))
        self._offset_n, self._drift = draw.uniform(-1, 1) * h.offset_n, draw.uniform(-1, 1) * h.drift_n_per_h
        self._off_c = float(draw.normal(0, 0.5 * h.vat_off_c))
        self._true = bench.with_value(
            "resin.green_beta", float(np.clip(bench.resin.green_beta * h.setting, LEAST_BETA, MOST_BETA))
        )
        """The bench, setting as its resin does in truth."""
        tips = np.exp(draw.normal(0, h.tip_scatter, len(expected.tip_print)))
        self._tip_strength = h.strength * tips * self._set(expected.tip_ratio)
        self._plate = h.plate * float(np.exp(draw.normal(0, 0.05)))
        self._time = float(np.exp(draw.normal(0, h.time_scatter)))
        self.truth = Truth()

    def layers(self) -> Iterator[Sample]:
        """Every layer that is printed, until the end or a power cut."""
        e, h, at_s = self._e, self._h, 0.0
        density = self._bench.resin.density_kg_per_m3 * KG_PER_M3_IN_G_PER_ML
        vat_g = FILL_G + e.resin_ml * density
        rest_s = e.seconds - e.moved_s - e.lit_s - self._bench.printer.overhead_s
        for k in range(e.layers):
            if self._is_on("power", k):
                self.truth.power_cut = True
                break
            vat_c = self._vat_c(k, at_s)
            factors = self._factors(k, vat_c)
            felt = self._felt(k, factors, vat_c)
            seconds = float(self._time * (h.motion * e.moved_s[k] + rest_s[k] + h.overhead_s) + e.lit_s[k])
            at_s += seconds
            grown = e.grown_ml[k] - (e.grown_ml[k - 1] if k else 0.0)
            if self.truth.off_plate is not None:
                grown *= 0.2  # a film of cured resin on the film
            vat_g -= density * (grown + h.cling * e.clings_ml / e.layers)
            if self.truth.torn is not None:
                vat_g -= TORN_G_PER_LAYER
            self.truth.ended = k + 1
            yield self._sample(k, at_s, seconds, felt, vat_g, vat_c)
        used_g = density * (float(e.grown_ml[max(self.truth.ended - 1, 0)]) + h.cling * e.clings_ml + h.stays_ml)
        self.truth.used_g = used_g * float(np.exp(self._draw.normal(0, 0.01))) + float(self._draw.normal(0, h.scale_g))

    def _is_on(self, kind: str, k: int) -> bool:
        return self._mishap is not None and self._mishap.kind == kind and k >= self._mishap.layer

    def _vat_c(self, k: int, at_s: float) -> float:
        cold = 0.0
        if self._is_on("cold", k):
            assert self._mishap is not None
            since_h = (at_s - float(self._e.seconds[: self._mishap.layer].sum())) / 3600
            cold = COLD_C * min(max(since_h, 0.0) / COLD_H, 1.0)
        return float(self._e.vat_c[k] + self._off_c - cold)

    def _factors(self, k: int, vat_c: float) -> Values:
        """What line, viscous, sealed and vented pull are in truth, over what was expected of layer k."""
        h, e, resin = self._h, self._e, self._bench.resin
        thicker = viscosity_at(resin, vat_c) / viscosity_at(resin, float(e.vat_c[k]))
        n = self._bench.laws.rate_power
        power = min(n * h.rate_power, 1.0)
        viscous = h.viscous * thicker**power * e.rate[k] ** (power - n)
        torn = 1.0
        if self._is_on("film", k):
            self.truth.torn = k if self.truth.torn is None else self.truth.torn
            torn = TORN_TIMES
        return self._scale * torn * np.array([h.line, viscous, h.sealed, thicker])

    def _felt(self, k: int, factors: Values, vat_c: float) -> float:
        """The pull on the plate at layer k; what lets go by it does so at this layer."""
        e, truth = self._e, self.truth
        whole = np.array([e.line_n[k], e.viscous_n[k], e.sealed_n[k], e.vented_n[k]])
        pull = float(whole @ factors)
        if self._is_on("patch", k):
            assert self._mishap is not None
            truth.lost.setdefault(self._mishap.print, k)
        self._let_go(k, factors, vat_c)
        for print_, since in truth.lost.items():
            if k >= since:
                pull -= float(e.own_n[print_, k] @ factors)
        margin = e.plate_margin[k]
        if truth.off_plate is None and np.isfinite(margin) and pull > 0:
            stronger = margin * self._plate * float(whole.sum()) / pull
            if stronger < 1.0:
                truth.off_plate = k
        return 0.0 if truth.off_plate is not None and k > truth.off_plate else max(pull, 0.0)

    def _let_go(self, k: int, factors: Values, vat_c: float) -> None:
        """Tips whose load exceeds their strength let go, and their load falls to the print's others, until all that are left
        hold."""
        e, truth = self._e, self.truth
        if len(e.tip_print) == 0:
            return
        load = np.maximum(e.tip_n[k] @ np.append(factors, 1.0), 0.0)
        bears = e.tip_bears_n[k] * self._tip_strength * self._colder(k, vat_c)
        gone = np.zeros(len(load), bool)
        gone[list(truth.tips)] = True
        for print_ in np.unique(e.tip_print):
            own = e.tip_print == print_
            if int(print_) in truth.lost:
                continue
            whole = float(load[own].sum())
            for _ in range(int(own.sum())):
                holding = own & ~gone
                left = float(load[holding].sum())
                if not holding.any() or left <= 0:
                    break
                fails = holding & (load * whole / left > bears)
                if not fails.any():
                    break
                gone |= fails
            forced = self._is_on("tip", k) and self._mishap is not None and self._mishap.print == print_
            if (forced or not (own & ~gone).any()) and e.own_n[print_, k].sum() > 0:
                truth.lost[int(print_)] = k
                gone |= own
        for tip in np.flatnonzero(gone):
            truth.tips.setdefault(int(tip), k)

    def _set(self, ratio: Values) -> Values:
        """How many times as strong as reckoned tips are, (tips,), by the light that they got; as reckoned where none sets."""
        there, reckoned = (strength_factor(ratio, bench) for bench in (self._true, self._bench))
        return np.divide(there, reckoned, out=np.ones(len(ratio)), where=reckoned > 1e-9)

    def _colder(self, k: int, vat_c: float) -> float:
        """What another warmth makes of green strength, over that of the expected one, by the dose at a layer's far side."""
        bench, e = self._true, self._e
        dose = (
            bench.printer.irradiance_mw_per_cm2 * bench.print.exposure_s * np.exp(-e.layer_mm / bench.resin.penetration_depth_mm)
        )
        then, now = (
            strength_factor(np.array([dose / critical_exposure(bench.resin, c)]), bench)[0] for c in (vat_c, float(e.vat_c[k]))
        )
        return float(then / max(now, 1e-6))

    def _sample(self, k: int, at_s: float, seconds: float, felt: float, vat_g: float, vat_c: float) -> Sample:
        h, draw = self._h, self._draw
        read = felt + self._offset_n + self._drift * at_s / 3600 + draw.normal(0, h.cell_n)
        if draw.random() < SPIKE_SHARE:
            read += float(draw.normal(0, 6.0))
        return Sample(
            k,
            at_s,
            seconds,
            round(float(read), 3),
            round(vat_g + float(draw.normal(0, h.scale_g)), 2),
            round(vat_c + float(draw.normal(0, h.warmth_c)), 2),
        )
