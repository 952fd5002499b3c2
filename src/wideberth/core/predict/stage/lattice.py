"""Lattice: bars in a cavity, upright in the part's pose and clear of its holes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.hollow import Bars, Keepout, Lattice, lattice_in
from wideberth.core.model import Mesh
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class LatticeInput:
    """up : away from the plate in the part's own frame. clear_of : its drilled holes."""

    cavity: Mesh
    lattice: Lattice
    up: tuple[float, float, float]
    clear_of: tuple[Keepout, ...]


def lattice(of: LatticeInput, progress: Progress) -> Bars:
    """See `lattice_in`."""
    return lattice_in(of.cavity, of.lattice, np.array(of.up), of.clear_of, progress)
