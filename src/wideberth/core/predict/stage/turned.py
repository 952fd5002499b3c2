"""Turned: a part's solids once more around its own place, mirrored or turned about the plate's upright."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from wideberth.core.model import Mesh, rotation_about
from wideberth.core.predict.solids import PartSolids
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class Turning:
    """turn_deg : counter-clockwise seen against the upright, after mirroring across the plane x = 0."""

    solids: PartSolids
    turn_deg: float
    mirrored: bool


def turned_solids(of: Turning, _: Progress) -> PartSolids:
    """The same solids for a print that is mirrored or stands turned: holes, supports and all."""
    own = of.solids
    matrix = np.eye(4)
    matrix[:3, :3] = rotation_about(2, of.turn_deg) @ np.diag([-1.0 if of.mirrored else 1.0, 1.0, 1.0])

    def moved(mesh: Mesh | None) -> Mesh | None:
        return None if mesh is None else mesh.transformed(matrix)

    def along(p: tuple[float, float, float]) -> tuple[float, float, float]:
        x, y, z = (float(v) for v in matrix[:3, :3] @ np.asarray(p))
        return x, y, z

    bores = tuple(b.moved(matrix) for b in own.bores)
    touched = []
    for t in own.touches:
        x, y = along((t.x_mm, t.y_mm, 0.0))[:2]
        post_x, post_y = along((t.post_x_mm, t.post_y_mm, 0.0))[:2]
        touched.append(replace(t, x_mm=x, y_mm=y, post_x_mm=post_x, post_y_mm=post_y))
    left_out = []
    for c in own.left_out:
        x, y, z = along((c.x_mm, c.y_mm, c.z_mm))
        left_out.append(replace(c, x_mm=x, y_mm=y, z_mm=z))
    points = own.outer.points if own.outer.used.all() else own.outer.points[own.outer.used]
    placed = points @ matrix[:3, :3].T
    return replace(
        own,
        matrix=matrix @ own.matrix,
        box_mm=np.array([placed.min(axis=0), placed.max(axis=0)]),
        drills=moved(own.drills),
        supports=moved(own.supports),
        bores=bores,
        touches=tuple(touched),
        left_out=tuple(left_out),
    )
