"""Gussets: thin upright plates that carry from the wall what would begin in mid-liquid under a chamber's ceiling."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from manifold3d import CrossSection, Manifold, OpType
from numpy.typing import NDArray

from wideberth.core.hollow import _kernels as kernels
from wideberth.core.hollow.lattice import Keepout
from wideberth.core.hollow.shell import Level
from wideberth.core.model import Closest, Mesh, as_mesh, frame_along, spread_over
from wideberth.core.progress import Progress, quiet

Points = NDArray[np.float64]
THICK_MM = 1.0
LEANS_DEG = (43.0, 30.0, 15.0)
"""From upright: a gusset's lower edge rises by 47° or more, as the bars of a lattice do."""
WAYS = 24
LEAST_BUMP_MM = 0.012
"""What hangs lower than its surroundings by less is the ripple of a drawn surface."""
AHEAD_MM = 0.15
"""A gusset is printed so far ahead of what it carries."""
INTO_WALL_MM = 0.8
INTO_CEILING_MM = 0.5
PROFILE_MM = 0.5
BEGINS_MM = 0.5
"""What lies within this of a bump's lowest point is printed before the bump can hold itself."""
REACH_MM = 3.0
"""How far that may lie from a gusset."""
MOST_PER_BUMP = 12
SAMPLES_MM = 0.7
CLEAR_MM = 0.5
LEAST_ROOM_MM = 0.02
UPWARD = np.array([0.0, 0.0, 1.0])


@dataclass(frozen=True, eq=False)
class Gussets:
    """Gussets as built, in the part's own frame.

    mesh : all of them, one exact solid. bumps : how many bumps they carry. volume_ml : of the gussets, what lies in walls
    included. uncarried_mm : (n, 3) lowest points of bumps to which no way leads from a wall.
    """

    mesh: Mesh
    bumps: int
    uncarried_mm: Points

    @property
    def volume_ml(self) -> float:
        return self.mesh.volume_mm3 / 1000


@dataclass(frozen=True, eq=False)
class Bump:
    """A part of a ceiling that hangs lower than all round it: its lowest corner, and all corners that hang so, indices."""

    lowest: int
    corners: NDArray[np.int64]


