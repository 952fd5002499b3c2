"""Cast: runs of a mesh on the rows just over it, so that what else stands on the plate may change beside it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.layers import Grid, Runs, cast
from wideberth.core.model import Mesh
from wideberth.core.progress import Progress

ALONG, ACROSS = [0, 1, 2], [1, 0, 2]
"""Axes in the order runs, rows, layers: runs along x in rows over y, or the other way round."""


@dataclass(frozen=True)
class Casting:
    """lattice : rows and layers, as a window of any size on them. off_mm : how far the mesh is moved over the rows first, under a
    pitch. across : runs along y, in rows over x."""

    mesh: Mesh
    lattice: Grid
    off_mm: float = 0.0
    across: bool = False


def cast_runs(of: Casting, _: Progress) -> Runs:
    """Runs on the mesh's own window of the lattice, from the plate up."""
    order = ACROSS if of.across else ALONG
    off = np.array([0.0, of.off_mm, 0.0])
    window = of.lattice.window(of.mesh.low[order] + off, of.mesh.high[order] + off)
    points = of.mesh.points[:, order]
    return cast(points + off if of.off_mm else points, of.mesh.faces, window)
