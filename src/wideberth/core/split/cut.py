"""A cut: a plane through a part with the keys that stand on it, and the piece that is left on one side."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from manifold3d import CrossSection, Manifold
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model import Mesh, as_mesh, as_solid, frame_along
from wideberth.core.split.key import Key, Kind, key_solid

DRAFT_DEG = 10.0
DRAFT = float(np.tan(np.radians(DRAFT_DEG)))


@dataclass(frozen=True)
class Step:
    """Beyond a line in its plane a cut runs higher, or lower, so that its seam keeps to a fold or off a face.

    turn_deg : from `across` of the cut's frame to the way that leads beyond. at_mm : the middle of the riser along that way.
    rise_mm : of what lies beyond, along the normal. The riser leans by `DRAFT_DEG`: pieces still go together along the normal.
    """

    turn_deg: float
    at_mm: float
    rise_mm: float

    @property
    def way(self) -> NDArray[np.float64]:
        """Unit, in the cut's frame, (2,)."""
        return np.array([np.cos(np.radians(self.turn_deg)), np.sin(np.radians(self.turn_deg))])

    @property
    def half_mm(self) -> float:
        """Half of what the riser takes along that way."""
        return 0.5 * abs(self.rise_mm) * DRAFT


@dataclass(frozen=True)
class Cut:
    """A plane through the part (its own frame, scaled) and the side that is kept.

    normal : unit vector. offset_mm : its dot product with points of the plane. keep : +1 the side it points to, -1. keys : pegs
    on one side and sockets in the other; clearance_mm : by so much these are wider, on each side. step : where it leaves the
    plane; None where it does not.
    """

    normal: tuple[float, float, float]
    offset_mm: float
    keep: int
    keys: tuple[Key, ...] = ()
    clearance_mm: float = 0.0
    step: Step | None = None

    @property
    def other_side(self) -> Cut:
        return replace(self, keep=-self.keep)

    @property
    def frame(self) -> NDArray[np.float64]:
        """Rows across, over and along the normal, (3, 3); keys lie in the first two, from the plane's foot of the origin."""
        return frame_along(np.array(self.normal))

    @property
    def placing(self) -> NDArray[np.float64]:
        """From the cut's frame, in which the plane is level at 0, to the part's own, (3, 4)."""
        turned = self.frame.T
        return np.column_stack((turned, turned @ (0.0, 0.0, self.offset_mm)))

    def over_mm(self, points_mm: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far points (n, 3) lie over the cut along its normal, (n,)."""
        height = points_mm @ np.array(self.normal) - self.offset_mm
        if self.step is None:
            return np.asarray(height)
        at = points_mm @ (self.frame[:2].T @ self.step.way) - self.step.at_mm
        return np.asarray(height - self.step.rise_mm * np.clip(0.5 + at / (2 * self.step.half_mm), 0.0, 1.0))


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
    above, below = halves_of(whole, cut, name)
    piece, across = (above, below) if cut.keep > 0 else (below, above)
    for key in cut.keys:
        if key.peg_on == cut.keep:
            peg = peg_of(cut, key)
            piece = piece + (peg ^ across if key.kind is Kind.DOVETAIL else peg)  # a tail ends at the part's own surface
        else:
            piece = piece - socket_of(cut, key)
    return piece


def halves_of(whole: Manifold, cut: Cut, name: str = "mesh") -> tuple[Manifold, Manifold]:
    """What lies over a cut and what lies under it, without its keys.

    Raises
    ------
    BadModel : when the plane misses it.
    """
    if cut.step is None:
        above, below = whole.split_by_plane(cut.normal, float(cut.offset_mm))
    else:
        upper = _upper(whole, cut, cut.step)
        above, below = whole ^ upper, whole - upper
    if above.is_empty() or below.is_empty():
        raise BadModel("the plane does not pass through it.", where=name, remedy="Move the plane into the part.")
    return above, below


def _upper(whole: Manifold, cut: Cut, step: Step) -> Manifold:
    """All that lies over a stepped cut, as far as the whole reaches."""
    box = np.array(whole.bounding_box()).reshape(2, 3)
    far = float(np.linalg.norm(box, axis=1).max() + np.ptp(box, axis=0).max() + abs(cut.offset_mm) + abs(step.rise_mm)) + 1.0
    low, high = step.at_mm - step.half_mm, step.at_mm + step.half_mm
    outline = [(-far, 0.0), (low, 0.0), (high, step.rise_mm), (far, step.rise_mm), (far, far), (-far, far)]
    x, y = step.way
    upright = np.array([[x, 0.0, y, -far * y], [y, 0.0, -x, far * x], [0.0, 1.0, 0.0, 0.0]])  # along the way, up, aside
    return CrossSection([outline]).extrude(2 * far).transform(upright).transform(cut.placing)


def peg_of(cut: Cut, key: Key) -> Manifold:
    """A key as it stands on its side, in the part's own frame."""
    return key_solid(key).transform(cut.placing)


def socket_of(cut: Cut, key: Key) -> Manifold:
    """What is cut out of the other side for it: wider by the clearance, deeper by that and the room for glue."""
    return key_solid(key, cut.clearance_mm).transform(cut.placing)
