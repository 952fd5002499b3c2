"""Which ways up to try: an even covering of the sphere, flat faces and these tilted, hull facets, principal axes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from wideberth.core.model import Mesh, frame_along

Values = NDArray[np.float64]
COVERING = 240
"""Directions of the even covering: about twelve degrees apart."""
TILTS_DEG = (10.0, 30.0, 45.0, 60.0)
FACES, FACETS = 6, 60
FLAT_SHARE = 0.02
"""Of the surface, from which on a flat face counts."""
SAME_FACE = 0.9997
"""Cosine of a degree and a half."""
APART_DEG = 3.0
"""Directions nearer than this to an earlier one are left out."""


@dataclass(frozen=True, eq=False)
class Directions:
    """Ways up, unit vectors in the part's own frame: (n, 3), the most promising first. faces : (m, 3) outward normals of flat
    faces, the largest first."""

    ups: Values
    faces: Values


def directions(mesh: Mesh) -> Directions:
    """What to try for a mesh, without repetition, always in the same order."""
    hull, facets = _hull_facets(mesh)
    faces = flat_faces(mesh)
    named = [np.eye(3), -np.eye(3), *(-faces[:, None] if len(faces) else []), *(_tilted(-n) for n in faces[:FACES])]
    axes = principal_axes(hull)
    ups = np.vstack([*named, axes, -axes, -facets[:FACETS], covering(COVERING)])
    return Directions(_apart(ups), faces)


def covering(count: int) -> Values:
    """Evenly spread unit vectors (count, 3), on a spiral of golden angles.

    Source: R. Swinbank and R. J. Purser (2006), Fibonacci grids.
    """
    k = np.arange(count) + 0.5
    z = 1 - 2 * k / count
    turn = np.pi * (1 + 5**0.5) * k
    level = np.sqrt(1 - z**2)
    return np.column_stack((level * np.cos(turn), level * np.sin(turn), z))


def flat_faces(mesh: Mesh) -> Values:
    """Outward normals (m, 3) of faces that together are flat and large, the largest first."""
    area, normals = mesh.face_area_mm2, mesh.normals
    order = np.argsort(-area, kind="stable")
    left = np.ones(len(area), bool)
    found: list[tuple[float, Values]] = []
    total = float(area.sum())
    for face in order:
        if not left[face]:
            continue
        if len(found) == 4 * FACES or area[face] * len(area) < 0.2 * FLAT_SHARE * total:
            break
        same = left & (normals @ normals[face] > SAME_FACE)
        left[same] = False
        if area[same].sum() >= FLAT_SHARE * total:
            middle = (normals[same] * area[same, None]).sum(axis=0)
            found.append((float(area[same].sum()), middle / np.linalg.norm(middle)))
    found.sort(key=lambda f: -round(f[0], 6))
    return np.array([n for _, n in found]).reshape(-1, 3)


def principal_axes(points: Values) -> Values:
    """Axes of inertia of points (n, 3), the longest first, (3, 3)."""
    centred = points - points.mean(axis=0)
    return np.linalg.eigh(centred.T @ centred)[1].T[::-1]


def _hull_facets(mesh: Mesh) -> tuple[Values, Values]:
    """Corners of the hull, and the normals of its facets, the largest first."""
    points = mesh.points[mesh.used]
    try:
        hull = ConvexHull(points)
    except QhullError:
        return points, np.empty((0, 3))
    normals = hull.equations[:, :3]
    corners = points[hull.simplices]
    area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    key, group = np.unique(np.round(normals, 2), axis=0, return_inverse=True)
    sums = np.bincount(group.ravel(), area, len(key))
    order = np.lexsort((*key.T, -np.round(sums, 6)))
    whole = key[order]
    return points[hull.vertices], whole / np.linalg.norm(whole, axis=1, keepdims=True)


def _tilted(up: Values) -> Values:
    """A way up leant each way about two axes square to it, and about both, (n, 3)."""
    across, over, _ = frame_along(up)
    ways = [across, -across, over, -over, across + over, across - over, over - across, -across - over]
    leans = [np.cos(np.radians(t)) * up + np.sin(np.radians(t)) * w / np.linalg.norm(w) for t in TILTS_DEG for w in ways]
    return np.array(leans)


def _apart(ups: Values) -> Values:
    """Less those that nearly repeat an earlier one."""
    kept = np.empty((0, 3))
    near = np.cos(np.radians(APART_DEG))
    for up in ups:
        unit = up / np.linalg.norm(up)
        if not len(kept) or (kept @ unit).max() < near:
            kept = np.vstack((kept, unit))
    return kept
