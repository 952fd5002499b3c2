"""Mended: a source's mesh after one more repair."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.layers import rebuilt
from wideberth.core.model import Mend, Mended, Mesh, mended
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class Mending:
    """mesh : before the repair."""

    mesh: Mesh
    mend: Mend


def mended_once(of: Mending, progress: Progress) -> tuple[Mesh, Mended]:
    """The mesh after the repair, and what it changed; the layers help where it is rebuilt."""
    if of.mend.kind == "rebuild":
        return rebuilt(of.mesh, of.mend.value, progress)
    return mended(of.mesh, of.mend, progress)
