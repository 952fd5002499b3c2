"""A bore made wider or narrower, so that what goes into it fits: the side that nobody sees gives way."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model import Mesh, as_mesh, as_solid, frame_along

SEGMENTS = 128
GRIP_MM = 0.1
"""By so much the lining of a bore that is made narrower reaches into its wall."""
BACK_MM = 1e-3
"""And so much it stays behind the bore's mouths, so that none of it stands out where these are turned."""
LEAST_MM = 0.2


@dataclass(frozen=True)
class Rebore:
    """A bore of a part in its own frame, sized and not yet cut.

    axis : unit vector. x_mm, y_mm, z_mm : its middle. length_mm : along the axis. was_mm, diameter_mm : before and after.
    """

    axis: tuple[float, float, float]
    x_mm: float
    y_mm: float
    z_mm: float
    length_mm: float
    was_mm: float
    diameter_mm: float

    @property
    def placing(self) -> NDArray[np.float64]:
        """From a frame whose third axis is the bore's and whose origin its middle, (3, 4)."""
        return np.column_stack((frame_along(np.array(self.axis)).T, (self.x_mm, self.y_mm, self.z_mm)))

    def solid(self, diameter_mm: float, back_mm: float = 0.0) -> Manifold:
        """A rod of another diameter in its place, shorter by so much at either end."""
        rod = Manifold.cylinder(self.length_mm - 2 * back_mm, diameter_mm / 2, diameter_mm / 2, SEGMENTS, center=True)
        return rod.transform(self.placing)


def rebored(mesh: Mesh, rebores: tuple[Rebore, ...], name: str) -> Mesh:
    """A mesh with its bores drilled wider, or lined narrower, in order.

    Raises
    ------
    BadModel : when the mesh is not closed, or a bore would be closed.
    """
    for each in rebores:
        if each.diameter_mm < LEAST_MM:
            raise BadModel(f"a bore of {each.diameter_mm:.2f} mm is none.", where=name, remedy="Make its peg thinner instead.")
        solid = as_solid(mesh, name)
        if each.diameter_mm >= each.was_mm:
            mesh = as_mesh(solid - each.solid(each.diameter_mm))
        else:
            lining = each.solid(each.was_mm + 2 * GRIP_MM, BACK_MM) - each.solid(each.diameter_mm)
            mesh = as_mesh(solid + lining)
    return mesh
