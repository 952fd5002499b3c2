"""Supports for a posed part: spots, routes, then what the predicted loads ask for, round by round."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cache, partial

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, SupportSettings
from wideberth.core.layers import Printed
from wideberth.core.loads import Finish, Finishing, Loads, Undersides, sag_of, spacing_mm, undersides_of
from wideberth.core.model import SURFACES, Closest, Mesh, nearest_on, stand_in
from wideberth.core.progress import Progress, quiet
from wideberth.core.support.bearing import Trial, least, with_braces
from wideberth.core.support.bracing import limbs_mm3
from wideberth.core.support.graph import Supports, started
from wideberth.core.support.need import Need, NeedKind
from wideberth.core.support.room import ROOM_TRIANGLES, Room, room_of
from wideberth.core.support.route import Point, Route
from wideberth.core.support.routing import Clearance, find_route
from wideberth.core.support.shifting import Pool, fewest
from wideberth.core.support.sizes import contact_depth_mm
from wideberth.core.support.solids import touches
from wideberth.core.support.spots import NO_SPOTS, Spots, side_spots, wanted_spots
from wideberth.core.support.tuning import (
    LEAST_PLATE_MARGIN,
    NEARLY_HOLDS,
    RESIZING_ROUNDS,
    narrowed,
    shared,
    sized_anew,
    sized_for,
    steadied,
    without_idle,
)

ROUNDS = 9
SAG_ROUNDS = 4
COMPANY, COMPANY_REACH, COMPANY_TRIED = 2, 2.5, 8
"""Tips that stand around one that wants company, how far off at most, in usual spacings, and at how many spots they are tried."""
NEAR_SHARE = 0.35
"""Tips stand at least this share of the usual spacing apart."""
REFUSED_MM = 2.0
"""No tip comes nearer to a spot that was refused."""
ALIKE_COS = 0.8
"""A spot that moves aside stays on a face that looks the same way, within some 37°."""
WIDER_ROUNDS = 5
RELIEF = ("busy", "engraved")
LAST_ROUNDS = 2


@dataclass(frozen=True)
class SupportProposal:
    """Proposed supports, spots that none could reach, and how many tips more would have idled."""

    supports: Supports
    unreached: tuple[Point, ...]
    idled: int


def propose_tips(
    outer: Mesh,
    bench: Bench,
    progress: Progress | None = None,
    pinned: Supports | None = None,
    refused_mm: NDArray[np.float64] | None = None,
    finish: Finishing | None = None,
    room: Room | None = None,
) -> SupportProposal:
    """Tips for a part's outer mesh in its pose, around its own place (x = y = 0).

    pinned : supports that stay as they are; others are set around them. refused_mm : (n, 3) spots that no tip comes near to.
    finish : of the mesh's faces, asked for when tips are to be left out; where marks are forbidden only what would begin in
    mid-liquid gets a tip. room : round the mesh, where it is known already.

    Only the outer mesh counts: shell and holes make no difference, so hollowing before or after supporting gives the
    same tips, and none stands in a chamber. Each round predicts the solid part on the tips so far, by the verdict's own
    engine, and answers what it finds: islands get tips, tips get the size that their load asks for, and where even the
    largest does not do, or a piece hangs unsteadily, more tips are set around.
    """
    progress = progress or quiet()
    apart = spacing_mm(bench)
    settings = bench.supports
    progress.at(0.02, "making room")
    around = room or room_of(stand_in(outer, ROOM_TRIANGLES, progress.part(0.02, 0.1)), settings)
    light, clear, trial = around.light, around.clearance, Trial(around.light, bench, progress)
    progress.at(0.1, "looking for spots")
    spots, spare = wanted_spots(light, trial.alone(), settings, apart)
    sides = cache(lambda: _together(spare, side_spots(light, settings, apart)))
    progress.heed()
    supports, barred = (
        started(pinned, settings),
        _Barred.around(pinned, refused_mm, bench, outer, None if finish is None else finish.barred),
    )
    spots, spare = barred.without(spots), barred.without(spare)
    supports, unreached = _with_routes(supports, spots, around, bench, progress.part(0.25, 0.4))
    closed = set(unreached)
    progress.heed()
    under = undersides_of(light, bench.print.layer_height_mm, bench.laws.young_layers)
    known: Loads | None = None
    for number in range(ROUNDS):
        progress.at(0.4 + 0.6 * number / ROUNDS, "asking the loads for more")
        if not supports:  # all that was wanted is barred, but for what begins in mid-liquid
            lone = barred.but_refused(_under_islands(trial.printed(supports), light))
            supports, _ = _with_routes(supports, lone, around, bench, progress)
            if not supports:
                break
            continue
        # pulls hardly depend on tips: they are found anew once all that these bear is answered
        borne = trial.borne(supports) if known is None else shared(supports, known, bench)
        more, anew = _under_islands(trial.printed(supports), light) if known is None else NO_SPOTS, known is None
        supports, overloaded, grown = sized_for(supports, borne, bench, number > 0)
        if overloaded and number < ROUNDS - RESIZING_ROUNDS:
            at = np.array([supports.contacts[n].spot_mm for n in overloaded])
            company = _around(sides(), supports, at, apart)
            if len(company.points) == 0:  # limbs too thin to have any
                company = _around(around.close_to(at, COMPANY_REACH * apart), supports, at, apart)
            more = _together(more, company)
        widens = anew and number < WIDER_ROUNDS and least(borne.plate_margin) < LEAST_PLATE_MARGIN
        if widens:
            more = _together(more, _wider(sides(), supports, apart))
        if number < SAG_ROUNDS:
            more = _together(more, _where_it_sags(light, under, supports, borne, bench))
        before = len(supports.contacts)
        supports, none = _with_routes(supports, barred.without(more), around, bench, progress.part(0.4, 1.0), closed)
        closed |= set(none)
        answered = len(supports.contacts) == before and not grown
        if answered and anew:
            break
        known = None if answered or widens else borne
    supports = steadied(supports, trial, progress)
    whole = None if finish is None else finish.whole()
    pool = _pool(barred.without(_together(spots, spare)), barred.surface, whole, apart)
    many, times_of = len(supports.contacts), partial(_times, surface=barred.surface, finish=whole)
    supports = fewest(supports, trial, under, times_of, pool, clear, progress.part(0.8, 1.0))
    went = many - len(supports.contacts)
    for _ in range(LAST_ROUNDS):
        lone = barred.but_refused(_under_islands(trial.printed(supports), light))
        before = len(supports.contacts)
        supports, _ = _with_routes(supports, lone, around, bench, progress)
        if len(supports.contacts) == before:
            break
        supports, _ = sized_anew(supports, trial)
    needed = without_idle(supports, trial, under, times_of(supports)) if supports else supports
    went += len(supports.contacts) - len(needed.contacts)
    supports = narrowed(steadied(needed, trial, progress.part(1.0, 1.0)), trial)
    supports = _deepened(_braced(supports, trial, clear), barred.surface, whole, bench.supports)
    return SupportProposal(supports, unreached, went)


def _deepened(supports: Supports, surface: Closest, finish: Finish | None, settings: SupportSettings) -> Supports:
    """With contacts as deep as their size and their face ask for; pinned ones stay."""
    if not supports.contacts:
        return supports
    faces = surface.nearest(np.array([c.spot_mm for c in supports.contacts]))[1]
    kinds = np.zeros(len(faces), int) if finish is None else finish.surface[faces]
    deep = {
        c.id: contact_depth_mm(c.diameter_mm, SURFACES[kind] in RELIEF, settings)
        for c, kind in zip(supports.contacts, kinds, strict=True)
    }
    return replace(supports, contacts=tuple(c if c.pinned else replace(c, depth_mm=deep[c.id]) for c in supports.contacts))


def _braced(supports: Supports, trial: Trial, room: Clearance) -> Supports:
    """With diagonals where even the stoutest post would bend aside; or all posts as thin as usual and more diagonals, where that
    takes less resin and holds as well."""
    bench = trial.bench
    stout, held = with_braces(supports, trial, room)
    if all(post.diameter_mm is None for post in supports.posts):
        return stout
    usual = replace(bench, supports=replace(bench.supports, stoutest_post_mm=bench.supports.post_mm))
    as_usual = trial.on_posts_of(usual)
    slim, slim_held = with_braces(supports.stouter({post.id: None for post in supports.posts}), as_usual, room)
    if not slim_held or (held and limbs_mm3(slim, bench.supports) >= limbs_mm3(stout, bench.supports)):
        return stout
    least_hold = min(bench.supports.wanted_margin, least(trial.borne(stout).tip_margin))
    slim, borne = sized_anew(slim, as_usual)
    return slim if least(borne.tip_margin) >= NEARLY_HOLDS * least_hold else stout


@dataclass(frozen=True)
class Want:
    """Company that is wanted. at_mm : (3,) around where. by_mm : up to what height a tip comes in time. lacks : what is wanted
    over what is there with some supports."""

    at_mm: NDArray[np.float64]
    by_mm: float
    lacks: Callable[[Supports], float]


def with_company(
    supports: Supports,
    wants: Sequence[Want],
    room: Room,
    bench: Bench,
    refused_mm: NDArray[np.float64],
    outer: Mesh,
    forbidden: NDArray[np.bool_],
) -> tuple[Supports, list[set[str]]]:
    """Supports with up to two more tips for each want, and which: at the nearest spot with which nothing lacks, or else at that
    with which least does.

    Parameters
    ----------
    refused_mm : (n, 3) spots that none comes near to. outer : the part's outer mesh. forbidden : (faces,) that carry no mark.
    """
    barred, apart, came = _Barred.around(None, refused_mm, bench, outer, forbidden), spacing_mm(bench), []
    spare = room.close_to(np.array([want.at_mm for want in wants]), COMPANY_REACH * apart)
    for want in wants:
        spots = barred.without(_around(spare, supports, want.at_mm[None], apart, want.by_mm, COMPANY_TRIED))
        before, lacked = set(supports.contact), want.lacks(supports)
        for _ in range(COMPANY):
            tried = _one_by_one(supports, spots, room, bench)
            lack, made = _first_that_does(tried, want.lacks)
            if made is None or lack >= lacked:
                break
            supports, lacked = made, lack
            if lacked <= 1:
                break
        came.append(set(supports.contact) - before)
    return supports, came


def _one_by_one(supports: Supports, spots: Spots, room: Room, bench: Bench) -> Iterator[Supports]:
    """Supports with a tip at each spot alone, where one can be led there."""
    for n in range(len(spots.points)):
        made, _ = _with_routes(supports, spots.only(np.arange(len(spots.points)) == n), room, bench, quiet())
        if len(made.contacts) > len(supports.contacts):
            yield made


def _first_that_does(tried: Iterable[Supports], lacks: Callable[[Supports], float]) -> tuple[float, Supports | None]:
    """The first with which nothing lacks, or else that with which least does, and how much; None where there are none."""
    least_lack, best = np.inf, None
    for made in tried:
        lack = lacks(made)
        if lack < least_lack:
            least_lack, best = lack, made
        if lack <= 1:
            break
    return least_lack, best


def _times(supports: Supports, surface: Closest, finish: Finish | None) -> dict[str, float]:
    """How many times as long as on a usual face the mark of each contact takes, and of each foot on the part: by the id of the
    contact, or of the post."""
    if finish is None or not supports.contacts:
        return {}
    spots = {c.id: c.spot_mm for c in supports.contacts}
    spots |= {post: supports.foot[supports.post[post].foot].point_mm for post in supports.feet_on_part}
    faces = surface.nearest(np.array(list(spots.values())))[1]
    return {id: float(finish.times[face]) for id, face in zip(spots, faces, strict=True)}


def _pool(spots: Spots, surface: Closest, finish: Finish | None, apart_mm: float) -> Pool:
    """Spots that tips may go to, with the times that marks take there; what begins in mid-liquid has its own tip."""
    free = np.array([why is not NeedKind.ISLAND for why in spots.why], bool)
    spots = spots.only(free)
    if finish is None or len(spots.points) == 0:
        return Pool(spots, np.ones(len(spots.points)), apart_mm)
    return Pool(spots, finish.times[surface.nearest(spots.points)[1]], apart_mm)


@dataclass(frozen=True, eq=False)
class _Barred:
    """Where no tip comes.

    Attributes
    ----------
    spots : (n, 3), no tip comes nearer to one than `reach_mm`, (n,); the last `refused` of them were refused. faces : of the
    outer mesh, (faces,), where only beginnings get a tip; None where there are none. kept : these alone. half_mm : of a usual
    and of the largest tip, whose rim too is to stay off them.
    """

    spots: NDArray[np.float64]
    reach_mm: NDArray[np.float64]
    refused: int
    outer: Mesh
    surface: Closest
    faces: NDArray[np.bool_] | None
    kept: Closest | None
    half_mm: tuple[float, float]

    @classmethod
    def around(
        cls,
        pinned: Supports | None,
        refused_mm: NDArray[np.float64] | None,
        bench: Bench,
        outer: Mesh,
        barred: NDArray[np.bool_] | None,
    ) -> _Barred:
        """Pinned contacts keep others off as any would; refused spots keep all off."""
        held = np.array([c.spot_mm for c in pinned.contacts]).reshape(-1, 3) if pinned is not None else np.empty((0, 3))
        refused = np.empty((0, 3)) if refused_mm is None else refused_mm
        reach = [NEAR_SHARE * spacing_mm(bench)] * len(held) + [REFUSED_MM] * len(refused)
        forbidden = barred if barred is not None and barred.any() else None
        kept = None if forbidden is None else Closest(Mesh(outer.points, outer.faces[forbidden]))
        tips = bench.supports
        half = 0.5 * min(tips.tip_mm, tips.largest_tip_mm), 0.5 * tips.largest_tip_mm
        return cls(np.concatenate((held, refused)), np.array(reach), len(refused), outer, Closest(outer), forbidden, kept, half)

    def but_refused(self, spots: Spots) -> Spots:
        """Less those that were refused: a beginning may have a tip close to a pinned one that does not hold it."""
        return spots.only(self._clear_of(spots, len(self.spots) - self.refused))

    def without(self, spots: Spots) -> Spots:
        """Less those that are barred; one beside a face that is to carry no mark moves away from it as far as it can."""
        if len(spots.points) == 0 or (len(self.spots) == 0 and self.faces is None):
            return spots
        must = np.array([why is NeedKind.ISLAND for why in spots.why])
        moved, off = self._moved_off(spots)
        points = np.where(must[:, None], spots.points, moved)
        there = Spots(points, spots.normals, spots.why)
        return there.only(self._clear_of(there) & (must | off))

    def _clear_of(self, spots: Spots, first: int = 0) -> NDArray[np.bool_]:
        """Which of some spots are far enough from all barred ones, from the `first` on, (n,)."""
        away = np.linalg.norm(spots.points[:, None] - self.spots[None, first:], axis=2)
        return np.asarray((away >= self.reach_mm[first:]).all(axis=1))

    def _moved_off(self, spots: Spots) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
        """Spots moved along the surface until the largest tip leaves kept faces alone, (n, 3); whether a usual one does, (n,)."""
        points = spots.points
        if self.faces is None or self.kept is None:
            return points, np.ones(len(points), bool)
        away, _, at = self.kept.nearest(points)
        near = np.flatnonzero((away < self.half_mm[1]) & (away > 1e-6))
        along = (points[near] - at[near]) / away[near, None]
        _, face, there = self.surface.nearest(points[near] + (self.half_mm[1] - away[near, None]) * along)
        alike = (self.outer.normals[face] * spots.normals[near]).sum(axis=1) > ALIKE_COS
        moved = points.copy()
        moved[near[alike]] = there[alike]
        on = self.surface.nearest(moved)[1]
        return moved, ~self.faces[on] & (self.kept.nearest(moved)[0] >= self.half_mm[0])


def counted_tips(supports: Supports) -> str:
    """How many contacts there are for each need: "12 tips: 3 island, 9 underside"."""
    kinds = [c.need.kind for c in supports.contacts]
    shares = ", ".join(f"{kinds.count(kind)} {kind}" for kind in NeedKind if kind in kinds)
    return f"{len(kinds)} {'tip' if len(kinds) == 1 else 'tips'}: {shares}" if kinds else "nothing to hold"


def _with_routes(
    supports: Supports, spots: Spots, room: Room, bench: Bench, progress: Progress, closed: Collection[Point] = ()
) -> tuple[Supports, tuple[Point, ...]]:
    """A support more for each spot that one can reach, and the spots that none can; posts first found carry later twigs. Where a
    tip stands already none more is set, however the spot came about; what begins in mid-liquid may have one a little nearer.

    closed : spots that no way led to before, nor beside; only posts that stand by now may lead there.
    """
    unreached, settings = [], bench.supports
    have = np.array([c.spot_mm for c in supports.contacts]).reshape(-1, 3)
    for i, (point, normal, why) in enumerate(zip(spots.points, spots.normals, spots.why, strict=True)):
        if i % 20 == 0:
            progress.at(i / len(spots.points), "leading posts to the plate")
        x, y, z = (float(v) for v in point)
        route, wide = find_route(point, normal, room.clearance, settings, supports), settings.tip_mm
        if route is None and (x, y, z) not in closed:
            route, wide = _way_beside(point, why, room, supports)
        if route is None:
            unreached.append((x, y, z))
            continue
        apart = settings.smallest_tip_mm if why is NeedKind.ISLAND else settings.largest_tip_mm
        if (np.linalg.norm(have - route.spot_mm, axis=1) >= apart).all():
            have = np.vstack((have, route.spot_mm))
            supports = supports.with_route(route, wide, Need(why))
    return supports, tuple(unreached)


def _way_beside(point: NDArray[np.float64], why: NeedKind, room: Room, supports: Supports) -> tuple[Route | None, float]:
    """A way to beside a spot that is in a corner, and how thick its tip is: where something begins there, so near that it reaches
    over that if it can."""
    settings = room.settings
    if why is NeedKind.ISLAND and (under := room.way_under(point, supports)) is not None:
        return under[0], max(settings.tip_mm, under[1])
    others = (find_route(p, n, room.clearance, settings, supports) for p, n in room.clearance.beside(point))
    return next((other for other in others if other is not None), None), settings.tip_mm


def _where_it_sags(mesh: Mesh, under: Undersides, supports: Supports, borne: Loads, bench: Bench) -> Spots:
    """The worst spot of each down-facing region that gives more than one layer between the tips so far."""
    t, grid = bench.print.layer_height_mm, borne.part_pulls.printed.part.grid
    heights = np.arange(0.5 * t, float(mesh.high[2]) + t, t)
    pull = np.interp(heights, grid.z_of(np.arange(grid.layers)), borne.peel_n / np.maximum(borne.area_mm2, 1e-9))
    stiff = np.interp(heights, grid.z_of(np.arange(grid.layers)), borne.sheet_stiff)
    sag = sag_of(under, touches(supports, bench.supports, 0, 0.0, 0.0), pull, bench, stiff)
    give = np.maximum(sag.sag_mm, sag.curl_mm)
    worst = [int(own[give[own].argmax()]) for r in range(sag.regions) if len(own := np.flatnonzero(sag.region == r))]
    points = sag.points_mm[worst].reshape(-1, 3)
    normals = np.array([mesh.normals[nearest_on(mesh, point)[0]] for point in points]).reshape(-1, 3)
    return Spots(points, normals, [NeedKind.SAGGING] * len(points))


def _under_islands(printed: Printed, mesh: Mesh) -> Spots:
    """A spot under each island that no tip holds yet."""
    sections, everything, grid = printed.part_sections, printed.sections, printed.part.grid
    lone = [c for c in printed.islands if not everything.rests_on_something[printed.part_in_all[c]]]
    points = []
    for c in lone:
        mine = np.flatnonzero(sections.label == c)
        first = int(mine[len(mine) // 2])
        x = 0.5 * (sections.runs.x0[first] + sections.runs.x1[first])
        ray = int(np.searchsorted(sections.runs.offsets, first, side="right")) - 1
        y = grid.y0_mm + (ray % grid.rows) * grid.pitch_mm
        points.append(nearest_on(mesh, np.array([x, y, float(sections.layer[c]) * grid.layer_mm]))[1])
    at = np.array(points).reshape(-1, 3)
    return Spots(at, np.tile([0.0, 0.0, -1.0], (len(at), 1)), [NeedKind.ISLAND] * len(at))


def _together(a: Spots, b: Spots) -> Spots:
    return Spots(np.concatenate((a.points, b.points)), np.concatenate((a.normals, b.normals)), a.why + b.why)


def _wider(spare: Spots, supports: Supports, spacing_mm: float) -> Spots:
    """Two spots beyond the tips so far, on opposite sides of them: the base tilts off the plate about its edge."""
    have = np.array([c.spot_mm for c in supports.contacts])
    if len(spare.points) == 0:
        return spare
    middle = have[:, :2].mean(axis=0)
    off = spare.points[:, :2] - middle
    away = np.hypot(off[:, 0], off[:, 1])
    reach = float(np.hypot(*(have[:, :2] - middle).T).max())
    near = np.flatnonzero((away > reach + 0.3 * spacing_mm) & (away < reach + 2.0 * spacing_mm))
    if len(near) == 0:
        return Spots(spare.points[:0], spare.normals[:0], [])
    first = int(near[np.lexsort((near, np.round(spare.points[near, 2], 3)))[0]])  # the lowest has the shortest post
    against = near[np.argsort(np.round((off[near] @ off[first]) / away[near], 3), kind="stable")]
    chosen = [first, int(against[0])]
    return Spots(spare.points[chosen], spare.normals[chosen], [NeedKind.STEADIES] * 2)


def _around(
    spare: Spots, supports: Supports, at_mm: NDArray[np.float64], spacing_mm: float, by_mm: float = np.inf, most: int = COMPANY
) -> Spots:
    """So many spare spots around each of some places (n, 3), well apart from all tips, up to where one comes in time."""
    chosen: list[int] = []
    have = np.array([c.spot_mm for c in supports.contacts])
    for at in at_mm:
        away = np.linalg.norm(spare.points - at, axis=1)
        taken = 0
        for i in np.argsort(away):
            if away[i] > COMPANY_REACH * spacing_mm or taken == most:
                break
            others = np.concatenate((have, spare.points[chosen])) if chosen else have
            if spare.points[i, 2] > by_mm:
                continue
            if np.linalg.norm(others - spare.points[i], axis=1).min() >= NEAR_SHARE * spacing_mm:
                chosen.append(int(i))
                taken += 1
    return Spots(spare.points[chosen], spare.normals[chosen], [spare.why[i] for i in chosen])
