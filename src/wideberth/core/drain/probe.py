"""Whether a hole would work at a spot, told before it is drilled."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.drain.hole import Drilled, Hole, drill
from wideberth.core.errors import BadModel
from wideberth.core.model import Closest, Mesh, hits, ring_about

DEEPEST_WALLS = 6.0
RIM_WAYS = 8


@dataclass(frozen=True)
class Probed:
    """What a hole at a spot would be. `works` : through the wall into a void, clear of others and of edges; `words` say which.

    chamber : number of the void that it opens, in the order of `chambers`, -1 for one of the shape's own. thin_mm : the thinnest
    material beside it.
    """

    works: bool
    words: str
    wall_mm: float
    chamber: int
    thin_mm: float
    drilled: Drilled | None


class Probe:
    """A part made ready for many looks: its outer surface, cavity, chambers and holes, in its own frame."""

    def __init__(
        self, outer: Mesh, cavity: Mesh | None, chambers: Sequence[Mesh], holes: Sequence[Drilled], edge_mm: float, wall_mm: float
    ) -> None:
        self._outer, self._cavity, self._chambers = outer, cavity, chambers
        self._holes, self._edge, self._wall = holes, edge_mm, wall_mm

    @cached_property
    def _surface(self) -> Closest:
        return Closest(self._outer)

    def look(self, point_mm: NDArray[np.float64], diameter_mm: float, leave_out: int = -1) -> Probed:
        """Look at a spot on the surface (3,); `leave_out` is a hole that is being moved."""
        x, y, z = (float(v) for v in point_mm)
        try:
            made = drill(self._outer, self._cavity, Hole(x, y, z, diameter_mm))
        except BadModel as error:
            return Probed(False, error.what, 0.0, -1, 0.0, None)
        wall = f"{made.wall_mm:.1f} mm of wall"
        if not np.isfinite(made.free_mm) or made.wall_mm > DEEPEST_WALLS * self._wall:
            behind = "comes out on the far side" if not np.isfinite(made.free_mm) else "leads to void only"
            return Probed(False, f"no chamber close behind: {wall}, {behind}", made.wall_mm, -1, 0.0, made)
        overlap = self._overlap(made, leave_out)
        if overlap:
            return Probed(False, overlap, made.wall_mm, -1, 0.0, made)
        chamber = self._chamber_at(made.inner_mouth_mm)
        thin = self.material_beside_mm(np.asarray(made.entry_mm), np.asarray(made.along), made.wall_mm, 2 * made.radius_mm)
        where = f"into chamber {chamber + 1}" if chamber >= 0 else "into a void of the shape's own"
        if thin < self._edge:
            words = f"too near an edge: {thin:.1f} mm of material beside it; {wall} {where}"
            return Probed(False, words, made.wall_mm, chamber, thin, made)
        return Probed(True, f"{wall} {where}, {min(made.free_mm, 99):.0f} mm free behind", made.wall_mm, chamber, thin, made)

    def _overlap(self, made: Drilled, leave_out: int) -> str:
        for number, other in enumerate(self._holes):
            if number == leave_out:
                continue
            apart = float(np.linalg.norm(np.subtract(made.entry_mm, other.entry_mm)))
            if apart < made.widest_radius_mm + other.widest_radius_mm + self._edge:
                return f"runs into hole {number + 1}: {apart:.1f} mm apart"
        return ""

    def _chamber_at(self, point: NDArray[np.float64]) -> int:
        for number, chamber in enumerate(self._chambers):
            if (point < chamber.low).any() or (point > chamber.high).any():
                continue
            distance, step, _ = hits(chamber, point, np.array([0.0, 0.0, 1.0]))
            if step[distance < 0].sum() != 0:
                return number
        return -1

    def material_beside_mm(
        self, entry_mm: NDArray[np.float64], along: NDArray[np.float64], wall_mm: float, diameter_mm: float
    ) -> float:
        """Least material between a hole's side and the outer surface, seen from the middle of the wall all round."""
        ways = ring_about(along, RIM_WAYS)
        middle = np.repeat((entry_mm + 0.5 * wall_mm * along)[None], RIM_WAYS, axis=0)
        return float(self._surface.first_hit(middle, ways, 1e-6).min()) - 0.5 * diameter_mm
