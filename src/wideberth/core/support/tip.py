"""A tip and what carries it, as the recipe keeps it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Tip:
    """One support: where it touches, how thick, and where its post stands.

    All x and y are from the part's place on the plate, so that moving the part keeps its supports; z is from the plate.

    Attributes
    ----------
    x_mm, y_mm, z_mm : the spot on the surface. towards : unit vector from there to the joint below,
    cone_mm away: the tapered end.
    diameter_mm : at the surface. post_x_mm, post_y_mm, top_mm : where the post begins.
    foot_mm : where it ends: 0 on the plate, higher on the part or, for a twig, on another post.
    foot : "plate", "part" or "post". why : reason, shown to the user. post_mm : diameter of its post where that is not the usual.
    """

    x_mm: float
    y_mm: float
    z_mm: float
    towards: tuple[float, float, float]
    cone_mm: float
    diameter_mm: float
    post_x_mm: float
    post_y_mm: float
    top_mm: float
    foot_mm: float
    foot: str
    why: str
    post_mm: float | None = None

    @property
    def spot_mm(self) -> NDArray[np.float64]:
        return np.array([self.x_mm, self.y_mm, self.z_mm])

    @property
    def joint_mm(self) -> NDArray[np.float64]:
        """Where the tapered end meets the post or twig."""
        return self.spot_mm + self.cone_mm * np.asarray(self.towards)

    @property
    def top_point_mm(self) -> NDArray[np.float64]:
        return np.array([self.post_x_mm, self.post_y_mm, self.top_mm])

    def inside_mm(self, depth_mm: float) -> NDArray[np.float64]:
        """A point of the tip inside the part."""
        return self.spot_mm - depth_mm * np.asarray(self.towards)

    @property
    def length_mm(self) -> float:
        """Length of twig and post under the joint, down to the plate or to what it stands on."""
        joint, top = self.joint_mm, self.top_point_mm
        down = top[2] - (0.0 if self.foot == "post" else self.foot_mm)
        return float(np.linalg.norm(joint - top) + max(down, 0.0))
