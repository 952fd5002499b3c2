"""What is printed: the part alone and everything together, with and without drilled holes, as runs and sections."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property, partial

import numpy as np
from numpy.typing import NDArray

from wideberth.core import mapped
from wideberth.core.layers._kernels import label as label_kernels
from wideberth.core.layers.alone import Alone, first_spots, mouths_of
from wideberth.core.layers.attached import Bore, Touch
from wideberth.core.layers.doors import BesideStops, find_doors
from wideberth.core.layers.grid import Grid
from wideberth.core.layers.passages import Ways, measured_ways, no_ways
from wideberth.core.layers.runs import Runs, cropped, on_grid, union
from wideberth.core.layers.sections import Sections, sections, sections_below
from wideberth.core.layers.solid import Lent, Solid
from wideberth.core.layers.standing import Standing, standing
from wideberth.core.layers.voids import OPEN, OUTSIDE, SEALED, UNKNOWN, VENTED, Mouths, Openings, Trap, cups, in_solid, traps
from wideberth.core.progress import Progress, quiet

MOSTLY_PART = 0.5
"""Where supports end below this share of the layers, sections of the part are waited for and taken over above them."""


@dataclass(frozen=True, eq=False)
class Printed(Solid):
    """All that stands on the plate, on one grid.

    Attributes
    ----------
    bores, touches : drilled holes and tips of all parts. cavities : the shells' chambers, if any.
    across : the same solid along y, lent when it is asked for; left out in previews. narrow : whether the model's own narrow
    ways are looked at, else they count as open.
    """

    bores: tuple[Bore, ...] = ()
    touches: tuple[Touch, ...] = ()
    cavities: Runs | None = None
    across: Lent[Solid] | None = None
    narrow: bool = False

    @cached_property
    def alone(self) -> Alone:
        """The parts by themselves."""
        return Alone(self.part, self.plugs, self.bores, self.cavities, self.across)

    def with_touches(self, touches: tuple[Touch, ...]) -> Printed:
        """The same layers held by other tips, with all that was found in them and does not depend on tips."""
        _ = self.alone
        other = replace(self, touches=touches)
        kept = {
            name: value for name, value in self.__dict__.items() if name not in self.__dataclass_fields__ and name != "touched"
        }
        other.__dict__.update(kept)
        return other

    def on_supports(self, supports: Runs, touches: tuple[Touch, ...], across: Lent[Solid] | None = None) -> Printed:
        """The same parts, on the same grid, on other supports: with all that is found in them, now or later."""
        other = replace(self, supports=supports, touches=touches, across=across or self.across)
        other.__dict__["alone"] = self.alone
        return other

    def label(self, liquid: bool = True) -> None:
        """Find sections, bodies, cups and, where liquid is asked for, traps, on two threads; they are kept."""
        names = ["_swept", "sections", "traps", "part_sections"]  # the longest first
        if not liquid:
            names.remove("traps")
        if self.all is self.part:
            names.remove("sections")
        with ThreadPoolExecutor(2) as side_by_side:
            jobs = [side_by_side.submit(getattr, self, name) for name in names]
            for job in jobs:
                job.result()
        _ = self.alone.bodies

    @property
    def part_sections(self) -> Sections:
        """Sections of the parts."""
        return self.alone.sections

    @cached_property
    def touched(self) -> NDArray[np.int64]:
        """Component of the part that each tip first touches, (tips,), -1 when it touches none."""
        return self.alone.touched_by(self.touches)

    @property
    def islands(self) -> NDArray[np.int64]:
        """See `Alone`."""
        return self.alone.islands

    @cached_property
    def held_islands(self) -> list[int]:
        """Those of them that rest on supports, be it a tip's rim."""
        return self.islands[self.sections.rests_on_something[self.part_in_all[self.islands]]].tolist()

    @cached_property
    def standing(self) -> tuple[Standing, ...]:
        """Bodies of everything that stand on the plate."""
        return standing(self.sections)

    @cached_property
    def sections(self) -> Sections:
        """Sections of everything, base and supports included."""
        if self.all is self.part:
            return self.part_sections
        across = None if self.across is None else Lent(partial(_all_of, self.across))
        top = self.supports.top
        if self.alone.is_sectioned or top < MOSTLY_PART * self.part.grid.layers:
            return sections_below(self.all, self.part_sections, top, across)
        return sections(self.all, across)

    @cached_property
    def _swept(self) -> _Swept:
        """Cups and mouths; where narrow ways are looked at, with these stopped up and measured."""
        if self.narrow:
            return self._swept_closely(quiet())
        openings, mouths = cups(self.all_plugged, self.all, np.array(mouths_of(self.bores)).reshape(-1, 3))
        return _Swept(None, openings, mouths, no_ways(self.all.grid.layers), ())

    def _swept_closely(self, progress: Progress) -> _Swept:
        """Cups with all narrow ways stopped up, and what these let through.

        A way through which no flow was found is left open, and its place is told: whether it leads anywhere is not known.
        """
        plain = replace(self, narrow=False)._swept if self.narrow else self._swept
        stopped = self._stopped_up(progress.part(0.0, 0.95))
        if stopped is None:
            return plain
        progress.at(0.97, "sweeping once more")
        stops = on_grid(stopped.stops, self.all.grid)
        cut = stopped.walls if self.plugs is None else union(self.all, stops)
        mapped.let_go()
        openings, mouths = cups(stopped.walls, cut, stopped.followed_mm)
        small = np.flatnonzero(openings.area_mm2 < SPLINTER_MM2)
        splinters = small[stopped.beside.at(openings.layer[small], openings.x_mm[small], openings.y_mm[small])]
        progress.at(0.99, "sweeping once more")
        openings = _breathing(openings.without(splinters), mouths, stopped.ways, len(self.bores))
        pockets = _pockets(openings, plain.openings)
        unknown = (*stopped.unknown, *_large(openings, pockets, self.all.grid))
        return _Swept(stopped.stops, openings.without(pockets), mouths, stopped.ways, unknown)

    def _stopped_up(self, progress: Progress) -> _StoppedUp | None:
        """All narrow ways stopped up, None where there are none. What they are found with is large and is let go here."""
        plugged = self.all_plugged
        across = None if self.across is None else self.across.get().all_plugged
        doors = None if across is None else find_doors(plugged, across, progress.part(0.0, 0.42))
        if doors is None:
            return None
        ways, unknown = measured_ways(doors, progress.part(0.42, 0.95))
        doors = doors.measured
        del across
        stops = doors.stops(set(unknown), progress.part(0.95, 1.0))
        beside = doors.beside_stops
        places = tuple(doors.place_of(n) for n in unknown)
        drilled, cells = mouths_of(self.bores), doors.frame.cells
        wide = [doors.wide_near(p) for p in drilled]
        del doors
        walls = union(plugged, stops)
        shut = in_solid(walls, drilled) & ~in_solid(plugged, drilled)
        into = np.where(shut, wide, -1)
        followed = [cells.lowest_of(int(near), walls) if near >= 0 else p for p, near in zip(drilled, into, strict=True)]
        followed += [cells.lowest_of(int(cell), walls) for cell in ways.mouth_cell.ravel()]
        return _StoppedUp(cropped(stops), walls, ways, np.array(followed).reshape(-1, 3), beside, places)

    @property
    def may_be_narrow(self) -> bool:
        """Whether the model's own narrow ways can be looked at."""
        return self.across is not None

    def looked_closer(self, progress: Progress | None = None) -> Printed:
        """The same with the model's own narrow ways looked at, once; sections and traps that are known already are kept."""
        if "_closer" in self.__dict__:
            made: Printed = self.__dict__["_closer"]
            return made
        closer = replace(self, narrow=True)
        known = ("alone", "all", "sections", "traps", "part_in_all")
        closer.__dict__.update({name: self.__dict__[name] for name in known if name in self.__dict__})
        closer.__dict__["_swept"] = self._swept_closely(progress or quiet())
        self.__dict__["_closer"] = closer
        return closer

    @property
    def walls(self) -> Runs:
        """What closes cups in: everything solid, holes plugged, narrow ways stopped up if they are looked at.

        Put together each time it is asked for.
        """
        plugged, stops = self.all_plugged, self._swept.stops
        return plugged if stops is None else union(plugged, on_grid(stops, plugged.grid))

    @property
    def openings(self) -> Openings:
        return self._swept.openings

    @property
    def mouths(self) -> Mouths:
        """Inner and outer mouth of each bore in turn, then both mouths of each narrow way."""
        return self._swept.mouths

    @property
    def ways(self) -> Ways:
        """The model's own narrow ways, if they are looked at."""
        return self._swept.ways

    @property
    def unknown_ways(self) -> tuple[tuple[float, float, float], ...]:
        """Places of narrow ways of which it is not known whether they lead anywhere."""
        return self._swept.unknown

    @cached_property
    def traps(self) -> list[Trap]:
        return traps(self.part, self.all)

    @cached_property
    def part_in_all(self) -> NDArray[np.int64]:
        """For each component of the part the component of everything that holds it."""
        return beside(self.sections, *first_spots(self.part_sections))


