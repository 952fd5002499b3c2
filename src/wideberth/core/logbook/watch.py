"""Watching a run: whether what the load cell feels is still what was expected, and if not, which print it lacks."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, viscosity_at
from wideberth.core.logbook.expected import Expected
from wideberth.core.logbook.measured import Sample

Values = NDArray[np.float64]
MOST_A_LAYER = 4.5
"""No single reading says more than this, in ln of odds: a door that slams is one reading."""
SURE = 12.0
"""ln of the odds from which something is told: three layers in a row at the most that one can say."""
DECIDED = 7.0
"""ln of the odds of one cause over the next from which it is named alone."""
FADES = 0.98
"""Of that evidence, left after each layer: small errors of the laws, all of one sign, are no evidence."""
CAN_TELL = 4.0
"""Times the scatter of the readings that a print must pull, for its loss to be seen within three layers."""
QUIET_LEAST_N = 0.05
NOISE_N = 0.15
"""Of a load cell that has not shown its own yet."""
MODEL_SHARE = 0.03
"""Of a layer's pull that the laws may be off from one layer to the next."""
WANDER = 2e-4
"""By which each factor may drift from layer to layer, in ln."""
OFFSET_N, DRIFT_N_PER_LAYER = 1.0, 2e-3
SETTLED = 12
"""Layers until factors and noise are known well enough to judge by."""
WARMTH_OFF_C = 4.0
LEAK_G = 25.0


@dataclass(frozen=True)
class Alarm:
    """Something that the sensors say.

    kind : "lost", "all", "harder", "warmth", "level". layer : at which it is told, since : at which it began. print : by number,
    None where it is of no single one. ln_odds : how sure. others : prints that it may be instead, as far as can be told yet; the
    number after the last print stands for all of them.
    """

    kind: str
    layer: int
    since: int
    print: int | None = None
    ln_odds: float = 0.0
    figure: float = 0.0
    others: tuple[int, ...] = ()


