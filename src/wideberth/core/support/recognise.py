"""Supports that a model already comes with: told from the part by their sections, fused with it or not.

From the plate upward: what is slender and stands on the base, or on what is slender itself, is a support, up to where it runs
into something bulky. A contact is the thinnest section just before that.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.layers import Sections, cast, grid_over, sections
from wideberth.core.model import Closest, Mesh, open_loops
from wideberth.core.progress import Progress, quiet
from wideberth.core.support.found_base import FoundBase
from wideberth.core.support.graph import BaseKind, Supports, started
from wideberth.core.support.need import Need, NeedKind
from wideberth.core.support.route import Route
from wideberth.core.support.slender import EVEN, LAYER_MM, LONGEST_CONE_MM, PITCH_MM, SHORTEST_MM, Carried, carried, down, lower
from wideberth.core.support.standing import feet_of, with_outriggers

HIGHEST_BASE_MM = 5.0
LEAST_DROP = 0.6
"""A base ends where the area falls to less than that share from one layer to the next."""
NECK_MM = 6.0
"""A contact is looked for so far below where a support runs into the part."""
SLIVER_MM2, SLIVER = 0.01, 0.5
"""Less than any contact, or than so much of the section below: the last of a limb's rim, or of the part's edge, beside it."""
TAPERS = 1.25
"""A support is at least so many times as thick, by area, below its contact; a part's own leg is not."""
WIDENS = 1.6
"""Below a contact the taper has this many times its area; then no thinner section is looked for."""
ALIKE, ALIKE_FROM_MM = 1.25, 0.5
"""The uppermost section is the contact if one so far below it is hardly thinner: a thick tip is no wider than its bent limb."""
CONE_FROM_MM, LEAST_CONE, LEAST_FREE = 0.1, 6, 2
"""A taper is told by so many sections at least, a little under its contact; or by so few, from its contact on, where another limb
begins before that."""
BENT_MM, BENT = 0.02, 2
"""A taper ends where so many sections in a row lie, or are as wide, by more than that off the lines through those before."""
WIDENED_AT_ONCE, JUMP_MM = 1.3, 0.15
"""No taper is so many times as wide one tenth of a millimetre below its contact, nor so far off, or so much wider, from one
section to the next: another limb begins there."""
MOST_RISE_MM, BELOW_MM, BESIDE_MM = 0.8, 0.5, 0.5
RIM_MM, LEAST_RIM = 0.2, 4
"""The rim of a hole lies so far outside a tip at most; fewer points than that tell nothing."""
SHAFT, SHAFT_MM = 3, 0.004
"""So many sections as wide as the contact, so nearly: what a tip reaches into the part shows there, and no taper is drawn on."""
LARGEST_FOOT_MM2, PLUMB_MM = 1.5, 0.1
"""A foot on the part, and how plumb the lower half of a post over one is."""
CRUMB_SHARE = 0.02
JUST_INSIDE_MM, LONG_MM, FROM_FOOT, WITHIN_MM = 0.01, 0.3, 0.2, 0.2
"""Faces are judged by places just inside them: their middles, and of tall ones a spot near the foot, which has to lie in a
support's section, or so near to it as rows and layers tell."""
STRETCH_MM2, STRETCH_SHARE = 40.0, 0.25
"""Of a shell that is a support no more is left in one piece, where a tip reaches into the part, or a post runs along it."""
LEAST_TIPS = 3
"""Fewer are more likely a part's own legs."""

Components = NDArray[np.int64]
Spots = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Found:
    """Supports that a mesh came with. part : the mesh without them, its contacts still open. supports : around the part's own
    place on the plate. gap_mm : lowest point of the part above the plate. base_mm : height of the base."""

    part: Mesh
    supports: Supports
    gap_mm: float
    base_mm: float

    @property
    def words(self) -> str:
        """What was found: `34 tips of 0.30 to 0.55 mm on 28 posts, over a base of 0.8 mm`."""
        sizes = [c.diameter_mm for c in self.supports.contacts]
        beside = 0 if self.supports.base is BaseKind.SLAB else len(self.supports.outriggers)
        pads = f" with {beside} pad{'s' if beside > 1 else ''} beside them" if beside else ""
        base = f", over a base of {self.base_mm:.1f} mm{pads}" if self.base_mm > 0 else ""
        return f"{len(sizes)} tips of {min(sizes):.2f} to {max(sizes):.2f} mm on {len(self.supports.posts)} posts{base}"


