"""Where a straight line passes through a mesh."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model._kernels.pierce import pierce
from wideberth.core.model.frames import frame_along
from wideberth.core.model.mesh import Mesh


def hits(
    mesh: Mesh, start_mm: NDArray[np.float64], towards: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.int64], NDArray[np.int64]]:
    """Crossings of a line with a mesh, both ways along it.

    Parameters
    ----------
    start_mm : (3,) a point of the line. towards : (3,) its unit direction.

    Returns
    -------
    distance : (h,) [mm] from the start, rising, negative behind it. step : (h,) +1 where the line enters, -1 where it
    leaves. face : (h,) triangles hit.

    Notes
    -----
    The triangles are turned so that the line is the z axis, and a half-open rule on their shared edges makes a closed
    mesh sum to zero (Möller and Trumbore's test would count an edge twice or never).
    """
    local = np.ascontiguousarray((mesh.points - start_mm) @ frame_along(towards).T)
    face, distance, step = pierce(local, mesh.faces)
    order = np.argsort(distance, kind="stable")
    return distance[order], step[order], face[order]


def points_inside(mesh: Mesh, points_mm: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Whether points (n, 3) lie inside a closed mesh, by the non-zero winding rule along +x, (n,)."""
    inside = np.zeros(len(points_mm), bool)
    for n, point in enumerate(points_mm):
        distance, step, _ = hits(mesh, point, np.array([1.0, 0.0, 0.0]))
        inside[n] = step[distance > 0].sum() != 0
    return inside


def solid_stretches(
    outer: Mesh, cavity: Mesh | None, start_mm: NDArray[np.float64], towards: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Stretches of a line inside the material: in the outer mesh and in no cavity, (s, 2) [mm] from the start."""
    events = []
    for which, mesh in enumerate((outer, cavity)):
        if mesh is None:
            continue
        distance, step, _ = hits(mesh, start_mm, towards)
        events += [(float(d), which, int(s)) for d, s in zip(distance, step, strict=True)]
    winding = [0, 0]
    stretches: list[tuple[float, float]] = []
    since: float | None = None
    for d, which, change in sorted(events):
        winding[which] += change
        solid = winding[0] != 0 and winding[1] == 0
        if solid and since is None:
            since = d
        elif not solid and since is not None:
            if stretches and since - stretches[-1][1] < 1e-9:
                stretches[-1] = (stretches[-1][0], d)
            elif d - since > 1e-9:
                stretches.append((since, d))
            since = None
    return np.array(stretches).reshape(-1, 2)
