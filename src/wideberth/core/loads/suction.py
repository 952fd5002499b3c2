"""Suction under cups: what the lift wants to draw in, and through which holes it can."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.layers import OPEN, OUTSIDE, VENTED, Printed
from wideberth.core.loads import _kernels as kernels
from wideberth.core.loads.notches import notch_pressures
from wideberth.core.units import N_PER_MM2_PER_KPA, mm_per_s


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
    metres = radius_mm * 1e-3
    return bench.laws.discharge * math.pi * metres**2 * math.sqrt(2 / bench.laws.air_kg_per_m3) * 1e9


def suction(printed: Printed, bench: Bench, viscosity_pa_s: NDArray[np.float64]) -> Suction:
    """Suction of every opening at every layer.

    Parameters
    ----------
    viscosity_pa_s : (layers,) of the resin when each layer peels.

    A sealed cup pulls with the seal's pressure. A vented one with what its holes leave: ΔV̇ = (1 - φ) A v summed over
    its openings equals the flow through them. Holes between two closed sets are solved together. Where a hole lies above the
    resin its void holds gas, which gives by itself (see `_gas_kpa`). What the model's own narrow ways take is added to that.
    An open cup pulls nothing, but for the layers in which its hole is only a notch (see `notches`).
    """
    o = printed.openings
    pressure = np.where(o.state == OPEN, 0.0, bench.laws.seal_kpa)
    pressure[(o.state == VENTED) & (o.void_set == OUTSIDE)] = 0.0  # out by their own ways alone
    vents = np.zeros(o.count, np.int64)
    if printed.bores:
        breathes = (o.state == VENTED) & (o.void_set != OUTSIDE)
        through, vents, in_air = _through_holes(printed, bench, viscosity_pa_s, breathes)
        pressure[breathes] = np.minimum(through, np.where(in_air, _gas_kpa(printed, bench), np.inf))[breathes]
        whole = np.array([1 / hole_resistance(b.radius_mm, b.wall_mm, 1.0) for b in printed.bores])
        pressure = np.maximum(pressure, notch_pressures(printed, bench, viscosity_pa_s, whole))
    drawn = (1 - bench.film.follow_share) * mm_per_s(bench.print.lift_mm_per_min) * o.narrow_per_mm / 1000
    with np.errstate(invalid="ignore"):
        narrow = np.where(o.narrow_per_mm > 0, viscosity_pa_s[o.layer] * drawn, 0.0)
    pressure = np.where(o.state == VENTED, np.minimum(pressure + narrow, bench.laws.seal_kpa), pressure)
    return Suction(pressure, pressure * N_PER_MM2_PER_KPA * o.area_mm2, vents, np.minimum(narrow, pressure))


def _through_holes(
    printed: Printed, bench: Bench, viscosity_pa_s: NDArray[np.float64], breathes: NDArray[np.bool_]
) -> tuple[NDArray[np.float64], NDArray[np.int64], NDArray[np.bool_]]:
    """Under-pressure [kPa] that the drilled holes leave in the set of each opening, how many of them serve it, and whether one
    of these lies above the resin, (openings,) each.

    Notes
    -----
    A slanting hole whose upper mouth is not printed yet serves a set that nothing else serves as if it were whole.
    """
    o, bores, grid = printed.openings, printed.bores, printed.all.grid
    drawn = (1 - bench.film.follow_share) * mm_per_s(bench.print.lift_mm_per_min) * o.area_mm2
    mouths = np.array([(b.inner_mm[2], b.outer_mm[2]) for b in bores])
    radius = np.array([b.radius_mm for b in bores])
    pa, vents, in_air = kernels.through_holes(
        np.searchsorted(o.layer, np.arange(grid.layers + 1)), o.void_set, breathes, drawn, printed.mouths.sets,
        np.array([hole_resistance(b.radius_mm, b.wall_mm, 1.0) for b in bores]),
        np.array([air_flow_factor(b.radius_mm, bench) for b in bores]), np.array([b.z_mm for b in bores]),
        mouths.min(axis=1) - radius, mouths.max(axis=1) + radius, viscosity_pa_s,
        np.arange(1, grid.layers + 1) * grid.layer_mm, bench.print.resin_depth_mm, bench.laws.seal_kpa * 1000,
    )  # fmt: skip
    return pa / 1000, vents, in_air


def _gas_kpa(printed: Printed, bench: Bench) -> NDArray[np.float64]:
    """The most that the lift can draw from the gas in each opening's void, (openings,): p_atm ΔV/(V_gas + ΔV) [kPa].

    Boyle's law at one temperature. The gas fills what of the void lies above the resin; ΔV = (1 - φ) A times the first stage of
    the lift, over all openings of the cup.
    """
    o, layer_mm = printed.openings, printed.all.grid.layer_mm
    above = ((o.layer + 1) * layer_mm - bench.print.resin_depth_mm) / layer_mm  # layers of it out of the resin
    gas, grown = np.zeros(o.count), np.zeros(o.count)
    for cup in np.unique(o.cup):
        own = np.flatnonzero(o.cup == cup)
        layers, first = np.unique(o.layer[own], return_index=True)
        gas[own] = np.interp(above[own], np.append(layers[0], layers + 1), np.append(0.0, o.volume_mm3[own[first]]))
        area = np.bincount(o.layer[own] - layers[0], o.area_mm2[own])
        grown[own] = (1 - bench.film.follow_share) * bench.print.lift_mm * area[o.layer[own] - layers[0]]
    return np.asarray(bench.laws.air_kpa * grown / np.maximum(gas + grown, 1e-12))