def recognised(mesh: Mesh, settings: SupportSettings, progress: Progress | None = None) -> Found | None:
    """The supports in a mesh that stands as it is to be printed; None when it comes with none.

    Parameters
    ----------
    mesh : with the plate at its lowest point, in mm. settings : what is usual, for what sections do not tell.

    Raises
    ------
    Cancelled : when the progress is cancelled.
    """
    progress = progress or quiet()
    set_down = mesh.moved(np.array([0.0, 0.0, -float(mesh.low[2])]))
    progress.at(0.1, "looking at its sections")
    of = sections(cast(set_down.points, set_down.faces, grid_over(set_down.low, set_down.high, PITCH_MM, LAYER_MM)))
    base_layers = _base_layers(of)
    progress.at(0.5, "telling supports from the part")
    told = carried(of, base_layers)
    ends = _ends(of, told, told.standing, base_layers)
    if len(ends) < LEAST_TIPS:
        return None
    ends += _on_part(of, told, base_layers)
    support = told.standing.copy()
    for end in ends:
        support[end.way] = True
    for end in ends:
        support[end.beyond] = False
    support[of.layer < base_layers] = True
    progress.at(0.7, "taking the part out")
    part = _without(set_down, of, support, base_layers)
    if part is None:
        return None
    middle = 0.5 * (part.low + part.high)
    shift = np.array([-middle[0], -middle[1], 0.0])
    placed = part.moved(shift)
    surface, rims = Closest(placed), Rims.of(placed)
    supports = started(None, settings)
    taken: dict[int, tuple[str, Components]] = {}
    for end in ends:
        route, size = _route(of, end, taken, surface, rims, shift)
        supports = supports.with_route(route, size, Need(NeedKind.BY_HAND), _post_mm(of, end))
        if not route.shared:
            taken[int(end.way[-1])] = (supports.posts[-1].id, end.way)
    if base_layers:
        base, feet = FoundBase.of(of.runs, max(0, base_layers - 2)), feet_of(supports) - shift[:2]
        kind = base.kind(settings.pad_mm)
        beside = base.corners_of_slab(settings.pad_mm) if kind is BaseKind.SLAB else base.pads_beside(feet)
        supports = replace(with_outriggers(supports, beside + shift[:2]), base=kind)
    return Found(placed, supports, float(part.low[2]), base_layers * LAYER_MM)


def _base_layers(of: Sections) -> int:
    """How many layers the base has: up to the steepest fall of the area near the plate; 0 without one."""
    area = of.per_layer(of.area_mm2)[: int(HIGHEST_BASE_MM / LAYER_MM) + 1]
    if len(area) < 2:
        return 0
    falls = area[1:] / np.maximum(area[:-1], 1e-9)
    least = int(falls.argmin())
    return least + 1 if falls[least] < LEAST_DROP else 0


@dataclass(frozen=True, eq=False)
class _End:
    """Where a support runs into the part. contact : component of the contact. way : components from it down to its foot. beyond :
    those above it, and under its foot, that looked like a support and are the part's. on_plate : or else its foot is on the
    part."""

    contact: int
    way: Components
    beyond: Components
    on_plate: bool = True


def _ends(of: Sections, told: Carried, standing: NDArray[np.bool_], base_layers: int) -> list[_End]:
    """The contact of every support of those that are `standing`, on the plate or on the part, in the order of their heights."""
    above = np.argsort(of.lower, kind="stable")
    above_first = np.searchsorted(of.lower[above], np.arange(of.count + 1))
    found: dict[int, _End] = {}
    goes_on = set(told.under.values())
    for c in np.flatnonzero(standing):
        over = of.upper[above[above_first[c] : above_first[c + 1]]]
        if len(over) == 0 or standing[over].all() or int(c) in goes_on:
            continue
        for contact, beyond in [(int(c), [])] if int(c) in told.contacts else _narrowest(of, told, standing, int(c)):
            way = down(of, contact, standing, told)
            wide = float(of.area_mm2[way[(of.layer[contact] - of.layer[way]) * LAYER_MM <= NECK_MM]].max())
            tapers = wide >= TAPERS * of.area_mm2[contact]
            if tapers and (of.layer[contact] - base_layers) * LAYER_MM >= SHORTEST_MM and contact not in found:
                found[contact] = _End(contact, way, np.array(beyond, np.int64))
    # what is on the way of another grazes the part, and goes on
    on_the_way = {int(c) for end in found.values() for c in end.way[1:]}
    return [found[c] for c in sorted(found) if c not in on_the_way]


