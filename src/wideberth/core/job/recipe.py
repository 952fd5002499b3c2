"""The recipe: what is to be done to each source mesh, never the result. Immutable; a change makes a new one."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, field, replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.drain import Hole
from wideberth.core.errors import BadJob
from wideberth.core.hollow import Level, Shell
from wideberth.core.model import Mend, Source
from wideberth.core.orient import Pose, turned
from wideberth.core.split import Cut
from wideberth.core.support import Tip

Plane = TypeVar("Plane", Cut, Level)
SMALLEST_SCALE, LARGEST_SCALE = 1e-4, 1e4


LEFT, RIGHT = "left", "right"


@dataclass(frozen=True)
class Copy:
    """Another print of a part beside it: it follows the part's whole recipe, holes and supports included.

    x_mm, y_mm : place on the plate. mirrored : left and right exchanged, as seen along y.
    """

    x_mm: float
    y_mm: float
    mirrored: bool = False


@dataclass(frozen=True)
class PartRecipe:
    """One part: its source and, in the order they apply, mends, size, cuts, shell, holes, pose, supports and copies.

    Size is scale times stretch along the source's axes, mirrored across x or not. Holes lie in the part's own frame (sized),
    tips around its place on the plate. Tips belong to a pose: a change of anything that moves the surface drops them.
    """

    name: str
    source: Source
    scale: float = 1.0
    cuts: tuple[Cut, ...] = ()
    shell: Shell | None = None
    holes: tuple[Hole, ...] = ()
    pose: Pose = field(default_factory=Pose)
    tips: tuple[Tip, ...] = ()
    mends: tuple[Mend, ...] = ()
    stretch: tuple[float, float, float] = (1.0, 1.0, 1.0)
    mirrored: bool = False
    copies: tuple[Copy, ...] = ()
    side: str = ""

    @property
    def shape(self) -> Hashable:
        """What the sized mesh depends on."""
        return self.source, self.mends, self.scale, self.stretch, self.mirrored

    @property
    def factors(self) -> NDArray[np.float64]:
        """Factors along the source's axes, the first negative when mirrored, (3,)."""
        return self.scale * np.array(self.stretch) * (-1 if self.mirrored else 1, 1, 1)

    @property
    def count(self) -> int:
        """How many of it are printed, copies included."""
        return 1 + len(self.copies)


@dataclass(frozen=True)
class Placed:
    """One print of a part: which part, which copy of it (0 is the part itself), and its name."""

    part: int
    copy: int
    name: str
    mirrored: bool


@dataclass(frozen=True)
class Job:
    """A plate: parts on a bench. `linked`: the parts are a kit that shares one scale."""

    title: str
    bench: Bench
    parts: tuple[PartRecipe, ...] = ()
    linked: bool = False

    @property
    def placed(self) -> tuple[Placed, ...]:
        """Every print on the plate, part by part, each followed by its copies."""
        found = []
        for index, part in enumerate(self.parts):
            found.append(Placed(index, 0, part.name, False))
            for number, copy in enumerate(part.copies, 1):
                mark = ", mirrored" if copy.mirrored else ""
                found.append(Placed(index, number, f"{part.name} ({number + 1}{mark})", copy.mirrored))
        return tuple(found)

    def part(self, index: int) -> PartRecipe:
        if not 0 <= index < len(self.parts):
            raise BadJob("there is no such part.", where=self.title)
        return self.parts[index]

    def with_part(self, index: int, part: PartRecipe) -> Job:
        """The job with one part replaced."""
        self.part(index)
        return replace(self, parts=(*self.parts[:index], part, *self.parts[index + 1 :]))

    def with_more(self, *parts: PartRecipe) -> Job:
        return replace(self, parts=self.parts + parts)

    def without(self, index: int) -> Job:
        self.part(index)
        return replace(self, parts=(*self.parts[:index], *self.parts[index + 1 :]))


def scaled(part: PartRecipe, scale: float) -> PartRecipe:
    """The part at another scale of its source; cuts and holes go along, tips are dropped.

    Raises
    ------
    BadJob : for a scale that is no size at all.
    """
    return resized(part, scale, part.stretch, part.mirrored)


def resized(part: PartRecipe, scale: float, stretch: tuple[float, float, float], mirrored: bool) -> PartRecipe:
    """The part at another size; cuts and holes go along with the material they lie in, tips are dropped.

    Raises
    ------
    BadJob : for a scale or a stretch that is no size at all.
    """
    for factor in (scale, *(scale * s for s in stretch)):
        if not (np.isfinite(factor) and SMALLEST_SCALE <= factor <= LARGEST_SCALE):
            raise BadJob(
                f"a scale of {factor:g} is not between {SMALLEST_SCALE:g} and {LARGEST_SCALE:g}.", where=part.name,
                kept="The part keeps its size.",
            )  # fmt: skip
    after = replace(part, scale=float(scale), stretch=stretch, mirrored=mirrored)
    by = after.factors / part.factors
    cuts = tuple(_plane_sized(cut, by) for cut in part.cuts)
    holes = tuple(
        replace(h, x_mm=h.x_mm * float(by[0]), y_mm=h.y_mm * float(by[1]), z_mm=h.z_mm * float(by[2]))
        for h in part.holes
    )
    shell = _shell_sized(part.shell, by) if part.shell is not None else None
    return replace(after, cuts=cuts, holes=holes, tips=(), shell=shell)