@dataclass(frozen=True, eq=False)
class _Swept:
    """What the sweep of the voids told (see `Printed`). stops : what stops narrow ways up, where these are looked at."""

    stops: Runs | None
    openings: Openings
    mouths: Mouths
    ways: Ways
    unknown: tuple[tuple[float, float, float], ...]


@dataclass(frozen=True, eq=False)
class _StoppedUp:
    """What stops narrow ways up, and everything with these stopped up and holes plugged. followed_mm : (n, 3) mouths of bores and
    ways. unknown : places of ways of which it is not known whether they lead anywhere."""

    stops: Runs
    walls: Runs
    ways: Ways
    followed_mm: NDArray[np.float64]
    beside: BesideStops
    unknown: tuple[tuple[float, float, float], ...]


SPLINTER_MM2 = 1.0
"""Smaller openings beside what stops a way up are left over between it and the wall."""
ALIKE_SHARE, ALIKE_MM = 0.25, 0.5
LARGE_POCKET_MM2 = 50.0
NARROW_PER_MM = 1000.0
"""What makes an own way narrow: 0.1 kPa at 1 mm/s, half of which the film follows, in 0.2 Pa·s."""


def _breathing(o: Openings, mouths: Mouths, ways: Ways, bores: int) -> Openings:
    """The openings whose sets breathe by narrow ways as vented; as open where these are so wide that nothing is felt."""
    state = o.state.copy()
    _, group = np.unique(o.layer * (int(o.void_set.max(initial=0)) + 2) + o.void_set, return_inverse=True)
    draw = np.bincount(group, o.area_mm2)[group] if o.count else np.zeros(0)
    freely = np.zeros(o.count)
    for w in range(ways.count):
        a, b = (mouths.sets[o.layer, 2 * (bores + w) + side] for side in (0, 1))
        g = ways.conductance_mm3[w, o.layer]
        joins = (g > 0) & (a != UNKNOWN) & (b != UNKNOWN) & (a != b) & ((o.void_set == a) | (o.void_set == b))
        state = np.where(joins & (state != OPEN), VENTED, state)
        freely += np.where(joins & ((a == OUTSIDE) | (b == OUTSIDE)), g, 0.0)
    felt = draw >= NARROW_PER_MM * freely
    return replace(o, state=np.where((freely > 0) & ~felt, OPEN, state))


