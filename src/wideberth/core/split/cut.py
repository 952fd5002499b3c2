"""A cut: a plane through a part with the keys that stand on it, and the piece that is left on one side."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model import Mesh, as_mesh, as_solid, frame_along
from wideberth.core.split.key import Key, Kind, key_solid


@dataclass(frozen=True)
class Cut:
    """A plane through the part (its own frame, scaled) and the side that is kept.

    normal : unit vector. offset_mm : its dot product with points of the plane. keep : +1 the side it points to, -1. keys : pegs
    on one side and sockets in the other; clearance_mm : by so much these are wider, on each side.
    """

    normal: tuple[float, float, float]
    offset_mm: float
    keep: int
    keys: tuple[Key, ...] = ()
    clearance_mm: float = 0.0

    @property
    def other_side(self) -> Cut:
        return Cut(self.normal, self.offset_mm, -self.keep, self.keys, self.clearance_mm)

    @property
    def frame(self) -> NDArray[np.float64]:
        """Rows across, over and along the normal, (3, 3); keys lie in the first two, from the plane's foot of the origin."""
        return frame_along(np.array(self.normal))

    @property
    def placing(self) -> NDArray[np.float64]:
        """From the cut's frame, in which the plane is level at 0, to the part's own, (3, 4)."""
        turned = self.frame.T
        return np.column_stack((turned, turned @ (0.0, 0.0, self.offset_mm)))


def apply_cuts(mesh: Mesh, cuts: tuple[Cut, ...], name: str) -> Mesh:
    """What is left of a mesh after its cuts, in order; pegs of the kept side stand on it, sockets are cut out of it.

    Raises
    ------
    BadModel : when the mesh is not closed or a plane misses it.
    """
    for cut in cuts:
        mesh = as_mesh(piece_of(as_solid(mesh, name), cut, name))
    return mesh


def piece_of(whole: Manifold, cut: Cut, name: str = "mesh") -> Manifold:
    """The piece of an exact solid on the kept side of a cut.

    Raises
    ------
    BadModel : when the plane misses it.
    """
    above, below = whole.split_by_plane(cut.normal, float(cut.offset_mm))
    if above.is_empty() or below.is_empty():
        raise BadModel("the plane does not pass through it.", where=name, remedy="Move the plane into the part.")
    piece, across = (above, below) if cut.keep > 0 else (below, above)
    for key in cut.keys:
        if key.peg_on == cut.keep:
            peg = peg_of(cut, key)
            piece = piece + (peg ^ across if key.kind is Kind.DOVETAIL else peg)  # a tail ends at the part's own surface
        else:
            piece = piece - socket_of(cut, key)
    return piece


def peg_of(cut: Cut, key: Key) -> Manifold:
    """A key as it stands on its side, in the part's own frame."""
    return key_solid(key).transform(cut.placing)


def socket_of(cut: Cut, key: Key) -> Manifold:
    """What is cut out of the other side for it: wider by the clearance, deeper by that and the room for glue."""
    return key_solid(key, cut.clearance_mm).transform(cut.placing)
