"""Voids: the void in and round a part as cells, its best pose to drain in, its lit walls; and what stays as it stands."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.drain import Drilled, Lit, Pools, VoidCells, best_pose, lit_walls, pools, void_cells
from wideberth.core.model import Mesh
from wideberth.core.progress import Progress

SEARCH_CELLS = 90_000
POSE_CELLS = 60_000
"""Where hundreds of poses are asked what stays in each."""


@dataclass(frozen=True)
class VoidInput:
    """In the part's own frame. filling : what stands in the cavity, as one mesh."""

    outer: Mesh
    cavity: Mesh | None
    filling: Mesh | None
    holes: tuple[Drilled, ...]


@dataclass(frozen=True, eq=False)
class Voids:
    """What does not depend on how a part stands."""

    cells: VoidCells
    best: Pools
    lit: Lit | None


@dataclass(frozen=True)
class PoolsInput:
    """rotation : of the pose, row-major."""

    voids: Voids
    rotation: tuple[float, ...]


def voids(of: VoidInput, progress: Progress) -> Voids | None:
    """None when the part closes in no void of any size."""
    progress.at(0.0, "looking into chambers")
    cells = void_cells(of.outer, of.cavity, of.filling, of.holes).looked_through(progress.part(0.0, 0.3))
    if not cells.chambers:
        return None
    rough = void_cells(of.outer, of.cavity, of.filling, of.holes, SEARCH_CELLS)
    best = pools(cells, best_pose(rough, progress.part(0.3, 0.9)).down)
    progress.at(0.9, "shining into chambers")
    return Voids(cells, best, lit_walls(of.cavity, cells) if of.cavity is not None else None)


def rough_voids(of: VoidInput, progress: Progress) -> VoidCells | None:
    """The void on coarse cells; None when the part closes in none of any size."""
    cells = void_cells(of.outer, of.cavity, of.filling, of.holes, POSE_CELLS).looked_through(progress)
    return cells if cells.chambers else None


def held(of: PoolsInput, _: Progress) -> tuple[Pools, Pools]:
    """Pools as the part hangs in the printer, and on the best of its four sides."""
    turn, cells = np.array(of.rotation).reshape(3, 3), of.voids.cells
    sides = (pools(cells, way) for way in (turn[0], -turn[0], turn[1], -turn[1]))
    return pools(cells, turn[2]), min(sides, key=lambda p: p.stays_ml)
