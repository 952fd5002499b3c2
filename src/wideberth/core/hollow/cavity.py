"""Hollowing: the cavity at a given distance under the surface, from distances measured on a grid of nodes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.hollow.shell import Level, Shell
from wideberth.core.layers import nodes_inside
from wideberth.core.model import Mesh, Nodes, at_level, band_distance, joined, nodes_over, pieces_of, resolved, simplified
from wideberth.core.progress import Progress, quiet

QUICK_NODES, MOST_NODES = 10_000_000, 40_000_000
STEPS_PER_WALL, LEAST_STEPS_PER_WALL = 5, 2
FINEST_MM = 0.25
BEYOND_STEPS = 2.0
DIAGONAL = 1.75
IN_PLANE_MM = 0.05
FLAT_WALLS2 = 4.0
SIMPLER_MM = 0.02


@dataclass(frozen=True, eq=False)
class Hollowed:
    """Chambers of a shell, each a closed mesh with its faces outward, largest first; and how far apart the nodes lay."""

    chambers: tuple[Mesh, ...]
    step_mm: float


def hollow_out(outer: Mesh, shell: Shell, progress: Progress | None = None) -> Hollowed:
    """The chambers of a shell; none when none is big enough.

    Parameters
    ----------
    outer : closed mesh [mm], in the part's own frame; rows that do not close are mended as in slicing.

    Notes
    -----
    The cavity is where the measured distance under the surface is at least the wall asked for. Ways narrower than the smallest
    passage are taken out by an opening: what no ball of that diameter inside the cavity covers is filled (J. Serra, Image
    Analysis and Mathematical Morphology, 1982).

    Raises
    ------
    BadModel : when a bottom is to be open where no flat face lies. Cancelled : when the progress is.
    """
    progress = progress or quiet()
    progress.at(0.0, "measuring the wall")
    outer = resolved(outer, progress.part(0.0, 0.1))  # buried surfaces of overlapping shells are no outside to keep a wall from
    step = node_step_mm(outer, shell)
    nodes = nodes_over(outer.low, outer.high, step, rim=BEYOND_STEPS + 2)
    inside = nodes_inside(outer.points, outer.faces, nodes.low_mm, step, nodes.shape)
    depth = _depth(outer, nodes, inside, shell, progress.part(0.1, 0.6))
    if shell.passage_mm > 0:
        depth = _opened(depth, nodes, 0.5 * shell.passage_mm, progress.part(0.6, 0.85))
    if shell.open_below is not None:
        _carry_through(depth, nodes, shell.open_below)
    progress.at(0.85, "drawing the cavity")
    chambers, pieces = [], pieces_of(_surface(depth, nodes, 0.0))
    for piece, share in zip(pieces, progress.part(0.9, 1.0).evenly(len(pieces)), strict=True):
        chamber = piece if piece.volume_mm3 > 0 else Mesh(piece.points, piece.faces[:, ::-1].copy())
        if chamber.volume_mm3 >= max(shell.smallest_chamber_ml * 1000, step**3):  # less than a node is nothing
            chambers.append(_simpler(chamber, share))
    progress.at(1.0, "hollow")
    return Hollowed(tuple(sorted(chambers, key=lambda c: -c.volume_mm3)), step)


def cavity_mesh(chambers: tuple[Mesh, ...]) -> Mesh | None:
    """All chambers as one mesh, or None."""
    return joined(list(chambers)) if chambers else None


def node_step_mm(outer: Mesh, shell: Shell) -> float:
    """How far apart the nodes lie: a fifth of the wall, finer where that is quick, coarser only where the memory ends.

    At 0.25 mm what the cavity's sharp edges lose stays under 0.1 mm.

    Raises
    ------
    BadModel : when fewer than two steps would lie in the wall.
    """
    box = float((outer.extents_mm + 4.0).prod())
    quick, least = ((box / n) ** (1 / 3) for n in (QUICK_NODES, MOST_NODES))
    step = max(min(max(quick, FINEST_MM), shell.wall_mm / STEPS_PER_WALL), least)
    if step > shell.wall_mm / LEAST_STEPS_PER_WALL:
        what = f"a wall of {shell.wall_mm:g} mm cannot be measured on a part of this size: nodes would lie {step:.1f} mm apart."
        raise BadModel(
            what,
            where="hollow",
            kept="The part is as it was.",
            remedy=f"Use a wall of {LEAST_STEPS_PER_WALL * step:.1f} mm or more, or split the part.",
        )
    return step


def _depth(outer: Mesh, nodes: Nodes, inside: NDArray[np.bool_], shell: Shell, progress: Progress) -> NDArray[np.float32]:
    """How far nodes lie beyond the wall, into the cavity; true near the wall, cut off farther away; (z, y, x) [mm]."""
    walls = outer if shell.open_below is None else _without_bottom(outer, shell.open_below, shell.wall_mm)
    reach = shell.thickest_mm + max(BEYOND_STEPS * nodes.step_mm, 0.5 * shell.passage_mm + nodes.step_mm)
    far, _ = band_distance(walls, nodes, inside, reach, progress)
    depth = np.where(inside, np.minimum(far, np.float32(reach)), np.float32(0.0)) - np.float32(shell.wall_mm)
    for place in shell.thicker:
        box = _box_around(nodes, place.point_mm, place.reach_mm + 2 * place.wall_mm)
        at = np.argwhere(np.ones(tuple(s.stop - s.start for s in box), bool)) + [s.start for s in box]
        more = shell.asked_mm(nodes.at(at)) - shell.wall_mm
        depth[box] -= more.reshape(depth[box].shape).astype(np.float32)
    if shell.solid_below is not None:
        np.minimum(depth, _heights(nodes, shell.solid_below), out=depth)
    return np.asarray(depth, np.float32)


def can_be_open(outer: Mesh, shell: Shell) -> bool:
    """Whether a flat face of some size lies in the level that a shell is to be open at."""
    return shell.open_below is None or _flat(outer, shell.open_below, shell.wall_mm) is not None


def _flat(outer: Mesh, level: Level, wall_mm: float) -> NDArray[np.bool_] | None:
    """Which faces lie in a level; None when they come to less than a few walls' square."""
    in_plane = np.asarray((np.abs(level.above(outer.points)) < IN_PLANE_MM)[outer.faces].all(axis=1))
    wide = outer.face_area_mm2[in_plane].sum() >= FLAT_WALLS2 * wall_mm**2
    return in_plane if wide and not in_plane.all() else None


