"""Cut: what is left of the sized mesh after its cuts."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.model import Mesh
from wideberth.core.progress import Progress
from wideberth.core.split import Cut, apply_cuts


@dataclass(frozen=True)
class Cutting:
    """mesh : sized. cuts : in order."""

    mesh: Mesh
    cuts: tuple[Cut, ...]


def cut(of: Cutting, _: Progress) -> Mesh:
    """The piece that is kept.

    Raises
    ------
    BadModel : when the mesh is not closed or a plane misses it.
    """
    return apply_cuts(of.mesh, of.cuts, "cut")
