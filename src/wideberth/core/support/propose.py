"""Supports for a posed part: spots, routes, then what the predicted loads ask for, round by round."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cache, partial

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, SupportSettings
from wideberth.core.loads import Finish, Finishing, Loads, Undersides, sag_of, spacing_mm, undersides_of
from wideberth.core.model import SURFACES, Closest, Mesh, stand_in
from wideberth.core.progress import Progress, quiet
from wideberth.core.support.barred import Barred
from wideberth.core.support.bearing import Relief, Trial, least, with_braces
from wideberth.core.support.bracing import limbs_mm3
from wideberth.core.support.company import COMPANY_REACH, spots_around
from wideberth.core.support.graph import Supports, started
from wideberth.core.support.leading import with_routes
from wideberth.core.support.need import NeedKind
from wideberth.core.support.room import ROOM_TRIANGLES, Room, room_of
from wideberth.core.support.route import Point
from wideberth.core.support.routing import Clearance
from wideberth.core.support.shifting import Pool, fewest
from wideberth.core.support.sizes import contact_depth_mm
from wideberth.core.support.solids import touches
from wideberth.core.support.spots import NO_SPOTS, Spots, side_spots, together, under_islands, wanted_spots
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
    relief: Relief | None = None,
) -> SupportProposal:
    """Tips for a part's outer mesh in its pose, around its own place (x = y = 0).

    pinned : supports that stay as they are; others are set around them. refused_mm : (n, 3) spots that no tip comes near to.
    finish : of the mesh's faces, asked for when tips are to be left out; where marks are forbidden only what would begin in
    mid-liquid gets a tip. room : round the mesh, where it is known already. relief : its holes: cups breathe by them, and
    something may begin at their rims.

    Only the outer mesh counts: a shell makes no difference, so hollowing before or after supporting gives the
    same tips, and none stands in a chamber. Each round predicts the solid part on the tips so far, by the verdict's own
    engine, and answers what it finds: islands get tips, tips get the size that their load asks for, and where even the
    largest does not do, or a piece hangs unsteadily, more tips are set around.
    """
    progress = progress or quiet()
    apart = spacing_mm(bench)
    settings = bench.supports
    rooming, looking, leading, asking, thinning, ending = progress.stretches(0.05, 0.1, 0.15, 0.3, 0.85, 1.0)
    rooming.at(0.0, "making room")
    around = room or room_of(stand_in(outer, ROOM_TRIANGLES, rooming), settings)
    light, clear, trial = around.light, around.clearance, Trial(around.light, bench, progress, relief)
    looking.at(0.0, "looking for spots")
    spots, spare = wanted_spots(light, trial.alone(), settings, apart)
    sides = cache(lambda: together(spare, side_spots(light, settings, apart)))
    progress.heed()
    faces, holes_mm = None if finish is None else finish.barred, None if relief is None else relief.mouths_mm
    supports, barred = started(pinned, settings), Barred.around(pinned, refused_mm, bench, outer, faces, holes_mm)
    spots, spare = barred.without(spots), barred.without(spare)
    supports, unreached = with_routes(supports, spots, around, bench, leading)
    closed = set(unreached)
    progress.heed()
    under = undersides_of(light, bench.print.layer_height_mm, bench.laws.young_layers)
    known: Loads | None = None
    for number, share in enumerate(asking.rounds(ROUNDS)):
        share.at(0.0, "asking the loads for more")
        if not supports:  # all that was wanted is barred, but for what begins in mid-liquid
            lone = barred.but_refused(under_islands(trial.printed(supports), clear.surface))
            supports, _ = with_routes(supports, lone, around, bench, share)
            if not supports:
                break
            continue
        # pulls hardly depend on tips: they are found anew once all that these bear is answered
        borne = trial.borne(supports) if known is None else shared(supports, known, bench)
        more, anew = under_islands(trial.printed(supports), clear.surface) if known is None else NO_SPOTS, known is None
        supports, overloaded, grown = sized_for(supports, borne, bench, number > 0)
        if overloaded and number < ROUNDS - RESIZING_ROUNDS:
            at = np.array([supports.contacts[n].spot_mm for n in overloaded])
            company = spots_around(sides(), supports, at, apart)
            if len(company.points) == 0:  # limbs too thin to have any
                company = spots_around(around.close_to(at, COMPANY_REACH * apart), supports, at, apart)
            more = together(more, company)
        widens = anew and number < WIDER_ROUNDS and least(borne.plate_margin) < LEAST_PLATE_MARGIN
        if widens:
            more = together(more, _wider(sides(), supports, apart))
        if number < SAG_ROUNDS:
            more = together(more, _where_it_sags(clear.surface, light, under, supports, borne, bench))
        before = len(supports.contacts)
        supports, none = with_routes(supports, barred.without(more), around, bench, share, closed)
        closed |= set(none)
        answered = len(supports.contacts) == before and not grown
        if answered and anew:
            break
        known = None if answered or widens else borne
    supports = steadied(supports, trial, thinning)
    whole = None if finish is None else finish.whole()
    pool = _pool(barred.without(together(spots, spare)), barred.surface, whole, apart)
    many, times_of = len(supports.contacts), partial(_times, surface=barred.surface, finish=whole)
    supports = fewest(supports, trial, under, times_of, pool, clear, thinning)
    went = many - len(supports.contacts)
    for share in ending.part(0.0, 0.3).evenly(LAST_ROUNDS):
        lone = barred.but_refused(under_islands(trial.printed(supports), clear.surface))
        before = len(supports.contacts)
        supports, _ = with_routes(supports, lone, around, bench, share)
        if len(supports.contacts) == before:
            break
        supports, _ = sized_anew(supports, trial)
    ending.at(0.3, "thinning out what idles")
    needed = without_idle(supports, trial, under, times_of(supports)) if supports else supports
    went += len(supports.contacts) - len(needed.contacts)
    supports = narrowed(steadied(needed, trial, ending.part(0.6, 0.8)), trial)
    ending.at(0.8, "bracing posts")
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


def counted_tips(supports: Supports) -> str:
    """How many contacts there are for each need: "12 tips: 3 island, 9 underside"."""
    kinds = [c.need.kind for c in supports.contacts]
    shares = ", ".join(f"{kinds.count(kind)} {kind}" for kind in NeedKind if kind in kinds)
    return f"{len(kinds)} {'tip' if len(kinds) == 1 else 'tips'}: {shares}" if kinds else "nothing to hold"


def _where_it_sags(surface: Closest, mesh: Mesh, under: Undersides, supports: Supports, borne: Loads, bench: Bench) -> Spots:
    """The worst spot of each down-facing region that gives more than one layer between the tips so far."""
    t, grid = bench.print.layer_height_mm, borne.part_pulls.printed.part.grid
    heights = np.arange(0.5 * t, float(mesh.high[2]) + t, t)
    pull = np.interp(heights, grid.z_of(np.arange(grid.layers)), borne.peel_n / np.maximum(borne.area_mm2, 1e-9))
    stiff = np.interp(heights, grid.z_of(np.arange(grid.layers)), borne.sheet_stiff)
    sag = sag_of(under, touches(supports, bench.supports, 0, 0.0, 0.0), pull, bench, stiff)
    give = np.maximum(sag.sag_mm, sag.curl_mm)
    worst = [int(own[give[own].argmax()]) for r in range(sag.regions) if len(own := np.flatnonzero(sag.region == r))]
    points = sag.points_mm[worst].reshape(-1, 3)
    return Spots(points, mesh.normals[surface.nearest(points)[1]], [NeedKind.SAGGING] * len(points))


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