class Watch:
    """Follows the pull of each layer as it comes.

    The pull is taken as a sum of line, viscous and sealed pull, each by a factor, with an offset and a drift of the cell. The
    factors begin at the bench's ranges and are learnt layer by layer (a Kalman filter). Beside it runs one sum of evidence for
    each print: how much better the readings fit if that print no longer pulls (Page's cumulative sum); while such a sum rises
    nothing is learnt, so that a loss is not taken for a weaker film.

    Source: R. E. Kalman (1960); E. S. Page (1954), Continuous inspection schemes.
    """

    def __init__(self, expected: Expected, bench: Bench) -> None:
        self._e, self._bench = expected, bench
        r = bench.ranges
        shares = (r.line_adhesion, math.hypot(r.viscous_pull, r.viscosity), r.seal)
        self._x = np.array([1.0, 1.0, 1.0, 0.0, 0.0])
        self._p = np.diag([*(s**2 for s in shares), OFFSET_N**2, DRIFT_N_PER_LAYER**2])
        self._noise2, self._seen, self._misses = NOISE_N**2, 0, 0
        prints = len(expected.names)
        self._sums = np.zeros(prints + 1)  # one for each print, the last for all of it at once
        self._since = np.zeros(prints + 1, np.int64)
        self._fits = np.zeros(prints + 1)
        self._lost: set[int] = set()
        self._all_off = False
        self._one_of: dict[int, float] = {}
        """Of which one, or all, has let go, as long as it is not plain which."""
        self._harder, self._harder_since = 0.0, 0
        self._first_g: float | None = None
        self._told: set[str] = set()
        self.fitted_n = np.full(expected.layers, np.nan)
        """What was expected of each layer once its cell was known, (layers,), NaN ahead."""

    def can_tell(self, print_: int, layer: int) -> bool:
        """Whether the loss of a print at a layer would be seen within three layers."""
        return float(self._own(print_, layer) @ self._x[:3]) > CAN_TELL * math.sqrt(self._scatter2(layer))

    @property
    def noise_n(self) -> float:
        """Scatter of the readings as it was seen so far."""
        return math.sqrt(self._noise2)

    def heard(self, sample: Sample) -> list[Alarm]:
        """What a layer's readings say; nothing where all is as expected."""
        k, told = sample.layer, []
        if not 0 <= k < self._e.layers:
            return []
        if sample.pull_n is not None:
            told += self._pulled(k, sample.pull_n, sample.vat_c)
        told += self._warm(k, sample.vat_c)
        told += self._level(k, sample.vat_g)
        return told

    # pull

    def _thicker(self, layer: int, vat_c: float | None) -> float:
        """Viscous pull at the measured warmth over that at the expected one."""
        if vat_c is None:
            return 1.0
        resin = self._bench.resin
        ratio = viscosity_at(resin, vat_c) / viscosity_at(resin, float(self._e.vat_c[layer]))
        return float(ratio**self._bench.laws.rate_power)

    def _own(self, print_: int, layer: int, thicker: float = 1.0) -> Values:
        own = self._e.own_n[print_, layer]
        return np.array([own[0], own[1] * thicker, own[2] + own[3]])

    def _scatter2(self, layer: int) -> float:
        return self._noise2 + (MODEL_SHARE * float(self._e.pull_n[layer])) ** 2

    def _pulled(self, k: int, pull_n: float, vat_c: float | None) -> list[Alarm]:
        e, thicker = self._e, self._thicker(k, vat_c)
        whole = np.array([e.line_n[k], e.viscous_n[k] * thicker, e.sealed_n[k] + e.vented_n[k]])
        own = np.array([self._own(j, k, thicker) for j in range(len(e.names))])
        own[list(self._lost)] = 0.0
        left = np.zeros(3) if self._all_off else whole - sum(self._own(j, k, thicker) for j in self._lost)
        h = np.array([*left, 1.0, float(k)])
        spread2 = self._scatter2(k)
        total2 = float(h @ self._p @ h) + spread2
        miss = pull_n - float(h @ self._x)
        self.fitted_n[k] = float(h @ self._x)
        if self._one_of:
            return self._decide(k, miss, total2, own, left)
        told = self._weigh(k, miss, total2, own, left)
        suspected = bool((self._sums > MOST_A_LAYER).any()) or bool(self._one_of)
        wild = abs(miss) > 4 * math.sqrt(total2)
        self._misses = self._misses + 1 if wild else 0
        if not suspected and not wild:
            self._learn(h, miss, total2, spread2)
        elif self._misses > 30:
            self._p[:3, :3] += np.diag([0.01, 0.01, 0.01])  # it is no passing thing: learn anew, slowly
            self._learn(h, miss, total2, spread2)
        return told + self._harder_than(k, miss, total2, pull_n)

    def _says(self, miss: float, total2: float, own: Values, left: Values) -> tuple[Values, Values]:
        """What a reading says for each print, and for all at once, no longer pulling, in ln of odds; and what each pulls."""
        lacks = np.append(own @ self._x[:3], left @ self._x[:3])
        return np.asarray((miss**2 - (miss + lacks) ** 2) / (2 * total2)), lacks

    def _weigh(self, k: int, miss: float, total2: float, own: Values, left: Values) -> list[Alarm]:
        """Evidence that a print, or all, no longer pulls; told once it is sure, of whichever fits best."""
        if self._seen < SETTLED or self._all_off:
            return []
        plain, lacks = self._says(miss, total2, own, left)
        says = np.where(lacks > QUIET_LEAST_N, np.minimum(plain, MOST_A_LAYER), -np.inf)
        fresh = self._sums <= 0
        self._fits = np.where(fresh, 0.0, self._fits) + plain
        self._sums = np.maximum(self._sums + says, 0.0)
        self._since = np.where(fresh & (self._sums > 0), k, self._since)
        if self._sums.max() < SURE:
            return []
        sure = np.flatnonzero(self._sums > 0.5 * SURE)
        best = int(sure[np.argmax(self._fits[sure])])
        self._one_of = {int(j): float(self._fits[j]) for j in sure if self._fits[best] - self._fits[j] < DECIDED}
        return self._told_of(k, best)

    def _decide(self, k: int, miss: float, total2: float, own: Values, left: Values) -> list[Alarm]:
        """Which of several it was that let go: whichever fits the layers that follow."""
        plain, _ = self._says(miss, total2, own, left)
        self._one_of = {j: FADES * fit + float(np.clip(plain[j], -20.0, 20.0)) for j, fit in self._one_of.items()}
        best = max(self._one_of, key=self._one_of.__getitem__)
        lead = self._one_of[best] - max((fit for j, fit in self._one_of.items() if j != best), default=-np.inf)
        return self._told_of(k, best) if lead >= DECIDED else []

    def _told_of(self, k: int, best: int) -> list[Alarm]:
        """An alarm; what is told with others in question stays open, else it counts from now on."""
        prints, since = len(self._e.names), int(self._since[best])
        others: tuple[int, ...] = ()
        if len(self._one_of) > 1 and max(self._one_of.values()) - sorted(self._one_of.values())[-2] < DECIDED:
            others = tuple(j for j in self._one_of if j != best)
        alarm = Alarm(
            "all" if best == prints else "lost", k, since, None if best == prints else best, float(self._fits[best]), 0.0, others
        )
        if not others:
            self._one_of = {}
            self._sums[:] = 0.0
            self._all_off = self._all_off or best == prints
            self._lost |= set() if best == prints else {best}
        return [alarm]

    def _learn(self, h: Values, miss: float, total2: float, spread2: float) -> None:
        gain = self._p @ h / total2
        self._x = self._x + gain * miss
        self._x[:3] = np.clip(self._x[:3], 0.05, 20.0)
        left = np.eye(len(h)) - np.outer(gain, h)
        self._p = left @ self._p @ left.T + spread2 * np.outer(gain, gain)  # Joseph's form: it stays a covariance
        self._p[:3, :3] += np.diag(np.full(3, WANDER**2))
        self._seen += 1
        own2 = max(miss**2 - (total2 - self._noise2), 0.0) if self._seen > SETTLED else self._noise2
        self._noise2 = max(self._noise2 + (own2 - self._noise2) / min(self._seen + 20, 200), 1e-6)

    def _harder_than(self, k: int, miss: float, total2: float, pull_n: float) -> list[Alarm]:
        """Told once: it pulls much harder than expected, for many layers."""
        if self._seen < SETTLED:
            return []
        over = min(max((miss - 0.15 * abs(pull_n)) / math.sqrt(total2), -2.0), 2.0)
        if self._harder <= 0:
            self._harder_since = k
        self._harder = max(self._harder + over, 0.0)
        if self._harder < 20.0 or "harder" in self._told:
            return []
        self._told.add("harder")
        expected = pull_n - miss
        return [Alarm("harder", k, self._harder_since, None, self._harder, pull_n / max(expected, 1e-6))]

    # warmth and level

    def _warm(self, k: int, vat_c: float | None) -> list[Alarm]:
        if vat_c is None or abs(vat_c - self._e.vat_c[k]) < WARMTH_OFF_C or "warmth" in self._told:
            return []
        self._told.add("warmth")
        return [Alarm("warmth", k, k, None, 0.0, vat_c)]

    def _level(self, k: int, vat_g: float | None) -> list[Alarm]:
        """More left the vat than what was printed and clings: a leak."""
        if vat_g is None:
            return []
        self._first_g = vat_g if self._first_g is None else self._first_g
        density = self._bench.resin.density_kg_per_m3 / 1000.0
        most = density * (float(self._e.grown_ml[k]) * 1.1 + 3 * self._e.clings_ml)
        gone = self._first_g - vat_g - most
        if gone < LEAK_G or "level" in self._told:
            return []
        self._told.add("level")
        return [Alarm("level", k, k, None, 0.0, gone)]


