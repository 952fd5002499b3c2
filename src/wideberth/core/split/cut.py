"""A cut: a plane through a part with the keys that stand on it, and the piece that is left on one side."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import reduce
from operator import add, sub

import numpy as np
from manifold3d import CrossSection, Manifold
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model import Exact, Mesh, frame_along, meshes_of
from wideberth.core.progress import Progress, quiet
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


def apply_cuts(mesh: Mesh, cuts: tuple[Cut, ...], name: str, progress: Progress | None = None) -> Mesh:
    """What is left of a mesh after its cuts, in order; pegs of the kept side stand on it, sockets are cut out of it.

    Raises
    ------
    BadModel : when the mesh is not closed or a plane misses it. Cancelled : when `progress` was cancelled meanwhile.
    """
    for cut, share in zip(cuts, (progress or quiet()).evenly(len(cuts)), strict=True):
        mesh = piece_of(mesh, cut, name, share)
    return mesh


def piece_of(whole: Mesh, cut: Cut, name: str = "mesh", progress: Progress | None = None) -> Mesh:
    """The piece of a mesh on the kept side of a cut.

    Raises
    ------
    BadModel : when the mesh is not closed or the plane misses it. Cancelled : when `progress` was cancelled meanwhile.
    """
    above, below = _halves(whole, cut)
    piece = above if cut.keep > 0 else below
    pegs = [key for key in cut.keys if key.peg_on == cut.keep]
    if tails := [Exact.solid(peg_of(cut, key)) for key in pegs if key.kind is Kind.DOVETAIL]:  # they end at the part's surface
        solid, upper = Exact.solid(whole), Exact.solid(_upper(whole, cut))
        piece = solid ^ reduce(add, tails, upper) if cut.keep > 0 else solid - reduce(sub, tails, upper)
    for key in cut.keys:
        if key not in pegs:
            piece = piece - Exact.solid(socket_of(cut, key))
        elif key.kind is not Kind.DOVETAIL:
            piece = piece + Exact.solid(peg_of(cut, key))
    return _made([piece], (above, below), name, progress)[0]


def halves_of(whole: Mesh, cut: Cut, name: str = "mesh", progress: Progress | None = None) -> tuple[Mesh, Mesh]:
    """What lies over a cut and what lies under it, without its keys.

    Raises
    ------
    BadModel : when the mesh is not closed or the plane misses it. Cancelled : when `progress` was cancelled meanwhile.
    """
    halves = _halves(whole, cut)
    above, below = _made(halves, halves, name, progress)
    return above, below


def _halves(whole: Mesh, cut: Cut) -> tuple[Exact, Exact]:
    """What lies over a cut of a mesh, and what under it."""
    solid = Exact.solid(whole)
    if cut.step is None:
        return solid.halves(cut.normal, cut.offset_mm)
    upper = Exact.solid(_upper(whole, cut))
    return solid ^ upper, solid - upper


def _made(wanted: Sequence[Exact], halves: tuple[Exact, Exact], name: str, progress: Progress | None) -> list[Mesh]:
    """Meshes of what is wanted, where a cut leaves both halves."""
    made = meshes_of(wanted, name, halves, "cutting", progress)
    if not made:
        raise BadModel("the plane does not pass through it.", where=name, remedy="Move the plane into the part.")
    return made


def _upper(whole: Mesh, cut: Cut) -> Manifold:
    """All that lies over a cut, as far as the whole reaches."""
    step = cut.step if cut.step is not None else Step(0.0, 0.0, 0.0)
    box = np.array([whole.low, whole.high])
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
