"""Finding a way from a spot to the plate: the tapered end, a twig if need be, and a post that passes clear of the part."""

from __future__ import annotations

import itertools
from copy import copy
from dataclasses import replace
from functools import cache, cached_property

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.layers import Grid, Runs, cast
from wideberth.core.model import Closest, Mesh
from wideberth.core.support._kernels import along as kernels
from wideberth.core.support._kernels.swell import swell
from wideberth.core.support.graph import TWIG_SHARE, Post, Supports
from wideberth.core.support.route import Point, Route, TopsOnPlate

CLEAR_MM = 0.4
TWIG_CLEAR_MM = 0.15
LEAVE_MM = 0.6
DIRECTIONS = 16
REACH_MM = 14.0
TWIG_REACH_MM = 4.5
LEAST_POST_MM = 1.0
SHORTEST_CONE_MM = 0.5
BESIDE, BESIDE_MM = 16, (0.6, 1.2)
"""Spots round one that no way leads from, and how far they are."""
LOOK_MM, LEAST_CLEAR_MM, SQUEEZE_MM = 0.25, 0.12, 0.03
"""Rods are looked at so closely along, and keep off the surface by so much: nearer, both may print as one. Where no way does,
they may come closer; so may the bends of a twig that leads round the part, and what is moved by hand."""
LEAST_BEND_DEG = 44.0
"""A way that bends goes aside by a node for each that it goes down."""
WAYS_ROUND = 6
"""So many ways round the part are looked at exactly, the shortest first."""
NEARLY = 1.01
STANDS_ON = 0.5
"""Height of a face's unit normal from which a post may stand on it."""


