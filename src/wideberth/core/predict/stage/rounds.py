"""Rounds: bores and pegs of a part's own shape."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.model import Bored, Mesh, rounds_of
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class RoundsInput:
    """In the part's own frame."""

    mesh: Mesh


def rounds(of: RoundsInput, _: Progress) -> tuple[Bored, ...]:
    """All of them, the widest first."""
    return rounds_of(of.mesh)
