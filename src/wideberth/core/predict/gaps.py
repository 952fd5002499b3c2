"""How far prints on a plate stand apart, in all three dimensions."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from wideberth.core.bench import SupportSettings
from wideberth.core.errors import BadModel
from wideberth.core.job import Placement
from wideberth.core.model import Gaps
from wideberth.core.plate import Loops, Stance, standing_loops
from wideberth.core.predict.solids import PrintSolids
from wideberth.core.predict.stages import Stages
from wideberth.core.progress import Progress, quiet

Spot = tuple[float, float]
POINTS_APART_MM = 0.5
"""Along an outline, where the nearest spots of two are looked for."""


@dataclass(frozen=True)
class Gap:
    """Between two prints, told by the ids of their placements. gap_mm : between their solids, at whatever height; 0 where they
    touch. spots_mm : where their outlines are nearest to each other, seen from above."""

    one: str
    other: str
    gap_mm: float
    spots_mm: tuple[Spot, Spot]


def stance_of(placement: Placement) -> Stance:
    """How a print lies on its plate."""
    return Stance(placement.x_mm, placement.y_mm, placement.turn_deg, placement.mirrored)


def gaps_between(
    prints: tuple[PrintSolids, ...], stages: Stages, settings: SupportSettings, within_mm: float, progress: Progress | None = None
) -> tuple[Gap, ...]:
    """Gaps of all pairs that are not farther apart than `within_mm`, exact between closed solids.

    Where a mesh does not close, the gap is that of the outlines from above: the solids are no nearer than that.
    """
    progress = progress or quiet()
    near = [
        (a, b)
        for a, b in combinations(prints, 2)
        if np.linalg.norm(np.maximum(np.maximum(a.low - b.high, b.low - a.high), 0.0)) <= within_mm
    ]
    solids = _Solids(stages, settings)
    found = []
    for (a, b), share in zip(near, progress.evenly(len(near)), strict=True):
        share.at(0.0, "measuring gaps")
        spots, from_above = nearest_spots(solids.along(a), solids.along(b))
        mm = solids.apart(a, b, within_mm, share)
        mm = from_above if mm is None else mm
        if mm < within_mm:
            found.append(Gap(a.placed.placement.id, b.placed.placement.id, mm, spots))
    return tuple(found)


class _Solids:
    """Outlines of prints, each made once, and how far their solids are apart."""

    def __init__(self, stages: Stages, settings: SupportSettings) -> None:
        self._stages, self._settings = stages, settings
        self._along: dict[str, NDArray[np.float64]] = {}
        self._gaps = Gaps()

    def along(self, solids: PrintSolids) -> NDArray[np.float64]:
        """Points along the outlines of a print where it stands, supports included, (n, 2)."""
        id = solids.placed.placement.id
        if id not in self._along:
            self._along[id] = along_outlines(solids, self._stages, self._settings)
        return self._along[id]

    def apart(self, one: PrintSolids, other: PrintSolids, within_mm: float, progress: Progress) -> float | None:
        """Least distance of two prints' solids, up to `within_mm`; None where one is no closed solid."""
        x, y, _ = (float(v) for v in other.shift_mm - one.shift_mm)
        here, there = ([mesh for mesh in (s.at_home.outer, s.at_home.supports) if mesh is not None] for s in (one, other))
        least = within_mm
        try:
            for a in here:
                for b in there:
                    least = min(least, self._gaps.between(a, b, least, progress, np.array([x, y, 0.0])))
        except BadModel:
            return None
        return least


def along_outlines(solids: PrintSolids, stages: Stages, settings: SupportSettings) -> NDArray[np.float64]:
    """Points along the outlines of a print where it stands, seen from above, supports included, (n, 2) [mm]."""
    footprint, stance = stages.footprint(solids.placed.part, settings), stance_of(solids.placed.placement)
    return _along(standing_loops(footprint.part + footprint.supports, stance))


def nearest_spots(here: NDArray[np.float64], there: NDArray[np.float64]) -> tuple[tuple[Spot, Spot], float]:
    """Where the points of two outlines, (n, 2) and (m, 2), are nearest, and how far apart they are there [mm]."""
    distance, at = cKDTree(there).query(here)
    n = int(np.argmin(distance))
    (x, y), (u, v) = here[n].tolist(), there[at[n]].tolist()
    return ((x, y), (u, v)), float(distance[n])


def _along(loops: Loops) -> NDArray[np.float64]:
    """Points along outlines, (n, 2), no farther apart than `POINTS_APART_MM`."""
    made = []
    for ring in loops:
        ahead = np.roll(ring, -1, axis=0) - ring
        parts = np.maximum(1, np.ceil(np.hypot(*ahead.T) / POINTS_APART_MM)).astype(int)
        start = np.repeat(np.arange(len(ring)), parts)
        share = (np.arange(len(start)) - np.repeat(np.cumsum(parts) - parts, parts)) / parts[start]
        made.append(ring[start] + share[:, None] * ahead[start])
    return np.concatenate(made)