class Clearance:
    """What of the plate's room a part takes, on a coarse lattice of nodes, swollen by a post's and a twig's radius."""

    def __init__(self, mesh: Mesh, settings: SupportSettings) -> None:
        margin = REACH_MM + 2
        self.origin = np.array([mesh.low[0] - margin, mesh.low[1] - margin, 0.0])
        top = np.array([mesh.high[0] + margin, mesh.high[1] + margin, mesh.high[2]])
        self.step = float(max(0.4, ((top - self.origin).prod() / 8e6) ** (1 / 3)))
        nx, ny, nz = (np.ceil((top - self.origin) / self.step).astype(int) + 1).tolist()
        grid = Grid(self.step, ny, self.step, nz, row_shift=float(self.origin[1]) / self.step)
        self._runs = cast(mesh.points, mesh.faces, grid)
        self.shape = (nz, ny, nx)
        self._usual_mm, stoutest_mm = 0.5 * settings.post_mm, 0.5 * max(settings.post_mm, settings.stoutest_post_mm)
        self._give_posts(stoutest_mm, max(self._usual_mm + CLEAR_MM, stoutest_mm + LEAST_CLEAR_MM))
        self.near = self._swollen(self._runs, 0.5 * TWIG_SHARE * settings.post_mm + TWIG_CLEAR_MM)
        self.twig_radius_mm = 0.5 * TWIG_SHARE * settings.post_mm
        self._mesh = mesh

    def _give_posts(self, radius_mm: float, free_mm: float) -> None:
        """Where posts of a radius have room: the lattice keeps what is so near to the part free of them, the surface tells the
        rest."""
        self._post_radius_mm = radius_mm
        self.swollen = self._swollen(self._runs, free_mm, leaning=False)
        self.lowest = np.where(self.swollen.any(axis=0), self.swollen.argmax(axis=0), self.shape[0] + 1) * self.step
        self._close = self._swollen(self._runs, radius_mm + 2 * self.step)

    @cached_property
    def narrow(self) -> Clearance:
        """The same, surface and all, for posts that get no stouter than usual: that alone tells how far they keep off."""
        _ = self.surface
        made = copy(self)
        made._give_posts(self._usual_mm, 0.0)
        return made

    def of_post(self, post: Post) -> Clearance:
        """What one post that stands already has room in."""
        return self.narrow if post.narrow else self

    def _swollen(self, runs: Runs, radius_mm: float, leaning: bool = True) -> NDArray[np.bool_]:
        """Nodes (z, y, x) within a radius of the solid's runs: beside them on their level, and above and below them for what
        leans.

        Each run is widened on the rows and levels about it by what the ball leaves there.
        """
        reach = radius_mm / self.step
        beside = np.arange(-int(reach), int(reach) + 1)
        up, aside = (d.ravel() for d in np.meshgrid(beside if leaning else np.zeros(1, int), beside, indexing="ij"))
        wide2 = reach**2 - up**2 - aside**2
        within = wide2 >= 0
        level, row = np.divmod(runs.row_index(), self.shape[1])
        x0, x1 = ((x - self.origin[0]) / self.step for x in (runs.x0, runs.x1))
        taken = np.zeros(self.shape, np.bool_)
        swell(level, row, x0, x1, up[within], aside[within], np.sqrt(wide2[within]), taken)
        return taken

    def _cell(self, x_mm: float, y_mm: float) -> tuple[int, int] | None:
        i = round((x_mm - self.origin[0]) / self.step)
        j = round((y_mm - self.origin[1]) / self.step)
        return (j, i) if 0 <= j < self.shape[1] and 0 <= i < self.shape[2] else None

    def cell(self, point_mm: NDArray[np.float64]) -> tuple[int, int, int] | None:
        """Level, row and column of the node next to a point, (3,); None outside."""
        beside = self._cell(point_mm[0], point_mm[1])
        k = int(point_mm[2] / self.step)
        return (k, *beside) if beside is not None and 0 <= k < self.shape[0] else None

    def at(self, k: int, j: int, i: int) -> NDArray[np.float64]:
        """Where a node lies, (3,) [mm]."""
        return np.array([self.origin[0] + i * self.step, self.origin[1] + j * self.step, k * self.step])

    def column_is_clear(self, x_mm: float, y_mm: float, top_mm: float) -> bool:
        """Whether a post from the plate to a height touches nothing of the part."""
        cell = self._cell(x_mm, y_mm)
        return cell is None or bool(self.lowest[cell] > top_mm)

    def line_is_clear(self, start: NDArray[np.float64], end: NDArray[np.float64]) -> bool:
        """Whether a twig between two points touches nothing of the part, but for where it leaves the tip."""
        return bool(kernels.is_free(self.near, self.origin, self.step, start, end, LEAVE_MM, 0.7 * self.step))

    @cached_property
    def surface(self) -> Closest:
        """The part's own surface, exactly."""
        return Closest(self._mesh)

    def is_clear_of_surface(
        self, start: NDArray[np.float64], end: NDArray[np.float64], radius_mm: float, least_mm: float = LEAST_CLEAR_MM
    ) -> bool:
        """Whether a rod between two points keeps off the surface itself, exactly, but for its first stretch.

        What passes deep inside the part is told by the lattice alone.
        """
        close = kernels.beside_taken(self._close, self.origin, self.step, start, end, LEAVE_MM, LOOK_MM)
        return not self.surface.is_near(close, np.full(len(close), radius_mm + least_mm))

    def beside(
        self, point: NDArray[np.float64], far_mm: tuple[float, float] = BESIDE_MM
    ) -> list[tuple[NDArray[np.float64], NDArray[np.float64]]]:
        """Spots of the surface round a point (3,), so far from it, the nearest first, with their normals, where it looks down."""
        turns = np.pi * np.arange(BESIDE) / 4
        step = np.stack([np.cos(turns), np.sin(turns), np.zeros(BESIDE)], axis=1) * np.repeat(far_mm, 8)[:, None]
        _, faces, spots = self.surface.nearest(point + step)
        normals = self._mesh.normals[faces]
        return [(spot, normal) for spot, normal in zip(spots, normals, strict=True) if normal[2] < 0]

    def taper_is_clear(self, spot: NDArray[np.float64], joint: NDArray[np.float64], tip_mm: float) -> bool:
        """Whether a tip's tapered end keeps off the surface, but for where it leaves it."""
        length = float(np.linalg.norm(joint - spot))
        if length <= LEAVE_MM:
            return True
        along = np.append(np.arange(LEAVE_MM, length, LOOK_MM), length)
        wide = 0.5 * tip_mm + (self.twig_radius_mm - 0.5 * tip_mm) * along / length
        return not self.surface.is_near(spot + along[:, None] / length * (joint - spot), wide)

    def twig_is_clear(self, start: NDArray[np.float64], end: NDArray[np.float64], least_mm: float = LEAST_CLEAR_MM) -> bool:
        """Whether a twig or a diagonal between two points passes clear of the part."""
        return self.line_is_clear(start, end) and self.is_clear_of_surface(start, end, self.twig_radius_mm, least_mm)

    def post_is_clear(self, x_mm: float, y_mm: float, top_mm: float, least_mm: float = LEAST_CLEAR_MM) -> bool:
        """Whether a post from the plate to a height passes clear of the part."""
        top, foot = np.array([x_mm, y_mm, top_mm]), np.array([x_mm, y_mm, 0.0])
        return self.column_is_clear(x_mm, y_mm, top_mm) and self.is_clear_of_surface(top, foot, self._post_radius_mm, least_mm)

    def stands_clear(self, foot: NDArray[np.float64], top: NDArray[np.float64], settings: SupportSettings) -> bool:
        """Whether a post on the part keeps off its sides, above the cone in which it ends on its foot."""
        above = foot + [0, 0, min(settings.cone_mm, 0.5 * (top[2] - foot[2]))]
        return self.is_clear_of_surface(above, top, 0.5 * settings.post_mm)

    def floor_under(self, x_mm: float, y_mm: float, z_mm: float) -> float | None:
        """Height of the part's surface straight below a point; None when only the plate is there, or what is too steep to stand
        on."""
        point = np.array([[x_mm, y_mm, z_mm]])
        fall = float(self.surface.first_hit(point, np.array([[0.0, 0.0, -1.0]]), 1e-6)[0])
        if not np.isfinite(fall):
            return None
        face = int(self.surface.nearest(point - [0.0, 0.0, fall])[1][0])
        return z_mm - fall if self._mesh.normals[face][2] >= STANDS_ON else None


