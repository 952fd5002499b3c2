"""A bore made wider or narrower, so that what goes into it fits: the side that nobody sees gives way."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model import Exact, Mesh, frame_along, meshes_of, wall_of
from wideberth.core.progress import Progress

SEGMENTS = 128
GRIP_MM = 0.1
"""By so much the lining of a bore that is made narrower reaches into its wall."""
BACK_MM = 1e-3
"""And so much it stays behind the bore's mouths, so that none of it stands out where these are turned."""
LEAST_MM = 0.2
LEVEL = 0.5
"""Cosine between a bore's axis and what looks along it: a mouth, and no rounded rim."""


@dataclass(frozen=True)
class Rebore:
    """A bore of a part in its own frame, sized and not yet cut.

    axis : unit vector. x_mm, y_mm, z_mm : its middle. length_mm : along the axis. was_mm, diameter_mm : before and after.
    """

    axis: tuple[float, float, float]
    x_mm: float
    y_mm: float
    z_mm: float
    length_mm: float
    was_mm: float
    diameter_mm: float

    @property
    def placing(self) -> NDArray[np.float64]:
        """From a frame whose third axis is the bore's and whose origin its middle, (3, 4)."""
        return np.column_stack((frame_along(np.array(self.axis)).T, (self.x_mm, self.y_mm, self.z_mm)))

    def solid(self, diameter_mm: float, back_mm: float = 0.0) -> Manifold:
        """A rod of another diameter in its place, shorter by so much at either end."""
        rod = Manifold.cylinder(self.length_mm - 2 * back_mm, diameter_mm / 2, diameter_mm / 2, SEGMENTS, center=True)
        return rod.transform(self.placing)


def rebored(mesh: Mesh, rebores: tuple[Rebore, ...], name: str, progress: Progress | None = None) -> Mesh:
    """A mesh with its bores drilled wider, or drawn narrower, in order.

    Raises
    ------
    BadModel : when the mesh is not closed, or a bore would be closed. Cancelled : when `progress` was cancelled meanwhile.
    """
    for each in rebores:
        if each.diameter_mm < LEAST_MM:
            raise BadModel(f"a bore of {each.diameter_mm:.2f} mm is none.", where=name, remedy="Make its peg thinner instead.")
        if each.diameter_mm >= each.was_mm:
            drilled = Exact.solid(mesh) - Exact.solid(each.solid(each.diameter_mm))
            mesh = meshes_of([drilled], name, what="boring", progress=progress)[0]
        else:
            wall = wall_of(mesh, each.axis, (each.x_mm, each.y_mm, each.z_mm), each.length_mm, each.was_mm)
            made = Exact.solid(_drawn_in(mesh, wall, each)) if wall.any() else Exact.solid(mesh) + Exact.solid(_lining(each))
            mesh = meshes_of([made], name, what="boring", progress=progress)[0]
    return mesh


def _drawn_in(mesh: Mesh, wall: NDArray[np.bool_], bore: Rebore) -> Mesh:
    """The points of a wall, its faces (faces,), moved towards the axis; at its mouths they keep to the planes of the faces beside
    it, however these look."""
    axis, on_wall = np.array(bore.axis), np.zeros(len(mesh.points), bool)
    on_wall[mesh.faces[wall]] = True
    off = mesh.points - (bore.x_mm, bore.y_mm, bore.z_mm)
    moves = (bore.diameter_mm / bore.was_mm - 1) * (off - (off @ axis)[:, None] * axis)
    moves[~on_wall] = 0.0
    steep = mesh.normals @ axis
    corners_on: NDArray[np.bool_] = on_wall[mesh.faces]
    beside = ~corners_on.all(axis=1) & (np.abs(steep) > LEVEL)
    face, corner = np.nonzero(corners_on & beside[:, None])
    point = mesh.faces[face, corner]
    rises = -(mesh.normals[face] * moves[point]).sum(axis=1) / steep[face]
    weight = np.bincount(point, mesh.face_area_mm2[face], len(mesh.points))
    rise = np.bincount(point, rises * mesh.face_area_mm2[face], len(mesh.points)) / np.maximum(weight, 1e-300)
    return Mesh(mesh.points + moves + rise[:, None] * axis, mesh.faces)


def _lining(bore: Rebore) -> Manifold:
    """A tube for a bore whose wall is no plain one."""
    return bore.solid(bore.was_mm + 2 * GRIP_MM, BACK_MM) - bore.solid(bore.diameter_mm)
