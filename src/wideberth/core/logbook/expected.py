"""What a run was predicted to do, as far as any of it can be measured: kept with the log, so that a fit needs no geometry."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from wideberth.core.bench import Bench, by_layer, exposures_of_layers, ratio_at, stated_ratio, viscosity_at
from wideberth.core.errors import BadLog
from wideberth.core.layers import Sections
from wideberth.core.loads import (
    CAUSES,
    LINE,
    SEALED_CUP,
    VENTED_CUP,
    VISCOUS,
    bond_factors,
    line_n,
    sealed_openings,
    suction_at,
    weakest_of,
)
from wideberth.core.predict import Prediction
from wideberth.core.units import KG_PER_M3_IN_G_PER_ML, MM3_PER_ML

Values = NDArray[np.float64]
PULLED = (LINE, VISCOUS, SEALED_CUP, VENTED_CUP)
"""Causes that a load cell feels; weight it is tared for."""


CHECKS = 40
"""Heights at which it is kept how far each tip has been loaded until there."""


@dataclass(frozen=True)
class Coefficients:
    """What a bench reckons with of all that prints can teach; each in the unit of its bench key."""

    line_adhesion: float
    viscous_pull: float
    rate_power: float
    seal_kpa: float
    strength_mpa: float
    plate_adhesion: float
    overhead_s: float
    motion_factor: float
    cling_factor: float
    stays_ml: float
    density: float
    green_beta: float = 1.0
    stated_ratio: float = np.nan
    """E_w/E_c at which the strength is stated; unknown of prints that were logged before it was kept."""

    @staticmethod
    def of(bench: Bench) -> Coefficients:
        """A bench's."""
        film, laws, resin, printer = bench.film, bench.laws, bench.resin, bench.printer
        return Coefficients(
            film.line_adhesion_n_per_mm,
            film.viscous_pull_n_per_mm2,
            laws.rate_power,
            laws.seal_kpa,
            resin.green_strength_mpa,
            laws.plate_adhesion_n_per_mm2,
            printer.overhead_s,
            printer.motion_factor,
            resin.cling_factor,
            printer.stays_ml,
            resin.density_kg_per_m3 * KG_PER_M3_IN_G_PER_ML,
            resin.green_beta,
            stated_ratio(bench),
        )


