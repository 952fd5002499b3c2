"""Bracing: how much of a post is free to bend aside, and the diagonals that shorten what would.

A diagonal holds the spot of a post where it ends, in its own direction seen from above, when its other end is held that way: at a
foot on the plate, or by a further diagonal. So ladders of diagonals between two posts hold both, and a post wants them in two
directions.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.support.graph import TWIG_SHARE, Brace, Foot, Joint, On, Post, Supports
from wideberth.core.support.routing import Clearance

AT_FOOT_MM = 1.0
"""A spot of a post no higher than that above its pad does not move aside."""
ALONG, ACROSS = float(np.cos(np.radians(25))), float(np.cos(np.radians(45.1)))
"""Cosines: ways that are one, and those that a diagonal still holds."""
WAYS = 16
LEAST_LEAN_DEG = 20.0
"""A steeper diagonal holds too little aside."""
STAY_LEAN_DEG = 30.0
REACH_MM, NEAREST_MM = 14.0, 1.5
SAME_SPOT_MM = 0.3
STAY_COSTS_MM = 6.0
"""A foot of its own costs as much resin as that length of a diagonal."""
MOST_LADDERS = 4
LOOSER = (1.2, 1.5, 2.0)
"""Times the stretch that was asked for: better than a post that nothing holds aside."""
HELD_AT_TOP = 0.25
"""What is left of how far a ladder's posts give where it is held at its top as well."""
NEARLY = 1.02
Way = NDArray[np.float64]
"""Unit vector seen from above, (2,)."""


def free_stretches_mm(supports: Supports, settings: SupportSettings) -> dict[str, float]:
    """The longest stretch of each post that may bend aside, in whatever direction it is the longest, by the post's id.

    Notes
    -----
    A spot counts as held where it is held stiffly enough aside: diagonals by k = E A sin²θ/l, in a row and with the posts between
    them (`_held`), against the 4 P/L that a post held at many spots asks for (Winter's full bracing). With Euler's P = π² E I/L²
    that is L³ ≥ 4 π² I/(k/E): where it is softer, the post bends as one of that length would.
    """
    held: dict[str, list[tuple[float, _Hold]]] = {p.id: [] for p in supports.posts}
    for joint, holds in _held(supports, settings).items():
        held[supports.post_at[joint]] += [(supports.joint[joint].z_mm, hold) for hold in holds]
    return {id: _free_mm(supports, id, spots, settings) for id, spots in held.items()}


def _free_stretch_mm(supports: Supports, id: str, settings: SupportSettings) -> float:
    """See `free_stretches_mm`, of one post."""
    held = [(joint, holds) for joint, holds in _held(supports, settings).items() if supports.post_at[joint] == id]
    return _free_mm(supports, id, [(supports.joint[joint].z_mm, hold) for joint, holds in held for hold in holds], settings)


def _free_mm(supports: Supports, id: str, held: list[tuple[float, _Hold]], settings: SupportSettings) -> float:
    """The longest stretch of a post that may bend aside, held at some heights in some ways."""
    foot, top = supports.foot[supports.post[id].foot].z_mm, supports.joint[supports.post[id].top].z_mm
    if not held:
        return max(top - foot, 0.0)
    inertia = np.pi * (supports.post[id].diameter_mm or settings.post_mm) ** 4 / 64
    turns = np.pi * np.arange(WAYS) / WAYS
    holds = np.abs(np.array([hold.way for _, hold in held]) @ np.stack([np.cos(turns), np.sin(turns)])) >= ACROSS
    z, gives = np.array([z for z, _ in held]), np.array([hold.gives_per_mm for _, hold in held])
    longest = max(float(np.diff([foot, *np.sort(z[aside]), top]).max()) for aside in holds.T)
    softest = float(np.where(holds.any(axis=1), gives, 0.0).max())
    return min(max(top - foot, 0.0), max(longest, float(4 * np.pi**2 * inertia * softest) ** (1 / 3)))


@dataclass(frozen=True, eq=False)
class _Hold:
    """A way in which a spot is held. diagonals_per_mm, gives_per_mm : how far it gives by its diagonals, and by all, times
    Young's modulus, under a force of one: E/k."""

    way: Way
    diagonals_per_mm: float
    gives_per_mm: float


