"""Surfaces: what kind of surface each face of a part lies on, before it is turned."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model import Mesh, surface_kinds
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class SurfacesInput:
    """mesh : sized and cut."""

    mesh: Mesh


@dataclass(frozen=True, eq=False)
class Surfaces:
    """kind : (faces,) as a place in the kinds of surfaces."""

    kind: NDArray[np.uint8]


def surfaces(of: SurfacesInput, progress: Progress) -> Surfaces:
    """See `surface_kinds`."""
    return Surfaces(surface_kinds(of.mesh, progress))
