"""Lattices: bars that stiffen a shell's walls, by share of the chambers' volume, and what they buy."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.hollow import _kernels as kernels
from wideberth.core.hollow.shell import GYROID, Lattice
from wideberth.core.layers import cast, grid_over, intersection, nodes_inside, spill_levels
from wideberth.core.model import Mesh, Nodes, at_level, frame_along, nodes_over, simplified
from wideberth.core.progress import Progress, quiet

MOST_NODES = 12_000_000
STEPS_PER_BAR = 3.0
LEAST_SHARE, MOST_SHARE = 0.02, 0.4
TALL = 1.5
"""Cells of struts are so many times as tall as wide: their bars rise by 47°."""
GYROID_BARS = 4.243
"""Length of a gyroid network's axes in a cell, in cells: 12 edges of √2/4."""
PINCH = 1.38
"""At √2 the bars of a gyroid's network part."""
ROWS_MM, PLANES_MM = 0.2, 0.2
CLOSE_ENOUGH = 0.002
SIMPLER_MM = 0.02
HANGING_BARS = 0.1
"""Ends that hang lower than where they hold on by more than this share of a bar go: a few layers."""


@dataclass(frozen=True)
class Keepout:
    """A drilled hole that bars stay clear of: its entry, the way in (unit), its radius and the wall it passes."""

    entry_mm: tuple[float, float, float]
    along: tuple[float, float, float]
    radius_mm: float
    wall_mm: float


@dataclass(frozen=True, eq=False)
class Bars:
    """A lattice as built: its mesh (it reaches into the walls), measured share of the cavity, thickness and cells."""

    mesh: Mesh
    share: float
    bar_mm: float
    cell_mm: float


def lattice_in(
    cavity: Mesh, lattice: Lattice, up: NDArray[np.float64], keep_clear: Sequence[Keepout] = (), progress: Progress | None = None
) -> Bars:
    """Bars in a cavity that carry themselves while they are printed.

    Parameters
    ----------
    up : (3,) unit, the way away from the plate in the cavity's frame. keep_clear : drain holes.

    Notes
    -----
    The share decides the level of the pattern, the thickness the size of its cells; after a first try the level is corrected by
    the share that runs measure. Struts rise by 47°. Of a gyroid one of the two networks is solid, whose level bars are short and
    hang between two that rise.

    Raises
    ------
    BadModel : for a share out of range, or one at which the bars fall apart.
    """
    progress = progress or quiet()
    if not LEAST_SHARE <= lattice.share <= MOST_SHARE:
        raise BadModel(
            f"a lattice of {lattice.share:.0%} is not between {LEAST_SHARE:.0%} and {MOST_SHARE:.0%}.",
            where="lattice",
            kept="The part is as it was.",
        )
    box = float((cavity.extents_mm + 2.0).prod())
    step = max(lattice.bar_mm / STEPS_PER_BAR, (box / MOST_NODES) ** (1 / 3))
    nodes = nodes_over(cavity.low, cavity.high, step, rim=4.5)
    inside = nodes_inside(cavity.points, cavity.faces, nodes.low_mm, step, nodes.shape)
    turn = frame_along(up)
    cell = _first_cell_mm(lattice)
    progress.at(0.1, "laying out bars")
    pattern = _pattern(lattice.kind, nodes, turn, cell)
    level = _level(pattern, inside, lattice.share)
    if lattice.kind != GYROID:  # the level is the bars' radius, which grows with the cells
        cell *= 0.5 * lattice.bar_mm / level
        pattern = _pattern(lattice.kind, nodes, turn, cell)
    elif -_level(pattern, inside, lattice.share) > PINCH:
        raise BadModel(
            f"a gyroid of {lattice.share:.1%} falls apart into pieces.",
            where="lattice",
            kept="The part is as it was.",
            remedy="Ask for a larger share, or for struts.",
        )
    apart = scipy.ndimage.binary_dilation(inside, iterations=2)
    np.logical_not(apart, out=apart)
    pattern[apart] = pattern.max() + 1
    clear = _clearance(nodes, keep_clear, lattice.clear_mm)
    wanted = lattice.share
    for tried in range(3):
        progress.at(0.3 + 0.2 * tried, "laying out bars")
        level = _level(pattern, inside, wanted)
        field = _without_hanging_ends(
            level - pattern if clear is None else np.minimum(level - pattern, -clear), apart, nodes, up, lattice.bar_mm
        )
        mesh = _drawn(field, nodes, progress.part(0.4 + 0.2 * tried, 0.5 + 0.2 * tried))
        share = measured_share(mesh, cavity)
        if abs(share - lattice.share) < CLOSE_ENOUGH:
            break
        wanted *= lattice.share / max(share, 0.2 * lattice.share)
    thick = 2 * level if lattice.kind != GYROID else 2 * cell * float(np.sqrt(share / (np.pi * GYROID_BARS)))
    progress.at(1.0, "laid out")
    return Bars(mesh, share, float(thick), float(cell))


def measured_share(bars: Mesh, cavity: Mesh) -> float:
    """Share of a cavity's volume that bars take, by runs."""
    lift = np.array([0.0, 0.0, -cavity.low[2]])
    grid = grid_over(cavity.low + lift, cavity.high + lift, ROWS_MM, PLANES_MM)
    whole = cast(cavity.points + lift, cavity.faces, grid)
    within = intersection(cast(bars.points + lift, bars.faces, grid), whole)
    return within.volume_mm3 / whole.volume_mm3