def _held(supports: Supports, settings: SupportSettings) -> dict[str, list[_Hold]]:
    """In which ways each joint with a diagonal is held, by its id; found from the feet upward.

    Notes
    -----
    Diagonals in a row give one after the other, and the posts that they stand between give along themselves: h³/(A a²) where the
    diagonal ends at a foot so far aside, a; h³/(3 a²) (1/A₁ + 1/A₂) where two posts are the chords of a ladder, of which no more
    than a quarter is left where it is held at its top too, as by the part.
    """
    held: dict[str, list[_Hold]] = {}
    ends = [(b.upper, b.lower, b) for b in supports.braces]
    still = True
    while still:
        still = False
        for one, other, brace in [*ends, *((b, a, brace) for a, b, brace in ends)]:
            way = _way(supports.joint[other], supports.joint[one])
            if way is None or any(_is_along(way, h) for h in held.get(one, [])):
                continue
            under = [h.diagonals_per_mm for h in held.get(other, []) if _is_along(way, h)]
            on_foot = _at_foot(supports, other, supports.base_mm(settings))
            if on_foot:
                under.append(0.0)
            if under:
                diagonals = min(under) + _gives(brace, supports, settings)
                chords = _chords_give(one, None if on_foot else other, brace, supports, settings)
                held.setdefault(one, []).append(_Hold(way, diagonals, diagonals + chords))
                still = True
    return held


def _gives(brace: Brace, supports: Supports, settings: SupportSettings) -> float:
    """E/k of one diagonal, aside: l/(A sin²θ)."""
    along = supports.joint[brace.upper].point_mm - supports.joint[brace.lower].point_mm
    length, aside = float(np.linalg.norm(along)), float(np.hypot(along[0], along[1]))
    return length**3 / (_section_mm2(brace.diameter_mm or TWIG_SHARE * settings.post_mm) * aside**2)


def _chords_give(joint: str, other: str | None, brace: Brace, supports: Supports, settings: SupportSettings) -> float:
    """E/k of the posts beside a diagonal, aside at the joint that it holds: of the joint's own, and of the other's, None where
    the diagonal ends at a foot."""
    away = supports.joint[brace.upper].point_mm - supports.joint[brace.lower].point_mm
    stretched = supports.joint[joint].z_mm ** 3 / float(away[0] ** 2 + away[1] ** 2)
    own, beside = (
        0.0 if id is None else 1 / _section_mm2(supports.post[supports.post_at[id]].diameter_mm or settings.post_mm)
        for id in (joint, other)
    )
    return stretched * own if other is None else stretched / 3 * (own + beside) * HELD_AT_TOP


def _section_mm2(diameter_mm: float) -> float:
    return float(np.pi * diameter_mm**2 / 4)


def _way(start: Joint, end: Joint) -> Way | None:
    """From one joint to another, seen from above; None where they lie over each other."""
    away = np.array([end.x_mm - start.x_mm, end.y_mm - start.y_mm])
    length = float(np.hypot(*away))
    return away / length if length > SAME_SPOT_MM else None


def _is_along(way: Way, hold: _Hold) -> bool:
    return abs(float(way @ hold.way)) >= ALONG


def _at_foot(supports: Supports, joint: str, pad_mm: float) -> bool:
    post = supports.post_at.get(joint)
    if post is None:
        return False
    foot = supports.foot[supports.post[post].foot]
    return foot.on is On.PLATE and supports.joint[joint].z_mm <= pad_mm + AT_FOOT_MM


def limbs_mm3(supports: Supports, settings: SupportSettings) -> float:
    """Volume of posts and diagonals."""

    def rod(a: Joint | Foot, b: Joint | Foot, diameter_mm: float) -> float:
        return float(np.linalg.norm(a.point_mm - b.point_mm)) * _section_mm2(diameter_mm)

    posts = sum(rod(supports.joint[p.top], supports.foot[p.foot], p.diameter_mm or settings.post_mm) for p in supports.posts)
    thin = TWIG_SHARE * settings.post_mm
    return posts + sum(rod(supports.joint[b.upper], supports.joint[b.lower], b.diameter_mm or thin) for b in supports.braces)


@dataclass(frozen=True)
class _Rung:
    """A diagonal: from a height on one post to one on another. `lower_post` "" : on a stay of its own, whose foot is at (x,
    y)."""

    upper_post: str
    upper_mm: float
    lower_post: str
    lower_mm: float
    foot_mm: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True, eq=False)
class _Ladder:
    """Diagonals that hold a post in one way. cost_mm : their length, with what the feet of stays cost."""

    rungs: tuple[_Rung, ...]
    way: Way
    cost_mm: float


