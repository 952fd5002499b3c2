"""Which inner walls light can reach through a part's openings while it turns under the lamp, and which stay uncured."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.drain import _kernels as kernels
from wideberth.core.drain.chambers import VoidCells
from wideberth.core.drain.hole import Drilled
from wideberth.core.drain.pools import spread_directions
from wideberth.core.model import Mesh, ring_about, spread_over

SAMPLES = 2500
SKY = 64
RIM = 6


@dataclass(frozen=True, eq=False)
class Lit:
    """Inner walls under a lamp: `spots_mm` (n, 3) on them, which are `lit`, and the areas that come to."""

    spots_mm: NDArray[np.float64]
    lit: NDArray[np.bool_]
    lit_mm2: float
    dark_mm2: float

    @property
    def dark_share(self) -> float:
        whole = self.lit_mm2 + self.dark_mm2
        return self.dark_mm2 / whole if whole > 0 else 0.0


def lit_walls(cavity: Mesh, cells: VoidCells, samples: int = SAMPLES) -> Lit:
    """Inner walls that straight light reaches from any side, by holes or by the shape's own mouths.

    Parameters
    ----------
    cavity : chambers with their faces outward, into the wall. cells : of the same part.

    Notes
    -----
    A wall is lit when some line leads from it out of the part: one of many directions, or through a point of a hole's outer
    mouth, by way of its inner one. Light that walls scatter is left out: what counts as dark gets far less, not none.
    """
    area = float(cavity.face_area_mm2.sum())
    face, spots = spread_over(cavity, float(np.sqrt(area / samples)))
    inside = spots - 0.75 * cells.nodes.step_mm * cavity.normals[face]
    far = float(np.linalg.norm(np.array(cells.nodes.shape) * cells.nodes.step_mm))
    lit = np.zeros(len(spots), bool)
    common = (cells.solid, cells.nodes.low_mm, cells.nodes.step_mm)
    for way in spread_directions(SKY):
        todo = np.flatnonzero(~lit)
        lit[todo] = kernels.sees(*common, inside[todo], inside[todo] + far * way)
    for hole in cells.holes:
        for target in _mouth_points(hole):
            todo = np.flatnonzero(~lit)
            start = inside[todo]
            crossing, enters = _through(start, target, hole)
            seen = enters & kernels.sees(*common, start, crossing)
            away = (target - start) / np.maximum(np.linalg.norm(target - start, axis=1), 1e-9)[:, None]
            outside = target + away * 1.5 * cells.nodes.step_mm
            seen &= kernels.sees(*common, outside, outside + far * away)
            lit[todo[seen]] = True
    share = float(lit.mean()) if len(lit) else 0.0
    return Lit(spots, lit, share * area, (1 - share) * area)


def _mouth_points(hole: Drilled) -> NDArray[np.float64]:
    """The middle of a hole's outer mouth, and points near its rim."""
    along = np.asarray(hole.along)
    rim = 0.8 * hole.radius_mm * ring_about(along, RIM)
    return hole.at(0.0) + np.concatenate((np.zeros((1, 3)), rim))


def _through(
    start: NDArray[np.float64], target: NDArray[np.float64], hole: Drilled
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Where lines to a point of the outer mouth cross the plane of the inner one, and whether within the hole."""
    along = np.asarray(hole.along)
    way = target - start
    depth = (start - hole.at(0.0)) @ along  # how far behind the entry each start lies
    with np.errstate(divide="ignore", invalid="ignore"):
        part = np.where(depth > hole.wall_mm, (depth - hole.wall_mm) / depth, 0.0)
    crossing = start + part[:, None] * way
    aside = crossing - hole.at(hole.wall_mm)
    enters = (depth > hole.wall_mm) & (np.linalg.norm(aside, axis=1) <= hole.radius_mm)
    return crossing - 0.5 * way / np.maximum(np.linalg.norm(way, axis=1), 1e-9)[:, None], enters
