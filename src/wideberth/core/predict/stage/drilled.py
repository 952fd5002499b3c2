"""Drilled: one drain hole with the wall it passes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.drain import Drilled, Hole, drill
from wideberth.core.model import Mesh
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class Drilling:
    """outer, cavity : of the part. hole : without id and reason. up : the way up in print, for outlines that have one."""

    outer: Mesh
    cavity: Mesh | None
    hole: Hole
    up: tuple[float, float, float]


def drilled(of: Drilling, _: Progress) -> Drilled:
    """See `drill`.

    Raises
    ------
    BadModel : when the hole lies off the surface.
    """
    return drill(of.outer, of.cavity, of.hole, np.array(of.up))
