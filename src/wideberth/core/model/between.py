"""How far two solids are apart. The library holds the interpreter at work: heavy pairs go to another process."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from wideberth.core.model.apart import made_apart
from wideberth.core.model.mesh import Mesh
from wideberth.core.model.solid import as_solid
from wideberth.core.progress import Progress, quiet

PROGRAM = Path(__file__).with_name("gapper.py")
HEAVY, PER_S = 20_000, 20_000
"""Triangles of a pair from which it is measured in another process, and how many of them at least in a second."""
SLACK_MM = 1e-6
HERE = np.zeros(3)


class Gaps:
    """Measures how far solids are apart; a light one is made once, since copies of a print ask for it again and again."""

    def __init__(self) -> None:
        self._made: dict[int, tuple[Mesh, Manifold]] = {}

    def between(
        self, one: Mesh, other: Mesh, within_mm: float, progress: Progress | None = None, shift_mm: NDArray[np.float64] = HERE
    ) -> float:
        """Least distance [mm] of two closed meshes' solids, the other moved by a shift (3,), no more than `within_mm`; 0 where
        they touch.

        The library looks at all triangles that are within a reach of each other, so that this is made as short as corners tell.

        Raises
        ------
        BadModel : when one is no closed manifold. Cancelled : when `progress` was cancelled meanwhile.
        """
        moved, count = other.moved(shift_mm), one.triangles + other.triangles
        reach = min(within_mm, _corners_apart_mm(one, moved, within_mm) + SLACK_MM)
        if count >= HEAVY:
            asked = (len(one.points), one.triangles, reach)
            both = np.concatenate((one.points, moved.points)), np.concatenate((one.faces, moved.faces + len(one.points)))
            found = made_apart(PROGRAM, asked, both, 1, count / PER_S, "measuring gaps", progress or quiet())
            if found is not None and np.isfinite(found[0]).all():
                return float(found[0][0, 0])
            return float(as_solid(one).min_gap(as_solid(moved), reach))
        return float(self._solid(one).min_gap(self._solid(other).translate(tuple(shift_mm.tolist())), reach))

    def _solid(self, mesh: Mesh) -> Manifold:
        if id(mesh) not in self._made:
            self._made[id(mesh)] = mesh, as_solid(mesh)
        return self._made[id(mesh)][1]


def _corners_apart_mm(one: Mesh, other: Mesh, within_mm: float) -> float:
    """How far the nearest corners of two meshes are apart: at least as far as they; infinite where that is beyond `within_mm`."""
    near, there = (
        mesh.points[((mesh.points >= by.low - within_mm) & (mesh.points <= by.high + within_mm)).all(axis=1)]
        for mesh, by in ((one, other), (other, one))
    )
    if len(near) == 0 or len(there) == 0:
        return np.inf
    return float(cKDTree(there).query(near, distance_upper_bound=within_mm)[0].min())