def braced(
    supports: Supports, most_free_mm: Mapping[str, float], room: Clearance, settings: SupportSettings
) -> tuple[Supports, tuple[str, ...]]:
    """Supports with diagonals that leave no more of some posts free than asked for, and the posts of which more stays free,
    little more where that can be had.

    Ladders to neighbouring posts are tried with those to stays on feet of their own, the shortest first; all pass clear of the
    part, and lean no more than a twig may. Where diagonals as thin as twigs are too soft, they are as stout as posts.

    Parameters
    ----------
    most_free_mm : by the post's id.
    """
    left = []
    for id in sorted(most_free_mm, key=lambda id: (most_free_mm[id], id)):
        thickness = (None, settings.post_mm, settings.stoutest_post_mm)
        asked = [(1.0, thick) for thick in thickness] + [(more, settings.stoutest_post_mm) for more in LOOSER]
        tried = (_braced_one(supports, id, times * most_free_mm[id], room, settings, thick) for times, thick in asked)
        made = next((one for one in tried if one is not None), supports)
        if _free_stretch_mm(made, id, settings) > NEARLY * most_free_mm[id]:
            left.append(id)
        supports = made
    return supports, tuple(left)


def _braced_one(
    supports: Supports, id: str, most_mm: float, room: Clearance, settings: SupportSettings, thick_mm: float | None
) -> Supports | None:
    """With diagonals so thick, as twigs where nothing is said; None where they do not do."""
    if supports.foot[supports.post[id].foot].on is not On.PLATE:
        return None
    ladders = _ladders(supports, id, most_mm, room, settings, thick_mm)
    taken: list[Way] = []

    def cost(ladder: _Ladder) -> float:
        """Its length, over how far it holds across those that were taken."""
        across = min((1 - float(ladder.way @ way) ** 2 for way in taken), default=1.0)
        return round(ladder.cost_mm / max(across, 1e-9), 3)

    while _free_stretch_mm(supports, id, settings) > NEARLY * most_mm:
        if not ladders or len(taken) == MOST_LADDERS:
            return None
        best = min(ladders, key=cost)
        ladders.remove(best)
        supports = _with_rungs(supports, best.rungs, settings, thick_mm)
        taken.append(best.way)
        ladders = [one for one in ladders if all(abs(float(one.way @ way)) < ACROSS for way in taken)]
    return supports


def _ladders(
    supports: Supports, id: str, most_mm: float, room: Clearance, settings: SupportSettings, thick_mm: float | None
) -> list[_Ladder]:
    """All ladders that would hold a post in one way, with its free stretches no longer than `most_mm`."""
    post = supports.post[id]
    top, at = supports.joint[post.top], np.array([supports.joint[post.top].x_mm, supports.joint[post.top].y_mm])
    start, low = top.z_mm - most_mm, supports.base_mm(settings)
    found = []
    for other in supports.posts:
        foot, head = supports.foot[other.foot], supports.joint[other.top]
        away = np.array([head.x_mm, head.y_mm]) - at
        apart = float(np.hypot(*away))
        if other.id == id or foot.on is not On.PLATE or not NEAREST_MM <= apart <= REACH_MM:
            continue
        rungs = _between(id, other.id, start, low, apart, most_mm, head.z_mm, settings)
        if rungs and all(_is_clear(rung, supports, room, thick_mm) for rung in rungs):
            cost = sum(float(np.hypot(apart, r.upper_mm - r.lower_mm)) for r in rungs)
            found.append(_Ladder(rungs, away / apart, cost))
    heights = _heights(start, most_mm, low)
    for turn in range(2 * WAYS):
        way = np.array([np.cos(np.pi * turn / WAYS), np.sin(np.pi * turn / WAYS)])
        stays = tuple(_stay(id, z, at, way, low) for z in heights)
        clear = all(room.post_is_clear(*rung.foot_mm, low) and _is_clear(rung, supports, room, thick_mm) for rung in stays)
        if stays and clear:
            length = sum((z - low) / np.cos(np.radians(STAY_LEAN_DEG)) + STAY_COSTS_MM for z in heights)
            found.append(_Ladder(stays, way, float(length)))
    return found


