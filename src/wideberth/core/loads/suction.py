"""Suction under cups: what the lift wants to draw in, and through which holes it can."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, by_layer
from wideberth.core.layers import OPEN, OUTSIDE, VENTED, Printed
from wideberth.core.loads import _kernels as kernels
from wideberth.core.loads.notches import notch_pressures
from wideberth.core.units import N_PER_MM2_PER_KPA, mm_per_s

NO_RESISTANCE = 1e-6


@dataclass(frozen=True, eq=False)
class Suction:
    """Suction of each opening of `Printed.openings`: `pressure_kpa`, `force_n`, the number of `vents` (drilled holes) of its set,
    and the share of the pressure that the model's own `narrow_kpa` ways take."""

    pressure_kpa: NDArray[np.float64]
    force_n: NDArray[np.float64]
    vents: NDArray[np.int64]
    narrow_kpa: NDArray[np.float64]


def hole_resistance(radius_mm: float, wall_mm: float, viscosity_pa_s: float) -> float:
    """Resistance of a hole full of resin [Pa·s/mm³]: 8 μ L/(π r⁴) + 3 μ/r³.

    Poiseuille's law for the bore and Sampson's for its two ends.
    """
    return viscosity_pa_s * (8 * wall_mm / (math.pi * radius_mm**4) + 3 / radius_mm**3)


def air_flow_factor(radius_mm: float, bench: Bench) -> float:
    """Flow of air through a hole above the resin [mm³/s per √Pa]: Cd π r² √(2/ρ)."""
    return float(air_flow_of(np.array([math.pi * radius_mm**2]), bench)[0])


def air_flow_of(area_mm2: NDArray[np.float64], bench: Bench) -> NDArray[np.float64]:
    """The same for any areas, (n,)."""
    return np.asarray(bench.laws.discharge * area_mm2 * 1e-6 * math.sqrt(2 / bench.laws.air_kg_per_m3) * 1e9)


def suction(printed: Printed, bench: Bench, viscosity_pa_s: NDArray[np.float64]) -> Suction:
    """Suction of every opening at every layer.

    Parameters
    ----------
    viscosity_pa_s : (layers,) of the resin when each layer peels.

    A sealed cup pulls with the seal's pressure. A vented one with what its holes and the model's own narrow ways leave:
    ΔV̇ = (1 - φ) A v summed over its openings equals the flow through them. Ways between two closed sets are solved together.
    Where one lies above the resin its void holds gas, which gives by itself (see `_gas_kpa`).
    An open cup pulls nothing, but for the layers in which its hole is only a notch (see `notches`).
    """
    o = printed.openings
    pressure = np.where(o.state == OPEN, 0.0, bench.laws.seal_kpa)
    pressure[(o.state == VENTED) & (o.void_set == OUTSIDE)] = 0.0
    vents, narrow = np.zeros(o.count, np.int64), np.zeros(o.count)
    if printed.bores or printed.ways.count:
        breathes = (o.state == VENTED) & (o.void_set != OUTSIDE)
        through, vents, others, in_air = _through_holes(printed, bench, viscosity_pa_s, breathes, 1.0)
        gas = np.where(in_air, _gas_kpa(printed, bench), np.inf)
        pressure[breathes] = np.minimum(through, gas)[breathes]
        own = breathes & (others > 0)
        if own.any():  # what they take is what would be less without them
            free = _through_holes(printed, bench, viscosity_pa_s, breathes, NO_RESISTANCE)[0]
            narrow[own] = (pressure - np.minimum(free, gas))[own]
    if printed.bores:
        whole = np.array([1 / hole_resistance(b.radius_mm, b.wall_mm, 1.0) for b in printed.bores])
        slots, opening = notch_pressures(printed, bench, viscosity_pa_s, whole)
        vents = np.where(slots > 0, np.maximum(vents, opening), vents)
        pressure = np.maximum(pressure, slots)
    return Suction(pressure, pressure * N_PER_MM2_PER_KPA * o.area_mm2, vents, np.maximum(narrow, 0.0))


