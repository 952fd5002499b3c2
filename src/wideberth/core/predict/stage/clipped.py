"""Clipped: a part's base cut off at the plate's edge, for a print that stands near it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import manifold3d
import numpy as np

from wideberth.core.errors import BadModel
from wideberth.core.model import Exact, pieces_cut
from wideberth.core.predict.solids import PartSolids
from wideberth.core.progress import Progress

Corner = tuple[float, float]


@dataclass(frozen=True)
class Clipping:
    """low_mm, high_mm : corners of the plate seen from the part's own place."""

    solids: PartSolids
    low_mm: Corner
    high_mm: Corner


def clipped(of: Clipping, _: Progress) -> PartSolids:
    """The same solids with supports that end at the plate's edge; as they are where what reaches over it is no exact solid."""
    supports = of.solids.supports
    if supports is None:
        return of.solids
    (x0, y0), (x1, y1), top = of.low_mm, of.high_mm, float(supports.high[2])
    over_plate = Exact.solid(manifold3d.Manifold.cube((x1 - x0, y1 - y0, top + 2.0)).translate((x0, y0, -1.0)))
    beyond = np.array([[[-np.inf] * 3, [np.inf] * 3]] * 4)
    beyond[0, 1, 0], beyond[1, 0, 0], beyond[2, 1, 1], beyond[3, 0, 1] = x0, x1, y0, y1
    try:
        return replace(of.solids, supports=pieces_cut(supports, beyond, lambda pieces: [piece ^ over_plate for piece in pieces]))
    except BadModel:
        return of.solids
