"""Hollowing: a cavity at a given distance under the surface, from a measured distance field."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from skimage.measure import marching_cubes

from wideberth.core.errors import BadModel
from wideberth.core.layers import nodes_inside
from wideberth.core.model import Mesh, Surface, as_mesh, as_solid, joined, resolved
from wideberth.core.progress import Progress, quiet

MOST_NODES = 14_000_000
BLOCK = 4
TOLERANCE_MM = 0.02


@dataclass(frozen=True)
class Shell:
    """How a part is hollowed: wall thickness, and the chambers that are too small to be worth it."""

    wall_mm: float
    smallest_chamber_ml: float = 0.3


def hollow_out(outer: Mesh, shell: Shell, progress: Progress | None = None) -> tuple[Mesh, ...]:
    """Chambers of a shell, each a closed mesh with its faces outward, largest first; empty when none is big enough.

    Parameters
    ----------
    outer : closed mesh [mm]; rows that do not close are mended as in slicing.
    shell : wall and least chamber.

    Notes
    -----
    Distances are to points sampled on the surface, and from there to the plane of their triangle: the plane takes out
    what the gaps between samples add, g²/2d at distance d. They are taken only in blocks that the cavity's surface can
    pass through, since a distance changes by no more than the way walked.
    """
    progress = progress or quiet()
    progress.at(0.0, "measuring the wall")
    outer = resolved(outer)  # buried surfaces of overlapping shells are no outside to keep a wall from
    step = _node_step(outer, shell.wall_mm)
    origin = outer.low - 1.5 * step
    nx, ny, nz = (int(n) for n in np.ceil((outer.high - origin) / step + 2.5))
    shape = (nz, ny, nx)
    inside = nodes_inside(outer.points, outer.faces, origin, step, shape)
    surface = Surface(outer, shell.wall_mm / 6)
    progress.at(0.25, "measuring the wall")
    field = _distance(surface, inside, origin, step, shell.wall_mm, progress.part(0.25, 0.85))
    if field.max() <= shell.wall_mm:
        return ()
    progress.at(0.85, "drawing the cavity")
    points, faces, _, _ = marching_cubes(field, level=shell.wall_mm)
    cavity = Mesh(points[:, ::-1].astype(np.float64) * step + origin, faces.astype(np.int32))
    chambers = [c if c.volume_mm3 > 0 else Mesh(c.points, c.faces[:, ::-1].copy()) for c in _pieces(cavity)]
    large = [_lighter(c) for c in chambers if c.volume_mm3 >= shell.smallest_chamber_ml * 1000]
    progress.at(1.0, "hollow")
    return tuple(sorted(large, key=lambda c: -c.volume_mm3))


def _lighter(chamber: Mesh) -> Mesh:
    """The chamber with needless triangles taken out, nowhere moved by more than 0.02 mm."""
    try:
        return as_mesh(as_solid(chamber).simplify(TOLERANCE_MM))
    except BadModel:
        return chamber


def cavity_mesh(chambers: tuple[Mesh, ...]) -> Mesh | None:
    """All chambers as one mesh, or None."""
    return joined(list(chambers)) if chambers else None


def _node_step(outer: Mesh, wall_mm: float) -> float:
    """Distance of the field's nodes: a fifth of the wall, or what fits the memory."""
    box = outer.extents_mm + 4.0
    return float(max(wall_mm / 5, (box.prod() / MOST_NODES) ** (1 / 3)))


def _distance(surface: Surface, inside: NDArray[np.bool_], origin: NDArray[np.float64], step: float, wall_mm: float,
              progress: Progress) -> NDArray[np.float32]:  # fmt: skip
    """Distance under the surface at each node where it is near the wall; coarser elsewhere, 0 outside; (z, y, x)."""
    nz, ny, nx = inside.shape
    field = np.zeros(inside.shape, np.float32)
    blocks = tuple(-(-n // BLOCK) for n in inside.shape)
    padded = np.zeros(tuple(b * BLOCK for b in blocks), bool)
    padded[:nz, :ny, :nx] = inside
    any_inside = padded.reshape(blocks[0], BLOCK, blocks[1], BLOCK, blocks[2], BLOCK).any(axis=(1, 3, 5))
    at = np.argwhere(any_inside)
    centre = origin + (at[:, ::-1] * BLOCK + 0.5 * (BLOCK - 1)) * step
    middle = surface.distance(centre)
    reach = step * np.sqrt(3) * (0.5 * (BLOCK - 1) + 1)
    fine = np.abs(middle - wall_mm) <= reach
    coarse_value = np.zeros(blocks, np.float32)
    coarse_value[tuple(at.T)] = middle
    whole = np.repeat(np.repeat(np.repeat(coarse_value, BLOCK, 0), BLOCK, 1), BLOCK, 2)[:nz, :ny, :nx]
    np.copyto(field, whole, where=inside)
    near = np.zeros(blocks, bool)
    near[tuple(at[fine].T)] = True
    wanted = np.repeat(np.repeat(np.repeat(near, BLOCK, 0), BLOCK, 1), BLOCK, 2)[:nz, :ny, :nx] & inside
    nodes = np.argwhere(wanted)
    pieces = max(1, len(nodes) // 200_000)
    for number, piece in enumerate(np.array_split(nodes, pieces)):
        progress.at(number / pieces, "measuring the wall")
        field[tuple(piece.T)] = surface.distance(origin + piece[:, ::-1] * step)
    return field


def _pieces(mesh: Mesh) -> list[Mesh]:
    """The connected pieces of a mesh."""
    f = mesh.faces
    pairs = np.concatenate((f[:, [0, 1]], f[:, [1, 2]]))
    n = len(mesh.points)
    graph = coo_matrix((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(n, n))
    count, label = connected_components(graph, directed=False)
    face_label = label[f[:, 0]]
    pieces = []
    for which in range(count):
        faces = f[face_label == which]
        if len(faces) == 0:
            continue
        used, index = np.unique(faces, return_inverse=True)
        pieces.append(Mesh(mesh.points[used], index.reshape(-1, 3).astype(np.int32)))
    return pieces
