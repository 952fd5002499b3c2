"""Which sections of a mesh are of supports: what is slender, and stands on the base or on what is slender itself."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field
from functools import partial

import numpy as np
from numpy.typing import NDArray

from wideberth.core.layers import Sections

LAYER_MM, PITCH_MM = 0.05, 0.05
SLENDER_MM2, ROUND = 7.5, 0.3
"""Sections up to this area, and at least so round (4 π A/P²), may be of a support."""
SPECK_MM2 = 0.05
"""Too little for its shape to be told."""
ROW_MM2, ROW_WIDE_MM, PARTS_MM = 40.0, 1.3, 6.0
"""Posts that stand in one another's way from the base on take up so much at most, are so wide on average, and some part so far
above it at most."""
HEAPED = 1.2
"""Supports that have run into one another, whatever their shape, take up to so many times their own areas."""
KNOT_MM = 0.5
"""Where two limbs meet, the round that joins them may begin so far under the upper one."""
PASSES_MM, ASIDE_MM = 6.0, 0.3
"""What runs together with the part may come out of it so far above, and so far off the line that it went along."""
EVEN, EVEN_OVER_MM, LOOKS = 0.8, 0.5, 5
"""How evenly thick a post is, over what length that is looked at, and over how many such lengths downward: near the part a tip or
a twig may have run into it."""

LONGEST_CONE_MM, SHORTEST_MM = 3.0, 0.8
"""A taper is no longer; a support, from the base to its contact, no shorter."""
LARGEST_MM2, WAIST, WAIST_MM, WAIST_TAPERS = 0.64, 0.72, 0.5, 1.05
"""A contact under a limb of the part as slender as supports has at most so much, and at most that share of any section below its
taper; so far below it the taper has so many times as much."""
RISES, DROPS, SAME, WIDENS_MM, TAPER_ROUND = 1.3, 0.9, 1.02, 0.06, 0.86
"""What is above such a contact has so many times as much, or less than its taper lets expect; what has hardly more is as thin.
The taper widens by as much from layer to layer, as the side of a square, and is so round in the middle."""

Components = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Carried:
    """What may be of supports.

    Attributes
    ----------
    slender : (components,) what may be of a single support. standing : (components,) slender ones that stand on the base, the
    plate, or only on such. footed : (components,) those that stand so on something bulky. first : (components + 1,) where its
    pairs begin. under : of a post that passes so close to the part that both print as one for a while, the component before
    that, by the one after it. contacts : components in which supports end under limbs of the part as slender as they.
    """

    slender: NDArray[np.bool_]
    standing: NDArray[np.bool_]
    footed: NDArray[np.bool_]
    first: Components
    under: dict[int, int] = field(default_factory=dict)
    contacts: set[int] = field(default_factory=set)


def carried(of: Sections, base_layers: int) -> Carried:
    """Which of the components may be of supports, above a base of so many layers."""
    slender = _slender(of)
    own = of.area_mm2.copy()  # of a heap: of the slender ones that ran into one another below
    first = np.searchsorted(of.upper, np.arange(of.count + 1))
    told = Carried(slender, np.zeros(of.count, bool), np.zeros(of.count, bool), first)
    standing, footed = told.standing, told.footed
    rows = _rows(of, slender, base_layers)
    climbs: dict[int, _Climb] = {}
    young = np.zeros(of.count, np.int64)  # layers since a knot began to hang under the limb that it belongs to, 0 for all else
    passing: dict[int, list[int]] = {}  # by the component of the part that they ran into
    for c in range(int(of.first[base_layers]), of.count):
        below = of.lower[first[c] : first[c + 1]]
        came = _within_reach(of, c, [post for b in below.tolist() for post in passing.get(b, ())], bool(slender[c]))
        if of.layer[c] == base_layers:
            standing[c] = slender[c] or c in rows
        elif slender[c] and standing[below].any():
            standing[c] = bool((standing[below] | (young[below] > 0)).all())
        elif len(below) and standing[below].all() and of.area_mm2[c] <= HEAPED * own[below].sum():
            standing[c], own[c] = True, own[below].sum()
        elif slender[c] and (young[below] > 0).all():
            age = 1 + int(young[below].max(initial=0))
            young[c] = age if age * LAYER_MM <= KNOT_MM else 0
        elif slender[c] and (before := _came_from(of, c, came, told)) is not None:
            standing[c], told.under[c] = True, before
        elif slender[c]:
            footed[c] = bool((footed[below] | (young[below] > 0) | ~slender[below]).all())
        if standing[c] or footed[c]:
            _climb(of, c, told, climbs, base_layers)
        if not (standing[c] and slender[c]):
            ran_in = [b for b in below.tolist() if standing[b] and slender[b] and b not in told.contacts]
            came += [b for b in ran_in if not _is_contact(of, down(of, b, standing, told))]
            if came:
                passing[c] = came
    return told


def _slender(of: Sections) -> NDArray[np.bool_]:
    """Which sections (components,) may be of a single support."""
    round_enough = 4 * np.pi * of.area_mm2 / np.maximum(of.perimeter_mm, 1e-9) ** 2 >= ROUND
    return (of.area_mm2 <= SLENDER_MM2) & round_enough | (of.area_mm2 <= SPECK_MM2)


def _rows(of: Sections, slender: NDArray[np.bool_], base_layers: int) -> set[int]:
    """Components on a base that are of several posts in one another's way: hardly wider than they, and some soon part."""
    if not 0 < base_layers < of.layers:  # a thin wall on the plate is the part's own
        return set()
    on_base = np.arange(of.first[base_layers], of.first[base_layers + 1])
    area, around = of.area_mm2[on_base], of.perimeter_mm[on_base]
    may_be = ~slender[on_base] & (area <= ROW_MM2) & (2 * area <= ROW_WIDE_MM * around)
    return {int(c) for c in on_base[may_be] if _parts(of, slender, int(c))}


