"""Wall: how thick a shell came out."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.hollow import Shell, WallMeasured, measured_wall
from wideberth.core.model import Mesh
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class WallInput:
    """outer : the cut mesh. chambers : of the shell. shell : without its lattice."""

    outer: Mesh
    chambers: tuple[Mesh, ...]
    shell: Shell


def wall(of: WallInput, _: Progress) -> WallMeasured | None:
    """The wall as measured; None without a chamber."""
    return measured_wall(of.outer, of.chambers, of.shell)
