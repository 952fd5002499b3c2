"""What is printed: the part alone and everything together, with and without drilled holes, as runs and sections."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers._kernels import label as label_kernels
from wideberth.core.layers.runs import Runs
from wideberth.core.layers.sections import Sections, sections
from wideberth.core.layers.voids import Mouths, Openings, Trap, cups, traps

DUST_ROWS = 3


@dataclass(frozen=True)
class Bore:
    """A drilled hole where it lies on the plate.

    Attributes
    ----------
    entry_mm : where the axis meets the outer surface. along : unit vector into the part.
    radius_mm, wall_mm : of the hole and of the wall it passes. outer_mm, inner_mm : points in the void just beyond
    either mouth; whether there is void at all shows in the sweep.
    """

    part: int
    number: int
    entry_mm: tuple[float, float, float]
    along: tuple[float, float, float]
    radius_mm: float
    wall_mm: float
    outer_mm: tuple[float, float, float]
    inner_mm: tuple[float, float, float]

    @property
    def z_mm(self) -> float:
        """Height of the middle of the hole."""
        return self.entry_mm[2] + 0.5 * self.wall_mm * self.along[2]


@dataclass(frozen=True)
class Touch:
    """A tip that touches a part: its spot on the surface, how thick and how deep, and on what post it stands."""

    part: int
    number: int
    x_mm: float
    y_mm: float
    z_mm: float
    diameter_mm: float
    depth_mm: float
    post_length_mm: float
    post_diameter_mm: float
    post_x_mm: float
    post_y_mm: float
    post_top_mm: float
    why: str = ""


@dataclass(frozen=True, eq=False)
class Printed:
    """All that stands on the plate, on one grid.

    Attributes
    ----------
    part_plugged, part : the parts alone, without and with the drilled holes.
    all_plugged, all : with supports and bases. supports : these alone.
    bores, touches : drilled holes and tips of all parts.
    """

    part_plugged: Runs
    part: Runs
    all_plugged: Runs
    all: Runs
    supports: Runs
    bores: tuple[Bore, ...] = ()
    touches: tuple[Touch, ...] = ()

    @cached_property
    def part_sections(self) -> Sections:
        return sections(self.part)

    @cached_property
    def sections(self) -> Sections:
        """Sections of everything, base and supports included."""
        return self.part_sections if self.all is self.part else sections(self.all)

    @cached_property
    def _voids(self) -> tuple[Openings, Mouths]:
        points = [p for bore in self.bores for p in (bore.inner_mm, bore.outer_mm)]
        return cups(self.all_plugged, self.all, np.array(points).reshape(-1, 3))

    @property
    def openings(self) -> Openings:
        return self._voids[0]

    @property
    def mouths(self) -> Mouths:
        """Inner and outer mouth of each bore, in turn."""
        return self._voids[1]

    @cached_property
    def traps(self) -> list[Trap]:
        return traps(self.part, self.all)

    @cached_property
    def part_in_all(self) -> NDArray[np.int64]:
        """For each component of the part the component of everything that holds it."""
        return beside(self.sections, *_first_spots(self.part_sections))

    @cached_property
    def islands(self) -> NDArray[np.int64]:
        """Components of the part with nothing of the part below, above the plate's own first layer; no dust."""
        found = self.part_sections
        begins = ~found.rests_on_something & (found.layer > 0) & ~self.dust
        return np.flatnonzero(begins)

    @cached_property
    def dust(self) -> NDArray[np.bool_]:
        """Components of the part that begin on nothing and join the rest before they are wider than three rows.

        They are crumbs of facets and of cut rims, below what the rows can tell; a true point grows on.
        """
        found = self.part_sections
        limit = (DUST_ROWS * found.runs.grid.pitch_mm) ** 2
        ups = np.bincount(found.lower, minlength=found.count)
        downs = np.bincount(found.upper, minlength=found.count)
        order = np.argsort(found.lower, kind="stable")
        first = np.searchsorted(found.lower[order], np.arange(found.count + 1))
        crumbs = np.zeros(found.count, bool)
        for start in np.flatnonzero((downs == 0) & (found.layer > 0)):
            chain = [int(start)]
            while found.area_mm2[chain[-1]] < limit and ups[chain[-1]] == 1:
                above = int(found.upper[order[first[chain[-1]]]])
                if downs[above] != 1:
                    break
                chain.append(above)
            if found.area_mm2[chain[-1]] < limit:
                crumbs[chain] = True
        return crumbs


def beside(found: Sections, ray: NDArray[np.int64], x_mm: NDArray[np.float64]) -> NDArray[np.int64]:
    """The component whose run on a ray is nearest to an x; -1 on an empty ray."""
    runs = found.runs
    at = label_kernels.nearest_runs(runs.offsets, runs.x0, runs.x1, ray, x_mm)
    if found.count == 0:
        return np.full(len(ray), -1)
    return np.where(at >= 0, found.label[np.maximum(at, 0)], -1).astype(np.int64)


def _first_spots(found: Sections) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """A ray and an x inside each component."""
    _, first_run = np.unique(found.label, return_index=True)
    middle = 0.5 * (found.runs.x0[first_run] + found.runs.x1[first_run])
    return found.runs.row_index()[first_run], middle
