"""Cutting what is too big with a plane; both pieces come out capped and closed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wideberth.core.bench import Printer
from wideberth.core.layers import cast, grid_over
from wideberth.core.model import Mesh, split_by_plane

AXES = "xyz"


@dataclass(frozen=True)
class Cut:
    """A plane through the part (its own frame, scaled) and the side that is kept.

    normal : unit vector. offset_mm : its dot product with points of the plane. keep : +1 the side it points to, -1.
    """

    normal: tuple[float, float, float]
    offset_mm: float
    keep: int

    @property
    def other_side(self) -> Cut:
        return Cut(self.normal, self.offset_mm, -self.keep)


def apply_cuts(mesh: Mesh, cuts: tuple[Cut, ...], name: str) -> Mesh:
    """What is left of a mesh after its cuts, in order.

    Raises
    ------
    BadModel : when the mesh is not closed or a plane misses it.
    """
    for cut in cuts:
        above, below = split_by_plane(mesh, np.array(cut.normal), cut.offset_mm, name)
        mesh = above if cut.keep > 0 else below
    return mesh


def fits(extents_mm: np.ndarray, printer: Printer) -> bool:
    """Whether a box, (3,) sides, stands on the plate as it is, or turned by a quarter about the plate's normal."""
    x, y, z = (float(v) for v in extents_mm)
    across = (x <= printer.plate_x_mm and y <= printer.plate_y_mm) or (y <= printer.plate_x_mm and x <= printer.plate_y_mm)
    return bool(across and z <= printer.height_mm)


def propose_cut(mesh: Mesh, printer: Printer) -> tuple[Cut, str] | None:
    """Where to cut a part that fits in no pose: across its longest axis, where its section is small near the middle.

    Returns the cut (keeping the upper side) and the reason, or None when the part fits.
    """
    extents = np.sort(mesh.extents_mm)[::-1]
    room = np.sort([printer.plate_x_mm, printer.plate_y_mm, printer.height_mm])[::-1]
    if (extents <= room).all():
        return None
    axis = int(mesh.extents_mm.argmax())
    frame = np.eye(3)[[(axis + 1) % 3, (axis + 2) % 3, axis]]
    turned = Mesh((mesh.points - mesh.low) @ frame.T, mesh.faces)
    length = float(turned.high[2])
    grid = grid_over(turned.low, turned.high, length / 200, length / 200)
    area = cast(turned.points, turned.faces, grid).layer_area_mm2()
    z = np.asarray(grid.z_of(np.arange(grid.layers)))
    middle = (z > 0.35 * length) & (z < 0.65 * length) & (area > 0)
    cost = np.where(middle, area * (1 + np.abs(z / length - 0.5)), np.inf)
    best = int(cost.argmin())
    offset = float(z[best] + mesh.low[axis])
    normal = tuple(float(v) for v in np.eye(3)[axis])
    why = (
        f"{length:.0f} mm is longer than the printer allows; the section is {area[best]:.0f} mm² at "
        f"{offset:.0f} mm along {AXES[axis]}, the least near the middle"
    )
    return Cut((normal[0], normal[1], normal[2]), offset, 1), why