def _on_part(of: Sections, told: Carried, base_layers: int) -> list[_End]:
    """The contacts of supports that stand on the part: plumb posts of one thickness, thinner where they begin and end."""
    found = []
    for end in _ends(of, told, told.footed, base_layers):
        area = of.area_mm2[end.way]
        low = (of.layer[end.way] - of.layer[end.way[-1]]) * LAYER_MM
        foot = len(area) - 1 - int(area[::-1][: np.count_nonzero(low <= NECK_MM)].argmin())
        way = end.way[: foot + 1]
        if len(way) * LAYER_MM < SHORTEST_MM or area[foot] > LARGEST_FOOT_MM2:
            continue
        post = way[area[: foot + 1] >= EVEN * np.median(area[: foot + 1])]
        thick, x, y = of.area_mm2[post], of.x_mm[post], of.y_mm[post]
        lower = slice(len(post) // 2, None)
        plumb = max(np.ptp(x[lower]), np.ptp(y[lower])) <= PLUMB_MM
        even = thick[lower].max() <= thick[lower].min() / EVEN
        if plumb and even and thick[lower].min() >= TAPERS * area[foot]:
            found.append(_End(end.contact, way, np.concatenate((end.beyond, end.way[foot + 1 :])), False))
    return found


def _narrowest(of: Sections, told: Carried, standing: NDArray[np.bool_], start: int) -> list[tuple[int, list[int]]]:
    """The thinnest section at or below where supports meet the part, and those above it; of each, where several meet there."""
    found, open_ways = [], [[start]]
    while open_ways:
        way = open_ways.pop()
        while True:
            c = way[-1]
            below = lower(of, c, standing, told)
            if c == start and below and of.area_mm2[c] < SLIVER_MM2:
                way = [below[0]]
                continue
            thinnest = int(of.area_mm2[way].argmin())
            widened = of.area_mm2[c] >= WIDENS * of.area_mm2[way[thinnest]]
            if widened or not below or (of.layer[start] - of.layer[c]) * LAYER_MM > NECK_MM:
                drop_mm = (of.layer[start] - of.layer[way[thinnest]]) * LAYER_MM
                if drop_mm >= ALIKE_FROM_MM and of.area_mm2[start] <= ALIKE * of.area_mm2[way[thinnest]]:
                    thinnest = 0
                elif thinnest + 1 < len(way) and of.area_mm2[way[thinnest]] < SLIVER * of.area_mm2[way[thinnest + 1]]:
                    thinnest += 1
                found.append((way[thinnest], way[:thinnest]))
                break
            open_ways += [[*way, b] for b in below[1:]]
            way.append(below[0])
    return found


def _post_mm(of: Sections, end: _End) -> float:
    """Diameter of the post on the way down: of its usual section."""
    return round(float(np.sqrt(4 * np.median(of.area_mm2[end.way[len(end.way) // 2 :]]) / np.pi)), 2)


def _route(
    of: Sections, end: _End, taken: dict[int, tuple[str, Components]], surface: Closest, rims: Rims, shift: Spots
) -> tuple[Route, float]:
    """How a support that was found is carried, around the part's own place, and the diameter of its contact.

    Notes
    -----
    Below the contact the taper widens evenly: its diameter, across the lean, is a straight line that is drawn on to where the
    axis meets the face. A slanting face meets a tip's rim before its axis, so the last free section lies a little too low.
    """
    way = end.way
    x, y, z = of.x_mm[way] + shift[0], of.y_mm[way] + shift[1], (of.layer[way] + 0.5) * LAYER_MM
    down = z[0] - z
    spot = np.array([x[0], y[0], z[0] + 0.5 * LAYER_MM])
    wide = np.sqrt(4 * of.area_mm2[way] / np.pi)
    size, joint = float(wide[0]), spot.copy()
    cone = _straight(np.column_stack((x, y, wide)), down)
    if len(cone):
        (dx, x0), (dy, y0) = (np.polyfit(down[cone], v[cone], 1) for v in (x, y))
        axis = np.array([-dx, -dy, 1.0])
        upright = 1 / float(np.linalg.norm(axis))
        widens, size = np.polyfit(down[cone], wide[cone] * np.sqrt(upright), 1)
        spot = np.array([x0, y0, spot[2]])
        rise = _rise(spot, axis, 0.5 * size + RIM_MM, surface, rims)
        shaft = len(wide) >= SHAFT and np.ptp(wide[:SHAFT]) <= SHAFT_MM
        size = float(wide[0] if shaft else max(size - max(widens, 0.0) * max(rise, 0.0), 0.1))
        spot = spot + rise * axis
        last = min(int(cone[-1]) + 1, len(way) - 1)
        joint = np.array([x[last], y[last], z[last]])
    elif len(way) > 1:
        joint = np.array([x[1], y[1], z[1]])
    foot = int(way[-1])
    if foot in taken:
        post, trunk = taken[foot]
        met = [n for n, c in enumerate(way) if c in set(trunk.tolist())]
        at = met[0] if met else len(way) - 1
        top = np.array([x[at], y[at], min(z[at], joint[2])])
        return Route(_at(spot), _at(joint), _at(top), _at([top[0], top[1], 0.0]), end.on_plate, post, True), size
    over_foot = np.flatnonzero(np.hypot(x - x[-1], y - y[-1]) < 0.25)
    at = int(over_foot[0])
    top = np.array([x[-1], y[-1], min(z[at], joint[2])])
    if np.hypot(*(joint - top)[:2]) < 0.25:
        top = joint
    ground = 0.0 if end.on_plate else rims.ground(np.array([x[-1], y[-1], z[-1] - 0.5 * LAYER_MM]))
    return Route(_at(spot), _at(joint), _at(top), _at([top[0], top[1], ground]), end.on_plate), size


def _straight(values: Spots, down: NDArray[np.float64]) -> NDArray[np.int64]:
    """The sections of a taper, from its contact down to where it bends or another limb begins: their numbers; none where that is
    at once.

    Parameters
    ----------
    values : (sections, 3), where and how wide each is. down : (sections,) how far under the contact [mm].
    """
    jumps = np.append(np.abs(np.diff(values, axis=0)).max(axis=1, initial=0.0) > JUMP_MM, True)
    free = int(jumps.argmax()) + 1
    near = np.flatnonzero((down[:free] >= CONE_FROM_MM) & (down[:free] <= LONGEST_CONE_MM))
    if len(near) < LEAST_CONE:  # all that is free of the limb that begins there
        return np.arange(free if free >= LEAST_FREE else 0)
    if values[near[0], 2] > WIDENED_AT_ONCE * values[0, 2]:
        return near[:0]
    off = 0
    for n in range(LEAST_CONE, len(near)):
        own = near[: n - off]
        lines = np.polyfit(down[own], values[own], 1)
        apart = np.abs(values[near[n]] - (lines[0] * down[near[n]] + lines[1])).max()
        off = off + 1 if apart > BENT_MM else 0
        if off == BENT:
            return near[: n + 1 - BENT]
    return near


@dataclass(frozen=True, eq=False)
class Rims:
    """Of the holes that supports left in a part's surface. middles : (holes, 3). points : (n, 3) on all of them."""

    middles: Spots
    points: Spots

    @classmethod
    def of(cls, part: Mesh) -> Rims:
        loops = [part.points[loop] for loop in open_loops(part.topology)]
        none = np.empty((0, 3))
        return cls(np.array([loop.mean(axis=0) for loop in loops]).reshape(-1, 3), np.concatenate([none, *loops]))

    def ground(self, foot: Spots) -> float:
        """Height of a foot (3,) on the part: of the hole that it left, where there is one."""
        away = np.linalg.norm(self.middles - foot, axis=1)
        return float(self.middles[away.argmin(), 2] if away.min(initial=np.inf) <= BESIDE_MM else foot[2])

    def rise(self, spot: Spots, axis: Spots, reach_mm: float) -> float | None:
        """How much higher [mm] than a spot on its axis (3,), upright share 1, a hole lies; where several have run into one,
        what of its rim is within reach of the axis, taken as level across it. None where there is none."""
        up, beside, _ = _along(self.middles, spot, axis)
        near = np.flatnonzero((np.abs(up) <= MOST_RISE_MM) & (beside <= BESIDE_MM))
        if len(near):
            return float(up[near[beside[near].argmin()]])
        up, beside, off = _along(self.points, spot, axis)
        near = np.flatnonzero((np.abs(up) <= MOST_RISE_MM) & (beside <= reach_mm))
        if len(near) < LEAST_RIM:
            return None
        rise = float(np.linalg.lstsq(np.column_stack((np.ones(len(near)), off[near])), up[near])[0][0])
        return rise if abs(rise) <= MOST_RISE_MM else None


def _along(points: Spots, spot: Spots, axis: Spots) -> tuple[NDArray[np.float64], NDArray[np.float64], Spots]:
    """How far up an axis of upright share 1 points (n, 3) lie, and how far off it, in all (n,) and as it is (n, 3)."""
    up = (points - spot) @ axis / (axis @ axis)
    off = points - spot - up[:, None] * axis
    return up, np.linalg.norm(off, axis=1), off


def _rise(spot: Spots, axis: Spots, reach_mm: float, surface: Closest, rims: Rims) -> float:
    """How much higher [mm] than a spot on its axis (3,), upright share 1, a tip meets the part: at the hole that it left, else at
    the surface."""
    if (at_rim := rims.rise(spot, axis, reach_mm)) is not None:
        return at_rim
    length = float(np.linalg.norm(axis))
    start = spot - BELOW_MM * axis
    hit = float(surface.first_hit(start[None], axis[None] / length, 1e-6)[0]) / length - BELOW_MM
    return hit if abs(hit) <= MOST_RISE_MM else 0.0


def _at(point: NDArray[np.float64] | list[float]) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in point)
    return x, y, z


def _without(mesh: Mesh, of: Sections, support: NDArray[np.bool_], base_layers: int) -> Mesh | None:
    """The mesh less the faces of its supports: whole shells where most of one is a support, else face by face. A long face that
    reaches down from a contact goes too: it would stay as a spike."""
    corners = mesh.corners
    middle = corners.mean(axis=1)
    gone = _is_support(middle - JUST_INSIDE_MM * mesh.normals, of, support, base_layers)
    long = np.flatnonzero(~gone & (np.ptp(corners[:, :, 2], axis=1) > LONG_MM))
    lowest = corners[long, corners[long, :, 2].argmin(axis=1)]
    foot = lowest + FROM_FOOT * (middle[long] - lowest) - JUST_INSIDE_MM * mesh.normals[long]
    gone[long] = _is_support(foot, of, support, base_layers, WITHIN_MM)
    shell, count = mesh.topology.shells
    if count > 1:
        area = mesh.face_area_mm2
        of_shell, all_of = np.bincount(shell, area * gone, count), np.bincount(shell, area, count)
        small = _largest_left_mm2(mesh, gone) <= np.minimum(STRETCH_MM2, STRETCH_SHARE * all_of)
        alone = (of_shell > 0.5 * all_of) & small
        mixed = (of_shell > 0.02 * all_of) & ~alone
        gone = np.where(mixed[shell], gone, alone[shell])
    if gone.all():
        return None
    return _less_crumbs(mesh.only(~gone))


def _largest_left_mm2(mesh: Mesh, gone: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Of each shell (shells,), the area of the largest piece that is left of it without some faces."""
    shell, count = mesh.topology.shells
    largest = np.zeros(count)
    if not gone.all():
        left = mesh.only(~gone)
        piece, pieces = left.topology.shells
        np.maximum.at(largest, shell[~gone], np.bincount(piece, left.face_area_mm2, pieces)[piece])
    return largest


def _is_support(
    points: Spots, of: Sections, support: NDArray[np.bool_], base_layers: int, within_mm: float = np.inf
) -> NDArray[np.bool_]:
    """Whether the section nearest to each point (n, 3), along x, is a support's or the base's, and nearer than so much."""
    grid = of.runs.grid
    layer = np.clip(np.asarray(grid.layer_of(points[:, 2])).astype(np.int64), 0, grid.layers - 1)
    row = np.clip(np.asarray(grid.row_of(points[:, 1])).astype(np.int64), 0, grid.rows - 1)
    ray = layer * grid.rows + row
    before = of.runs.at(ray, points[:, 0])
    after = np.minimum(np.where(before >= 0, before + 1, of.runs.offsets[ray]), len(of.runs.x0) - 1)
    of_ray = of.runs.row_index()
    past = np.where(before >= 0, points[:, 0] - of.runs.x1[before], np.inf)
    short = np.where(of_ray[after] == ray, of.runs.x0[after] - points[:, 0], np.inf)
    near = np.where(past <= short, before, after)
    return (np.minimum(past, short) < within_mm) & support[of.label[near]] | (layer < base_layers)


def _less_crumbs(part: Mesh) -> Mesh:
    """Less the small bits of supports, cut off all round, that were left between others."""
    topology = part.topology
    shell, count = topology.shells
    area = np.bincount(shell, part.face_area_mm2, count)
    cut = np.zeros(count, bool)
    cut[shell[(topology.uses == 1)[topology.edge_of].any(axis=1)]] = True
    return part.only(~(cut & (area < CRUMB_SHARE * area.max()))[shell])
