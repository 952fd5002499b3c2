"""The tug of war: what pulls at each layer, what holds, and by how much it wins."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.layers import (
    CELLS,
    Bodies,
    Printed,
    Sections,
    beside,
    bodies,
    squeeze_integrals,
    squeeze_with_supports,
)
from wideberth.core.loads import _kernels as kernels
from wideberth.core.loads.down import settling_s
from wideberth.core.loads.holders import capacities_n, plate_patches, second_touches, tip_stiffness, touched_components
from wideberth.core.loads.necks import Necks, necks
from wideberth.core.loads.peel import bond_factors, peel_n, plate_strength
from wideberth.core.loads.seconds import layer_seconds, layer_temperatures, layer_viscosities
from wideberth.core.loads.suction import Suction, suction
from wideberth.core.units import g_weight_n

SPECK_PULL_N = 0.02
"""A pull under this is of a piece with less than 1 mm of outline: nothing that a margin could speak of."""
SPECK_ROWS = 4
"""A piece smaller than this many rows squared is a cusp of the base that the rows cut off; it tears nothing away."""


@dataclass(frozen=True, eq=False)
class Loads:
    """Loads of every layer.

    Attributes (arrays of (layers,) unless said otherwise)
    ----------
    area_mm2, perimeter_mm, squeeze_mm4, components : of everything, base and supports included.
    peel_n, suction_n : pulls of everything. hold_margin : of the weakest tip, NaN where nothing hangs on tips, 0
    where a piece of any size hangs on nothing. plate_margin : NaN where nothing stands on the plate. seconds.
    vat_c : the resin's temperature. settling_s : time constant of the squeezed layer.
    necks : stress in sections of the part that alone hold what hangs beyond them.
    tip_load_n : (layers, tips), below zero where a tip is pushed. tip_margin : (tips,) inf when never pulled.
    tip_worst_layer : (tips,). tip_touches : (tips,) component of the part, -1 when it touches none.
    component_peel_n : (components of everything,). suction : of each opening.
    unheld_n : pull on pieces that nothing holds. unsteady : unresolved moment over what the tips can bend;
    unsteady_tip : a tip of that body, -1.
    solves : how many squeeze integrals were solved exactly.
    """

    area_mm2: NDArray[np.float64]
    perimeter_mm: NDArray[np.float64]
    squeeze_mm4: NDArray[np.float64]
    components: NDArray[np.int64]
    peel_n: NDArray[np.float64]
    suction_n: NDArray[np.float64]
    hold_margin: NDArray[np.float64]
    plate_margin: NDArray[np.float64]
    seconds: NDArray[np.float64]
    vat_c: NDArray[np.float64]
    settling_s: NDArray[np.float64]
    necks: Necks
    tip_load_n: NDArray[np.float64]
    tip_margin: NDArray[np.float64]
    tip_worst_layer: NDArray[np.int64]
    tip_touches: NDArray[np.int64]
    component_peel_n: NDArray[np.float64]
    suction: Suction
    unheld_n: NDArray[np.float64]
    unsteady: NDArray[np.float64]
    unsteady_tip: NDArray[np.int64]
    solves: int

    @property
    def pull_n(self) -> NDArray[np.float64]:
        """Peel and suction together, (layers,)."""
        return self.peel_n + self.suction_n

    @property
    def layers(self) -> int:
        return len(self.area_mm2)


@dataclass(frozen=True, eq=False)
class _Pulls:
    """Pulls on one labelling, sorted by layer: where, how much, on which component."""

    layer: NDArray[np.int64]
    x_mm: NDArray[np.float64]
    y_mm: NDArray[np.float64]
    force_n: NDArray[np.float64]
    component: NDArray[np.int64]


def loads(printed: Printed, bench: Bench, cells: int = CELLS, layers_as_one: int = 1) -> Loads:
    """All loads of a plate.

    Parameters
    ----------
    printed : what is printed, on one grid. cells : size of a squeeze solve (`PREVIEW_CELLS` for previews).
    layers_as_one : printed layers that each of these stands for, in a preview.
    """
    part, everything = printed.part_sections, printed.sections
    layers = printed.all.grid.layers
    bond = bond_factors(layers, bench)
    part_squeeze, solves = squeeze_integrals(part, cells)
    if everything is part:
        all_squeeze = part_squeeze
    else:
        all_squeeze, more = squeeze_with_supports(everything, part, part_squeeze, printed.part_in_all, cells)
        solves += more
    area = everything.per_layer(everything.area_mm2)
    seconds = layer_seconds(area, bench) * layers_as_one
    vat_c = layer_temperatures(seconds, bench)
    viscosity = layer_viscosities(vat_c, bench)
    drawn = suction(printed, bench, viscosity)

    def peel(found: Sections, squeeze: NDArray[np.float64]) -> NDArray[np.float64]:
        pull = peel_n(found.area_mm2, found.perimeter_mm, squeeze, bench, viscosity[found.layer])
        return pull * bond[found.layer]

    part_peel, all_peel = peel(part, part_squeeze), peel(everything, all_squeeze)

    touched = touched_components(printed)
    capacity = capacities_n(printed.touches, bench)
    again, second = second_touches(printed, touched)
    tip = np.concatenate((np.arange(len(touched)), again))
    shared = _share(printed, bench, part, np.where(printed.dust, 0.0, part_peel), drawn, tip,
                    np.concatenate((touched, second)))  # fmt: skip
    tip_load = shared.tip_load_n
    hanging = _pulls(printed, bench, part, np.where(printed.dust, 0.0, part_peel), drawn)
    narrow = necks(part, hanging.layer, hanging.x_mm, hanging.y_mm, hanging.force_n, hanging.component,
                   np.concatenate((touched, second)))  # fmt: skip
    speck = everything.area_mm2 < (SPECK_ROWS * everything.runs.grid.pitch_mm) ** 2
    none = np.empty(0, np.int64)
    stress = _share(
        printed, bench, everything, np.where(speck, 0.0, all_peel), drawn, none, none
    ).plate_stress_n_per_mm2

    pulled = tip_load > 1e-12
    with np.errstate(divide="ignore"):
        margins = np.where(pulled, capacity[None, :] / np.maximum(tip_load, 1e-12), np.inf)
    hold = margins.min(axis=1) if len(capacity) else np.full(layers, np.inf)
    hold = np.where(shared.unheld_n > SPECK_PULL_N, 0.0, np.where(np.isinf(hold), np.nan, hold))
    strength = plate_strength(bench)
    plate = np.where(stress > 0, strength / np.maximum(stress, 1e-12), np.nan)
    return Loads(
        area_mm2=area,
        perimeter_mm=everything.per_layer(everything.perimeter_mm),
        squeeze_mm4=everything.per_layer(all_squeeze),
        components=np.diff(everything.first),
        peel_n=everything.per_layer(all_peel),
        suction_n=np.bincount(printed.openings.layer, drawn.force_n, layers).astype(np.float64),
        hold_margin=hold,
        plate_margin=plate,
        seconds=seconds,
        vat_c=vat_c,
        necks=narrow,
        settling_s=settling_s(
            everything.per_layer(all_squeeze), viscosity, bench.print.layer_height_mm / layers_as_one, bench
        ),
        tip_load_n=tip_load,
        tip_margin=margins.min(axis=0) if layers else np.full(len(capacity), np.inf),
        tip_worst_layer=margins.argmin(axis=0) if layers else np.zeros(len(capacity), np.int64),
        tip_touches=touched,
        component_peel_n=all_peel,
        suction=drawn,
        unheld_n=shared.unheld_n,
        unsteady=shared.unsteady,
        unsteady_tip=shared.unsteady_tip,
        solves=solves,
    )


@dataclass(frozen=True, eq=False)
class _Shares:
    """What `share_pulls` returns; tip_load_n is (layers, tips)."""

    tip_load_n: NDArray[np.float64]
    plate_stress_n_per_mm2: NDArray[np.float64]
    unheld_n: NDArray[np.float64]
    unsteady: NDArray[np.float64]
    unsteady_tip: NDArray[np.int64]


def _share(printed: Printed, bench: Bench, found: Sections, peel: NDArray[np.float64], drawn: Suction,
           tip: NDArray[np.int64], component: NDArray[np.int64]) -> _Shares:  # fmt: skip
    """Share the pulls on one labelling over tips and plate.

    Parameters
    ----------
    tip, component : holders: which tip (index into `printed.touches`) and which component it holds; a tip may appear
        again for a second component, until both have grown together.
    """
    modulus, strength = bench.resin.green_modulus_mpa, bench.resin.green_strength_mpa
    patches = plate_patches(found, modulus)
    grounds = np.arange(found.first[1] if found.layers else 0)
    connected = bodies(found, np.concatenate((component, grounds)))
    pulls = _pulls(printed, bench, found, peel + _weights(found, connected, bench), drawn)
    first = np.searchsorted(pulls.layer, np.arange(found.layers + 1))
    holders = len(tip)
    body = connected.tracked[:, :holders].copy()
    for h in range(holders):
        for earlier in np.flatnonzero(tip[:h] == tip[h]):
            body[body[:, h] == body[:, earlier], h] = -1
    held = [printed.touches[t] for t in tip]
    load, stress, unheld, unsteady, holder = kernels.share_pulls(
        found.layers, first, pulls.x_mm, pulls.y_mm, pulls.force_n, connected.root[pulls.component],
        np.array([t.x_mm for t in held]), np.array([t.y_mm for t in held]),
        np.array([tip_stiffness(t, modulus) for t in held]),
        np.array([strength * np.pi * t.diameter_mm**3 / 32 for t in held]),
        body, patches.x_mm, patches.y_mm, patches.area_mm2, patches.stiffness_n_per_mm, patches.component,
        np.ascontiguousarray(connected.tracked[:, holders:]),
    )  # fmt: skip
    by_tip = np.zeros((found.layers, len(printed.touches)))
    np.add.at(by_tip.T, tip, load.T)
    unsteady_tip = np.where(holder >= 0, np.append(tip, -1)[holder], -1)
    return _Shares(by_tip, stress, unheld, unsteady, unsteady_tip)


def _pulls(printed: Printed, bench: Bench, found: Sections, pull: NDArray[np.float64], drawn: Suction) -> _Pulls:
    """Peel at the centroids of components, suction at those of openings, on the component beside the opening."""
    o = printed.openings
    plugged = printed.all_plugged
    component = beside(found, plugged.row_index()[o.left_run], plugged.x1[o.left_run])
    on = component >= 0
    layer = np.concatenate((found.layer, o.layer[on]))
    order = np.argsort(layer, kind="stable")
    return _Pulls(
        layer[order],
        np.concatenate((found.x_mm, o.x_mm[on]))[order],
        np.concatenate((found.y_mm, o.y_mm[on]))[order],
        np.concatenate((pull, drawn.force_n[on]))[order],
        np.concatenate((np.arange(found.count), component[on]))[order],
    )


def _weights(found: Sections, connected: Bodies, bench: Bench) -> NDArray[np.float64]:
    """Weight [N] that hangs on each component: its body's, shared by area with the body's other components.

    What lies deeper than the resin's surface weighs only its excess density. The share of a body above the surface is
    taken as the whole print's share; the body's weight acts at its topmost section.
    """
    grid, resin = found.runs.grid, bench.resin
    grown = np.cumsum(found.per_layer(found.area_mm2)) * grid.layer_mm
    deep = max(1, round(bench.print.resin_depth_mm / grid.layer_mm))
    above = np.concatenate((np.zeros(min(deep, len(grown))), grown[:-deep]))[: len(grown)]
    aired = np.divide(above, grown, out=np.zeros_like(grown), where=grown > 0)[found.layer]
    density = resin.solid_density_kg_per_m3 - (1 - aired) * resin.density_kg_per_m3
    _, body = np.unique(found.layer * (found.count + 1) + connected.root, return_inverse=True)
    area_of_body = np.bincount(body, found.area_mm2)[body]
    share = np.divide(found.area_mm2, area_of_body, out=np.zeros_like(area_of_body), where=area_of_body > 0)
    return np.maximum(g_weight_n(1.0, 1.0) * connected.volume_mm3 * density * share, 0.0)
