"""A part: what is to be done to a source mesh, never the result. Immutable; a change makes another one."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.drain import Hole
from wideberth.core.hollow import Shell
from wideberth.core.model import Mark, Mend, Source
from wideberth.core.orient import Pose
from wideberth.core.split import Cut, Rebore
from wideberth.core.support import Supports

LEFT, RIGHT = "left", "right"


@dataclass(frozen=True)
class Refused:
    """What was proposed for a step and refused: a pose, or a spot [mm]: of a hole in the part's own frame, of a contact around
    its place. The next proposal of the step keeps away from it."""

    step: str
    pose: Pose | None = None
    spot_mm: tuple[float, float, float] | None = None


@dataclass(frozen=True)
class Piece:
    """Which piece of a part that was cut a part is: id of that part, of the pieces on the other side, and the cut's number."""

    of: str
    siblings: tuple[str, ...]
    cut: int


@dataclass(frozen=True)
class Part:
    """One part: its source and, in the order they apply, mends, size, bores made wider or narrower, cuts, shell, holes, pose and
    supports.

    Size is scale times stretch along the source's axes, mirrored across x or not. Holes lie in the part's own frame (sized),
    supports around its place on the plate. Supports belong to a pose: a change of anything that moves the surface drops them.
    Where it stands, and how often, is the plates'. marks : what faces of the source may carry. pose_pinned :
    no proposal turns it. engraved : number in the face of its last cut, "" for none. last : highest number that the
    id of a hole or mark was given so far.
    """

    name: str
    source: Source
    id: str = ""
    scale: float = 1.0
    cuts: tuple[Cut, ...] = ()
    shell: Shell | None = None
    holes: tuple[Hole, ...] = ()
    pose: Pose = field(default_factory=Pose)
    supports: Supports = field(default_factory=Supports)
    mends: tuple[Mend, ...] = ()
    stretch: tuple[float, float, float] = (1.0, 1.0, 1.0)
    mirrored: bool = False
    side: str = ""
    marks: tuple[Mark, ...] = ()
    piece: Piece | None = None
    pose_pinned: bool = False
    refused: tuple[Refused, ...] = ()
    last: int = 0
    rebores: tuple[Rebore, ...] = ()
    engraved: str = ""

    @property
    def shape(self) -> Hashable:
        """What the sized mesh depends on."""
        return self.source, self.mends, self.scale, self.stretch, self.mirrored

    @property
    def factors(self) -> NDArray[np.float64]:
        """Factors along the source's axes, the first negative when mirrored, (3,)."""
        return self.scale * np.array(self.stretch) * (-1 if self.mirrored else 1, 1, 1)

    def hole(self, id: str) -> Hole | None:
        """A hole by its id; None when there is none such."""
        return next((h for h in self.holes if h.id == id), None)

    def with_holes(self, holes: tuple[Hole, ...]) -> Part:
        """With these holes in place of its own; those without an id get one that no other ever had."""
        last, numbered = self.last, []
        for hole in holes:
            if not hole.id:
                last += 1
                hole = replace(hole, id=f"hole-{last}")
            numbered.append(hole)
        return replace(self, holes=tuple(numbered), last=last)

    def refused_spots(self, step: str) -> NDArray[np.float64]:
        """Spots that were refused for a step, (n, 3)."""
        return np.array([r.spot_mm for r in self.refused if r.step == step and r.spot_mm is not None]).reshape(-1, 3)

    def unsupported(self) -> Part:
        """Without supports; their numbers are not given again."""
        return replace(self, supports=Supports(last=self.supports.last))


def posed(part: Part, pose: Pose) -> Part:
    """The part in another pose, without its supports; the same when the pose is."""
    return part if pose == part.pose else replace(part, pose=pose).unsupported()
