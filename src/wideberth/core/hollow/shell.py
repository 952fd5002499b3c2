"""The recipe of a shell: its wall, where it is thicker, solid or open, and what stands in its chambers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

GYROID, STRUTS = "gyroid", "struts"


@dataclass(frozen=True)
class Thicker:
    """A place where the wall is thicker: a peg, a key, a mating face, a thin neck; in the part's own frame.

    Every surface within `reach_mm` of the point gets the wall; from there it thins to the usual one by 1 mm each millimetre.
    """

    x_mm: float
    y_mm: float
    z_mm: float
    reach_mm: float
    wall_mm: float

    @property
    def point_mm(self) -> NDArray[np.float64]:
        return np.array([self.x_mm, self.y_mm, self.z_mm])


@dataclass(frozen=True)
class Level:
    """A plane across a part in its own frame: above it is where normal · point exceeds the offset [mm]."""

    normal: tuple[float, float, float]
    offset_mm: float

    def above(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far points (n, 3) lie above the plane [mm], (n,)."""
        return points @ np.asarray(self.normal) - self.offset_mm


@dataclass(frozen=True)
class Lattice:
    """Bars inside the chambers: a gyroid's one network, or slanting struts that cross at the corners and centres of cells.

    share : of the chambers' volume that is bars. bar_mm : mean thickness of a bar; the two decide the size of the cells.
    clear_mm : no bar comes nearer than this to a drain hole.
    """

    kind: str = STRUTS
    share: float = 0.05
    bar_mm: float = 1.0
    clear_mm: float = 1.5


@dataclass(frozen=True)
class Shell:
    """How a part is hollowed.

    wall_mm : of the shell. smallest_chamber_ml : smaller chambers stay solid. passage_mm : ways inside that are narrower are
    filled, and inner corners rounded to half of it. thicker : places with a thicker wall. solid_below : no cavity under it.
    open_below : the flat face in this level is left out, so that the cavity is open there. lattice : bars in the chambers.
    """

    wall_mm: float
    smallest_chamber_ml: float = 0.3
    passage_mm: float = 0.0
    thicker: tuple[Thicker, ...] = ()
    solid_below: Level | None = None
    open_below: Level | None = None
    lattice: Lattice | None = None

    @property
    def thickest_mm(self) -> float:
        return max([self.wall_mm, *(t.wall_mm for t in self.thicker)])

    def asked_mm(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """The wall that is asked between the surface and points (n, 3) of a cavity's, (n,) [mm].

        A point of the cavity that sees a surface within a place's reach lies within reach and wall of its middle.
        """
        wall = np.full(len(points), self.wall_mm)
        for t in self.thicker:
            beyond = np.linalg.norm(points - t.point_mm, axis=1) - (t.reach_mm + t.wall_mm)
            np.maximum(wall, t.wall_mm - np.maximum(beyond, 0), out=wall)
        return wall
