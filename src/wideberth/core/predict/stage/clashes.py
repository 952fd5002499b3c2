"""Clashes: where a part's supports run through the part itself."""

from __future__ import annotations

from dataclasses import dataclass, field

from wideberth.core.bench import SupportSettings
from wideberth.core.model import Closest, Mesh
from wideberth.core.orient import Pose, set_down
from wideberth.core.progress import Progress
from wideberth.core.support import Point, Supports, through_part


@dataclass(frozen=True)
class ClashInput:
    """outer : in the part's own frame; surface : the same, made ready to be asked."""

    outer: Mesh
    pose: Pose
    supports: Supports
    settings: SupportSettings
    surface: Closest = field(compare=False)


def clashes(of: ClashInput, _: Progress) -> tuple[Point, ...]:
    """A spot in the part's own frame for each piece of its supports that runs through it."""
    matrix, _box = set_down(of.outer, of.pose)
    return through_part(of.supports, of.surface, matrix, of.settings)
