"""How far what was printed has set at each peel: the youngest layers are the weakest, and later light hardens them on."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import (
    Bench,
    growth_beyond_blur_mm,
    later_light,
    middle_light,
    own_ratios,
    printed_tip_mm,
    strength_factor,
)
from wideberth.core.layers import Touch

Values = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Young:
    """Doses over what just sets, of every printed layer at every peel.

    Attributes
    ----------
    own : (printed,) E_w/E_c of each printed layer by its own light. later : (printed, ages) what later layers have added to it
    once so many of them are printed. per_layer : printed layers to each layer of the prediction; a preview has thicker ones.
    """

    bench: Bench
    own: Values
    later: Values
    per_layer: float

    @cached_property
    def _factors(self) -> Values:
        """Strength over the stated one of each printed layer at each age, (printed, ages)."""
        return strength_factor(self.own[:, None] + self.later, self.bench)

    def layers_at(self, z_mm: Values) -> NDArray[np.int64]:
        """Printed layers at heights, of their shape."""
        return np.clip((z_mm / self.bench.print.layer_height_mm).astype(np.int64), 0, len(self.own) - 1)

    def newest(self, peeling: NDArray[np.int64]) -> NDArray[np.int64]:
        """The printed layer that peels first in each layer of the prediction."""
        return np.minimum((peeling * self.per_layer + 1e-9).astype(np.int64), len(self.own) - 1)

    def ages(self, layer: NDArray[np.int64], peeling: NDArray[np.int64]) -> NDArray[np.int64]:
        """How many later layers printed layers have got as layers of the prediction peel, broadcast together."""
        return np.clip(self.newest(peeling) - layer, 0, self.later.shape[1] - 1)

    def factor(self, layer: NDArray[np.int64], peeling: NDArray[np.int64]) -> Values:
        """Strength, and stiffness, of printed layers over the stated one as layers of the prediction peel."""
        return self._factors[layer, self.ages(layer, peeling)]

    def sheet_factor(self, peeling: NDArray[np.int64], layers: float) -> Values:
        """Mean stiffness of the youngest `layers` over the stated one as layers of the prediction peel, of `peeling`'s shape."""
        ages = np.arange(max(1, round(layers)))
        layer = np.maximum(self.newest(peeling)[:, None] - ages, 0)
        return np.asarray(self._factors[layer, np.minimum(ages, self.later.shape[1] - 1)].mean(axis=1))


def young(vat_c: Values, layer_mm: float, bench: Bench) -> Young:
    """How far each printed layer has set, from its exposure, its temperature and the light of later ones.

    Parameters
    ----------
    vat_c : (layers,) of the prediction's layers. layer_mm : how thick these are.
    """
    per_layer = layer_mm / bench.print.layer_height_mm
    count = max(1, int(np.ceil(len(vat_c) * per_layer - 1e-6)))
    of = np.minimum((np.arange(count) / per_layer).astype(np.int64), max(0, len(vat_c) - 1))
    own = own_ratios(vat_c[of] if len(vat_c) else np.full(1, bench.print.vat_c), bench)
    through = later_light(bench)
    later = np.zeros((count, len(through) + 1))
    for age, share in enumerate(through, start=1):
        later[:, age] = later[:, age - 1]
        later[: max(0, count - age), age] += share * own[age:]
    return Young(bench, own, later, per_layer)


@dataclass(frozen=True, eq=False)
class TipsAtPeels:
    """What tips are printed as, and what they bear at each peel.

    Attributes
    ----------
    z_mm, drawn_mm, printed_mm : (tips,). ratio : (tips,) E_w/E_c of their own layer. stiff : (layers, tips) stiffness, and
    strength, over the stated one. stated_n_per_mm2 : green strength that is stated.
    """

    z_mm: Values
    drawn_mm: Values
    printed_mm: Values
    ratio: Values
    stiff: Values
    stated_n_per_mm2: float

    @cached_property
    def strength_n_per_mm2(self) -> Values:
        """Green strength at each layer, (layers, tips)."""
        return self.stated_n_per_mm2 * self.stiff

    def only(self, which: NDArray[np.int64]) -> TipsAtPeels:
        """Some of these, by number."""
        z, drawn, printed, ratio = (values[which] for values in (self.z_mm, self.drawn_mm, self.printed_mm, self.ratio))
        return TipsAtPeels(z, drawn, printed, ratio, np.take(self.stiff, which, axis=1), self.stated_n_per_mm2)

    @property
    def capacity_n(self) -> Values:
        """Pull at which each lets go, (layers, tips): σ_g π d²/4 of the printed diameter."""
        return self.stiff * (self.stated_n_per_mm2 * (np.pi / 4) * self.printed_mm**2)


