"""A part's solids as it stands on the plate, and a copy's."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.drain import Drilled
from wideberth.core.hollow import Bars, Gussets, cavity_mesh
from wideberth.core.job import Copy
from wideberth.core.layers import Bore, Touch
from wideberth.core.model import Mesh, joined
from wideberth.core.orient import Pose
from wideberth.core.support import Tip


@dataclass(frozen=True, eq=False)
class PartSolids:
    """A part as it stands on the plate.

    own, own_chambers, own_cavity : outer surface, chambers, and all these as one mesh, in the part's own frame, in which they
    stay the same when it is turned. matrix : 4 x 4, from there to the plate's frame. box_mm : (2, 3) corners of the outer
    surface's box on the plate. drills, supports : meshes on the plate. left_out : tips that would stand in a drain hole and were
    not built. bars, gussets : the lattice in the cavity and what carries its ceilings, in the part's own frame; both reach into
    the walls.
    """

    own: Mesh
    own_chambers: tuple[Mesh, ...]
    own_cavity: Mesh | None
    matrix: NDArray[np.float64]
    box_mm: NDArray[np.float64]
    drills: Mesh | None
    supports: Mesh | None
    bores: tuple[Bore, ...]
    touches: tuple[Touch, ...]
    left_out: tuple[Tip, ...]
    bars: Bars | None = None
    gussets: Gussets | None = None

    @property
    def fillings(self) -> tuple[Mesh, ...]:
        """What stands in the cavity, each an exact solid in the part's own frame."""
        return fillings_of(self.bars, self.gussets)

    @cached_property
    def own_filling(self) -> Mesh | None:
        """The same as one mesh of overlapping solids; None when the cavity is empty."""
        return joined(list(self.fillings)) if self.fillings else None

    @cached_property
    def outer(self) -> Mesh:
        """The outer surface on the plate; previews do without."""
        return self.own.transformed(self.matrix)

    @cached_property
    def chambers(self) -> tuple[Mesh, ...]:
        """The chambers on the plate."""
        return tuple(c.transformed(self.matrix) for c in self.own_chambers)

    @cached_property
    def cavity(self) -> Mesh | None:
        """All chambers on the plate as one mesh."""
        return self.chambers[0] if len(self.chambers) == 1 else cavity_mesh(self.chambers)

    @property
    def low(self) -> NDArray[np.float64]:
        return self.box_mm[0] if self.supports is None else np.minimum(self.box_mm[0], self.supports.low)

    @property
    def high(self) -> NDArray[np.float64]:
        return self.box_mm[1] if self.supports is None else np.maximum(self.box_mm[1], self.supports.high)


def fillings_of(bars: Bars | None, gussets: Gussets | None) -> tuple[Mesh, ...]:
    """Meshes of what stands in a cavity, if anything does."""
    return tuple(f.mesh for f in (bars, gussets) if f is not None and f.mesh.triangles)


def copied(own: PartSolids, pose: Pose, copy: Copy) -> PartSolids:
    """A part's solids once more at a copy's place, mirrored across the plane x = its middle if so wanted."""
    matrix = np.eye(4)
    if copy.mirrored:
        matrix[0, 0] = -1
    matrix[0, 3] = copy.x_mm - matrix[0, 0] * pose.x_mm
    matrix[1, 3] = copy.y_mm - pose.y_mm

    def moved(mesh: Mesh | None) -> Mesh | None:
        return None if mesh is None else mesh.transformed(matrix)

    def spot(p: tuple[float, float, float]) -> tuple[float, float, float]:
        x, y, z = matrix[:3, :3] @ np.asarray(p) + matrix[:3, 3]
        return float(x), float(y), float(z)

    def across(x: float, y: float) -> tuple[float, float]:
        return spot((x, y, 0.0))[:2]

    bores = tuple(
        replace(b, entry_mm=spot(b.entry_mm), outer_mm=spot(b.outer_mm), inner_mm=spot(b.inner_mm),
                along=(float(matrix[0, 0]) * b.along[0], b.along[1], b.along[2]))
        for b in own.bores
    )  # fmt: skip
    touched = []
    for t in own.touches:
        (x, y), (post_x, post_y) = across(t.x_mm, t.y_mm), across(t.post_x_mm, t.post_y_mm)
        touched.append(replace(t, x_mm=x, y_mm=y, post_x_mm=post_x, post_y_mm=post_y))
    corners = own.box_mm @ matrix[:3, :3].T + matrix[:3, 3]
    return replace(
        own, matrix=matrix @ own.matrix, box_mm=np.array([corners.min(axis=0), corners.max(axis=0)]), drills=moved(own.drills),
        supports=moved(own.supports), bores=bores, touches=tuple(touched),
    )  # fmt: skip


def bore_of(drilled: Drilled, matrix: NDArray[np.float64], number: int) -> Bore:
    """A drilled hole in the plate's frame."""

    def place(p: NDArray[np.float64]) -> tuple[float, float, float]:
        q = matrix[:3, :3] @ p + matrix[:3, 3]
        return float(q[0]), float(q[1]), float(q[2])

    along = matrix[:3, :3] @ np.asarray(drilled.along)
    return Bore(
        0, number, place(np.asarray(drilled.entry_mm)), (float(along[0]), float(along[1]), float(along[2])),
        drilled.radius_mm, drilled.wall_mm, place(drilled.outer_mouth_mm), place(drilled.inner_mouth_mm),
    )  # fmt: skip