def _without_bottom(outer: Mesh, level: Level, wall_mm: float) -> Mesh:
    """The mesh without its faces in a level."""
    in_plane = _flat(outer, level, wall_mm)
    if in_plane is None:
        raise BadModel(
            "no flat face lies there to leave open.",
            where="hollow",
            kept="The part is as it was.",
            remedy="Keep its floor, or cut the part flat first.",
        )
    return Mesh(outer.points, outer.faces[~in_plane])


def _box_around(nodes: Nodes, middle: NDArray[np.float64], radius: float) -> tuple[slice, slice, slice]:
    """Slices (z, y, x) of the nodes in a cube round a point."""
    low = np.floor((middle - radius - nodes.low_mm) / nodes.step_mm).astype(int)[::-1]
    high = np.ceil((middle + radius - nodes.low_mm) / nodes.step_mm).astype(int)[::-1] + 1
    z, y, x = (slice(min(max(0, a), n), max(0, min(b, n))) for a, b, n in zip(low, high, nodes.shape, strict=True))
    return z, y, x


def _heights(nodes: Nodes, level: Level) -> NDArray[np.float32]:
    """Height of all nodes above a level, (z, y, x) [mm]."""
    (nz, ny, nx), (a, b, c) = nodes.shape, level.normal
    x, y, z = (nodes.low_mm[axis] + nodes.step_mm * np.arange(n) for axis, n in enumerate((nx, ny, nz)))
    return np.asarray((c * z)[:, None, None] + (b * y)[:, None] + (a * x) - level.offset_mm, np.float32)


def _opened(depth: NDArray[np.float32], nodes: Nodes, radius: float, progress: Progress) -> NDArray[np.float32]:
    """The depth with all ways filled that a ball of a radius does not go through."""
    if depth.max() <= radius:
        return np.minimum(depth, np.float32(-nodes.step_mm))
    core = _surface(depth, nodes, radius)
    rim = DIAGONAL * nodes.step_mm  # as far as the surface looks beyond its level
    beside = (depth > -rim) & (depth < radius)
    far, _ = band_distance(core, nodes, beside, radius + rim, progress)
    return np.where(depth < radius, np.minimum(depth, np.maximum(radius - far, -rim)), depth).astype(np.float32)


def _carry_through(depth: NDArray[np.float32], nodes: Nodes, level: Level) -> None:
    """Continue the cavity through a level: nodes at it and a little beyond get the depth of their image above it."""
    step = nodes.step_mm
    height = _heights(nodes, level)
    at = np.argwhere((height < 0.5 * step) & (height > -BEYOND_STEPS * step))
    up = 2 * (0.5 * step - height[tuple(at.T)])
    image = nodes.at(at) + up[:, None] * np.asarray(level.normal)
    depth[tuple(at.T)] = scipy.ndimage.map_coordinates(depth, ((image - nodes.low_mm) / step)[:, ::-1].T, order=1, mode="nearest")
    depth[height <= -BEYOND_STEPS * step] = -step


def _surface(depth: NDArray[np.float32], nodes: Nodes, level: float) -> Mesh:
    """Where the depth is at a level, as a mesh; no faces when it is nowhere."""
    return at_level(depth, level, nodes.step_mm, nodes.low_mm)


def _simpler(chamber: Mesh, progress: Progress) -> Mesh:
    """The chamber with needless triangles taken out, nowhere moved by more than 0.02 mm."""
    try:
        return simplified(chamber, SIMPLER_MM, progress)
    except BadModel:
        return chamber