def find_route(
    spot: NDArray[np.float64], normal: NDArray[np.float64], room: Clearance, settings: SupportSettings, supports: Supports
) -> Route | None:
    """A way to carry one spot, or None when none leads there.

    In order: a twig to a near post, a post straight down, a post beside with a twig leaning no more than allowed; each
    first along the surface's normal, then straight down, then with a shorter taper. Then a twig that bends round the part. Then
    both once more, nearer to the part; and with a post that has no room to get stouter. Last, a post on the part itself.

    Parameters
    ----------
    spot, normal : (3,) on the surface, and outward. supports : those that stand already; their posts on the plate may be shared.
    """
    usual = min(settings.cone_mm, max(SHORTEST_CONE_MM, 0.6 * (spot[2] - supports.base_mm(settings))))
    leans = [_lean(normal, settings.steepest_twig_deg), np.array([0.0, 0.0, -1.0])]
    tries = [(usual, lean) for lean in leans] + [(max(SHORTEST_CONE_MM, 0.5 * usual), lean) for lean in leans]
    tops, least_top = supports.tops_on_plate, supports.base_mm(settings) + LEAST_POST_MM
    ends = [spot + cone * towards for cone, towards in tries]
    tapers = cache(lambda n: room.taper_is_clear(spot, ends[n], settings.tip_mm))  # the first mostly does
    for least, narrow in ((LEAST_CLEAR_MM, False), (SQUEEZE_MM, False), (LEAST_CLEAR_MM, True)):
        joints = [end for n, end in enumerate(ends) if (end[2] >= least_top or not narrow) and tapers(n)]
        where = room.narrow if narrow and joints else room
        ways = (_to_plate(spot, joint, where, settings, tops, least_top, least) for joint in joints)
        round_it = (_round_the_part(spot, joint, where, settings, least_top, least) for joint in joints)
        route = next((way for way in itertools.chain(ways, round_it) if way is not None), None)
        if route is not None:
            return replace(route, narrow=narrow and not route.shared)
    for cone in (usual, 0.5 * usual, 0.25 * usual):
        joint = spot + [0, 0, -cone]
        floor = room.floor_under(joint[0], joint[1], joint[2] - room.step)
        if floor is None or joint[2] - floor <= 0.8 * cone:
            continue
        foot = np.array([joint[0], joint[1], floor])
        if room.taper_is_clear(spot, joint, settings.tip_mm) and room.stands_clear(foot, joint, settings):
            at = _point(joint)
            return Route(_point(spot), at, at, _point(foot), on_plate=False)
    return None


def with_post_moved(
    supports: Supports, post: str, x_mm: float, y_mm: float, room: Clearance, settings: SupportSettings
) -> Supports | None:
    """Supports with a post on the plate somewhere else: tapered ends stay, twigs lead from them to it, as steep as allowed.

    None when a twig or the post itself would not pass clear of the part, or would end in the base. Diagonals of the post go.
    """
    run, least_top = np.tan(np.radians(settings.steepest_twig_deg)), supports.base_mm(settings) + LEAST_POST_MM
    carried = _carried_by(supports, post)
    for id, route in carried.items():
        joint = np.array(route.joint_mm)
        away = float(np.hypot(joint[0] - x_mm, joint[1] - y_mm))
        top = np.array([x_mm, y_mm, joint[2] - away / run])
        if top[2] < least_top or not (away < room.twig_radius_mm or room.twig_is_clear(joint, top, SQUEEZE_MM)):
            return None
        carried[id] = replace(route, top_mm=_point(top), foot_mm=(x_mm, y_mm, 0.0), bends_mm=())
    if not carried or not room.of_post(supports.post[post]).post_is_clear(x_mm, y_mm, _highest_mm(carried), SQUEEZE_MM):
        return None
    return _posted(supports, post, carried)


