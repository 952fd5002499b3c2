"""What the recipe attaches to a part, where it lies on the plate: drilled holes and the tips that touch it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Bore:
    """A drilled hole where it lies on the plate.

    Attributes
    ----------
    entry_mm : where the axis meets the outer surface. along : unit vector into the part.
    radius_mm, wall_mm : of the hole and of the wall it passes. outer_mm, inner_mm : points in the void just beyond
    either mouth; whether there is void at all shows in the sweep.
    """

    part: int
    number: int
    entry_mm: tuple[float, float, float]
    along: tuple[float, float, float]
    radius_mm: float
    wall_mm: float
    outer_mm: tuple[float, float, float]
    inner_mm: tuple[float, float, float]
    id: str = ""

    @property
    def z_mm(self) -> float:
        """Height of the middle of the hole."""
        return self.entry_mm[2] + 0.5 * self.wall_mm * self.along[2]

    def moved(self, matrix: NDArray[np.float64]) -> Bore:
        """The same hole moved rigidly, or mirrored, by a 4 x 4 matrix."""

        def there(p: tuple[float, float, float], shift: NDArray[np.float64] = matrix[:3, 3]) -> tuple[float, float, float]:
            x, y, z = (float(v) for v in matrix[:3, :3] @ np.asarray(p) + shift)
            return x, y, z

        entry, outer, inner = there(self.entry_mm), there(self.outer_mm), there(self.inner_mm)
        return replace(self, entry_mm=entry, outer_mm=outer, inner_mm=inner, along=there(self.along, np.zeros(3)))


@dataclass(frozen=True)
class Touch:
    """A tip that touches a part: its spot on the surface, how thick and how deep, and on what post it stands.

    part : which print on the plate. contact, post : ids that are the print's own; "" for a post that carries no other.
    `post_length_mm` is of twig and post together; the post itself reaches from `post_foot_mm` to `post_top_mm`, and
    `free_mm` is its longest stretch between braces, left out where it has none. post_stays : whether it may get no stouter.
    """

    part: int
    contact: str
    x_mm: float
    y_mm: float
    z_mm: float
    diameter_mm: float
    depth_mm: float
    post_length_mm: float
    post_diameter_mm: float
    post_x_mm: float
    post_y_mm: float
    post_top_mm: float
    post_foot_mm: float = 0.0
    post: str = ""
    free_mm: float | None = None
    post_stays: bool = False

    @property
    def bends_mm(self) -> float:
        """The longest stretch of its post that nothing holds aside."""
        return max(self.post_top_mm - self.post_foot_mm, 0.0) if self.free_mm is None else self.free_mm