def _parts(of: Sections, slender: NDArray[np.bool_], c: int) -> bool:
    """Whether of what goes up from a component a slender piece soon comes apart."""
    mine = np.zeros(of.count, bool)
    mine[c] = True
    for k in range(int(of.layer[c]) + 1, min(int(of.layer[c]) + round(PARTS_MM / LAYER_MM), of.layers)):
        links = slice(*np.searchsorted(of.upper, of.first[[k, k + 1]]))
        over = np.unique(of.upper[links][mine[of.lower[links]]])
        if len(over) > 1 and slender[over].any():
            return True
        mine[over] = True
    return False


@dataclass(frozen=True, slots=True)
class _Climb:
    """What is to be known of a way up from a foot, to tell where the part begins. thinnest, below : the component that may be the
    contact, and the one under it. least_mm2 : the least area since the last that was not."""

    thinnest: int
    below: int
    least_mm2: float

    def ends_under(self, of: Sections, c: int) -> bool:
        """Whether the next component is so much thicker, or thinner, that the way may have ended at its thinnest."""
        shrank = self.least_mm2 / float(of.area_mm2[self.below])
        area = float(of.area_mm2[c])
        return area > RISES * self.least_mm2 or area < DROPS * self.least_mm2 * min(shrank, 1.0) ** 2

    def on(self, of: Sections, below: int, c: int) -> _Climb:
        """The way that goes on from a component to the next."""
        area = float(of.area_mm2[c])
        if self.ends_under(of, c):
            return _Climb(c, below, area)
        return _Climb(c, below, min(self.least_mm2, area)) if area <= SAME * self.least_mm2 else self


def _climb(of: Sections, c: int, told: Carried, climbs: dict[int, _Climb], base_layers: int) -> None:
    """Goes on to a component that may be of supports; where they have ended below it, it is the part's, as all above contacts."""
    may_be = told.standing if told.standing[c] else told.footed
    below = [b for b in lower(of, c, may_be, told) if b in climbs]
    for b in below:
        climb = climbs[b]
        if not climb.ends_under(of, c) or (of.layer[climb.thinnest] - base_layers) * LAYER_MM < SHORTEST_MM:
            continue
        if _is_contact(of, down(of, climb.thinnest, may_be, told)):
            way = down(of, b, may_be, told).tolist()
            beyond = way[: way.index(climb.thinnest)] if climb.thinnest in way else []
            may_be[[c, *beyond]] = False
            told.contacts.add(climb.thinnest)
    if may_be[c]:
        nearest = min(below, key=partial(_apart_mm, of, c), default=c)
        climbs[c] = climbs[nearest].on(of, nearest, c) if below else _Climb(c, c, float(of.area_mm2[c]))


