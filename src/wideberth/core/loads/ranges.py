"""How sure a margin is: what each coefficient's range does to it, and which one matters most."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import (
    LEAST_BETA,
    MOST_BETA,
    Bench,
    by_layer,
    coldest_c,
    lit_share,
    middle_light,
    strength_factor,
    viscosity_at,
)
from wideberth.core.loads.peel import bond_factors, plate_strength
from wideberth.core.loads.pulls import CAUSES, LINE, SEALED_CUP, VENTED_CUP, VISCOUS
from wideberth.core.loads.young import TipsAtPeels, Young, grown_tip_mm

LEAST_N, LEAST_MM, LEAST_SHARE = 1e-12, 1e-6, 1e-6
BESIDE = 3.0
"""Tips whose margin is over three times the weakest of their layer cannot become the weakest within the ranges."""
Width = Callable[[float], NDArray[np.float64]]
"""What a change of the power on the width makes of each layer's viscous pull, (layers,)."""


@dataclass(frozen=True, eq=False)
class Turn:
    """One coefficient at one end of its range.

    Attributes
    ----------
    key : of the bench. value : taken. cause_factor : what it makes of each cause of pull, (causes,) or (layers, causes).
    tip_factor, plate_factor : of what tips and plate can hold. warmer_c : how much warmer the vat is, which sets resin farther.
    on_grid : which end of what pixels make of a disc, -1 or 1; 0 for neither. sets_by : another β, where it is one.
    """

    key: str
    value: float
    cause_factor: NDArray[np.float64]
    tip_factor: float = 1.0
    plate_factor: float = 1.0
    warmer_c: float = 0.0
    on_grid: int = 0
    sets_by: float | None = None


def turns(bench: Bench, bond: NDArray[np.float64], width: Width) -> tuple[tuple[Turn, Turn], ...]:
    """Low and high end of every coefficient with a range.

    Parameters
    ----------
    bond : (layers,) how much harder each bonds than a normal one. width : see `Width`.
    """
    r, film, laws, resin = bench.ranges, bench.film, bench.laws, bench.resin
    cold = coldest_c(bench.print)
    viscosity = viscosity_at(resin, cold)
    speed = by_layer(bench, len(bond), lambda m: m.lift_mm_per_min)
    rate = viscosity / laws.peel_viscosity_pa_s * speed / laws.peel_speed_mm_per_min
    n = laws.rate_power

    def pull(key: str, value: float, causes: dict[int, float]) -> Turn:
        factor = np.ones(len(CAUSES))
        for cause, by in causes.items():
            factor[cause] = by
        return Turn(key, value, factor)

    def both(share: float, make: Callable[[float], Turn]) -> tuple[Turn, Turn]:
        return make(1 - share), make(1 + share)

    def thicker(by: float) -> dict[int, float]:
        return {VISCOUS: by**n, VENTED_CUP: by}

    def layered(causes: dict[int, NDArray[np.float64]]) -> NDArray[np.float64]:
        factor = np.ones((len(bond), len(CAUSES)))
        for cause, by in causes.items():
            factor[:, cause] = by
        return factor

    def longer(by: float) -> Turn:
        """Another κ: first layers bond harder or less hard, to the film and to the plate."""
        gain = laws.exposure_gain * by
        on_film = bond_factors(len(bond), bench, gain) / bond
        grip = plate_strength(bench, gain) / plate_strength(bench)
        return Turn("laws.exposure_gain", gain, layered({LINE: on_film, VISCOUS: on_film}), plate_factor=grip)

    def wider(by: float) -> Turn:
        """Another m: what is wider than ℓ0 pulls harder, what is narrower less hard."""
        value = laws.shape_power * by
        return Turn("laws.shape_power", value, layered({VISCOUS: width(value - laws.shape_power)}))

    def held(by: float) -> float:
        return (1 - min(film.follow_share * by, 1.0)) / max(1 - film.follow_share, 1e-6)

    def faster(by: float) -> Turn:
        """Another β: what got other light than the strength is stated for has set farther or less far."""
        value = float(np.clip(resin.green_beta * by, LEAST_BETA, MOST_BETA))
        return Turn("resin.green_beta", value, still, sets_by=value)

    def warmth(celsius: float) -> Turn:
        return replace(pull("print.vat_c", celsius, thicker(viscosity_at(resin, celsius) / viscosity)), warmer_c=celsius - cold)

    still, pixel = np.ones(len(CAUSES)), bench.printer.pixel_x_mm
    gamma, tau, seal = film.line_adhesion_n_per_mm, film.viscous_pull_n_per_mm2, laws.seal_kpa
    young, grip = resin.green_strength_mpa, laws.plate_adhesion_n_per_mm2
    return (
        both(r.line_adhesion, lambda f: pull("film.line_adhesion_n_per_mm", gamma * f, {LINE: f})),
        both(r.viscous_pull, lambda f: pull("film.viscous_pull_n_per_mm2", tau * f, {VISCOUS: f})),
        both(r.shape_power, wider),
        both(r.exposure_gain, longer),
        both(r.rate_power, lambda f: Turn("laws.rate_power", n * f, layered({VISCOUS: rate ** (n * f - n)}))),
        both(r.viscosity, lambda f: pull("resin.viscosity_pa_s", resin.viscosity_pa_s * f, thicker(f))),
        (warmth(cold - r.vat_c), warmth(cold + r.vat_c)),
        both(r.seal, lambda f: pull("laws.seal_kpa", seal * f, {SEALED_CUP: f})),
        both(r.follow_share, lambda f: pull("film.follow_share", film.follow_share * f, {VENTED_CUP: held(f)})),
        both(r.green_strength, lambda f: Turn("resin.green_strength_mpa", young * f, still, tip_factor=f)),
        (faster(1 / (1 + r.setting_rate)), faster(1 + r.setting_rate)),
        (Turn("printer.pixels_x", pixel, still, on_grid=-1), Turn("printer.pixels_x", pixel, still, on_grid=1)),
        both(r.plate_adhesion, lambda f: Turn("laws.plate_adhesion_n_per_mm2", grip * f, still, plate_factor=f)),
    )


