"""The wall of a shell, measured: from points on its cavity to the nearest of the outer surface."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.hollow.shell import Shell
from wideberth.core.model import Closest, Mesh, spread_over

SAMPLES = 20_000
WITHIN_MM = 0.1


@dataclass(frozen=True)
class WallMeasured:
    """Walls at points spread over a cavity, against what was asked there.

    thinnest_mm, median_mm : of the points that face the wall. within : share of them no more than 0.1 mm off. filled : share
    of all points that lie deeper on purpose: at a solid or open level, or where narrow ways were filled. least_over_mm : the wall
    less what was asked where that is least.
    """

    thinnest_mm: float
    median_mm: float
    within: float
    filled: float
    least_over_mm: float


def measured_wall(outer: Mesh, chambers: tuple[Mesh, ...], shell: Shell, samples: int = SAMPLES) -> WallMeasured | None:
    """Measure a shell's wall by the exact closest distance; None when there is no chamber."""
    if not chambers:
        return None
    area = sum(float(c.face_area_mm2.sum()) for c in chambers)
    spots = np.concatenate([spread_over(c, float(np.sqrt(area / samples)))[1] for c in chambers])
    if shell.open_below is not None:
        spots = spots[shell.open_below.above(spots) > shell.wall_mm]
    wall = Closest(outer).distance(spots)
    over = wall - shell.asked_mm(spots)
    filled = np.zeros(len(spots), bool)
    if shell.solid_below is not None:
        filled |= shell.solid_below.above(spots) < WITHIN_MM
    if shell.passage_mm > 0:
        filled |= over > WITHIN_MM  # an opening only ever takes from the cavity
    facing = ~filled
    if not facing.any():
        return WallMeasured(float(wall.min()), float(np.median(wall)), 1.0, 1.0, float(over.min()))
    near = np.abs(over[facing]) <= WITHIN_MM
    return WallMeasured(
        float(wall.min()), float(np.median(wall[facing])), float(near.mean()), float(filled.mean()), float(over.min())
    )