def _between(
    id: str,
    other: str,
    start_mm: float,
    low_mm: float,
    apart_mm: float,
    most_mm: float,
    head_mm: float,
    settings: SupportSettings,
) -> tuple[_Rung, ...]:
    """The fewest diagonals to and fro between two posts, from a height or a little higher down to the base; none where no lean
    fits."""
    least_step = apart_mm / np.tan(np.radians(settings.steepest_twig_deg))
    for count in range(1, 2 + int(np.ceil((start_mm - low_mm) / least_step))):
        step = max((start_mm - low_mm) / count, least_step)
        start = low_mm + count * step
        stretch = start if count == 1 else 2 * step
        steep = step > apart_mm / np.tan(np.radians(LEAST_LEAN_DEG))
        if not steep and stretch <= NEARLY * most_mm and start <= start_mm + most_mm and start - step <= head_mm:
            return tuple(
                _Rung((id, other)[n % 2], start - n * step, (other, id)[n % 2], start - (n + 1) * step) for n in range(count)
            )
    return ()


def _heights(start_mm: float, most_mm: float, low_mm: float) -> list[float]:
    """From where a post is held down, in equal steps no longer than `most_mm`."""
    if start_mm <= low_mm + AT_FOOT_MM:
        return []
    count = int(np.ceil(start_mm / most_mm - 1e-9))
    return [start_mm * (1 - n / count) for n in range(count)]


def _stay(id: str, z_mm: float, at: NDArray[np.float64], way: Way, low_mm: float) -> _Rung:
    """A diagonal from a height of a post down to a foot of its own."""
    x, y = at + way * (z_mm - low_mm) * np.tan(np.radians(STAY_LEAN_DEG))
    return _Rung(id, z_mm, "", low_mm, (float(x), float(y)))


def _is_clear(rung: _Rung, supports: Supports, room: Clearance, thick_mm: float | None) -> bool:
    """Whether a diagonal passes clear of the part."""

    def spot(post: str, z: float) -> NDArray[np.float64]:
        if not post:
            return np.array([*rung.foot_mm, z])
        top = supports.joint[supports.post[post].top]
        return np.array([top.x_mm, top.y_mm, z])

    upper, lower = spot(rung.upper_post, rung.upper_mm), spot(rung.lower_post, rung.lower_mm)
    thick_is_clear = thick_mm is None or room.is_clear_of_surface(upper, lower, 0.5 * thick_mm)
    return thick_is_clear and room.twig_is_clear(upper, lower)


def _with_rungs(supports: Supports, rungs: tuple[_Rung, ...], settings: SupportSettings, thick_mm: float | None) -> Supports:
    """With diagonals so thick; one that is there already is as thick as the thicker of both."""
    for rung in rungs:
        supports, upper = _joint_on(supports, rung.upper_post, rung.upper_mm)
        if rung.lower_post:
            supports, lower = _joint_on(supports, rung.lower_post, rung.lower_mm)
        else:
            supports, lower = _with_stay(supports, *rung.foot_mm, supports.base_mm(settings))
        there = [b for b in supports.braces if {b.upper, b.lower} == {upper, lower}]
        thinner = [b for b in there if (thick_mm or 0.0) > (b.diameter_mm or TWIG_SHARE * settings.post_mm)]
        if not there:
            brace = Brace(f"brace-{supports.last + 1}", upper, lower, thick_mm)
            supports = replace(supports, braces=(*supports.braces, brace), last=supports.last + 1)
        elif thinner:
            grown = tuple(replace(b, diameter_mm=thick_mm) if b in thinner else b for b in supports.braces)
            supports = replace(supports, braces=grown)
    return supports


def _joint_on(supports: Supports, post: str, z_mm: float) -> tuple[Supports, str]:
    """The joint of a post at a height, an old one where there is one."""
    for joint in supports.joints:
        if supports.post_at.get(joint.id) == post and abs(joint.z_mm - z_mm) < SAME_SPOT_MM:
            return supports, joint.id
    top, id = supports.joint[supports.post[post].top], f"joint-{supports.last + 1}"
    joints = (*supports.joints, Joint(id, top.x_mm, top.y_mm, z_mm, post))
    return replace(supports, joints=joints, last=supports.last + 1), id


def _with_stay(supports: Supports, x_mm: float, y_mm: float, top_mm: float) -> tuple[Supports, str]:
    """One more post, no higher than the base, for a diagonal to end on; and its top."""
    n = supports.last + 1
    joint, foot = Joint(f"joint-{n}", x_mm, y_mm, top_mm), Foot(f"foot-{n}", x_mm, y_mm, 0.0)
    post = Post(f"post-{n}", joint.id, foot.id)
    made = replace(supports, joints=(*supports.joints, joint), feet=(*supports.feet, foot), posts=(*supports.posts, post), last=n)
    return made, joint.id