@dataclass(frozen=True, eq=False)
class _Otherwise:
    """Tips (columns) at layers (rows) of a prediction, in a warmer or colder vat, or elsewhere on the pixels."""

    tips: TipsAtPeels
    set_so_far: Young
    rows: NDArray[np.int64]
    columns: NDArray[np.int64]

    def factor(self, turn: Turn) -> NDArray[np.float64]:
        """What a turn's warmth, pixels and β make of what they hold, (pairs,): Ec falls with warmth, and the printed outline
        grows; the pixels that are lit for a disc are fewer or more than it covers."""
        if not turn.warmer_c and not turn.on_grid and turn.sets_by is None:
            return np.ones(len(self.rows))
        young, bench, tip = self.set_so_far, self.set_so_far.bench, self.columns
        more, blur = np.exp(bench.resin.cure_gain_per_c * turn.warmer_c), bench.printer.blur_mm
        drawn = self.tips.drawn_mm
        if turn.on_grid:
            drawn = drawn * np.sqrt(lit_share(drawn, bench.printer)[0 if turn.on_grid < 0 else 1])
        wider = grown_tip_mm(drawn, self.tips.ratio * more, bench) / np.maximum(self.tips.printed_mm, LEAST_MM)
        layer = young.layers_at(self.tips.z_mm)[tip]
        own = self.tips.ratio[tip] * middle_light(drawn, blur)[tip]
        if turn.sets_by is not None:
            bench = replace(bench, resin=replace(bench.resin, green_beta=turn.sets_by))
        then = strength_factor(more * (own + young.later[layer, young.ages(layer, self.rows)]), bench)
        now = np.maximum(self.tips.stiff[self.rows, tip], LEAST_N)
        return np.asarray(then / now * wider[tip] ** 2)


@dataclass(frozen=True)
class Influence:
    """What one coefficient does to the weakest margins, at the low and at the high end of its range; None where there is none."""

    key: str
    low: float
    high: float
    hold_low: float | None
    hold_high: float | None
    plate_low: float | None
    plate_high: float | None

    def swing(self, hold: float | None, plate: float | None) -> float:
        """Greatest relative change of the lesser of both margins."""
        now = _lesser(hold, plate)
        ends = [_lesser(self.hold_low, self.plate_low), _lesser(self.hold_high, self.plate_high)]
        if now is None or now <= 0:
            return 0.0
        return max(abs(np.log(max(e, 1e-9) / now)) for e in ends if e is not None)


def _lesser(a: float | None, b: float | None) -> float | None:
    known = [v for v in (a, b) if v is not None]
    return min(known) if known else None


@dataclass(frozen=True, eq=False)
class Ranges:
    """Ranges of the margins.

    Attributes
    ----------
    hold_low, hold_high, plate_low, plate_high : (layers,) NaN where there is no margin. influences : strongest first.
    """

    hold_low: NDArray[np.float64]
    hold_high: NDArray[np.float64]
    plate_low: NDArray[np.float64]
    plate_high: NDArray[np.float64]
    influences: tuple[Influence, ...]

    @property
    def weakest_hold(self) -> tuple[float, float] | None:
        """Range of the weakest margin of the tips, None where there is none."""
        return weakest_of(self.hold_low, self.hold_high)

    @property
    def weakest_plate(self) -> tuple[float, float] | None:
        """The same of the plate."""
        return weakest_of(self.plate_low, self.plate_high)


