"""The parts by themselves, whatever they stand on: sections, what begins in mid-liquid, what a tip touches, their own cups."""

from __future__ import annotations

import heapq
from dataclasses import dataclass
from functools import cached_property, partial

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers._kernels import label as label_kernels
from wideberth.core.layers.attached import Bore, Touch
from wideberth.core.layers.runs import Runs, on_grid, union
from wideberth.core.layers.sections import Bodies, Sections, bodies, sections
from wideberth.core.layers.solid import Lent, Solid
from wideberth.core.layers.voids import Openings, cups

DUST_ROWS = 3
CRUMB_MM2 = 4.0
BRIEF_MM = 0.3
"""What is thinner than three rows and joins the rest within this height is a chip."""
RIM_MM = 1.0


@dataclass(frozen=True, eq=False)
class Alone:
    """Parts with their holes, as if nothing else were there; what is found in them stays, whatever they are tried on.

    Attributes
    ----------
    part, plugs, bores, cavities, across : as `Printed` has them.
    """

    part: Runs
    plugs: Runs | None
    bores: tuple[Bore, ...]
    cavities: Runs | None
    across: Lent[Solid] | None

    @cached_property
    def sections(self) -> Sections:
        """Sections of the parts."""
        return sections(self.part, None if self.across is None else Lent(partial(_part_of, self.across)))

    @property
    def is_sectioned(self) -> bool:
        """Whether the sections are known already."""
        return "sections" in self.__dict__

    @cached_property
    def bodies(self) -> Bodies:
        """Which components belong together, layer by layer."""
        return bodies(self.sections, np.empty(0, np.int64))

    @cached_property
    def openings(self) -> Openings:
        """Cups of the parts by themselves; narrow ways are not looked at."""
        plugged = self.part if self.plugs is None else union(self.part, on_grid(self.plugs, self.part.grid))
        return cups(plugged, self.part, np.array(mouths_of(self.bores)).reshape(-1, 3))[0]

    def touched_by(self, touches: tuple[Touch, ...]) -> NDArray[np.int64]:
        """Component that each tip first touches, (tips,), -1 when it touches none."""
        ends = [(t.x_mm, t.y_mm, t.z_mm, t.diameter_mm, t.depth_mm) for t in touches]
        for end in ends:
            if end not in self._touched:
                self._touched[end] = self._touched_by(*end)
        return np.array([self._touched[end] for end in ends], np.int64)

    @cached_property
    def _touched(self) -> dict[tuple[float, ...], int]:
        """What ends of tips were found to touch so far."""
        return {}

    def _touched_by(self, x_mm: float, y_mm: float, z_mm: float, diameter_mm: float, depth_mm: float) -> int:
        sections, grid = self.sections, self.part.grid
        first = int(grid.layer_of(z_mm - 0.5 * diameter_mm))
        last = int(grid.layer_of(z_mm + depth_mm + grid.layer_mm))
        reach = 0.5 * diameter_mm + 0.5 * grid.pitch_mm
        met = (sections.component_at(layer, x_mm, y_mm, reach) for layer in range(first, last + 1))
        return next((c for c in met if c >= 0), -1)

    @cached_property
    def islands(self) -> NDArray[np.int64]:
        """Components of the part with nothing of the part below, above the plate's own first layer.

        Without dust, and without crumbs, which hang from the roof of a chamber where no tip may stand.
        """
        begins = self._begins & ~self.dust
        begins[self.crumbs] = False
        return np.flatnonzero(begins)

    @cached_property
    def _begins(self) -> NDArray[np.bool_]:
        sections = self.sections
        return ~sections.rests_on_something & (sections.layer > 0)

    @cached_property
    def _small_beginnings(self) -> list[_Beginning]:
        """Groups of components that begin on nothing and stay under 4 mm² until they join the rest.

        Chips that join a larger beginning are groups of their own.
        """
        sections = self.sections
        below = np.searchsorted(sections.upper, np.arange(sections.count + 1))
        order = np.argsort(sections.lower, kind="stable")
        above = np.searchsorted(sections.lower[order], np.arange(sections.count + 1))
        group: dict[int, _Beginning] = {}
        chips: list[_Beginning] = []
        todo = [int(c) for c in np.flatnonzero(self._begins)]
        heapq.heapify(todo)
        while todo:
            c = heapq.heappop(todo)
            if c in group:
                continue
            lower = [int(v) for v in sections.lower[below[c] : below[c + 1]]]
            if any(v not in group for v in lower):
                continue
            mine = _Beginning([] if lower else [c], [c], float(sections.area_mm2[c]))
            joining = sorted({id(group[v]): group[v] for v in lower}.values(), key=lambda g: -g.largest_mm2)
            for number, other in enumerate(joining):
                if number and other.largest_mm2 < self._least_mm2:
                    chips.append(other)
                    continue
                mine.starts += other.starts
                mine.members += other.members
                mine.largest_mm2 = max(mine.largest_mm2, other.largest_mm2)
            for member in mine.members:
                group[member] = mine
            if mine.largest_mm2 < CRUMB_MM2:
                for v in sections.upper[order[above[c] : above[c + 1]]]:
                    heapq.heappush(todo, int(v))
        groups = {id(g): g for g in [*group.values(), *chips]}.values()
        return [g for g in groups if g.largest_mm2 < CRUMB_MM2]

    @cached_property
    def dust(self) -> NDArray[np.bool_]:
        """Components of the part that no tip is asked to hold: they begin on nothing and join the rest at once.

        Less than three rows wide and gone into the rest within a few layers, they are chips of facets and of cut rims, below what
        the rows can tell; a true point grows on, and a true peg stays. Crumbs in chambers count with them.
        """
        chips = np.zeros(self.sections.count, bool)
        crumbs = set(self.crumbs.tolist())
        for g in self._small_beginnings:
            layers = self.sections.layer[g.members]
            brief = (int(layers.max() - layers.min()) + 1) * self.part.grid.layer_mm < BRIEF_MM
            if (brief and g.largest_mm2 < self._least_mm2) or crumbs.intersection(g.starts):
                chips[g.members] = True
        return chips

    @property
    def _least_mm2(self) -> float:
        return (DUST_ROWS * self.part.grid.pitch_mm) ** 2

    @cached_property
    def crumbs(self) -> NDArray[np.int64]:
        """First components of small beginnings (under 4 mm² until they join the rest) where no tip may stand.

        They hang in a chamber of a shell, or at the rim of a drilled hole.
        """
        sections = self.sections
        starts = np.array([c for g in self._small_beginnings if g.largest_mm2 >= self._least_mm2 for c in g.starts], np.int64)
        return starts[self.in_chamber(starts) | self._at_rim(starts, sections)]

    def in_chamber(self, starts: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Whether components begin over the void of a shell."""
        cavity = self.cavities
        if cavity is None or cavity.x0.size == 0 or len(starts) == 0:
            return np.zeros(len(starts), bool)
        ray, x = first_spots(self.sections)
        below = ray[starts] - cavity.grid.rows
        at = label_kernels.nearest_runs(cavity.offsets, cavity.x0, cavity.x1, below, x[starts])
        inside: NDArray[np.bool_] = (at >= 0) & (cavity.x0[at] <= x[starts]) & (x[starts] <= cavity.x1[at])
        return inside

    def _at_rim(self, starts: NDArray[np.int64], sections: Sections) -> NDArray[np.bool_]:
        """Whether components begin at the rim of a drilled hole."""
        rim = np.zeros(len(starts), bool)
        z = np.asarray(sections.runs.grid.z_of(sections.layer[starts]))
        at = np.stack([sections.x_mm[starts], sections.y_mm[starts], z], axis=1)
        for bore in self.bores:
            off = at - np.asarray(bore.entry_mm)
            along = off @ np.asarray(bore.along)
            away = np.linalg.norm(off - along[:, None] * np.asarray(bore.along), axis=1)
            reach = bore.radius_mm + RIM_MM
            rim |= (away < reach) & (along > -reach) & (along < bore.wall_mm + reach)
        return rim


def mouths_of(bores: tuple[Bore, ...]) -> list[tuple[float, float, float]]:
    """Points in the void just beyond both mouths of drilled holes, the inner one first."""
    return [p for bore in bores for p in (bore.inner_mm, bore.outer_mm)]


def first_spots(sections: Sections) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """A ray and an x inside each component."""
    _, first_run = np.unique(sections.label, return_index=True)
    middle = 0.5 * (sections.runs.x0[first_run] + sections.runs.x1[first_run])
    return sections.runs.row_index()[first_run], middle


def _part_of(lent: Lent[Solid]) -> Runs:
    return lent.get().part


@dataclass
class _Beginning:
    """A piece of the part that begins on nothing: first components, all of them so far, largest area."""

    starts: list[int]
    members: list[int]
    largest_mm2: float