def _is_contact(of: Sections, way: Components) -> bool:
    """Whether a way down begins as the thin end of a round, even taper on a thicker limb."""
    near, below = round(LONGEST_CONE_MM / LAYER_MM), round(WAIST_MM / LAYER_MM)
    way = way[max(int((of.area_mm2[way] > SAME * of.area_mm2[way[0]]).argmax()) - 1, 0) :]  # less what reaches into the part
    area = of.area_mm2[way]
    taper = np.minimum.accumulate(area[below::-1])[::-1]  # as if nothing else began beside it
    limb = area[near:] if len(area) > near else area.max(keepdims=True)
    if len(taper) < 2 or area[0] > WAIST * limb.min() or taper[-1] < WAIST_TAPERS * area[0]:
        return False
    top, foot = way[0], way[len(taper) - 1]
    drop_mm, aside_mm = _layers(of, foot, top) * LAYER_MM, _apart_mm(of, foot, top)
    if area[0] * drop_mm > LARGEST_MM2 * np.hypot(drop_mm, aside_mm):
        return False
    roundness = 4 * np.pi * taper / np.maximum(of.perimeter_mm[way[: below + 1]], 1e-9) ** 2
    evenly = np.ptp(np.diff(np.sqrt(taper))) <= WIDENS_MM
    return bool(evenly and np.median(roundness) >= TAPER_ROUND)


def lower(of: Sections, c: int, standing: NDArray[np.bool_], told: Carried) -> list[int]:
    """Components right under one that may be of supports too."""
    return [int(b) for b in of.lower[told.first[c] : told.first[c + 1]] if standing[b]]


def down(of: Sections, c: int, standing: NDArray[np.bool_], told: Carried) -> Components:
    """Components from one that may be of supports down to its foot, each the one nearest under the last, or under the last before
    a heap; none where the support and the part print as one."""
    way, alone = [c], c
    while True:
        c = way[-1]
        alone = c if told.slender[c] else alone
        below = lower(of, c, standing, told)
        if not below and c in told.under:
            below = [told.under[c]]
        if not below:
            return np.array(way, np.int64)
        way.append(min(below, key=partial(_apart_mm, of, alone)) if len(below) > 1 else below[0])


def _within_reach(of: Sections, c: int, posts: list[int], is_slender: bool) -> list[int]:
    """Those of some posts that may still come out of the part at a component; as what is slender, leaning by 45° at most."""
    up = {post: _layers(of, post, c) * LAYER_MM for post in posts}
    near = [post for post, mm in up.items() if mm <= PASSES_MM]
    if not is_slender:
        return near
    return [p for p in near if np.hypot(of.x_mm[c] - of.x_mm[p], of.y_mm[c] - of.y_mm[p]) <= ASIDE_MM + up[p]]


def _came_from(of: Sections, c: int, passing: list[int], told: Carried) -> int | None:
    """Which of some posts that ran into the part comes out of it as a component: on the line that it went along, and as thick;
    none that had tapered to a contact."""
    for post in passing:
        if of.area_mm2[post] < EVEN * of.area_mm2[c]:
            continue
        looks = _downward(of, post, told)
        for high, low in itertools.pairwise(looks):
            if not (_alike(of, c, high) and _alike(of, c, low)):
                continue
            on = _layers(of, high, c) / _layers(of, low, high)
            x, y = (float(v[high] + on * (v[high] - v[low])) for v in (of.x_mm, of.y_mm))
            if np.hypot(of.x_mm[c] - x, of.y_mm[c] - y) <= ASIDE_MM:
                return post
    return None


def _downward(of: Sections, post: int, told: Carried) -> list[int]:
    """A component of a post and some farther down it, evenly apart, as far as it reaches."""
    at, looks = post, [post]
    for step in range(1, LOOKS * round(EVEN_OVER_MM / LAYER_MM) + 1):
        below = lower(of, at, told.standing, told)
        if not below:
            break
        at = min(below, key=lambda b: float(np.hypot(of.x_mm[b] - of.x_mm[post], of.y_mm[b] - of.y_mm[post])))
        if step % round(EVEN_OVER_MM / LAYER_MM) == 0:
            looks.append(at)
    return looks


def _apart_mm(of: Sections, a: int, b: int) -> float:
    return round(float(np.hypot(of.x_mm[a] - of.x_mm[b], of.y_mm[a] - of.y_mm[b])), 3)


def _alike(of: Sections, a: int, b: int) -> bool:
    return bool(EVEN <= of.area_mm2[a] / of.area_mm2[b] <= 1 / EVEN)


def _layers(of: Sections, low: int, high: int) -> int:
    return int(of.layer[high] - of.layer[low])
