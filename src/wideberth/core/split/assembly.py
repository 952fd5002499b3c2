"""What the pieces of a cut are as they go together: nothing lost, clear of each other by the clearance, and one way only."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from manifold3d import Manifold, OpType
from numpy.typing import NDArray

from wideberth.core.model import Closest, Mesh, as_mesh, as_solid, points_inside, rotation_about
from wideberth.core.split.cut import Cut, peg_of, piece_of
from wideberth.core.split.key import INTO_MM, Key, Kind

TURNS_DEG = tuple(range(15, 360, 15))
LEAST_OVERLAP_MM3 = 0.02
"""Less than this is where the pieces touch, not where they collide."""
TAKEN_FOR_RIGHT = 0.6
"""A wrong turn in which the faces cover less than this share of each other is seen before it is tried."""
BESIDE_MM = 1.0
SAMPLES = 4000
MIDDLE_SHARE = (0.1, 0.75)
"""Of a peg's depth: where its clearance is measured, clear of the plane and of the chamfer."""


@dataclass(frozen=True)
class Assembly:
    """A joint looked over. kept_share : volume of both pieces over that of the whole less what clearances take. clearance_mm :
    least and greatest, measured from the sides of the pegs to the socket. overlap_mm3 : of the pieces in place. wrong_turns :
    that could be taken for right; collide : of these, how many collide."""

    kept_share: float
    clearance_mm: tuple[float, float]
    overlap_mm3: float
    wrong_turns: int
    collide: int

    @property
    def one_way(self) -> bool:
        """Whether the pieces go together in no other way."""
        return self.wrong_turns == self.collide


def looked_over(whole: Mesh, cut: Cut) -> Assembly:
    """Both pieces of a cut by exact booleans.

    Raises
    ------
    BadModel : when the mesh is not closed or the plane misses it.
    """
    solid, one, other = (as_solid(mesh) for mesh in (whole, piece_of(whole, cut), piece_of(whole, cut.other_side)))
    taken = solid - one - other  # what lies in no piece: clearances and room for glue
    kept = (one.volume() + other.volume() + taken.volume() - (one ^ other).volume()) / solid.volume()
    wrong, collide = _wrong_turns(solid, cut, one, other)
    return Assembly(kept, clearances(whole, cut, one, other), float((one ^ other).volume()), wrong, collide)


def clearances(whole: Mesh, cut: Cut, one: Manifold, other: Manifold) -> tuple[float, float]:
    """Least and greatest distance from the sides of the pegs to the piece that they go into; (0, 0) without keys."""
    least, most = np.inf, 0.0
    for key in cut.keys:
        mate = other if key.peg_on == cut.keep else one
        points = _sides_of(cut, key)
        if key.kind is Kind.DOVETAIL:  # it ends at the part's surface
            points = points[points_inside(whole, points)]
        away = Closest(as_mesh(mate)).distance(points)
        least, most = min(least, float(away.min())), max(most, float(away.max()))
    return (least, most) if cut.keys else (0.0, 0.0)


def _sides_of(cut: Cut, key: Key) -> NDArray[np.float64]:
    """Points on a peg's sides, away from the plane, its end and its chamfer, (n, 3)."""
    data = peg_of(cut, key).to_mesh64()
    points = np.asarray(data.vert_properties)[:, :3]
    corners = points[np.asarray(data.tri_verts)]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(normal, axis=1)
    side = np.abs(normal @ np.array(cut.normal)) < 0.5 * area
    rng = np.random.default_rng(1)
    face = rng.choice(np.flatnonzero(side), SAMPLES, p=area[side] / area[side].sum())
    u, v = rng.random((2, SAMPLES, 1))
    over = u + v > 1
    u, v = np.where(over, 1 - u, u), np.where(over, 1 - v, v)
    spots = corners[face, 0] + u * (corners[face, 1] - corners[face, 0]) + v * (corners[face, 2] - corners[face, 0])
    deep = (spots @ np.array(cut.normal) - cut.offset_mm) * -key.peg_on / key.depth_mm
    low, high = MIDDLE_SHARE
    return np.asarray(spots[(deep > max(low, INTO_MM / key.depth_mm)) & (deep < high)])


def _wrong_turns(solid: Manifold, cut: Cut, one: Manifold, other: Manifold) -> tuple[int, int]:
    """Turns about the normal in which the faces would cover each other well enough to be taken for right, and how many
    collide."""
    if not cut.keys:
        return 0, 0
    level = np.linalg.inv(np.vstack((cut.placing, (0.0, 0.0, 0.0, 1.0))))[:3]
    face = solid.transform(level).slice(0.0)
    area, reach = face.area(), max(k.depth_mm for k in cut.keys) + 2 * BESIDE_MM
    pegs, mates = {}, {}  # by the side that the pegs stand on: but for them the pieces lie on two sides of a plane
    for side, mate in ((1, one if cut.keep < 0 else other), (-1, one if cut.keep > 0 else other)):
        own = [
            peg_of(cut, key) ^ solid if key.kind is Kind.DOVETAIL else peg_of(cut, key) for key in cut.keys if key.peg_on == side
        ]
        if own:
            pegs[side] = Manifold.batch_boolean(own, OpType.Add).transform(level)
            mates[side] = mate.transform(level).trim_by_plane((0.0, 0.0, float(side)), -reach)
            _ = mates[side].num_tri()  # cut now, not anew for each turn
    wrong = collide = 0
    for spot, turn in _tries(cut, _centroid(face)):
        matrix = _about(spot, turn)
        turned_face = face.transform(matrix[:2, [0, 1, 3]])
        if (face ^ turned_face).area() < TAKEN_FOR_RIGHT * area:
            continue
        wrong += 1
        collide += any(
            (mates[side] ^ pegs[side].transform(matrix if side > 0 else _back(matrix))).volume() > LEAST_OVERLAP_MM3
            for side in pegs
        )
    return wrong, collide


def _tries(cut: Cut, middle: NDArray[np.float64]) -> list[tuple[NDArray[np.float64], float]]:
    """Spots and turns: about the face's middle, about what lies between the keys, and about each key; a dovetail slides in from
    its other end alone."""
    spots = [np.array([k.across_mm, k.over_mm]) for k in cut.keys]
    if cut.keys[0].kind is Kind.DOVETAIL:
        return [(spots[0], 180.0)]
    about = [middle, np.mean(spots, axis=0), *spots]
    return [(spot, float(turn)) for spot in about for turn in TURNS_DEG]


def _about(spot: NDArray[np.float64], turn_deg: float) -> NDArray[np.float64]:
    """A turn about an upright through a spot, (3, 4)."""
    turn = rotation_about(2, turn_deg)
    at = np.append(spot, 0.0)
    return np.column_stack((turn, at - turn @ at))


def _back(matrix: NDArray[np.float64]) -> NDArray[np.float64]:
    """The inverse of a rigid (3, 4) matrix: turning the upper piece one way is turning the lower one back."""
    turn = matrix[:, :3].T
    return np.column_stack((turn, -turn @ matrix[:, 3]))


def _centroid(face) -> NDArray[np.float64]:  # type: ignore[no-untyped-def]
    """Centroid of a section's outlines."""
    area, moment = 0.0, np.zeros(2)
    for ring in face.to_polygons():
        x, y = np.asarray(ring).T
        x1, y1 = np.roll(x, -1), np.roll(y, -1)
        part = x * y1 - x1 * y
        area += 0.5 * part.sum()
        moment += np.array([((x + x1) * part).sum(), ((y + y1) * part).sum()]) / 6
    return np.asarray(moment / area)