def _pockets(closely: Openings, plain: Openings) -> NDArray[np.int64]:
    """Openings that only the stops seal: no way was measured for them, and without stops they are no sealed cups there."""
    sealed = np.flatnonzero(closely.state == SEALED)
    known = plain.state == SEALED
    first = np.searchsorted(plain.layer, closely.layer[sealed])
    beyond = np.searchsorted(plain.layer, closely.layer[sealed], side="right")
    lone = []
    for i, lo, hi in zip(sealed, first, beyond, strict=True):
        off = np.hypot(plain.x_mm[lo:hi] - closely.x_mm[i], plain.y_mm[lo:hi] - closely.y_mm[i])
        alike = np.abs(plain.area_mm2[lo:hi] - closely.area_mm2[i]) < ALIKE_SHARE * closely.area_mm2[i] + SPLINTER_MM2
        if not (known[lo:hi] & alike & (off < ALIKE_MM + 0.1 * np.sqrt(closely.area_mm2[i]))).any():
            lone.append(i)
    return np.array(lone, np.int64)


def _large(o: Openings, pockets: NDArray[np.int64], grid: Grid) -> list[tuple[float, float, float]]:
    """A place in each void of some size among the pockets: what it breathes by is not known."""
    spots: dict[int, tuple[float, float, float]] = {}
    for i in pockets[o.area_mm2[pockets] >= LARGE_POCKET_MM2]:
        spots.setdefault(int(o.void_set[i]), (float(o.x_mm[i]), float(o.y_mm[i]), float(grid.z_of(int(o.layer[i])))))
    return list(spots.values())


def _all_of(lent: Lent[Solid]) -> Runs:
    return lent.get().all


def beside(sections: Sections, ray: NDArray[np.int64], x_mm: NDArray[np.float64]) -> NDArray[np.int64]:
    """The component whose run on each ray (n,) is nearest to an x (n,) [mm], (n,); -1 on an empty ray."""
    runs = sections.runs
    at = label_kernels.nearest_runs(runs.offsets, runs.x0, runs.x1, ray, x_mm)
    if sections.count == 0:
        return np.full(len(ray), -1)
    return np.where(at >= 0, sections.label[np.maximum(at, 0)], -1).astype(np.int64)
