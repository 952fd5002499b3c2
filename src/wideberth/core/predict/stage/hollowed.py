"""Hollowed: the chambers of a shell."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.hollow import Hollowed, Shell, hollow_out
from wideberth.core.model import Mesh
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class Hollowing:
    """outer : the cut mesh. shell : without its lattice, which stands in the chambers and does not shape them."""

    outer: Mesh
    shell: Shell


def hollowed(of: Hollowing, progress: Progress) -> Hollowed:
    """See `hollow_out`."""
    return hollow_out(of.outer, of.shell, progress)