@dataclass(frozen=True, eq=False)
class Expected:
    """A prediction by layer, by print and by tip, at the coefficients of its bench.

    Attributes
    ----------
    layer_mm : layer height. names : of the prints. moved_s, lit_s, seconds : (layers,) motion, light, all of a layer; the rest is
    waits and overhead. line_n, viscous_n, sealed_n, vented_n : (layers,) pull on all that is printed, by cause. rate : (layers,)
    μ/μ0 · v/v0 that `viscous_n` was taken at. vat_c : (layers,). grown_ml : (layers,) solid volume up to and with each layer.
    own_n : (prints, layers, causes felt) pull on each print itself, without supports and base.
    hold_margin, hold_low, hold_high, plate_margin : (layers,) NaN where there is none.
    tip_print, tip_layer : (tips,) which print, and its worst layer. tip_mm : drawn diameter. tip_cause_n : (tips, causes) there.
    tip_holds_n : (tips,) what it bears there. tip_ratio : (tips,) E_w/E_c that it has got there, NaN where it is not known.
    tip_margin : (tips,).
    tip_so_far : (checks, tips) greatest load over strength until the end of each of `CHECKS` equal stretches of layers.
    tip_n, tip_bears_n : (layers, tips, causes) and (layers, tips) all along; without layers in a log, where nobody asks for them.
    solid_ml, clings_ml, stays_ml : resin. first_layers. at : the coefficients that all this was reckoned with.
    """

    layer_mm: float
    names: tuple[str, ...]
    moved_s: Values
    lit_s: Values
    seconds: Values
    line_n: Values
    viscous_n: Values
    sealed_n: Values
    vented_n: Values
    rate: Values
    vat_c: Values
    grown_ml: Values
    own_n: Values
    hold_margin: Values
    hold_low: Values
    hold_high: Values
    plate_margin: Values
    tip_print: NDArray[np.int64]
    tip_layer: NDArray[np.int64]
    tip_mm: Values
    tip_cause_n: Values
    tip_holds_n: Values
    tip_ratio: Values
    tip_margin: Values
    tip_so_far: Values
    tip_n: Values
    tip_bears_n: Values
    solid_ml: float
    clings_ml: float
    stays_ml: float
    first_layers: int
    at: Coefficients

    @property
    def layers(self) -> int:
        return len(self.seconds)

    @property
    def pull_n(self) -> Values:
        """Peel and suction, (layers,)."""
        return self.line_n + self.viscous_n + self.sealed_n + self.vented_n

    @property
    def own_pull_n(self) -> Values:
        """Pull on each print itself, (prints, layers)."""
        return np.asarray(self.own_n.sum(axis=2))

    @property
    def resin_ml(self) -> float:
        return self.solid_ml + self.clings_ml + self.stays_ml

    @property
    def weakest(self) -> float | None:
        """The least margin of all layers, None where nothing hangs on tips."""
        return None if np.isnan(self.hold_margin).all() else float(np.nanmin(self.hold_margin))

    @property
    def weakest_range(self) -> tuple[float, float] | None:
        """Of the weakest margin, as the bench's coefficients go."""
        return None if self.weakest is None else weakest_of(self.hold_low, self.hold_high)

    def kept(self) -> Expected:
        """As a log keeps it: without what only a simulated printer asks for."""
        return replace(self, tip_n=self.tip_n[:0], tip_bears_n=self.tip_bears_n[:0])


def expected_of(seen: Prediction) -> Expected:
    """What a predicted plate is expected to do.

    Raises
    ------
    BadLog : for a preview, which stands for several layers at once.
    """
    if seen.fineness.layers_as_one != 1:
        raise BadLog("a preview is no prediction to compare a print with.", remedy="Wait for the fine one.")
    bench, loads, printed = seen.job.bench, seen.loads, seen.printed
    layers, everything, part = loads.layers, printed.sections, printed.part_sections
    viscosity = np.array([viscosity_at(bench.resin, float(c)) for c in loads.vat_c])
    speed = by_layer(bench, layers, lambda m: m.lift_mm_per_min)
    rate = viscosity / bench.laws.peel_viscosity_pa_s * speed / bench.laws.peel_speed_mm_per_min
    line = np.bincount(everything.layer, _line_of(everything, bench), layers).astype(float)
    o, drawn = printed.openings, loads.suction
    sealed = sealed_openings(o, drawn)
    prints = [s.placed.name for s in seen.solids]
    own = _own_pulls(seen, part, bench)
    worst = loads.tip_worst_layer
    tips = np.arange(len(worst))
    motions = by_layer(bench, layers, lambda m: m.moving_s)
    return Expected(
        bench.print.layer_height_mm,
        tuple(prints),
        motions,
        lit_seconds(seen),
        loads.seconds,
        line,
        loads.peel_n - line,
        np.bincount(o.layer, np.where(sealed, drawn.force_n, 0.0), layers).astype(float),
        np.bincount(o.layer, np.where(sealed, 0.0, drawn.force_n), layers).astype(float),
        rate,
        loads.vat_c,
        np.cumsum(loads.area_mm2) * bench.print.layer_height_mm / MM3_PER_ML,
        own,
        loads.hold_margin,
        loads.ranges.hold_low,
        loads.ranges.hold_high,
        loads.plate_margin,
        np.array([t.part for t in printed.touches], np.int64),
        worst,
        np.array([t.diameter_mm for t in printed.touches], float),
        loads.tip_cause_n[worst, tips] if layers and len(tips) else np.zeros((len(tips), len(CAUSES))),
        loads.tip_capacity_n[worst, tips] if layers and len(tips) else np.zeros(len(tips)),
        ratio_at(loads.tips.stiff[worst, tips], bench) if layers and len(tips) else np.ones(len(tips)),
        loads.tip_margin,
        _so_far(loads.tip_load_n, loads.tip_capacity_n),
        loads.tip_cause_n,
        loads.tip_capacity_n,
        seen.verdict.totals.part_ml + seen.verdict.totals.support_ml,
        seen.verdict.totals.clinging_ml,
        seen.verdict.totals.stays_ml,
        bench.print.first_layers,
        Coefficients.of(bench),
    )