LEAST_KNOWN = 64
MOST_KNOWN = 600


class KnownTips:
    """What tips are printed as and bear on the same layers, a column for each that was asked for; where they get too many all go.
    Several threads may ask."""

    def __init__(self, layers: int) -> None:
        self._layers, self._lock = layers, Lock()
        self._column: dict[tuple[float, float], int] = {}
        self._printed, self._own, self._factor = np.empty(0), np.empty(0), np.empty((layers, 0))

    @property
    def count(self) -> int:
        """How many tips are known."""
        return len(self._column)

    def of(self, tips: list[tuple[float, float]], of: Young) -> tuple[Values, Values, Values]:
        """What tips at heights and drawn so wide are printed as, E_w/E_c of their own layer, (tips,), and their strength at each
        peel over the stated one, (layers, tips)."""
        with self._lock:
            new = list(dict.fromkeys(tip for tip in tips if tip not in self._column))
            if len(self._column) + len(new) > len(self._printed):
                new = self._made_room(new, list(dict.fromkeys(tips)))
            if new:
                at = len(self._column) + np.arange(len(new))
                z, drawn = np.array(new).T
                self._printed[at], self._own[at], self._factor[:, at] = _at_peels(z, drawn, of, self._layers)
                self._column.update(zip(new, at.tolist(), strict=True))
            column = [self._column[tip] for tip in tips]
            return self._printed[column], self._own[column], np.take(self._factor, column, axis=1)

    def _made_room(self, new: list[tuple[float, float]], wanted: list[tuple[float, float]]) -> list[tuple[float, float]]:
        """Make room for twice as many; where that are too many, let all go. Those that are to be worked out now."""
        known = len(self._column)
        if known + len(new) > MOST_KNOWN:
            self._column, known, new = {}, 0, wanted
        room = max(LEAST_KNOWN, 2 * (known + len(new)))
        printed, own, factor = np.empty(room), np.empty(room), np.empty((self._layers, room))
        if known:
            printed[:known], own[:known], factor[:, :known] = self._printed[:known], self._own[:known], self._factor[:, :known]
        self._printed, self._own, self._factor = printed, own, factor
        return new


def tips_at_peels(touches: tuple[Touch, ...], of: Young, layers: int, known: KnownTips | None = None) -> TipsAtPeels:
    """Tips at each peel of a prediction's layers.

    A tip is weakest where it meets the part, at its own layer: its outline and the middle of its own light are blurred, while
    what comes later through the part's layers is whole. known : tips found before on the same layers; new ones are added.
    """
    tips = [(t.z_mm, t.diameter_mm) for t in touches]
    printed, own, factor = (known or KnownTips(layers)).of(tips, of)
    z, drawn = np.array(tips).reshape(-1, 2).T
    return TipsAtPeels(z, drawn, printed, own, factor, of.bench.resin.green_strength_mpa)


def _at_peels(z_mm: Values, drawn_mm: Values, of: Young, layers: int) -> tuple[Values, Values, Values]:
    """Tips at heights and of drawn diameters, (tips,), as `KnownTips` has them."""
    layer = of.layers_at(z_mm)
    own = of.own[layer]
    ages = of.ages(layer[None, :], np.arange(layers)[:, None])
    light = own * middle_light(drawn_mm, of.bench.printer.blur_mm) + of.later[layer].T  # (ages, tips)
    factor = np.take_along_axis(strength_factor(light, of.bench), ages, axis=0)
    return grown_tip_mm(drawn_mm, own, of.bench), own, factor


def grown_tip_mm(drawn_mm: Values, ratio: Values, bench: Bench) -> Values:
    """What tips are printed as [mm]: by blur, and by what a test of the outline measured beyond that; 0 where none sets."""
    blurred = printed_tip_mm(drawn_mm, ratio, bench.printer.blur_mm)
    return np.where(blurred > 0, np.maximum(blurred + 2 * growth_beyond_blur_mm(bench), 0.0), 0.0)