def wall_gives_mm(pressure_kpa: float, span_mm: float, wall_mm: float, modulus_mpa: float) -> float:
    """How far a square stretch of wall between its stiffeners gives way: w = 0.0138 p L⁴ / (E h³), a clamped plate [mm].

    Source: S. Timoshenko and S. Woinowsky-Krieger, Theory of Plates and Shells, 1959, section 44, table 35 (ν = 0.3).
    """
    return 0.0138 * pressure_kpa * 1e-3 * span_mm**4 / (modulus_mpa * wall_mm**3)


def _first_cell_mm(lattice: Lattice) -> float:
    """Size of the cells at which bars of that thickness take that share, overlaps left out."""
    section = 0.25 * np.pi * lattice.bar_mm**2
    if lattice.kind == GYROID:
        return float(np.sqrt(section * GYROID_BARS / lattice.share))
    return float(np.sqrt(section * 4 * np.sqrt(2 + TALL**2) / (TALL * lattice.share)))


def _pattern(kind: str, nodes: Nodes, turn: NDArray[np.float64], cell: float) -> NDArray[np.float32]:
    """The pattern at all nodes, smaller inside bars, (z, y, x)."""
    out = np.empty(nodes.shape, np.float32)
    half = nodes.shape[0] // 2
    slabs = ((0, half), (half, nodes.shape[0]))
    common = (nodes.low_mm, nodes.step_mm, nodes.shape, turn, cell)
    with ThreadPoolExecutor(2) as side_by_side:
        if kind == GYROID:
            list(side_by_side.map(lambda s: kernels.gyroid(*common, s[0], s[1], out), slabs))
        else:
            list(side_by_side.map(lambda s: kernels.struts(*common, TALL * cell, s[0], s[1], out), slabs))
    return out


def _level(pattern: NDArray[np.float32], inside: NDArray[np.bool_], share: float) -> float:
    """The value that a share of the nodes inside lies under."""
    return float(np.quantile(pattern[inside], share))


def _clearance(nodes: Nodes, keep_clear: Sequence[Keepout], clear_mm: float) -> NDArray[np.float32] | None:
    """How far nodes lie within the clearance of a hole, above 0 there, (z, y, x); None without holes."""
    if not keep_clear:
        return None
    clear = np.full(nodes.shape, -1.0, np.float32)
    for hole in keep_clear:
        reach = hole.radius_mm + clear_mm + nodes.step_mm
        ends = np.array(hole.entry_mm) + np.outer([0, hole.wall_mm], hole.along)
        low = np.floor((ends.min(axis=0) - reach - nodes.low_mm) / nodes.step_mm).astype(int)
        high = np.ceil((ends.max(axis=0) + reach - nodes.low_mm) / nodes.step_mm).astype(int) + 1
        x, y, z = (slice(min(max(0, a), n), max(0, min(b, n))) for a, b, n in zip(low, high, nodes.shape[::-1], strict=True))
        shape = (z.stop - z.start, y.stop - y.start, x.stop - x.start)
        if min(shape) <= 0:
            continue
        at = nodes.at(np.argwhere(np.ones(shape, bool)) + [z.start, y.start, x.start])
        off = at - hole.entry_mm
        along = off @ np.asarray(hole.along)
        aside = np.linalg.norm(off - along[:, None] * np.asarray(hole.along), axis=1)
        past = np.maximum(np.maximum(-along, along - hole.wall_mm), 0)
        away = np.hypot(past, np.maximum(aside - hole.radius_mm, 0))
        np.maximum(clear[z, y, x], (clear_mm - away).reshape(shape).astype(np.float32), out=clear[z, y, x])
    return clear


def _without_hanging_ends(
    field: NDArray[np.float32], walls: NDArray[np.bool_], nodes: Nodes, up: NDArray[np.float64], bar_mm: float
) -> NDArray[np.float32]:
    """The field of bars (above 0 inside) without ends that would begin in mid-liquid.

    No way leads to those from the walls but over a place that is higher than they are by more than a tenth of a bar.
    """
    bars = field > 0
    at = np.flatnonzero(bars).astype(np.int32)
    if len(at) == 0:
        return field
    index = np.full(field.size, -1, np.int32)
    index[at] = np.arange(len(at))
    height = nodes.at(np.stack(np.unravel_index(at, nodes.shape), axis=1)) @ up
    nothing = (np.zeros(1, np.int64), np.empty(0, np.int32), np.empty(0, np.bool_), np.empty(0))
    beside_wall = scipy.ndimage.binary_dilation(walls).ravel()[at]
    level = spill_levels(at, index, nodes.shape, height, beside_wall, *nothing)
    hanging = level - height > HANGING_BARS * bar_mm
    out = field.copy()
    out.ravel()[at[hanging]] = -0.25 * nodes.step_mm
    return out


def _drawn(field: NDArray[np.float32], nodes: Nodes, progress: Progress) -> Mesh:
    """The surface where bars end, faces outward."""
    mesh = at_level(field, 0.0, nodes.step_mm, nodes.low_mm)
    if mesh.triangles == 0:
        return mesh
    outward = mesh if mesh.volume_mm3 > 0 else Mesh(mesh.points, mesh.faces[:, ::-1].copy())
    try:
        return simplified(outward, SIMPLER_MM, progress)
    except BadModel:
        return outward