def _so_far(load_n: Values, bears_n: Values) -> Values:
    """Greatest load over strength of each tip until the end of each stretch of layers, (checks, tips)."""
    layers, tips = load_n.shape
    if not layers or not tips:
        return np.zeros((CHECKS, tips))
    ratio = np.maximum.accumulate(np.maximum(load_n, 0.0) / np.maximum(bears_n, 1e-12), axis=0)
    return np.asarray(ratio[np.minimum(np.arange(1, CHECKS + 1) * layers // CHECKS, layers) - 1])


def lit_seconds(seen: Prediction) -> Values:
    """Light on each layer, (layers,); what a laser writes is what is not motion, waits and overhead."""
    bench, seconds = seen.job.bench, seen.loads.seconds
    if bench.printer.writes_mm2_per_s is None:
        return exposures_of_layers(bench.print, len(seconds))
    return seconds - by_layer(bench, len(seconds), lambda m: m.seconds)


def _line_of(sections: Sections, bench: Bench) -> Values:
    """Line adhesion of each component as its layer bonds, (components,)."""
    return line_n(sections.perimeter_mm, bench) * bond_factors(sections.layers, bench)[sections.layer]


def _own_pulls(seen: Prediction, part: Sections, bench: Bench) -> Values:
    """Pull on each print, (prints, layers, causes felt).

    Components of the part that hang together are one piece; a piece belongs to the print whose tips touch it, else to that whose
    box it lies in, or is nearest to.
    """
    prints, layers = len(seen.solids), part.layers
    made = np.zeros((prints, layers, len(PULLED)))
    if part.count == 0:
        return made
    line = _line_of(part, bench)
    viscous = seen.loads.part_peel_n - line
    owner = _owners(seen, part)
    drawn_n, sealed = seen.loads.suction.force_n, sealed_openings(seen.printed.openings, seen.loads.suction)
    shut, vented = (suction_at(seen.printed, part, np.where(of, drawn_n, 0.0)) for of in (sealed, ~sealed))
    for place, force in enumerate((line, viscous, shut, vented)):
        np.add.at(made[:, :, place], (owner, part.layer), force)
    return made


def _owners(seen: Prediction, part: Sections) -> NDArray[np.int64]:
    """The print that each component of the part belongs to, (components,)."""
    links = coo_array((np.ones(len(part.upper), np.int8), (part.upper, part.lower)), (part.count, part.count))
    pieces, piece = connected_components(links, directed=False)
    votes = np.zeros((pieces, len(seen.solids)))
    for touch, component in zip(seen.printed.touches, seen.loads.tip_touches, strict=True):
        if component >= 0:
            votes[piece[component], touch.part] += 1
    weight = np.bincount(piece, part.area_mm2, pieces)
    x = np.bincount(piece, part.area_mm2 * part.x_mm, pieces) / weight
    y = np.bincount(piece, part.area_mm2 * part.y_mm, pieces) / weight
    for n, (_, low, high) in enumerate(seen.boxes):
        beyond = np.hypot(
            np.maximum(np.maximum(low[0] - x, x - high[0]), 0.0), np.maximum(np.maximum(low[1] - y, y - high[1]), 0.0)
        )
        middle = np.hypot(x - 0.5 * (low[0] + high[0]), y - 0.5 * (low[1] + high[1]))
        votes[:, n] -= 1e-3 * beyond + 1e-6 * middle
    return np.asarray(votes.argmax(axis=1)[piece], np.int64)
