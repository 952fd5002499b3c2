"""Sized: the sound mesh at the part's size."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.model import Mesh
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class Sizing:
    """factors : along the source's axes, the first negative when mirrored."""

    mesh: Mesh
    factors: tuple[float, float, float]


def sized(of: Sizing, _: Progress) -> Mesh:
    """The mesh stretched; mirrored with its outside still outside."""
    return of.mesh.transformed(np.diag([*of.factors, 1.0]))
