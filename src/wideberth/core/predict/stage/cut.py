"""Cut: what is left of the sized mesh after its cuts."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.model import Mesh
from wideberth.core.progress import Progress
from wideberth.core.split import Cut, Rebore, apply_cuts, rebored


@dataclass(frozen=True)
class Cutting:
    """mesh : sized. rebores : of its bores, before it is cut. cuts : in order."""

    mesh: Mesh
    cuts: tuple[Cut, ...]
    rebores: tuple[Rebore, ...] = ()


def cut(of: Cutting, _: Progress) -> Mesh:
    """The piece that is kept.

    Raises
    ------
    BadModel : when the mesh is not closed, a bore would be closed, or a plane misses it.
    """
    return apply_cuts(rebored(of.mesh, of.rebores, "cut"), of.cuts, "cut")
