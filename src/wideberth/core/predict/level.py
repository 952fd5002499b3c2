"""Large flat faces that hang parallel to the plate: each begins in one layer."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model import Mesh
from wideberth.core.verdict import LevelFace

LEVEL = -0.99985
"""Height of a unit normal up to which a face is level: a degree."""
BOX_STEP_DEG = 3.0
SAME_MM = 0.05
"""Faces whose heights differ by less begin together."""


def level_faces(own: Mesh, matrix: NDArray[np.float64], least_mm2: float, above_mm: float) -> tuple[LevelFace, ...]:
    """Level undersides of a print of at least so much area that begin higher than `above_mm`, the largest first.

    Parameters
    ----------
    own : its outer surface, or a lighter stand-in of it, in the part's own frame; matrix : (4, 4) from there to the plate.
    """
    down = np.flatnonzero(own.normals @ matrix[2, :3] < LEVEL)
    if own.face_area_mm2[down].sum() < least_mm2:
        return ()
    corners = own.corners[down] @ matrix[:3, :3].T + matrix[:3, 3]
    z, area = corners[:, :, 2].mean(axis=1), own.face_area_mm2[down]
    order = np.argsort(z, kind="stable")
    group = np.concatenate(([0], np.cumsum(np.diff(z[order]) > SAME_MM)))
    faces = []
    for number in np.flatnonzero(np.bincount(group, area[order]) >= least_mm2):
        own_faces = order[group == number]
        height = float(z[own_faces].mean())
        if height > above_mm:
            x, y = (float((area * corners[:, :, k].mean(axis=1))[own_faces].sum() / area[own_faces].sum()) for k in (0, 1))
            faces.append(
                LevelFace(float(area[own_faces].sum()), _longest_mm(corners[own_faces, :, :2].reshape(-1, 2)), x, y, height)
            )
    return tuple(sorted(faces, key=lambda f: -f.area_mm2))


def _longest_mm(points: np.ndarray) -> float:
    """Longer side of the smallest box round points (n, 2), to a few degrees of its turn."""
    sides = []
    for turn in np.radians(np.arange(0.0, 90.0, BOX_STEP_DEG)):
        c, s = np.cos(turn), np.sin(turn)
        across, along = float(np.ptp(points @ [c, s])), float(np.ptp(points @ [-s, c]))
        sides.append((across * along, max(across, along)))
    return min(sides)[1]
