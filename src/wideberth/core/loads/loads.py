"""The tug of war: what pulls at each layer, what holds, and by how much it wins."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, by_layer
from wideberth.core.layers import (
    FINE_SQUEEZE,
    Printed,
    Sections,
    Solved,
    SqueezeEffort,
    bodies,
    squeeze_integrals,
    squeeze_with_supports,
)
from wideberth.core.loads.down import Pushed, pushed, settling_s
from wideberth.core.loads.holders import plate_patches
from wideberth.core.loads.necks import Necks
from wideberth.core.loads.peel import bond_factors, line_n, plate_strength, viscous_n
from wideberth.core.loads.pulls import of_all_causes, pulls_on, weights_n
from wideberth.core.loads.ranges import Ranges, margin_ranges, no_ranges
from wideberth.core.loads.seconds import layer_depths, layer_seconds, layer_temperatures, layer_viscosities
from wideberth.core.loads.sharing import Failure, Holders, Shares, first_adrift, follow_failure, share, springs
from wideberth.core.loads.suction import Suction, suction
from wideberth.core.loads.tug import SPECK_PULL_N, PartPulls, Tug
from wideberth.core.loads.young import TipsAtPeels, Young, young
from wideberth.core.progress import Progress, quiet

SPECK_ROWS = 4
"""A piece smaller than this many rows squared is a cusp of the base that the rows cut off; it tears nothing away."""


@dataclass(frozen=True, eq=False)
class Loads:
    """Loads of every layer.

    Attributes (arrays of (layers,) unless said otherwise)
    ----------
    area_mm2, perimeter_mm, squeeze_mm4, components : of everything, base and supports included.
    peel_n, suction_n : pulls of everything. own_pull_n : of the part alone, without base and supports; part_squeeze_mm4 : its
    squeeze integrals. hold_margin : of the weakest tip, NaN where nothing hangs on tips, 0
    where a piece of any size hangs on nothing. plate_margin : NaN where nothing stands on the plate. seconds.
    vat_c : the resin's temperature. cured_mm : how deep each layer's light cures at it.
    settling_s : time constant of the squeezed layer.
    necks : stress in sections of the part that alone hold what hangs beyond them.
    tip_cause_n : (layers, tips, causes), below zero where a tip is pushed; tip_load_n is their sum. tip_margin : (tips,) inf when
    never pulled. tip_worst_layer : (tips,). tip_touches : (tips,) component of the part, -1 when it touches none.
    plate_cause_n_per_mm2 : (layers, causes) on the patch of the plate with the greatest stress.
    ranges : of the margins. failure : what follows when the weakest tip lets go. posts : under the push of the return.
    component_peel_n : (components of everything,); part_peel_n : (components of the part,). young : how far all has set at each
    peel; tips : what tips are printed as and bear then. neck_strength_n_per_mm2 : (components of the part,) at the peel that
    pulls each neck most.
    suction : of each opening.
    unheld_n : pull on pieces that nothing holds; unheld_mm : where the first of them is pulled. unsteady : unresolved moment
    over what the tips can bend; unsteady_tip : a tip of that body, -1.
    part_pulls : what pulls on the part, whatever holds it: other tips can be tried on it.
    solves : how many squeeze integrals were solved exactly.
    """

    area_mm2: NDArray[np.float64]
    perimeter_mm: NDArray[np.float64]
    squeeze_mm4: NDArray[np.float64]
    components: NDArray[np.int64]
    peel_n: NDArray[np.float64]
    suction_n: NDArray[np.float64]
    own_pull_n: NDArray[np.float64]
    part_squeeze_mm4: NDArray[np.float64]
    hold_margin: NDArray[np.float64]
    plate_margin: NDArray[np.float64]
    seconds: NDArray[np.float64]
    vat_c: NDArray[np.float64]
    cured_mm: NDArray[np.float64]
    settling_s: NDArray[np.float64]
    necks: Necks
    tip_cause_n: NDArray[np.float64]
    tip_margin: NDArray[np.float64]
    tip_worst_layer: NDArray[np.int64]
    tip_touches: NDArray[np.int64]
    component_peel_n: NDArray[np.float64]
    part_peel_n: NDArray[np.float64]
    young: Young
    tips: TipsAtPeels
    neck_strength_n_per_mm2: NDArray[np.float64]
    suction: Suction
    unheld_n: NDArray[np.float64]
    unheld_mm: tuple[float, float] | None
    unsteady: NDArray[np.float64]
    unsteady_tip: NDArray[np.int64]
    solves: int
    plate_cause_n_per_mm2: NDArray[np.float64]
    ranges: Ranges
    failure: Failure | None
    part_pulls: PartPulls
    posts: Pushed

    def held_as(self, tug: Tug) -> Loads:
        """With what a tug of the same pulls on other tips makes of them; the plate, ranges and what follows a failure stay."""
        margins, shared = tug.tip_margin, tug.shared
        return replace(
            self,
            hold_margin=tug.hold_margin,
            necks=tug.necks,
            tip_cause_n=shared.tip_n,
            tip_margin=margins.min(axis=0, initial=np.inf),
            tip_worst_layer=margins.argmin(axis=0) if self.layers else np.zeros(len(tug.printed.touches), np.int64),
            tip_touches=tug.printed.touched,
            tips=tug.tips,
            neck_strength_n_per_mm2=tug.neck_strength_n_per_mm2,
            unheld_n=shared.unheld_n,
            unheld_mm=first_adrift(shared, tug.pulls, tug.hanging, SPECK_PULL_N),
            unsteady=shared.unsteady,
            unsteady_tip=shared.unsteady_tip,
            posts=pushed(tug.printed.touches, shared.tip_n, tug.bench, self.young),
        )

    @cached_property
    def tip_load_n(self) -> NDArray[np.float64]:
        """Load on each tip, (layers, tips)."""
        return of_all_causes(self.tip_cause_n)

    @cached_property
    def sheet_stiff(self) -> NDArray[np.float64]:
        """How stiff the youngest layers together are as each layer peels, over the modulus that is stated, (layers,)."""
        return self.young.sheet_factor(np.arange(self.layers), self.young.bench.laws.young_layers)

    @property
    def tip_capacity_n(self) -> NDArray[np.float64]:
        """Pull at which each tip lets go as each layer peels, (layers, tips)."""
        return self.tips.capacity_n

    @property
    def pull_n(self) -> NDArray[np.float64]:
        """Peel and suction together, (layers,)."""
        return self.peel_n + self.suction_n

    @property
    def other_pull_n(self) -> NDArray[np.float64]:
        """Pull on base and supports alone, (layers,)."""
        return np.maximum(self.pull_n - self.own_pull_n, 0.0)

    @property
    def layers(self) -> int:
        return len(self.area_mm2)


def loads(
    printed: Printed,
    bench: Bench,
    effort: SqueezeEffort = FINE_SQUEEZE,
    layers_as_one: int = 1,
    known: Solved | None = None,
    ranged: bool = True,
    progress: Progress | None = None,
) -> Loads:
    """All loads of a plate.

    Parameters
    ----------
    printed : what is printed, on one grid. effort : how exactly squeeze integrals are found (`PREVIEW_SQUEEZE` for
    previews).
    layers_as_one : printed layers that each of these stands for, in a preview. known : squeeze integrals solved before.
    ranged : whether ranges of the margins are wanted too, and what follows a failure. progress : heeded in between.

    Raises
    ------
    Cancelled : when `progress` was cancelled meanwhile.
    """
    progress = progress or quiet()
    part, everything = printed.part_sections, printed.sections
    layers = printed.all.grid.layers
    part_squeeze, all_squeeze, solves = _squeezes(printed, effort, known)
    progress.heed()
    area, squeeze = everything.per_layer(everything.area_mm2), everything.per_layer(all_squeeze)
    seconds = layer_seconds(area, bench) * layers_as_one
    vat_c = layer_temperatures(seconds, bench)
    viscosity = layer_viscosities(vat_c, bench)
    drawn = suction(printed, bench, viscosity)
    on_part = _Peel(part, part_squeeze, bench, viscosity, printed.alone.dust)
    speck = everything.area_mm2 < (SPECK_ROWS * everything.runs.grid.pitch_mm) ** 2
    on_all = _Peel(everything, all_squeeze, bench, viscosity, speck)

    progress.heed()
    set_so_far = young(vat_c, part.runs.grid.layer_mm, _as_printed(bench, layers_as_one))
    with ThreadPoolExecutor(1) as beside:  # the plate's tug and the tips' are two
        plate = beside.submit(_on_the_plate, printed, bench, on_all, drawn)
        part_pulls = PartPulls(printed, bench, on_part.line_n, on_part.viscous_n, drawn, set_so_far)
        tug = part_pulls.tug()
        holders, hanging, pulls, tips, shared = tug.holders, tug.hanging, tug.pulls, tug.tips, tug.shared
        failure = None
        if ranged:
            failure = follow_failure(printed, part, pulls, hanging, holders, tug.springs, tips, shared, SPECK_PULL_N)
        posts = pushed(printed.touches, shared.tip_n, bench, set_so_far)
        on_plate = plate.result()
    progress.heed()
    capacity = tips.capacity_n

    sucked = np.bincount(printed.openings.layer, drawn.force_n, layers).astype(np.float64)
    margins = tug.tip_margin
    stress, strength = on_plate.sum(axis=1), plate_strength(bench)
    return Loads(
        area_mm2=area,
        perimeter_mm=everything.per_layer(everything.perimeter_mm),
        squeeze_mm4=squeeze,
        components=np.diff(everything.first),
        peel_n=everything.per_layer(on_all.whole_n),
        suction_n=sucked,
        own_pull_n=part.per_layer(on_part.whole_n) + sucked,
        part_squeeze_mm4=part.per_layer(part_squeeze),
        hold_margin=tug.hold_margin,
        plate_margin=np.where(stress > 0, strength / np.maximum(stress, 1e-12), np.nan),
        seconds=seconds,
        vat_c=vat_c,
        cured_mm=layer_depths(vat_c, bench),
        necks=tug.necks,
        settling_s=settling_s(squeeze, viscosity, bench.print.layer_height_mm / layers_as_one, bench),
        tip_cause_n=shared.tip_n,
        tip_margin=margins.min(axis=0) if layers else np.full(len(printed.touches), np.inf),
        tip_worst_layer=margins.argmin(axis=0) if layers else np.zeros(len(printed.touches), np.int64),
        tip_touches=printed.touched,
        component_peel_n=on_all.whole_n,
        part_peel_n=on_part.whole_n,
        young=set_so_far,
        tips=tips,
        neck_strength_n_per_mm2=tug.neck_strength_n_per_mm2,
        suction=drawn,
        unheld_n=shared.unheld_n,
        unheld_mm=first_adrift(shared, pulls, hanging, SPECK_PULL_N),
        unsteady=shared.unsteady,
        unsteady_tip=shared.unsteady_tip,
        solves=solves,
        plate_cause_n_per_mm2=on_plate,
        ranges=margin_ranges(
            shared.tip_n, capacity, on_plate, strength, bench, bond_factors(layers, bench), on_all.by_width, tips, set_so_far
        )
        if ranged
        else no_ranges(layers),
        failure=failure,
        posts=posts,
        part_pulls=part_pulls,
    )


def _as_printed(bench: Bench, layers_as_one: int) -> Bench:
    """The bench of the layers as they are printed, from that of a preview which takes several as one."""
    if layers_as_one == 1:
        return bench
    p, n = bench.print, layers_as_one
    thin = replace(
        p, layer_height_mm=p.layer_height_mm / n, first_layers=p.first_layers * n, transition_layers=p.transition_layers * n
    )
    return replace(bench, print=thin)


def _squeezes(
    printed: Printed, effort: SqueezeEffort, known: Solved | None
) -> tuple[NDArray[np.float64], NDArray[np.float64], int]:
    """Squeeze integrals of the components of the part and of everything, and how many were solved."""
    part, everything = printed.part_sections, printed.sections
    of_part, solves = squeeze_integrals(part, effort, known=known)
    if everything is part:
        return of_part, of_part, solves
    of_all, more = squeeze_with_supports(everything, part, of_part, printed.part_in_all, effort, known)
    return of_part, of_all, solves + more


class _Peel:
    """Peel of every component by its causes; what is no more than a chip of facets tears nothing away and counts only in the sum.

    Attributes (arrays of (components,))
    ----------
    line_n, viscous_n : of what tears. whole_n : both, chips included.
    """

    def __init__(
        self,
        sections: Sections,
        squeeze_mm4: NDArray[np.float64],
        bench: Bench,
        viscosity: NDArray[np.float64],
        chips: NDArray[np.bool_],
    ) -> None:
        self.sections = sections
        bond = bond_factors(sections.layers, bench)[sections.layer]
        speed = by_layer(bench, sections.layers, lambda m: m.lift_mm_per_min)[sections.layer]
        line = line_n(sections.perimeter_mm, bench) * bond
        viscous = viscous_n(sections.area_mm2, squeeze_mm4, bench, viscosity[sections.layer], speed) * bond
        self._width2 = squeeze_mm4 / np.maximum(sections.area_mm2, 1e-12) / bench.laws.shape_length2_mm2
        self._all_viscous_n = viscous
        self.whole_n = line + viscous
        self.line_n, self.viscous_n = np.where(chips, 0.0, line), np.where(chips, 0.0, viscous)

    def by_width(self, more: float) -> NDArray[np.float64]:
        """What `more` of the power m makes of each layer's viscous pull, (layers,)."""
        now = self.sections.per_layer(self._all_viscous_n)
        then = self.sections.per_layer(self._all_viscous_n * np.maximum(self._width2, 1e-9) ** more)
        return np.divide(then, now, out=np.ones(len(now)), where=now > 0)


def _grounds(sections: Sections) -> NDArray[np.int64]:
    """Components of the first layer."""
    return np.arange(sections.first[1] if sections.layers else 0)


def _on_the_plate(printed: Printed, bench: Bench, peel: _Peel, drawn: Suction) -> NDArray[np.float64]:
    """Stress [N/mm²] on the hardest pulled patch of the plate, (layers, causes)."""
    none = np.empty(0, np.int64)
    standing = bodies(peel.sections, _grounds(peel.sections))
    pulls = pulls_on(printed, peel.sections, peel.line_n, peel.viscous_n, weights_n(peel.sections, standing, bench), drawn)
    holders = Holders(none, none, plate_patches(peel.sections, bench.resin.green_modulus_mpa))
    holding = springs(printed, bench, peel.sections, standing, holders, None)
    shares: Shares = share(printed, peel.sections, pulls, standing, holders, holding)
    return shares.plate_n_per_mm2
