"""Meshes and blocks of cells as what the 3D view draws."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
import pyvista as pv
import scipy
from numpy.typing import NDArray

from wideberth.core.model import Mesh, Shaded

EDGE, SMOOTH_CELLS = 2, 0.8
"""Cells round a block, and over how many it is smoothed."""
MOST_SIDES = 4_000
"""Sides of cells on the surface of a block that is drawn finely, with at most about twice as many triangles."""
WAYS_OUT = np.array([way for way in itertools.product((-1, 0, 1), repeat=3) if way > (0, 0, 0)], np.float32)
"""Along the axes and all diagonals between them, one of each two that are opposite: no way is farther than 28° from one of them
or its opposite, and a corner of a block, however turned, lies outermost along all ways within 35° of its own."""


def some_of(points: NDArray[np.float32], most: int) -> NDArray[np.float32]:
    """Some of many points (n, 3) that reach as far as all: about `most` of them evenly, and the outermost along each way out,
    since a block has but eight corners."""
    along = WAYS_OUT @ points.T
    outermost = np.concatenate((along.argmin(axis=1), along.argmax(axis=1)))
    return np.concatenate((points[:: max(1, len(points) // most)], points[outermost]))


def poly(mesh: Mesh) -> pv.PolyData:
    """A mesh for drawing."""
    return pv.PolyData.from_regular_faces(mesh.points.astype(np.float32), mesh.faces)


def smooth_poly(surface: Shaded, shift_mm: NDArray[np.float64]) -> pv.PolyData:
    """A surface with normals for drawing, moved by (3,)."""
    made = pv.PolyData.from_regular_faces((surface.points + shift_mm).astype(np.float32), surface.faces)
    made.point_data.active_normals = surface.normals
    return made


def run_smooth(actor: pv.Actor) -> None:
    """Let light run smoothly over a surface that has normals; asked for by itself, the library would compute them anew."""
    actor.prop.interpolation = "Gouraud"


def line_set(lines: NDArray[np.float64]) -> pv.PolyData:
    """Lines (n, 2, 3) for drawing."""
    n = len(lines)
    cells = np.column_stack([np.full(n, 2), np.arange(0, 2 * n, 2), np.arange(1, 2 * n, 2)])
    return pv.PolyData(lines.reshape(-1, 3).astype(np.float32), lines=cells.ravel())


def behind(drawn: pv.PolyData, origin_mm: NDArray[np.float64], normal: NDArray[np.float64]) -> pv.PolyData:
    """Triangles with their normals, or lines, that are not wholly before a plane, whose normal (3,) points away from the eye."""
    points = np.asarray(drawn.points)
    kept = (points - origin_mm) @ normal >= 0
    if drawn.n_lines:
        ends = drawn.lines.reshape(-1, 3)
        return pv.PolyData(points, lines=ends[kept[ends[:, 1:]].any(axis=1)].ravel())
    faces = drawn.regular_faces
    made = pv.PolyData.from_regular_faces(points, faces[kept[faces].any(axis=1)])
    made.point_data.active_normals = drawn.point_data.active_normals
    return made


@dataclass(frozen=True, eq=False)
class Block:
    """Cells as shares of being held, (z, y, x), smoothed. low_mm : the first one's place; step_mm : between them."""

    held: NDArray[np.float32]
    low_mm: NDArray[np.float64]
    step_mm: float


def block_of(held: NDArray[np.float32], low_mm: NDArray[np.float64], step_mm: float) -> Block | None:
    """The block round cells that are held by more than half, (z, y, x), or None where there are none: every cell, or every
    second where the surface would be of more than `MOST_SIDES`. For any thread."""
    if held.max() <= 0.5:
        return None
    k, j, i = np.nonzero(held > 0.5)
    low = np.array([k.min(), j.min(), i.min()])
    own = held[tuple(slice(a, b + 1) for a, b in zip(low, (k.max(), j.max(), i.max()), strict=True))]
    sides = sum(np.count_nonzero(np.diff(np.pad(own > 0.5, 1), axis=axis)) for axis in range(3))
    every = 2 if sides > MOST_SIDES else 1  # of a sheet two cells thick, every third might be beside it
    edge = EDGE * every
    block = np.pad(own, [(edge, edge + -n % every) for n in own.shape])
    smooth = scipy.ndimage.gaussian_filter(block, SMOOTH_CELLS)
    drawn = smooth if every == 1 else smooth[::every, ::every, ::every].copy()
    return Block(drawn, low_mm + step_mm * (low[::-1] - edge), step_mm * every)


def body_of(block: Block, matrix: NDArray[np.float64]) -> pv.PolyData | None:
    """A block's surface, set down by a 4 x 4 matrix, or None where smoothing left nothing."""
    grid = pv.ImageData(dimensions=block.held.shape[::-1], spacing=(block.step_mm,) * 3, origin=block.low_mm)
    grid["held"] = block.held.ravel()
    surface = grid.contour([min(0.5, 0.5 * float(block.held.max()))], scalars="held", compute_normals=True)
    return surface.transform(matrix, inplace=False) if surface.n_points else None
