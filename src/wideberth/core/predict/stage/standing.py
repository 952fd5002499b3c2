"""Standing: everything of a part, set down in its pose around its own place."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.bench import SupportSettings
from wideberth.core.drain import Drilled, drills_mesh
from wideberth.core.hollow import Bars, Gussets
from wideberth.core.model import Mesh
from wideberth.core.orient import Pose, set_down
from wideberth.core.predict.solids import PartSolids, bore_of
from wideberth.core.progress import Progress
from wideberth.core.support import Contact, Supports, touches


@dataclass(frozen=True)
class Standing:
    """outer, chambers, cavity : in the part's own frame. drilled : its holes, holes : their ids. scaffold : `supports` as a mesh;
    left_out : contacts that would stand in a hole and were not built."""

    outer: Mesh
    chambers: tuple[Mesh, ...]
    cavity: Mesh | None
    pose: Pose
    drilled: tuple[Drilled, ...]
    holes: tuple[str, ...]
    supports: Supports
    scaffold: Mesh | None
    left_out: tuple[Contact, ...]
    settings: SupportSettings
    bars: Bars | None
    gussets: Gussets | None


def standing(of: Standing, _: Progress) -> PartSolids:
    """The part's solids around its own place."""
    matrix, box_mm = set_down(of.outer, of.pose)
    drills = drills_mesh(of.drilled)
    return PartSolids(
        of.outer,
        of.chambers,
        of.cavity,
        matrix,
        box_mm,
        drills.transformed(matrix) if drills is not None else None,
        of.scaffold,
        tuple(bore_of(d, number, id).moved(matrix) for number, (d, id) in enumerate(zip(of.drilled, of.holes, strict=True))),
        touches(of.supports, of.settings, 0, 0.0, 0.0),
        of.left_out,
        of.bars,
        of.gussets,
    )
