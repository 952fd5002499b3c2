"""Sections of a mesh file as pixels, by another library's plane sections and a plain winding count: slow and obvious."""

from __future__ import annotations

import numpy as np
import trimesh


def section_pixels(mesh: trimesh.Trimesh, z_mm: float, x_mm: np.ndarray, y_mm: np.ndarray) -> np.ndarray:
    """Whether pixel centres (rows at y, columns at x) lie in the solid at a height, by the non-zero winding rule."""
    segments, face = trimesh.intersections.mesh_plane(mesh, (0.0, 0.0, 1.0), (0.0, 0.0, z_mm), return_faces=True)
    lit = np.zeros((len(y_mm), len(x_mm)), bool)
    if len(segments) == 0:
        return lit
    normal = mesh.face_normals[face]
    a, b = segments[:, 0, :2], segments[:, 1, :2]
    along = b - a
    # walk each segment with the solid on its left: the outward normal then lies to its right
    backward = along[:, 0] * normal[:, 1] - along[:, 1] * normal[:, 0] > 0
    a, b = np.where(backward[:, None], b, a), np.where(backward[:, None], a, b)
    for row, y in enumerate(y_mm):
        rising, falling = (a[:, 1] <= y) & (b[:, 1] > y), (b[:, 1] <= y) & (a[:, 1] > y)
        hit = rising | falling
        if not hit.any():
            continue
        p, q = a[hit], b[hit]
        x = p[:, 0] + (y - p[:, 1]) / (q[:, 1] - p[:, 1]) * (q[:, 0] - p[:, 0])
        order = np.argsort(x)
        winding = np.concatenate(([0], np.cumsum(np.where(falling[hit], 1, -1)[order])))
        lit[row] = winding[np.searchsorted(x[order], x_mm)] != 0
    return lit