def _shell_sized(shell: Shell, by: NDArray[np.float64]) -> Shell:
    """The shell in material that is stretched: its places and levels go along, its walls stay as thick as they were asked."""
    spread = float(np.abs(by.prod()) ** (1 / 3))
    thicker = []
    for t in shell.thicker:
        x, y, z = (float(v) for v in t.point_mm * by)
        thicker.append(replace(t, x_mm=x, y_mm=y, z_mm=z, reach_mm=t.reach_mm * spread))
    solid, opened = (
        None if level is None else _plane_sized(level, by) for level in (shell.solid_below, shell.open_below)
    )
    return replace(shell, thicker=tuple(thicker), solid_below=solid, open_below=opened)


def _plane_sized(plane: Plane, by: NDArray[np.float64]) -> Plane:
    """The same plane in material that is stretched: its normal shrinks as its points grow."""
    normal = np.array(plane.normal) / by
    length = float(np.linalg.norm(normal))
    x, y, z = (float(v) for v in normal / length)
    return replace(plane, normal=(x, y, z), offset_mm=plane.offset_mm / length)


def job_scaled(job: Job, index: int, scale: float) -> Job:
    """The job with a part at another scale; in a linked kit every part grows by the same factor."""
    by = scale / job.part(index).scale
    if not job.linked:
        return job.with_part(index, scaled(job.parts[index], scale))
    return replace(job, parts=tuple(scaled(part, part.scale * by) for part in job.parts))


def with_count(part: PartRecipe, count: int, size_mm: tuple[float, float], apart_mm: float) -> PartRecipe:
    """The part with so many prints of it in all; new copies stand in a row along x beside the last, to be arranged.

    Raises
    ------
    BadJob : for a count that is not 1 to 200.
    """
    if not 1 <= count <= 200:
        raise BadJob(f"{count} is not between 1 and 200.", where=part.name, kept="The count is as it was.")
    copies = list(part.copies[: count - 1])
    while len(copies) < count - 1:
        last = copies[-1].x_mm if copies else part.pose.x_mm
        copies.append(Copy(last + size_mm[0] + apart_mm, part.pose.y_mm))
    return replace(part, copies=tuple(copies))


def with_twin(part: PartRecipe, size_mm: tuple[float, float], apart_mm: float) -> PartRecipe:
    """The part with one more copy, mirrored: the other of a left and a right."""
    grown = with_count(part, part.count + 1, size_mm, apart_mm)
    return replace(
        grown, copies=(*grown.copies[:-1], replace(grown.copies[-1], mirrored=True)), side=part.side or RIGHT
    )


def beside_plate(part: PartRecipe, first: int, plate_x_mm: float, apart_mm: float, width_mm: float) -> PartRecipe:
    """The part with its copies from number `first` on set down beyond the plate's edge, where they print nothing yet."""
    copies = [
        replace(c, x_mm=plate_x_mm / 2 + apart_mm + width_mm / 2 + (n - first) * (width_mm + apart_mm), y_mm=0.0)
        if n >= first else c
        for n, c in enumerate(part.copies)
    ]  # fmt: skip
    return replace(part, copies=tuple(copies))


def turned_part(part: PartRecipe, axis: int, degrees: float) -> PartRecipe:
    """The part turned about an axis of the plate; tips belong to the former pose and are dropped."""
    return posed(part, turned(part.pose, axis, degrees))


def posed(part: PartRecipe, pose: Pose) -> PartRecipe:
    """The part in another pose. Its tips stay when it only moves over the plate."""
    same = pose.turn == part.pose.turn and pose.gap_mm == part.pose.gap_mm
    return replace(part, pose=pose, tips=part.tips if same else ())


def cut_in_two(part: PartRecipe, cut: Cut) -> tuple[PartRecipe, PartRecipe]:
    """Both pieces of a part, each a part of its own; holes go with the side they lie on."""
    normal = np.array(cut.normal)
    pieces = []
    for side, mark in ((cut, "A"), (cut.other_side, "B")):
        holes = tuple(h for h in part.holes if (normal @ h.point_mm - cut.offset_mm) * side.keep > 0)
        pieces.append(replace(part, name=f"{part.name} {mark}", cuts=(*part.cuts, side), holes=holes, tips=()))
    return pieces[0], pieces[1]