@dataclass(frozen=True)
class Ceilings:
    """A cavity, and what of it stays the same whichever way it stands. cavity : closed, faces out of the void."""

    cavity: Mesh

    @cached_property
    def rays(self) -> Closest:
        return Closest(self.cavity)

    @cached_property
    def outward(self) -> Points:
        """Sum of the faces' normals at each corner by their area, (n, 3) [mm²]; it points into the solid."""
        weighed = self.cavity.normals * self.cavity.face_area_mm2[:, None]
        at = self.cavity.faces.reshape(-1)
        count = len(self.cavity.points)
        return np.stack([np.bincount(at, np.repeat(weighed[:, axis], 3), count) for axis in range(3)], axis=1)

    @cached_property
    def beside(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Start in, and list of, the corners beside each corner."""
        ends = self.cavity.topology.ends
        one, other = np.concatenate((ends, ends[:, ::-1])).T.astype(np.int64)
        order = np.argsort(one, kind="stable")
        return np.searchsorted(one[order], np.arange(len(self.cavity.points) + 1)), other[order]

    @cached_property
    def around(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Start in, and list of, the faces around each corner."""
        at = self.cavity.faces.reshape(-1)
        order = np.argsort(at, kind="stable")
        return np.searchsorted(at[order], np.arange(len(self.cavity.points) + 1)), order // 3

    def faces_at(self, corners: NDArray[np.int64]) -> NDArray[np.int64]:
        """All faces that have one of some corners, each once, in order."""
        start, faces = self.around
        first, count = start[corners], start[corners + 1] - start[corners]
        within = np.arange(int(count.sum())) - np.repeat(np.cumsum(count) - count, count)
        return np.unique(faces[np.repeat(first, count) + within])

    def bumps(self, up: Points) -> list[Bump]:
        """Bumps of the ceilings, the lowest first. up : (3,) unit.

        Notes
        -----
        As a level rises over the surface, a piece of it begins at each lowest point and joins an older one at a pass. A piece
        that begins with solid above it is a bump, and hangs as deep as its lowest point lies under that pass (H. Edelsbrunner
        and J. Harer, Computational Topology, 2010, chapter VII: persistence).
        """
        height, ends = self.cavity.points @ up, self.cavity.topology.ends
        begins = self.outward @ up > 0
        first, second = height[ends[:, 0]], height[ends[:, 1]]
        rises = first <= second  # of equals the first counts as lower, as in joining
        begins[np.where(rises, ends[:, 1], ends[:, 0])] = False
        if not begins.any():
            return []
        order = np.argsort(np.where(rises, second, first))
        joins_at = kernels.joins_at(ends[order], height)
        deep = np.flatnonzero(begins & (joins_at - height > LEAST_BUMP_MM) & np.isfinite(joins_at))
        lowest_first = deep[np.argsort(height[deep], kind="stable")]
        return [Bump(int(v), kernels.hanging(*self.beside, height, v, joins_at[v])) for v in lowest_first]


def gussets_in(
    ceilings: Ceilings,
    up: Points,
    keep_clear: Sequence[Keepout] = (),
    open_below: Level | None = None,
    progress: Progress | None = None,
) -> Gussets | None:
    """Gussets for each bump of the ceilings of a cavity; None where nothing begins in mid-liquid.

    Parameters
    ----------
    up : (3,) unit, the way away from the plate in the cavity's frame. keep_clear : drain holes. open_below : where the cavity
    has no wall.

    Notes
    -----
    From a bump's lowest point rays go down and outward; the nearest wall that one meets carries the gusset: upright, its lower
    edge along that ray, filled up to the ceiling. So it stands on what is printed before it, rises steeply enough to carry
    itself, and is held all along the wall. The cavity only loses by it: no wall gets thinner.

    Raises
    ------
    Cancelled : when the progress is.
    """
    progress = progress or quiet()
    bumps = ceilings.bumps(up)
    if not bumps:
        return None
    room = _Room(ceilings.rays, frame_along(up), keep_clear, open_below)
    plates: list[Manifold] = []
    uncarried = []
    for number, bump in enumerate(bumps):
        progress.at(number / len(bumps), "carrying what hangs from ceilings")
        begins = _begins_with(ceilings, bump, up) @ room.turn.T
        own = _plates_for(begins, room)
        plates += own
        if not own:
            uncarried.append(ceilings.cavity.points[bump.lowest])
    progress.at(1.0, "carrying what hangs from ceilings")
    built = as_mesh(Manifold.batch_boolean(plates, OpType.Add))
    return Gussets(Mesh(built.points @ room.turn, built.faces), len(bumps) - len(uncarried), np.array(uncarried).reshape(-1, 3))


def _begins_with(ceilings: Ceilings, bump: Bump, up: Points) -> Points:
    """Points (n, 3) spread over what of a bump is printed before it holds itself; the lowest of all first."""
    cavity = ceilings.cavity
    own = Mesh(cavity.points, cavity.faces[ceilings.faces_at(bump.corners)])
    face, spots = spread_over(own, SAMPLES_MM)
    lowest = cavity.points[bump.lowest]
    low = (own.normals[face] @ up > 0) & ((spots - lowest) @ up < BEGINS_MM)
    return np.concatenate((lowest[None], spots[low]))


def _plates_for(begins: Points, room: _Room) -> list[Manifold]:
    """Gussets under a bump, so many that little of what begins lies far from one; none when no way leads to a wall.

    begins : (n, 3) upright, the lowest point first.
    """
    plates: list[Manifold] = []
    away, wanted = np.full(len(begins), np.inf), np.ones(len(begins), bool)
    at = 0
    while len(plates) < MOST_PER_BUMP:
        wanted[at] = False
        edge = room.edge_under(begins[at], begins[0, 2])
        if edge is not None:
            plates.append(room.plate(*edge))
            away = np.minimum(away, _level_distance(begins, *edge))
        wanted &= away > REACH_MM
        if not wanted.any():
            break
        at = int(np.flatnonzero(wanted)[away[wanted].argmax()])
    return plates


def _level_distance(points: Points, a: Points, b: Points) -> NDArray[np.float64]:
    """Distance [mm] of points (n, 3) from a stretch, seen from above, (n,)."""
    along = (b - a)[:2]
    length2 = float(along @ along)
    off = points[:, :2] - a[:2]
    share = np.clip(off @ along / length2, 0.0, 1.0) if length2 > 0 else np.zeros(len(points))
    return np.asarray(np.hypot(*(off - share[:, None] * along).T))


class _Room:
    """The chambers that gussets stand in, upright. turn : (3, 3), from the part's own frame to the upright one."""

    def __init__(self, rays: Closest, turn: Points, keep_clear: Sequence[Keepout], open_below: Level | None) -> None:
        self.turn = turn
        self._rays, self._open = rays, open_below
        self._holes = [(turn @ np.asarray(k.entry_mm), turn @ np.asarray(k.along), k) for k in keep_clear]

    def _first_hit(self, points: Points, ways: Points) -> Points:
        """Distance [mm] from points (n, 3) along ways (n, 3) or (3,) to the cavity's surface, (n,)."""
        return self._rays.first_hit(points @ self.turn, np.broadcast_to(ways, points.shape) @ self.turn, 0.0)

    def edge_under(self, spot: Points, low_mm: float) -> tuple[Points, Points] | None:
        """Upper and lower end of a gusset's edge from just under a spot to the nearest wall that it meets below `low_mm`.

        None where no way leads to one.
        """
        below = float(self._first_hit(spot[None] - LEAST_ROOM_MM * UPWARD, -UPWARD)[0])
        head = spot - min(AHEAD_MM, 0.5 * below) * UPWARD
        away = self._first_hit(np.tile(head, (len(DOWNWARD), 1)), DOWNWARD)
        for way in np.argsort(away, kind="stable"):
            foot = head + away[way] * DOWNWARD[way]
            if foot[2] < low_mm and np.isfinite(away[way]) and self._is_wall(foot) and self._clears_holes(head, foot):
                return head, foot
        return None

    def _is_wall(self, foot: Points) -> bool:
        """Whether a spot of the cavity's surface lies on solid, and not where the shell is open."""
        return self._open is None or float(self._open.above((foot @ self.turn)[None])[0]) > INTO_WALL_MM

    def _clears_holes(self, head: Points, foot: Points) -> bool:
        """Whether a gusset's lower edge, and what it fills above that, stay clear of all drain holes."""
        share = np.linspace(0, 1, 1 + int(np.ceil(np.linalg.norm(head - foot) / PROFILE_MM)))[:, None]
        edge = foot + share * (head - foot)
        spots = np.concatenate([edge + [0, 0, rise] for rise in np.arange(0, head[2] - foot[2] + PROFILE_MM, PROFILE_MM)])
        for entry, along, hole in self._holes:
            off = spots - entry
            past = np.clip(off @ along, 0.0, hole.wall_mm)
            if np.linalg.norm(off - past[:, None] * along, axis=1).min() < hole.radius_mm + 0.5 * THICK_MM + CLEAR_MM:
                return False
        return True

    def plate(self, head: Points, foot: Points) -> Manifold:
        """The gusset between a spot and its foot: an upright outline, as thick as gussets are."""
        level = head[:2] - foot[:2]
        reach = float(np.hypot(*level))
        side = level / reach if reach > LEAST_ROOM_MM else np.array([1.0, 0.0])
        outline = self._outline(head, foot, reach, side) if reach > LEAST_ROOM_MM else _post(head, foot)
        flat = Manifold.extrude(CrossSection([outline]), THICK_MM).translate((0.0, 0.0, -0.5 * THICK_MM))
        # the outline's axes are along `side` and upright
        axes = np.array([[side[0], 0.0, side[1], foot[0]], [side[1], 0.0, -side[0], foot[1]], [0.0, 1.0, 0.0, 0.0]])
        return flat.transform(axes)

    def _outline(self, head: Points, foot: Points, reach: float, side: Points) -> Points:
        """Corners of an upright gusset, (n, 2): from its foot outward, and height; counter-clockwise."""
        rise = (head[2] - foot[2]) / reach
        along = np.linspace(0, reach, 2 + int(reach / PROFILE_MM))
        edge = np.column_stack((foot[:2] + along[:, None] * side, foot[2] + along * rise))
        room = self._first_hit(edge + LEAST_ROOM_MM * UPWARD, UPWARD)
        top = edge[:, 2] + np.where(np.isfinite(room), room, 0.0) + INTO_CEILING_MM
        top[-1] = head[2] + INTO_CEILING_MM  # there lies the bump
        top[0] = top[1]  # and here the wall, or a floor, on which it then stands as broad as it goes into it
        beyond = 0.5 * THICK_MM
        lower = [(-INTO_WALL_MM, foot[2] - INTO_WALL_MM * rise), (reach + beyond, foot[2] + (reach + beyond) * rise)]
        last = max(top[-1], lower[1][1] + INTO_CEILING_MM)
        upper = [(reach + beyond, last), *zip(along[::-1], top[::-1], strict=True), (-INTO_WALL_MM, top[0])]
        return np.array(lower + upper)


def _post(head: Points, foot: Points) -> Points:
    """Corners of a gusset that stands straight under its spot, (n, 2)."""
    half, low, high = 0.5 * THICK_MM, foot[2] - INTO_WALL_MM, head[2] + INTO_CEILING_MM
    return np.array([(-half, low), (half, low), (half, high), (-half, high)])


def _downward() -> Points:
    """Ways down and outward from a spot, (n, 3): straight, and leaning all round."""
    turn = 2 * np.pi * np.arange(WAYS) / WAYS
    leaning = [
        np.stack([np.sin(a) * np.cos(turn), np.sin(a) * np.sin(turn), np.full(WAYS, -np.cos(a))], axis=1)
        for a in np.radians(LEANS_DEG)
    ]
    return np.concatenate([*leaning, -UPWARD[None]])


DOWNWARD = _downward()