def _through_holes(
    printed: Printed, bench: Bench, viscosity_pa_s: NDArray[np.float64], breathes: NDArray[np.bool_], narrow: float
) -> tuple[NDArray[np.float64], NDArray[np.int64], NDArray[np.int64], NDArray[np.bool_]]:
    """Under-pressure [kPa] that holes and narrow ways leave in the set of each opening, how many drilled holes and how
    many of the model's own ways serve it, and whether one of these lies above the resin, (openings,) each.

    Parameters
    ----------
    narrow : factor on what the model's own ways resist.

    Notes
    -----
    A slanting hole whose upper mouth is not printed yet serves a set that nothing else serves as if it were whole.
    """
    o, bores, ways, grid = printed.openings, printed.bores, printed.ways, printed.all.grid
    speed = by_layer(bench, grid.layers, lambda m: mm_per_s(m.lift_mm_per_min))
    drawn = (1 - bench.film.follow_share) * speed[o.layer] * o.area_mm2
    mouths = np.array([(b.inner_mm[2], b.outer_mm[2]) for b in bores]).reshape(-1, 2)
    radius = np.array([b.radius_mm for b in bores])
    drilled = np.array([hole_resistance(b.radius_mm, b.wall_mm, 1.0) for b in bores])
    with np.errstate(divide="ignore"):
        own = narrow / ways.conductance_mm3
    never = np.full(ways.count, np.inf)
    openings = kernels.Openings(np.searchsorted(o.layer, np.arange(grid.layers + 1)), o.void_set, breathes, drawn)
    holes = kernels.HolesAt(
        printed.mouths.sets,
        np.concatenate((np.repeat(drilled[:, None], grid.layers, axis=1), own)),
        np.concatenate(([air_flow_factor(b.radius_mm, bench) for b in bores], air_flow_of(ways.area_mm2, bench))),
        np.concatenate(([b.z_mm for b in bores], ways.z_mm)),
        np.concatenate((mouths.min(axis=1, initial=np.inf) - radius, never)),
        np.concatenate((mouths.max(axis=1, initial=-np.inf) + radius, -never)),
        len(bores),
    )
    tops = np.arange(1, grid.layers + 1) * grid.layer_mm
    pa, vents, others, in_air = kernels.through_holes(
        openings, holes, viscosity_pa_s, tops, bench.print.resin_depth_mm, bench.laws.seal_kpa * 1000
    )
    return pa / 1000, vents, others, in_air


def _gas_kpa(printed: Printed, bench: Bench) -> NDArray[np.float64]:
    """The most that the lift can draw from the gas in each opening's void, (openings,): p_atm ΔV/(V_gas + ΔV) [kPa].

    Boyle's law at one temperature. The gas fills what of the void lies above the resin; ΔV = (1 - φ) A times the first stage of
    the lift, over all openings of the cup.
    """
    o, layer_mm = printed.openings, printed.all.grid.layer_mm
    above = ((o.layer + 1) * layer_mm - bench.print.resin_depth_mm) / layer_mm  # layers of it out of the resin
    lift_mm = by_layer(bench, printed.all.grid.layers, lambda m: m.lift_mm)
    gas, grown = np.zeros(o.count), np.zeros(o.count)
    for cup in np.unique(o.cup):
        own = np.flatnonzero(o.cup == cup)
        layers, first = np.unique(o.layer[own], return_index=True)
        gas[own] = np.interp(above[own], np.append(layers[0], layers + 1), np.append(0.0, o.volume_mm3[own[first]]))
        area = np.bincount(o.layer[own] - layers[0], o.area_mm2[own])
        grown[own] = (1 - bench.film.follow_share) * lift_mm[o.layer[own]] * area[o.layer[own] - layers[0]]
    return np.asarray(bench.laws.air_kpa * grown / np.maximum(gas + grown, 1e-12))
