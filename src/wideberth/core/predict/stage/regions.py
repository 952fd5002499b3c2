"""Regions: the source of a part at the part's size, made ready to pick faces of."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.model import Mesh, Regions
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class RegionsInput:
    """factors : along the source's axes; the first is negative where it is mirrored."""

    source: Mesh
    factors: tuple[float, float, float]


def regions(of: RegionsInput, _: Progress) -> Regions:
    """See `Regions`; the faces are the source's, in its order."""
    mirrored = of.factors[0] * of.factors[1] * of.factors[2] < 0
    faces = of.source.faces[:, ::-1].copy() if mirrored else of.source.faces
    return Regions.of(Mesh(of.source.points * np.array(of.factors), faces))