def weakest_of(low: NDArray[np.float64], high: NDArray[np.float64]) -> tuple[float, float] | None:
    """The least of both ends over all layers, each (layers,): at the far end another layer may be the weakest one."""
    known = np.isfinite(low) & np.isfinite(high)
    return (float(low[known].min()), float(high[known].min())) if known.any() else None


def no_ranges(layers: int) -> Ranges:
    """For who asks for margins alone."""
    none = np.full(layers, np.nan)
    return Ranges(none, none, none, none, ())


def margin_ranges(
    tip_n: NDArray[np.float64],
    capacity_n: NDArray[np.float64],
    plate_n_per_mm2: NDArray[np.float64],
    strength_n_per_mm2: float,
    bench: Bench,
    bond: NDArray[np.float64],
    width: Width,
    tips: TipsAtPeels,
    set_so_far: Young,
) -> Ranges:
    """Ranges of both margins, layer by layer, and what decides them.

    Parameters
    ----------
    tip_n : (layers, tips, causes); capacity_n : (layers, tips). plate_n_per_mm2 : (layers, causes) on the patch with the greatest
        stress, and the strength there. bond : (layers,) how much harder each bonds than at the reference dose. width : see
        `Width`. tips, set_so_far : what tips bear as they have set, for other warmths.

    Notes
    -----
    The coefficients are taken as independent: their effects on ln(margin) add in squares (Gauss). Shares and stresses are
    linear in the pull of each cause, so an end of a range only scales that cause; that of m scales the viscous pull of a layer
    as a whole. A vented cup is taken as drawing resin, which overstates the effect where it draws air.
    """
    still = np.ones(len(CAUSES))
    load = tip_n.sum(axis=2)
    tip_margin = np.where(load > LEAST_N, capacity_n / np.maximum(load, LEAST_N), np.inf)
    pulled = (load > LEAST_N) & (tip_margin <= BESIDE * tip_margin.min(axis=1, initial=np.inf, keepdims=True))
    rows, columns = np.nonzero(pulled)
    where = {"hold": rows, "plate": np.flatnonzero(plate_n_per_mm2.sum(axis=1) > LEAST_N)}
    loads = {"hold": tip_n[pulled], "plate": plate_n_per_mm2[where["plate"]]}
    holds = {"hold": capacity_n[pulled], "plate": np.full(len(loads["plate"]), strength_n_per_mm2)}
    now = {name: holds[name] / (loads[name] @ still) for name in loads}
    squares = {name: [np.zeros(len(now[name])), np.zeros(len(now[name]))] for name in loads}
    influences = []
    otherwise = _Otherwise(tips, set_so_far, rows, columns)
    for ends in turns(bench, bond, width):
        least: list[dict[str, float | None]] = []
        for turn in ends:
            least.append({})
            held = {"hold": otherwise.factor(turn) * turn.tip_factor, "plate": turn.plate_factor}
            for name in loads:
                by = turn.cause_factor
                load = loads[name] @ by if by.ndim == 1 else (loads[name] * by[where[name]]).sum(axis=1)
                margin = held[name] * holds[name] / np.maximum(load, LEAST_N)
                change = np.log(np.maximum(margin / np.maximum(now[name], LEAST_SHARE), LEAST_SHARE))
                squares[name][0] += np.minimum(change, 0.0) ** 2
                squares[name][1] += np.maximum(change, 0.0) ** 2
                least[-1][name] = float(margin.min()) if len(margin) else None
        low, high = least
        influences.append(
            Influence(ends[0].key, ends[0].value, ends[1].value, low["hold"], high["hold"], low["plate"], high["plate"])
        )
    least_now = [float(now[name].min()) if len(now[name]) else None for name in ("hold", "plate")]
    influences.sort(key=lambda i: -i.swing(*least_now))
    bands = {}
    for name in loads:
        for end, sign, square in zip(("low", "high"), (-1, 1), squares[name], strict=True):
            band = np.full(len(tip_n), np.inf)
            np.minimum.at(band, where[name], now[name] * np.exp(sign * np.sqrt(square)))
            bands[f"{name}_{end}"] = np.where(np.isinf(band), np.nan, band)
    return Ranges(**bands, influences=tuple(influences))
