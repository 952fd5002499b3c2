"""Drilled holes while they are only notches: in their own layers a cup breathes through a slot that is open to the film."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, by_layer
from wideberth.core.layers import OPEN, OUTSIDE, UNKNOWN, VENTED, Bore, Printed
from wideberth.core.units import mm_per_s

CHORD_PARTS = 24


def notch_conductance(bore: Bore, top_mm: NDArray[np.float64]) -> NDArray[np.float64]:
    """Flow per pressure [mm³/s per Pa] at 1 Pa·s through a level hole printed up to heights, (n,): ∫H³ dy / (12 μ L).

    H is the height of the slot between its lower edge and the film, over the chord of the circle; plane Poiseuille flow
    (F. M. White, Viscous Fluid Flow, 2006, section 3-2). 0 below the hole. A slanting hole counts from its higher end.
    """
    middle = bore.entry_mm[2] + max(0.0, bore.wall_mm * bore.along[2])
    y = bore.radius_mm * ((np.arange(CHORD_PARTS) + 0.5) / CHORD_PARTS * 2 - 1)
    half = np.sqrt(bore.radius_mm**2 - y**2)
    height = np.clip(np.asarray(top_mm)[:, None] - (middle - half), 0.0, 2 * half)
    return np.asarray((height**3).sum(axis=1) * 2 * bore.radius_mm / CHORD_PARTS / (12 * max(bore.wall_mm, 1e-3)))


def notch_pressures(
    printed: Printed, bench: Bench, viscosity_pa_s: NDArray[np.float64], whole: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Under-pressure [kPa] in openings that holes are just opening, and how many do, (openings,) each; 0 elsewhere.

    Parameters
    ----------
    viscosity_pa_s : (layers,). whole : (bores,) conductance of each hole once it is whole, at 1 Pa·s.

    A cup takes part in the layers in which one of its holes is printed: those that it breathes through once they are whole.
    The slot's flow counts while it is the smaller figure. Other notches of a rim are left out: they count as open.
    """
    o, sets = printed.openings, printed.mouths.sets
    pressure, opening = np.zeros(o.count), np.zeros(o.count, np.int64)
    rows = np.flatnonzero(o.state == OPEN)
    if len(rows) == 0:
        return pressure, opening
    pairs, group = np.unique(np.stack([o.cup[rows], o.layer[rows]]), axis=1, return_inverse=True)
    cup, layer = pairs
    top = (layer + 1) * printed.all.grid.layer_mm
    passed, notched = np.zeros(len(cup)), np.zeros(len(cup), np.int64)
    for b, bore in enumerate(printed.bores):
        inner, outer = sets[o.layer, 2 * b], sets[o.layer, 2 * b + 1]
        breathes = (inner != UNKNOWN) & (outer != UNKNOWN) & (inner != outer) & (o.state == VENTED) & (o.void_set != OUTSIDE)
        served = np.isin(cup, o.cup[breathes & ((o.void_set == inner) | (o.void_set == outer))])
        passed[served] += np.minimum(notch_conductance(bore, top[served]), whole[b]) / viscosity_pa_s[layer[served]]
        notched += served
    speed = by_layer(bench, printed.all.grid.layers, lambda m: mm_per_s(m.lift_mm_per_min))[o.layer[rows]]
    drawn = np.bincount(group.ravel(), (1 - bench.film.follow_share) * speed * o.area_mm2[rows], len(cup))
    kpa = np.minimum(drawn / np.maximum(passed, 1e-12) / 1000, bench.laws.seal_kpa)
    pressure[rows] = np.where(notched > 0, kpa, 0.0)[group.ravel()]
    opening[rows] = notched[group.ravel()]
    return pressure, opening
