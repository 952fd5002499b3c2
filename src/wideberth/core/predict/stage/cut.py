"""Cut: what is left of the sized mesh after its cuts."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.model import Mesh
from wideberth.core.progress import Progress
from wideberth.core.split import Cut, Rebore, apply_cuts, engraved, rebored


@dataclass(frozen=True)
class Cutting:
    """mesh : sized. rebores : of its bores, before it is cut. cuts : in order. number : engraved in the face of the last one."""

    mesh: Mesh
    cuts: tuple[Cut, ...]
    rebores: tuple[Rebore, ...] = ()
    number: str = ""


def cut(of: Cutting, progress: Progress) -> Mesh:
    """The piece that is kept.

    Raises
    ------
    BadModel : when the mesh is not closed, a bore would be closed, or a plane misses it. Cancelled : when `progress` was
    cancelled meanwhile.
    """
    bored = rebored(of.mesh, of.rebores, "cut", progress.part(0.0, 0.2))
    piece = apply_cuts(bored, of.cuts, "cut", progress.part(0.2, 0.9))
    return engraved(piece, of.cuts, of.number, "cut", progress.part(0.9, 1.0))
