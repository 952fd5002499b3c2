"""The recipe: what is to be done to each source mesh, never the result. Immutable; a change makes a new one."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.drain import Hole
from wideberth.core.errors import BadJob
from wideberth.core.hollow import Shell
from wideberth.core.model import Source
from wideberth.core.orient import Pose, turned
from wideberth.core.split import Cut
from wideberth.core.support import Tip

SMALLEST_SCALE, LARGEST_SCALE = 1e-4, 1e4


@dataclass(frozen=True)
class PartRecipe:
    """One part: its source and, in the order they apply, scale, cuts, shell, holes, pose and supports.

    Holes lie in the part's own frame (scaled), tips around its place on the plate. Tips belong to a pose: a change of
    anything that moves the surface drops them.
    """

    name: str
    source: Source
    scale: float = 1.0
    cuts: tuple[Cut, ...] = ()
    shell: Shell | None = None
    holes: tuple[Hole, ...] = ()
    pose: Pose = field(default_factory=Pose)
    tips: tuple[Tip, ...] = ()


@dataclass(frozen=True)
class Job:
    """A plate: parts on a bench."""

    title: str
    bench: Bench
    parts: tuple[PartRecipe, ...] = ()

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
    if not (np.isfinite(scale) and SMALLEST_SCALE <= scale <= LARGEST_SCALE):
        raise BadJob(
            f"a scale of {scale:g} is not between {SMALLEST_SCALE:g} and {LARGEST_SCALE:g}.", where=part.name,
            kept="The part keeps its size.",
        )  # fmt: skip
    by = scale / part.scale
    cuts = tuple(replace(c, offset_mm=c.offset_mm * by) for c in part.cuts)
    holes = tuple(replace(h, x_mm=h.x_mm * by, y_mm=h.y_mm * by, z_mm=h.z_mm * by) for h in part.holes)
    return replace(part, scale=scale, cuts=cuts, holes=holes, tips=())


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
