"""Suction under cups: what the lift wants to draw in, and through which holes it can."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.layers import OPEN, OUTSIDE, UNKNOWN, VENTED, Bore, Printed
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


@dataclass(frozen=True)
class _Way:
    """A hole between two void sets, with its two laws of flow."""

    a: int
    b: int
    resistance_pa_s_per_mm3: float
    aired_mm3_per_s_per_sqrt_pa: float


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
    its openings equals the flow through them. Holes between two closed sets are solved together. What the model's own narrow
    ways take is added to that. An open cup pulls nothing, but for the layers in which its hole is only a notch (see `notches`).
    """
    o = printed.openings
    pressure = np.where(o.state == OPEN, 0.0, bench.laws.seal_kpa)
    pressure[(o.state == VENTED) & (o.void_set == OUTSIDE)] = 0.0  # out by their own ways alone
    vents = np.zeros(o.count, np.int64)
    if printed.bores:
        speed = mm_per_s(bench.print.lift_mm_per_min)
        first = np.searchsorted(o.layer, np.arange(printed.all.grid.layers + 1))
        for k in np.unique(o.layer[(o.state == VENTED) & (o.void_set != OUTSIDE)]):
            rows = slice(first[k], first[k + 1])
            viscosity = float(viscosity_pa_s[k])
            ways = _ways(printed, bench, int(k), viscosity)
            wanted: dict[int, float] = {}
            for name, area in zip(o.void_set[rows], o.area_mm2[rows], strict=True):
                if name == OUTSIDE:
                    continue
                wanted[int(name)] = wanted.get(int(name), 0.0) + (1 - bench.film.follow_share) * float(area) * speed
            ways += _half_printed(printed, bench, int(k), viscosity, wanted, ways)
            fixed = {int(s) for s, state in zip(o.void_set[rows], o.state[rows], strict=True) if state != VENTED}
            solved = _pressures(wanted, fixed, ways, bench.laws.seal_kpa)
            for i in range(first[k], first[k + 1]):
                name = int(o.void_set[i])
                if name == OUTSIDE:
                    continue
                vents[i] = sum(name in (w.a, w.b) for w in ways)
                if o.state[i] == VENTED:
                    pressure[i] = solved[name]
    if printed.bores:
        whole = np.array([1 / hole_resistance(b.radius_mm, b.wall_mm, 1.0) for b in printed.bores])
        pressure = np.maximum(pressure, notch_pressures(printed, bench, viscosity_pa_s, whole))
    drawn = (1 - bench.film.follow_share) * mm_per_s(bench.print.lift_mm_per_min) * o.narrow_per_mm / 1000
    with np.errstate(invalid="ignore"):
        narrow = np.where(o.narrow_per_mm > 0, viscosity_pa_s[o.layer] * drawn, 0.0)
    pressure = np.where(o.state == VENTED, np.minimum(pressure + narrow, bench.laws.seal_kpa), pressure)
    return Suction(pressure, pressure * N_PER_MM2_PER_KPA * o.area_mm2, vents, np.minimum(narrow, pressure))


def _ways(printed: Printed, bench: Bench, layer: int, viscosity: float) -> list[_Way]:
    """Holes that join two different void sets at a layer; one that ends in solid counts for nothing."""
    surface_z = (layer + 1) * printed.all.grid.layer_mm - bench.print.resin_depth_mm
    found = []
    for b, bore in enumerate(printed.bores):
        inner, outer = (int(s) for s in printed.mouths.sets[layer, 2 * b : 2 * b + 2])
        if UNKNOWN in (inner, outer) or inner == outer:
            continue
        found.append(_way(bore, inner, outer, viscosity, surface_z, bench))
    return found


def _half_printed(printed: Printed, bench: Bench, layer: int, viscosity: float, sets: dict[int, float],
                  ways: list[_Way]) -> list[_Way]:  # fmt: skip
    """Ways for vented sets that only a slanting hole serves whose upper mouth is not printed yet.

    Each such set takes the begun holes as if they were whole; without any, the seal's pressure stays, on the safe side.
    """
    served = {name for way in ways for name in (way.a, way.b)}
    lone = [name for name in sets if name not in served]
    z = (layer + 1) * printed.all.grid.layer_mm
    begun = []
    for bore in printed.bores:
        heights = [m[2] for m in (bore.inner_mm, bore.outer_mm)]
        if min(heights) - bore.radius_mm < z <= max(heights) + bore.radius_mm:
            begun.append(bore)
    surface_z = z - bench.print.resin_depth_mm
    return [_way(bore, name, OUTSIDE, viscosity, surface_z, bench) for name in lone for bore in begun]


def _way(bore: Bore, a: int, b: int, viscosity: float, surface_z: float, bench: Bench) -> _Way:
    aired = air_flow_factor(bore.radius_mm, bench) if bore.z_mm < surface_z else 0.0
    return _Way(a, b, hole_resistance(bore.radius_mm, bore.wall_mm, viscosity), aired)


def _pressures(wanted: dict[int, float], fixed: set[int], ways: list[_Way], seal_kpa: float) -> dict[int, float]:
    """Under-pressure [kPa] of each void set such that what flows in is what the lift draws; never over the seal."""
    names = sorted({OUTSIDE, *wanted, *(n for way in ways for n in (way.a, way.b))})
    place = {name: i for i, name in enumerate(names)}
    seal = seal_kpa * 1000
    held = np.array([0.0 if n == OUTSIDE else seal if n in fixed else np.nan for n in names])
    pa = kernels.balance(
        np.array([wanted.get(n, 0.0) for n in names]), held,
        np.array([place[w.a] for w in ways], np.int64), np.array([place[w.b] for w in ways], np.int64),
        np.array([w.resistance_pa_s_per_mm3 for w in ways], np.float64),
        np.array([w.aired_mm3_per_s_per_sqrt_pa for w in ways], np.float64), seal,
    )  # fmt: skip
    return {name: float(value) / 1000 for name, value in zip(names, pa, strict=True)}
