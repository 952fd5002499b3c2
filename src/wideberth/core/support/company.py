"""Company: more tips around those that hold too little, or where something hangs unsteadily."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.loads import spacing_mm
from wideberth.core.model import Mesh
from wideberth.core.progress import quiet
from wideberth.core.support.barred import NEAR_SHARE, Barred
from wideberth.core.support.graph import Supports
from wideberth.core.support.leading import with_routes
from wideberth.core.support.room import Room
from wideberth.core.support.spots import Spots, together

COMPANY, COMPANY_REACH, COMPANY_TRIED = 2, 2.5, 8
"""Tips that stand around one that wants company, how far off at most, in usual spacings, and at how many spots they are tried."""


@dataclass(frozen=True)
class Want:
    """Company that is wanted. at_mm : (3,) around where. by_mm : up to what height a tip comes in time. lacks : what is wanted
    over what is there with some supports. wholly : whether what leaves something lacking is of no use."""

    at_mm: NDArray[np.float64]
    by_mm: float
    lacks: Callable[[Supports], float]
    wholly: bool = False


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
    barred, apart, came = Barred.around(None, refused_mm, bench, outer, forbidden, room.mouths_mm), spacing_mm(bench), []
    spare = room.close_to(np.array([want.at_mm for want in wants]), COMPANY_REACH * apart)
    for want in wants:
        around = spots_around(spare, supports, want.at_mm[None], apart, want.by_mm, COMPANY_TRIED)
        spots = barred.without(together(room.round_rim(want.at_mm), around))
        without, lacked = supports, want.lacks(supports)
        for _ in range(COMPANY):
            tried = _one_by_one(supports, spots, room, bench)
            lack, made = _first_that_does(tried, want.lacks)
            if made is None or lack >= lacked:
                break
            supports, lacked = made, lack
            if lacked <= 1:
                break
        if want.wholly and lacked > 1:
            supports = without
        came.append(set(supports.contact) - set(without.contact))
    return supports, came


def spots_around(
    spare: Spots, supports: Supports, at_mm: NDArray[np.float64], spacing_mm: float, by_mm: float = np.inf, most: int = COMPANY
) -> Spots:
    """So many spare spots around each of some places (n, 3), well apart from all tips, up to where one comes in time."""
    chosen: list[int] = []
    have = np.array([c.spot_mm for c in supports.contacts]).reshape(-1, 3)
    for at in at_mm:
        away = np.linalg.norm(spare.points - at, axis=1)
        taken = 0
        for i in np.argsort(away):
            if away[i] > COMPANY_REACH * spacing_mm or taken == most:
                break
            others = np.concatenate((have, spare.points[chosen])) if chosen else have
            if spare.points[i, 2] > by_mm:
                continue
            if np.linalg.norm(others - spare.points[i], axis=1).min(initial=np.inf) >= NEAR_SHARE * spacing_mm:
                chosen.append(int(i))
                taken += 1
    return Spots(spare.points[chosen], spare.normals[chosen], [spare.why[i] for i in chosen])


def _one_by_one(supports: Supports, spots: Spots, room: Room, bench: Bench) -> Iterator[Supports]:
    """Supports with a tip at each spot alone, where one can be led there."""
    for n in range(len(spots.points)):
        made, _ = with_routes(supports, spots.only(np.arange(len(spots.points)) == n), room, bench, quiet())
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