def alarm_text(alarm: Alarm, expected: Expected, bench: Bench) -> str:
    """What an alarm says, and no more than the sensor can tell."""
    at = f"layer {alarm.layer + 1}"
    since = f"since layer {alarm.since + 1}"
    if alarm.kind == "lost" and alarm.print is not None:
        name, gone = _names(alarm, expected), _share_done(expected, alarm.since)
        return (
            f"{at}: the plate no longer feels the pull of {name}, {since}. It has most likely let go and lies on the film; "
            f"{gone} of the run was done by then. A load cell cannot tell a part that let go from one that was no longer lit. "
            f"{_advice(alarm, expected)}"
        )
    if alarm.kind == "all":
        why = "all has come off it, or the cell does not read any more"
        return f"{at}: the plate feels almost no pull, {since}: {why}. Stop and look."
    if alarm.kind == "harder":
        weak = expected.weakest
        margin = "" if weak is None else f"; the weakest tip, predicted at ×{weak:.1f}, has ×{weak / alarm.figure:.1f} at that"
        return f"{at}: it pulls ×{alarm.figure:.2f} of what was expected, {since}: a cold vat or a worn film{margin}."
    if alarm.kind == "warmth":
        return f"{at}: the vat has {alarm.figure:.1f} °C where {expected.vat_c[alarm.layer]:.1f} °C were reckoned with."
    return (
        f"{at}: {alarm.figure:.0f} g more have left the vat than the print can hold: look for a leak through the film before "
        "resin reaches the screen."
    )


def _names(alarm: Alarm, expected: Expected) -> str:
    """Which print it is, or may be."""
    named = [expected.names[j] for j in (alarm.print, *alarm.others) if j is not None and j < len(expected.names)]
    return " or ".join(named) + (", or of all" if len(expected.names) in alarm.others else "")


def _advice(alarm: Alarm, expected: Expected) -> str:
    """Whether to stop: what else is still being printed."""
    layer = alarm.layer
    others = [
        name
        for j, name in enumerate(expected.names)
        if j != alarm.print and j not in alarm.others and expected.own_pull_n[j, layer:].max(initial=0.0) > QUIET_LEAST_N
    ]
    if not others:
        return "Nothing else is to be printed: stop."
    return f"{', '.join(others)} still pulls as it should: go on only if what lies on the film is out of its way."


def _share_done(expected: Expected, layer: int) -> str:
    done = float(expected.seconds[:layer].sum() / max(expected.seconds.sum(), 1e-9))
    return f"{100 * done:.0f} %"
