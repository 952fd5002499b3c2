"""A broken mesh built anew as one closed solid, through the ray model."""

from __future__ import annotations

from contextlib import suppress

import numpy as np

from wideberth.core.errors import BadModel
from wideberth.core.layers.nodes import nodes_mostly_inside
from wideberth.core.model import Closest, Mended, Mesh, at_level, simplified, spread_over
from wideberth.core.progress import Progress, quiet

MOST_NODES = 6_000_000
FINEST_MM = 0.1
BAND = 2.5
CHUNK = 200_000
LIGHTER_SHARE = 0.05


def usual_pitch_mm(mesh: Mesh) -> float:
    """Spacing of the nodes that fits a part: what the memory holds, and no finer than 0.1 mm."""
    return float(max(FINEST_MM, (np.maximum(mesh.extents_mm, 1.0).prod() / MOST_NODES) ** (1 / 3)))


def rebuilt(mesh: Mesh, pitch_mm: float = 0.0, progress: Progress | None = None) -> tuple[Mesh, Mended]:
    """One closed surface round everything that is inside along most axes.

    Parameters
    ----------
    pitch_mm : spacing of the nodes; 0 for one that fits. Walls thinner than it get lost, edges are rounded by about half of it.

    Notes
    -----
    Inside is what the non-zero winding rule says along at least two of the three axes, so that a hole misleads only the rays
    through it. The surface lies where the signed distance to the old one is zero, so that it has no steps.

    Raises
    ------
    BadModel : when nothing closed is left.
    """
    progress = progress or quiet()
    step = pitch_mm or usual_pitch_mm(mesh)
    origin = mesh.low - 2.5 * step
    nx, ny, nz = (int(n) for n in np.ceil((mesh.high - origin) / step + 2.5))
    if nx * ny * nz > 4 * MOST_NODES:
        raise BadModel(
            f"a spacing of {step:g} mm would need {nx * ny * nz / 1e6:.0f} million nodes.",
            where="rebuild",
            kept="The mesh is as it was.",
            remedy="Use a wider spacing.",
        )
    progress.at(0.05, "casting rays along three axes")
    inside = nodes_mostly_inside(mesh.points, mesh.faces, origin, step, (nz, ny, nx))
    if not inside.any():
        raise BadModel(
            "nothing closed is left of it at this spacing.",
            where="rebuild",
            kept="The mesh is as it was.",
            remedy="Use a finer spacing, or fill its holes first.",
        )
    progress.at(0.3, "measuring distances")
    field = np.where(inside, -BAND * step, BAND * step).astype(np.float32)
    near = _near_the_border(inside)
    nodes = np.argwhere(near)
    surface = Closest(mesh)
    for start in range(0, len(nodes), CHUNK):
        progress.at(0.3 + 0.5 * start / len(nodes), "measuring distances")
        piece = nodes[start : start + CHUNK]
        far = np.clip(surface.distance(origin + piece[:, ::-1] * step), 0.02 * step, BAND * step)
        at = tuple(piece.T)
        field[at] = np.where(inside[at], -far, far)
    progress.at(0.8, "drawing the surface")
    made = at_level(field, 0.0, step, origin)
    if made.volume_mm3 < 0:
        made = Mesh(made.points, made.faces[:, ::-1].copy())
    with suppress(BadModel):  # it is closed all the same, only heavier
        made = simplified(made, LIGHTER_SHARE * step, progress.part(0.8, 0.9))
    progress.at(0.9, "comparing")
    what = f"rebuilt with nodes {step:.2f} mm apart, {made.triangles:,} triangles"
    deviation = _deviation(mesh, made, inside, origin, step)
    report = Mended("rebuild", what, mesh.volume_mm3, made.volume_mm3, deviation)
    progress.at(1.0, "rebuilt")
    return made, report


def _deviation(mesh: Mesh, made: Mesh, inside: np.ndarray, origin: np.ndarray, step: float) -> float:
    """Largest distance between old and new surface [mm]; what of the old one is buried in the solid does not count."""
    away = Closest(mesh).farthest(spread_over(made, 2 * step)[1])
    face, spots = spread_over(mesh, 2 * step, seed=3)
    over = spots + 0.75 * step * mesh.normals[face]  # just outside the old surface: material there means that it is buried
    i, j, k = np.floor((over - origin) / step).astype(int).T
    buried = np.ones(len(spots), bool)
    for dk, dj, di in np.ndindex(2, 2, 2):
        at = [np.clip(v + d, 0, n - 1) for v, d, n in zip((k, j, i), (dk, dj, di), inside.shape, strict=True)]
        buried &= inside[tuple(at)]
    return max(away, Closest(made).farthest(spots[~buried]))


def _near_the_border(inside: np.ndarray) -> np.ndarray:
    """Nodes within two steps of one on the other side."""
    border = np.zeros(inside.shape, bool)
    for axis in range(3):
        change = np.diff(inside, axis=axis)
        lower = [slice(None)] * 3
        upper = [slice(None)] * 3
        lower[axis], upper[axis] = slice(0, -1), slice(1, None)
        border[tuple(lower)] |= change
        border[tuple(upper)] |= change
    wider = border.copy()
    for axis in range(3):
        for way in (1, -1):
            wider |= np.roll(border, way, axis=axis)
    return wider
