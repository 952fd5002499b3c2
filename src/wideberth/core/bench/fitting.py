"""Fits: what a peg and the bore it goes into come out as in their poses, and whether they slide, hold or jam (physics, fits)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

from wideberth.core.bench.bench import Bench
from wideberth.core.bench.cure import cured_depth_mm
from wideberth.core.bench.rules import HouseRules
from wideberth.core.bench.tested import outline_growth_mm

UNSURE_SHARE = 0.5
"""Growth and shrinkage may be off by so much of themselves until a comb of clearances was printed."""


class FitClass(StrEnum):
    """What a clearance comes to."""

    JAMS = "jams"
    PUSH = "push-fit"
    GLUED = "for glue"
    MOVES = "moves"


@dataclass(frozen=True)
class Drawn:
    """A round feature as it is drawn. tilt_deg : of its axis from the upright in the pose that it is printed in, 0 to 90."""

    diameter_mm: float
    is_bore: bool
    tilt_deg: float


@dataclass(frozen=True)
class Round:
    """A round feature as it comes out. level_mm, steep_mm : its diameter along the layers, and across them where its axis leans;
    least_mm, most_mm : with steps and what is not known for certain. growth_mm : of the outline, on each side; shrinkage_mm
    : of the diameter; through_mm : by how much light that goes deeper than a layer lowers its downward side; steps_mm :
    between layers."""

    level_mm: float
    steep_mm: float
    least_mm: float
    most_mm: float
    growth_mm: float
    shrinkage_mm: float
    through_mm: float
    steps_mm: float

    @property
    def mean_mm(self) -> float:
        return 0.5 * (self.level_mm + self.steep_mm)

    @property
    def out_of_round_mm(self) -> float:
        """Between its two diameters."""
        return abs(self.level_mm - self.steep_mm)


@dataclass(frozen=True)
class FitTold:
    """Clearance left on each side [mm], least, mean and most, and what each comes to."""

    peg: Round
    bore: Round
    least_mm: float
    mean_mm: float
    most_mm: float
    comes_to: FitClass
    at_least: FitClass
    at_most: FitClass

    def widen_mm(self, wanted_mm: float) -> float:
        """By how much the bore is to be wider on each side for a wanted clearance; below zero where narrower."""
        return wanted_mm - self.mean_mm


def as_printed(drawn: Drawn, bench: Bench) -> Round:
    """What a round feature comes out as.

    Notes
    -----
    The outline grows by g on each side, out of the solid: a peg by 2g, a bore by -2g. All shrinks on cure by the resin's share.
    Where the axis leans by θ, the side that looks down is lowered by (C - t) sin θ, since light goes deeper than the layer (C,
    its cured depth, over t, its height): a peg grows by it, a bore loses it. Between layers the surface steps by t sin θ.
    """
    sign = -1.0 if drawn.is_bore else 1.0
    lean = math.sin(math.radians(drawn.tilt_deg))
    layer, growth = bench.print.layer_height_mm, outline_growth_mm(bench)
    depth = cured_depth_mm(bench.resin, bench.printer, bench.print.exposure_s, bench.print.vat_c)
    through, steps = max(depth - layer, 0.0) * lean, layer * lean
    left = 1.0 - bench.resin.cure_shrinkage_share
    level = (drawn.diameter_mm + 2 * sign * growth) * left
    steep = (drawn.diameter_mm + 2 * sign * growth + sign * through) * left
    shrinkage = drawn.diameter_mm * bench.resin.cure_shrinkage_share
    unsure = UNSURE_SHARE * (2 * abs(growth) + shrinkage)
    return Round(
        level, steep, min(level, steep) - steps - unsure, max(level, steep) + steps + unsure, growth, shrinkage, through, steps
    )


def fit_told(peg: Drawn, bore: Drawn, bench: Bench) -> FitTold:
    """How a peg sits in a bore, both as they come out of one resin."""
    pin, hole = as_printed(peg, bench), as_printed(bore, bench)
    least = 0.5 * (hole.least_mm - pin.most_mm)
    mean = 0.5 * (hole.mean_mm - pin.mean_mm)
    most = 0.5 * (hole.most_mm - pin.least_mm)
    house = bench.house
    return FitTold(pin, hole, least, mean, most, *(fit_class(mm, house) for mm in (mean, least, most)))


def fit_class(clearance_mm: float, house: HouseRules) -> FitClass:
    """What a clearance on each side comes to: it jams below none, and else is what the nearest of the house's clearances is
    for."""
    if clearance_mm < 0:
        return FitClass.JAMS
    classes = sorted(((house.push_fit_mm, FitClass.PUSH), (house.glued_mm, FitClass.GLUED), (house.moving_mm, FitClass.MOVES)))
    return min(classes, key=lambda known: abs(known[0] - clearance_mm))[1]
