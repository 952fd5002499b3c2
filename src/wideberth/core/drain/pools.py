"""What liquid stays in a part held some way, how long the rest takes to run out, and the pose that leaves least."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, vat_viscosity
from wideberth.core.drain.chambers import POOLED_WAYS, Chamber, VoidCells, Way
from wideberth.core.drain.hole import Drilled, Hole
from wideberth.core.layers import spill_levels
from wideberth.core.loads import hole_resistance
from wideberth.core.model import ring_about
from wideberth.core.progress import Progress, quiet
from wideberth.core.units import GRAVITY_M_PER_S2

DIRECTIONS = 64
FINER = 6
LEVELS = 120
GLUG_SLOWER = 4.0
"""Liquid and air share a hole, half its section each: the resistance goes with the inverse square of it, and is fourfold."""
HELD_BOND = 1.8412**2
"""ρ g r² / Γ up to which a level surface over air holds in a round bore: it tips once gravity beats tension at the first zero of
J₁′ (Rayleigh and Taylor's instability, free to slide along the wall)."""
LEAST_ML = 1e-3
LEAST_HEAD_MM = 1.0
"""The last millimetre runs out as under this head: a thin film's own would never end."""


@dataclass(frozen=True, eq=False)
class Pools:
    """Liquid that stays when a part that was full is held with `down` (unit, own frame) pointing down.

    stays_ml : in all, held or shut in. shut_ml : of that, with no way out in any pose. of_chamber_ml : (chambers,).
    at : (n,) flat indices of the cells that could hold liquid; full : (n,) share of each that stays full. shape : of all cells.
    """

    down: NDArray[np.float64]
    stays_ml: float
    shut_ml: float
    of_chamber_ml: NDArray[np.float64]
    at: NDArray[np.int32]
    full: NDArray[np.float32]
    shape: tuple[int, int, int]

    @property
    def filled(self) -> NDArray[np.float32]:
        """Share of each cell that stays full, (z, y, x)."""
        filled = np.zeros(self.shape, np.float32)
        filled.reshape(-1)[self.at] = self.full
        return filled


@dataclass(frozen=True)
class Emptying:
    """How a chamber runs out in a pose.

    seconds : until it runs no more; 0 when it pours out at once. stays_ml : what does not leave. glugs : whether air must come in
    through the hole that drains. held : whether the surface tension at the hole stops it with liquid above.
    """

    chamber: int
    runs_ml: float
    seconds: float
    stays_ml: float
    glugs: bool
    held: bool


def pools(cells: VoidCells, down: NDArray[np.float64]) -> Pools:
    """Liquid that stays in a pose, by the spill level of each cell. `down` : (3,) the way down, of any length."""
    down = np.asarray(down, float) / np.linalg.norm(down)
    at, index, free = _pooled(cells)
    shape = cells.nodes.shape
    height = -(cells.nodes.at(np.stack(np.unravel_index(at, shape), axis=1)) @ down)
    start, mouth, is_open = _mouths(cells, index)
    sills = np.array([sill_mm(h, down) for h in cells.holes], np.float64)
    level = spill_levels(at, index, shape, height, free, start, mouth, is_open, sills)
    step = cells.nodes.step_mm
    full = np.clip((level - height) / step + np.where(np.isinf(level), 1.0, 0.0), 0.0, 1.0)
    full[np.isinf(level)] = 1.0
    chamber = cells.chamber_of.ravel()[at]
    own = np.bincount(chamber + 1, full, minlength=len(cells.chambers) + 1)[1:].astype(np.float64) * cells.cell_ml
    shut = float(np.isinf(level).sum() * cells.cell_ml)
    return Pools(down, float(full.sum() * cells.cell_ml), shut, own, at, full.astype(np.float32), shape)


def best_pose(cells: VoidCells, progress: Progress | None = None) -> Pools:
    """The way of holding a part that leaves least, of many directions and then some around the best."""
    progress = progress or quiet()

    def held(down: NDArray[np.float64], share: float) -> Pools:
        progress.at(share, "turning it to drain")
        return pools(cells, down)

    ways = spread_directions(DIRECTIONS)
    best = min((held(down, 0.8 * n / len(ways)) for n, down in enumerate(ways)), key=lambda p: p.stays_ml)
    finer = (held(down, 0.8 + 0.2 * n / FINER) for n, down in enumerate(_around(best.down, FINER)))
    return min((best, *finer), key=lambda p: p.stays_ml)


def spread_directions(count: int) -> NDArray[np.float64]:
    """Directions spread evenly over the sphere, the axes first, (count + 6, 3).

    The Fibonacci grid of R. Swinbank and R. J. Purser, Quarterly Journal of the Royal Meteorological Society 132, 2006.
    """
    n = np.arange(count) + 0.5
    z = 1 - 2 * n / count
    turn = math.pi * (1 + math.sqrt(5)) * n
    flat = np.sqrt(1 - z * z)
    axes = np.concatenate((np.eye(3), -np.eye(3)))
    return np.concatenate((axes, np.stack([flat * np.cos(turn), flat * np.sin(turn), z], axis=1)))


def emptying(cells: VoidCells, pools: Pools, bench: Bench) -> tuple[Emptying, ...]:
    """How each chamber runs out in the pose of `pools`, by the laws of a bore full of liquid under the head above it.

    dV/dt = -Σ ρ g h / R over the holes that are covered; air comes in by any way that is not, else by the same hole: it glugs,
    and stops where 4 Γ / d is no less than the head. A small mouth of the shape's own counts as a bore without length; out of one
    that is longer than a surface holds it pours, and be it a narrow slot: the surface tips along it.
    """
    held_mm = 2e3 * math.sqrt(HELD_BOND * bench.laws.surface_tension_n_per_m / (1e3 * _pa_per_mm(bench)))
    height = -(cells.nodes.at(np.argwhere(~cells.solid)) @ pools.down)
    chamber, kept = cells.chamber_of[~cells.solid], pools.filled[~cells.solid].astype(np.float64)
    results = []
    for c, vessel in zip(cells.chambers, vessels(cells.chambers), strict=True):
        own, together = chamber == c.number, np.isin(chamber, vessel)
        runs, stays = (float(v[own].sum() * cells.cell_ml) for v in (1 - kept, kept))
        ways = [w for n in vessel for w in cells.chambers[n].ways]
        own_mouths = [w for w in ways if w.to < 0 and w.hole < 0]
        holes = [cells.holes[w.hole] for w in ways if w.hole >= 0] + [_as_hole(w, pools.down) for w in own_mouths]
        if runs < LEAST_ML or not ways:
            results.append(Emptying(c.number, 0.0, 0.0, runs + stays, False, False))
        elif any(w.long_mm > held_mm for w in own_mouths) or not holes:
            results.append(Emptying(c.number, runs, 0.0, stays, False, False))
        else:
            running = (1 - kept[together]) * cells.cell_ml
            whole = _run_out(height[together], running, holes, pools.down, bench)
            left = running[height[together] <= whole.held_below_mm].sum() if whole.held else 0.0
            share = float((own[together] & (height[together] <= whole.held_below_mm)) @ running) if left > 0 else 0.0
            results.append(Emptying(c.number, runs - share, whole.seconds, stays + share, whole.glugs, whole.held and share > 0))
    return tuple(results)


def _as_hole(mouth: Way, down: NDArray[np.float64]) -> Drilled:
    """A mouth of the shape's own, held down."""
    along = float(down[0]), float(down[1]), float(down[2])
    return Drilled(Hole(*mouth.at_mm, mouth.width_mm), mouth.at_mm, along, 0.0, math.inf, 0.0)


def _pa_per_mm(bench: Bench) -> float:
    """Pressure of the resin's own weight."""
    return bench.resin.density_kg_per_m3 * GRAVITY_M_PER_S2 * 1e-3


def vessels(chambers: tuple[Chamber, ...]) -> list[list[int]]:
    """For each chamber the numbers of all that join it by ways of the shape's own: they run out together."""
    groups = [[c.number] for c in chambers]
    for c in chambers:
        for w in c.ways:
            if w.hole < 0 and w.to >= 0 and groups[w.to] is not groups[c.number]:
                together = sorted({*groups[c.number], *groups[w.to]})
                for n in together:
                    groups[n] = together
    return groups


@dataclass(frozen=True)
class _Run:
    """A vessel run out: how long it took, and below which height a surface holds what is left, if one does."""

    seconds: float
    glugs: bool
    held: bool
    held_below_mm: float = -math.inf


def _run_out(
    height: NDArray[np.float64], ml: NDArray[np.float64], holes: list[Drilled], down: NDArray[np.float64], bench: Bench
) -> _Run:
    """Let a vessel's liquid run out from the top down through its holes."""
    top, bottom = float(height.max()), float(height.min())
    edges = np.linspace(bottom, top, LEVELS + 1)
    slabs = np.bincount(np.clip(np.digitize(height, edges) - 1, 0, LEVELS - 1), ml, minlength=LEVELS)
    sills = [sill_mm(h, down) for h in holes]
    tops = [s + 2 * _below_axis_mm(h, down) for h, s in zip(holes, sills, strict=True)]
    rho_g = _pa_per_mm(bench)
    mu, tension = vat_viscosity(bench), bench.laws.surface_tension_n_per_m
    seconds, glugs = 0.0, False
    for n in range(LEVELS - 1, -1, -1):
        surface = 0.5 * (edges[n] + edges[n + 1])
        covered = [(h, surface - s) for h, s in zip(holes, sills, strict=True) if s < surface]
        if slabs[n] <= 0 or not covered:
            continue
        aired = any(top >= surface for top in tops)
        if not aired:  # air must come in by the holes that drain, where the liquid's surface lets it
            glugs = True
            covered = [(h, head) for h, head in covered if rho_g * head > 4 * tension / (2e-3 * h.radius_mm)]
            if not covered:
                return _Run(seconds, True, True, float(edges[n + 1]))
        heads = ((max(head, LEAST_HEAD_MM), hole_resistance(h.radius_mm, h.wall_mm, mu)) for h, head in covered)
        flow = sum(rho_g * head / resistance for head, resistance in heads) / (1.0 if aired else GLUG_SLOWER)  # mm³/s
        seconds += float(slabs[n]) * 1000 / flow
    return _Run(seconds, glugs, False)


def sill_mm(hole: Drilled, down: NDArray[np.float64]) -> float:
    """Height [mm] of the highest place on the lowest way through a hole, against `down`, a unit vector (3,)."""
    ends = (-(hole.at(0.0) @ down), -(hole.at(hole.wall_mm) @ down))
    return float(max(ends)) - _below_axis_mm(hole, down)


def _below_axis_mm(hole: Drilled, down: NDArray[np.float64]) -> float:
    """How far a hole reaches below its axis: its radius when it lies level, nothing when it stands upright."""
    slope = float(np.asarray(hole.along) @ down)
    return hole.radius_mm * math.sqrt(max(0.0, 1 - slope * slope))


def _pooled(cells: VoidCells) -> tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.bool_]]:
    """Cells of void that could hold liquid; their number by flat index; and which of them lie beside open void."""
    known = cells.__dict__.get("_pooled")
    if known is None:
        held = ~cells.solid & (cells.closed_in >= POOLED_WAYS)
        open_void = ~cells.solid & ~held
        beside = np.zeros(held.shape, bool)
        for axis in range(3):
            for step in (1, -1):
                beside |= np.roll(open_void, step, axis)
        at = np.flatnonzero(held).astype(np.int32)
        index = np.full(held.size, -1, np.int32)
        index[at] = np.arange(len(at))
        known = (at, index, beside.ravel()[at])
        cells.__dict__["_pooled"] = known
    result: tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.bool_]] = known
    return result


def _mouths(cells: VoidCells, index: NDArray[np.int32]) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.bool_]]:
    """Numbers of the cells at all mouths, inner and outer in turn: where each mouth's begin, they, and which are open."""
    start, listed, is_open = [0], [], []
    for mouth in (m for pair in cells.mouths for m in pair):
        own = index[mouth]
        listed.append(own[own >= 0])
        is_open.append(bool((own < 0).any()))
        start.append(start[-1] + len(listed[-1]))
    joined = np.concatenate(listed) if listed else np.empty(0, np.int32)
    return np.array(start, np.int64), joined, np.array(is_open, np.bool_)


def _around(down: NDArray[np.float64], count: int) -> NDArray[np.float64]:
    """Directions on a cone of 12° round one."""
    lean = math.radians(12)
    return math.cos(lean) * down + math.sin(lean) * ring_about(down, count)