def with_joint_at(supports: Supports, contact: str, z_mm: float, room: Clearance, settings: SupportSettings) -> Supports | None:
    """Supports with the joint where a contact's twig meets its post at another height, no higher than it may lean.

    None when there is no twig, it or the post would not pass clear of the part, or the joint would lie in the base. Diagonals of
    the post go.
    """
    route = supports.routes[contact]
    post, joint = route.post, np.array(route.joint_mm)
    away = float(np.hypot(joint[0] - route.top_mm[0], joint[1] - route.top_mm[1]))
    highest = joint[2] - away / np.tan(np.radians(settings.steepest_twig_deg))
    low = (supports.base_mm(settings) if route.on_plate else route.foot_mm[2]) + LEAST_POST_MM
    top = np.array([route.top_mm[0], route.top_mm[1], min(z_mm, highest)])
    if away < room.twig_radius_mm or top[2] < low or not room.twig_is_clear(joint, top, SQUEEZE_MM):
        return None
    carried = _carried_by(supports, post)
    was = _highest_mm(carried)
    carried[contact] = replace(route, top_mm=_point(top), bends_mm=())
    now = _highest_mm(carried)
    if now > was:
        foot, end = np.array(route.foot_mm), np.array([top[0], top[1], now])
        stands = room.of_post(supports.post[route.post])
        if not (stands.post_is_clear(*_point(end), SQUEEZE_MM) if route.on_plate else room.stands_clear(foot, end, settings)):
            return None
    return _posted(supports, post, carried)


def _carried_by(supports: Supports, post: str) -> dict[str, Route]:
    """The route of each contact that a post carries, by its id."""
    return {id: route for id, route in supports.routes.items() if route.post == post}


def _highest_mm(carried: dict[str, Route]) -> float:
    """Height of the highest joint on a post."""
    return max(route.top_mm[2] for route in carried.values())


def _posted(supports: Supports, post: str, carried: dict[str, Route]) -> Supports:
    """Supports with all contacts that a post carries, by id, led along other routes to one post, as stout as it was."""
    stout, new = supports.post[post].diameter_mm, ""
    # the highest makes the post, the others lean on it
    for id, route in sorted(carried.items(), key=lambda item: (-item[1].top_mm[2], item[0])):
        old = supports.contact[id]
        supports = supports.rerouted(id, replace(route, post=new, shared=bool(new)), old.diameter_mm, old.need)
        same = tuple(replace(c, pinned=old.pinned, depth_mm=old.depth_mm) if c.id == id else c for c in supports.contacts)
        supports = replace(supports, contacts=same)
        new = new or supports.routes[id].post
    return supports.stouter({new: stout})


def _point(at: NDArray[np.float64]) -> Point:
    x, y, z = (float(v) for v in at)
    return x, y, z


def _to_plate(
    spot: NDArray[np.float64],
    joint: NDArray[np.float64],
    room: Clearance,
    settings: SupportSettings,
    tops: TopsOnPlate,
    least_top: float,
    least_mm: float,
) -> Route | None:
    """A way from a spot to the plate, by an old post or a new one no lower than `least_top`, that keeps so far off the part; or
    None."""
    run = np.tan(np.radians(settings.steepest_twig_deg))
    shared = tops.near(joint, TWIG_REACH_MM) if joint[2] >= least_top else []
    for post, (x, y, highest), away in shared:
        top = min(highest, float(joint[2]) - away / run)
        end = np.array([x, y, top])
        if top >= least_top and joint[2] - top >= away / run and room.twig_is_clear(joint, end, least_mm):
            return Route(_point(spot), _point(joint), _point(end), (x, y, 0.0), post=post, shared=True)
    if room.post_is_clear(float(joint[0]), float(joint[1]), float(joint[2]), least_mm):
        return Route(_point(spot), _point(joint), _point(joint), (float(joint[0]), float(joint[1]), 0.0))
    for away in np.arange(0.8, REACH_MM, 0.8):
        top = float(joint[2] - away / run)
        if top < least_top:
            break
        for turn in range(DIRECTIONS):
            angle = 2 * np.pi * turn / DIRECTIONS
            x, y = float(joint[0] + away * np.cos(angle)), float(joint[1] + away * np.sin(angle))
            if not room.column_is_clear(x, y, top):
                continue
            if room.twig_is_clear(joint, np.array([x, y, top]), least_mm) and room.post_is_clear(x, y, top, least_mm):
                return Route(_point(spot), _point(joint), (x, y, top), (x, y, 0.0))
    return None


