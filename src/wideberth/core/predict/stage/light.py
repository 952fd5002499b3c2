"""Lightened: a stand-in with fewer triangles, for previews and drawing."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.model import Mesh, stand_in
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class Lightening:
    """triangles : at most so many are wanted."""

    mesh: Mesh
    triangles: int


def lightened(of: Lightening, progress: Progress) -> Mesh:
    """See `stand_in`."""
    return stand_in(of.mesh, of.triangles, progress)
