"""Cavity: all chambers as one mesh, and what of its ceilings stays the same whichever way it stands."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.hollow import Ceilings, cavity_mesh
from wideberth.core.model import Mesh
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class CavityInput:
    """chambers : each closed, faces out of the void."""

    chambers: tuple[Mesh, ...]


def cavity(of: CavityInput, _: Progress) -> Ceilings | None:
    """The cavity with its ceilings; None without a chamber."""
    mesh = cavity_mesh(of.chambers)
    return None if mesh is None else Ceilings(mesh)