def _round_the_part(
    spot: NDArray[np.float64],
    joint: NDArray[np.float64],
    room: Clearance,
    settings: SupportSettings,
    least_top: float,
    least_mm: float,
) -> Route | None:
    """A twig that bends round the part to a post of its own that keeps so far off it: what can be reached is spread downward,
    level by level, until a column below is clear to the plate."""
    start = room.cell(joint)
    reach = int(REACH_MM / room.step)
    if start is None:
        return None
    k0, j0, i0 = start
    low_j, low_i = max(j0 - reach, 0), max(i0 - reach, 0)
    window = (slice(low_j, j0 + reach + 1), slice(low_i, i0 + reach + 1))
    lowest = room.lowest[window]
    here = np.zeros(lowest.shape, bool)
    here[j0 - low_j, i0 - low_i] = True
    levels, tried = [here], 0
    for k in range(k0 - 1, int(np.ceil(least_top / room.step)), -1):
        leaves = (k0 - k) * room.step < LEAVE_MM
        wider = scipy.ndimage.binary_dilation(levels[-1]) if settings.steepest_twig_deg >= LEAST_BEND_DEG else levels[-1]
        levels.append(wider if leaves else wider & ~room.near[k][window])
        if not levels[-1].any():
            return None
        free = levels[-1] & (lowest > k * room.step)
        jj, ii = np.nonzero(free)
        nearest = np.lexsort((ii, jj, np.hypot(jj - (j0 - low_j), ii - (i0 - low_i))))
        for end in nearest[: WAYS_ROUND - tried]:
            tried += 1
            path = _backward(levels, (int(jj[end]), int(ii[end])))
            points = [room.at(k0 - n, j + low_j, i + low_i) for n, (j, i) in enumerate(path)]
            legs = _straightened([joint, *points[1:]], room, settings)
            x, y, z = _point(legs[-1])
            clear = all(room.is_clear_of_surface(a, b, room.twig_radius_mm, SQUEEZE_MM) for a, b in itertools.pairwise(legs))
            if clear and room.post_is_clear(x, y, z, least_mm):
                bends = tuple(_point(p) for p in legs[1:-1])
                return Route(_point(spot), _point(joint), (x, y, z), (x, y, 0.0), bends_mm=bends)
        if tried == WAYS_ROUND:
            return None
    return None


def _backward(levels: list[NDArray[np.bool_]], end: tuple[int, int]) -> list[tuple[int, int]]:
    """Cells from the first level to the end at the last, one a level, each the same as the one below or beside it."""
    path = [end]
    for level in reversed(levels[:-1]):
        j, i = path[-1]
        ways = [(j, i), (j - 1, i), (j + 1, i), (j, i - 1), (j, i + 1)]
        path.append(next((a, b) for a, b in ways if 0 <= a < level.shape[0] and 0 <= b < level.shape[1] and level[a, b]))
    return path[::-1]


def _straightened(points: list[NDArray[np.float64]], room: Clearance, settings: SupportSettings) -> list[NDArray[np.float64]]:
    """The same way with as few bends as pass clear of the part and lean no more than allowed."""
    kept, at = [points[0]], 0
    most = np.tan(np.radians(settings.steepest_twig_deg)) * NEARLY
    while at < len(points) - 1:
        ahead = at + 1
        for far in range(len(points) - 1, at + 1, -1):
            along = points[far] - points[at]
            if np.hypot(along[0], along[1]) <= -along[2] * most and room.twig_is_clear(points[at], points[far], SQUEEZE_MM):
                ahead = far
                break
        kept.append(points[ahead])
        at = ahead
    return kept


def _lean(normal: NDArray[np.float64], steepest_deg: float) -> NDArray[np.float64]:
    """The way a tip leaves the surface: along its normal, but no further from straight down than allowed."""
    n = np.asarray(normal, float)
    n = n / max(float(np.linalg.norm(n)), 1e-12)
    level = float(np.hypot(n[0], n[1]))
    lean = min(np.degrees(np.arctan2(level, -n[2])), steepest_deg)
    if level < 1e-9 or lean < 1e-6:
        return np.array([0.0, 0.0, -1.0])
    s, c = np.sin(np.radians(lean)), np.cos(np.radians(lean))
    return np.array([n[0] / level * s, n[1] / level * s, -c])
