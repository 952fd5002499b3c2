"""The point of a mesh that is nearest to a given one."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model.mesh import Mesh


def nearest_on(mesh: Mesh, point: NDArray[np.float64]) -> tuple[int, NDArray[np.float64]]:
    """The triangle nearest to a point (3,), and the nearest point on it (3,)."""
    c = mesh.corners
    gap = np.maximum(np.maximum(c.min(axis=1) - point, point - c.max(axis=1)), 0)
    bound = (gap**2).sum(axis=1)
    reach = ((c[:, 0] - point) ** 2).sum(axis=1).min()
    near = np.flatnonzero(bound <= reach)
    foot = feet(c[near], point)
    best = int(((foot - point) ** 2).sum(axis=1).argmin())
    return int(near[best]), foot[best]


def feet(tri: NDArray[np.float64], point: NDArray[np.float64]) -> NDArray[np.float64]:
    """Nearest point of each triangle (t, 3, 3) to a point (3,): its plane's foot where that lies inside, else an edge's."""
    a, ab, ac = tri[:, 0], tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0]
    normal = np.cross(ab, ac)
    area2 = np.maximum((normal**2).sum(axis=1), 1e-30)
    ap = point - a
    v = (np.cross(ap, ac) * normal).sum(axis=1) / area2
    w = (np.cross(ab, ap) * normal).sum(axis=1) / area2
    inside = (v >= 0) & (w >= 0) & (v + w <= 1)
    foot = a + v[:, None] * ab + w[:, None] * ac
    best = np.where(inside, ((foot - point) ** 2).sum(axis=1), np.inf)
    for i in range(3):
        p, q = tri[:, i], tri[:, (i + 1) % 3]
        along = q - p
        length2 = np.maximum((along**2).sum(axis=1), 1e-30)
        s = np.clip(((point - p) * along).sum(axis=1) / length2, 0, 1)
        on = p + s[:, None] * along
        d = ((on - point) ** 2).sum(axis=1)
        closer = d < best
        foot[closer], best[closer] = on[closer], d[closer]
    return foot
