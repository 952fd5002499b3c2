"""A part's solids around its own place, and each print of them on the plate."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.drain import Drilled
from wideberth.core.hollow import Bars, Gussets, cavity_mesh
from wideberth.core.job import Placed
from wideberth.core.layers import Bore, Touch
from wideberth.core.model import Mesh, joined
from wideberth.core.support import Contact


@dataclass(frozen=True, eq=False)
class PartSolids:
    """A part in its pose around its own place: its box is centred over the plate's middle.

    own, own_chambers, own_cavity : outer surface, chambers, and all these as one mesh, in the part's own frame, in which they
    stay the same when it is turned. matrix : 4 x 4, from there to its place. box_mm : (2, 3) corners of the outer surface's
    box. drills, supports : meshes there. left_out : contacts that would stand in a drain hole and were not built. bars, gussets :
    the lattice in the cavity and what carries its ceilings, in the part's own frame; both reach into the walls.
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
    left_out: tuple[Contact, ...]
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
        """The outer surface at its place; previews do without."""
        return self.own.transformed(self.matrix)

    @cached_property
    def chambers(self) -> tuple[Mesh, ...]:
        """The chambers at their place."""
        return tuple(c.transformed(self.matrix) for c in self.own_chambers)

    @cached_property
    def cavity(self) -> Mesh | None:
        """All chambers at their place as one mesh."""
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


@dataclass(frozen=True, eq=False)
class PrintSolids:
    """One print on the plate: a part's solids (mirrored or turned, if it is) moved to where it stands. number : on its plate."""

    placed: Placed
    number: int
    at_home: PartSolids

    def stands_as(self, other: PrintSolids) -> bool:
        """Whether another print is the same solid in the same place."""
        return self.at_home is other.at_home and self.placed.placement == other.placed.placement

    @property
    def own(self) -> Mesh:
        return self.at_home.own

    @property
    def own_chambers(self) -> tuple[Mesh, ...]:
        return self.at_home.own_chambers

    @property
    def own_cavity(self) -> Mesh | None:
        return self.at_home.own_cavity

    @property
    def own_filling(self) -> Mesh | None:
        return self.at_home.own_filling

    @property
    def fillings(self) -> tuple[Mesh, ...]:
        return self.at_home.fillings

    @property
    def bars(self) -> Bars | None:
        return self.at_home.bars

    @property
    def gussets(self) -> Gussets | None:
        return self.at_home.gussets

    @property
    def shift_mm(self) -> NDArray[np.float64]:
        """From its part's own place, (3,)."""
        return np.array([self.placed.placement.x_mm, self.placed.placement.y_mm, 0.0])

    @cached_property
    def matrix(self) -> NDArray[np.float64]:
        """4 x 4, from the part's own frame to the plate's."""
        moved = self.at_home.matrix.copy()
        moved[:3, 3] += self.shift_mm
        return moved

    def own_spot(self, point_mm: NDArray[np.float64]) -> NDArray[np.float64]:
        """A point of the plate (3,) in the part's own frame, (3,)."""
        return np.asarray(np.linalg.inv(self.matrix)[:3] @ np.append(np.asarray(point_mm, float), 1.0))

    @property
    def box_mm(self) -> NDArray[np.float64]:
        return self.at_home.box_mm + self.shift_mm

    @property
    def low(self) -> NDArray[np.float64]:
        return self.at_home.low + self.shift_mm

    @property
    def high(self) -> NDArray[np.float64]:
        return self.at_home.high + self.shift_mm

    @cached_property
    def outer(self) -> Mesh:
        """The outer surface on the plate."""
        return self.at_home.outer.moved(self.shift_mm)

    @cached_property
    def chambers(self) -> tuple[Mesh, ...]:
        return tuple(c.moved(self.shift_mm) for c in self.at_home.chambers)

    @cached_property
    def cavity(self) -> Mesh | None:
        return None if self.at_home.cavity is None else self.at_home.cavity.moved(self.shift_mm)

    @cached_property
    def supports(self) -> Mesh | None:
        return None if self.at_home.supports is None else self.at_home.supports.moved(self.shift_mm)

    @cached_property
    def drills(self) -> Mesh | None:
        return None if self.at_home.drills is None else self.at_home.drills.moved(self.shift_mm)

    @cached_property
    def bores(self) -> tuple[Bore, ...]:
        """Its drilled holes on the plate, told to be this print's."""
        shift = np.eye(4)
        shift[:3, 3] = self.shift_mm
        return tuple(replace(b.moved(shift), part=self.number) for b in self.at_home.bores)

    @cached_property
    def touches(self) -> tuple[Touch, ...]:
        """Its tips on the plate, told to be this print's."""
        x, y, _ = (float(v) for v in self.shift_mm)
        return tuple(
            replace(t, part=self.number, x_mm=t.x_mm + x, y_mm=t.y_mm + y, post_x_mm=t.post_x_mm + x, post_y_mm=t.post_y_mm + y)
            for t in self.at_home.touches
        )


def bore_of(drilled: Drilled, number: int, id: str) -> Bore:
    """A drilled hole in the part's own frame: which of the part's it is, by number and by id."""

    def point(p: NDArray[np.float64]) -> tuple[float, float, float]:
        return float(p[0]), float(p[1]), float(p[2])

    outer, inner = point(drilled.outer_mouth_mm), point(drilled.inner_mouth_mm)
    return Bore(0, number, drilled.entry_mm, drilled.along, drilled.radius_mm, drilled.wall_mm, outer, inner, id)
