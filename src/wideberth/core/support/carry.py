"""Supports when their part is turned or raised: nothing is thrown away.

A turn about the plate's upright and another gap carry everything along, posts lengthened or shortened. After any other turn each
contact keeps its spot on the part; what the new pose still needs is routed anew, the rest is kept idle for the way back.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.loads import spacing_mm
from wideberth.core.model import Closest
from wideberth.core.progress import Progress, quiet
from wideberth.core.support.barred import NEAR_SHARE
from wideberth.core.support.bearing import Trial
from wideberth.core.support.graph import Contact, Idle, Idleness, Supports
from wideberth.core.support.need import NeedKind
from wideberth.core.support.room import FACES_UP, Room
from wideberth.core.support.route import Point, Route
from wideberth.core.support.routing import find_route
from wideberth.core.support.spots import Spots, wanted_spots

UPRIGHT = 1 - 1e-9
"""Cosine between two uprights from which they are one."""
COARSER = 2
"""Layers that are taken as one: what a pose needs is told while the part is turned."""
SAME_WAY = 0.9994
"""Cosine of two degrees: a contact is needed again where the part stands as it did when the contact was set."""
ALWAYS_NEEDED = (NeedKind.BY_HAND, NeedKind.FINDING)
"""Whoever set these had a reason that the shape does not tell."""


@dataclass(frozen=True)
class Carried:
    """Supports in another pose. kept, idle : ids of contacts that are carried, and by id why others are not. news_mm : spots that
    the new pose needs beside them. moved_whole : whether everything came along as it was."""

    supports: Supports
    kept: tuple[str, ...]
    idle: dict[str, Idleness]
    news_mm: tuple[Point, ...] = ()
    moved_whole: bool = False

    @property
    def words(self) -> str:
        """What became of them: `34 tips still needed, 12 no longer needed, 3 now unreachable; 7 new spots want one`."""
        if self.moved_whole:
            return f"{len(self.kept)} tips came along"
        text = f"{len(self.kept)} tips still needed"
        for why in Idleness:
            count = sum(w is why for w in self.idle.values())
            text += f", {count} {why}" if count else ""
        return text + (f"; {len(self.news_mm)} new spots want one" if self.news_mm else "")


def carried(
    supports: Supports,
    turn: NDArray[np.float64],
    uprights: tuple[NDArray[np.float64], NDArray[np.float64]],
    room: Callable[[], Room],
    bench: Bench,
    progress: Progress | None = None,
) -> Carried:
    """Supports after their part was turned or raised.

    Parameters
    ----------
    turn : 4 x 4, from the former place of the part's points, around its own place on the plate, to the present one.
    uprights : the plate's upright in the part's own frame, (3,), before and now. room : round the part as it is now, asked for
    when ways have to be found anew.

    Raises
    ------
    Cancelled : when the progress is cancelled.
    """
    progress = progress or quiet()
    if turn[2, 2] >= UPRIGHT:
        moved = supports.moved(turn)
        if not moved.joints or min(j.z_mm for j in moved.joints) > moved.base_mm(bench.supports):
            return Carried(moved, tuple(c.id for c in moved.contacts), {i.contact.id: i.why for i in moved.idle}, (), True)
    return _routed_anew(_as_set(supports, uprights[0]), turn, uprights[1], room(), bench, progress)


def _as_set(supports: Supports, upright: NDArray[np.float64]) -> Supports:
    """With the upright at which they were set on those contacts that do not have one yet."""
    x, y, z = (float(v) for v in upright)
    return replace(
        supports, contacts=tuple(c if c.upright is not None else replace(c, upright=(x, y, z)) for c in supports.contacts)
    )


def _routed_anew(
    supports: Supports, turn: NDArray[np.float64], upright: NDArray[np.float64], room: Room, bench: Bench, progress: Progress
) -> Carried:
    settings, apart = bench.supports, spacing_mm(bench)
    progress.at(0.0, "looking what the pose needs")
    light = room.light
    wanted, _ = wanted_spots(light, Trial(light, bench, progress).alone(COARSER), settings, apart)
    former = sorted([*supports.contacts, *(i.contact for i in supports.idle)], key=lambda c: _number(c.id))
    spots = np.array([c.spot_mm for c in former]).reshape(-1, 3) @ turn[:3, :3].T + turn[:3, 3]
    _, face, on = Closest(light).nearest(spots)
    needed = _needed(former, upright, on, light.normals[face], wanted, settings.carry_slope_deg, apart)
    made, idle = Supports(base=supports.base, last=supports.last), []
    for number, contact in enumerate(former):
        if number % 20 == 0:
            progress.at(0.5 + 0.5 * number / len(former), "leading posts to the plate")
        x, y, z = (float(v) for v in on[number])
        now = replace(contact, x_mm=x, y_mm=y, z_mm=z)
        if not needed[number]:
            idle.append(Idle(now, Idleness.NOT_NEEDED))
            continue
        normal = light.normals[face[number]]
        route = None if normal[2] > FACES_UP else find_route(on[number], normal, room.clearance, settings, made)
        if route is None:
            idle.append(Idle(now, Idleness.UNREACHABLE))
            continue
        made = _with_contact(made.with_route(route, contact.diameter_mm, contact.need), now)
    made = replace(made, idle=tuple(idle))
    held = np.array([c.spot_mm for c in made.contacts]).reshape(-1, 3)
    news = [p for p in wanted.points if len(held) == 0 or np.linalg.norm(held - p, axis=1).min() > apart]
    return Carried(
        made,
        tuple(c.id for c in made.contacts),
        {i.contact.id: i.why for i in idle},
        tuple((float(x), float(y), float(z)) for x, y, z in news),
    )


def led_anew(
    supports: Supports, contacts: Collection[str], way_to: Callable[[NDArray[np.float64], Supports], Route | None]
) -> Supports:
    """Supports with some contacts, by id, led to the plate anew from where they are; those that no way leads from are kept aside.

    Parameters
    ----------
    way_to : a route from a spot (3,) past, or joining, what stands already; None where there is none.
    """
    made, idle = supports.without(contacts), list(supports.idle)
    for contact in sorted((c for c in supports.contacts if c.id in contacts), key=lambda c: _number(c.id)):
        route = way_to(contact.spot_mm, made)
        if route is None:
            idle.append(Idle(contact, Idleness.UNREACHABLE))
        else:
            made = _with_contact(made.with_route(route, contact.diameter_mm, contact.need), contact)
    return replace(made, idle=tuple(idle))


def _number(id: str) -> int:
    """The number in an id: contacts are led to the plate in the order in which they were set, since posts carry later twigs."""
    return int(id.rpartition("-")[2])


def _with_contact(made: Supports, contact: Contact) -> Supports:
    """The newest contact takes over what one that was there before had of its own."""
    new, tip = made.contacts[-1], made.tips[-1]
    named = replace(new, id=contact.id, pinned=contact.pinned, depth_mm=contact.depth_mm, upright=contact.upright)
    return replace(made, contacts=(*made.contacts[:-1], named), tips=(*made.tips[:-1], replace(tip, contact=contact.id)))


def _needed(
    contacts: list[Contact],
    upright: NDArray[np.float64],
    on_mm: NDArray[np.float64],
    normals: NDArray[np.float64],
    wanted: Spots,
    carry_slope_deg: float,
    apart_mm: float,
) -> NDArray[np.bool_]:
    """Whether a pose needs contacts, (n,): they are pinned or set by hand, or set while the part stood this way; hold an
    underside that does not carry itself; or stand by a spot that is wanted."""
    as_set = [c.upright is not None and float(np.dot(c.upright, upright)) > SAME_WAY for c in contacts]
    held = np.array([c.pinned or c.need.kind in ALWAYS_NEEDED for c in contacts], bool) | np.array(as_set, bool)
    down = normals[:, 2] < -np.cos(np.radians(carry_slope_deg))
    near = np.zeros(len(contacts), bool)
    if len(wanted.points):
        away = np.linalg.norm(on_mm[:, None] - wanted.points[None], axis=2)
        near = away.min(axis=1) < NEAR_SHARE * apart_mm
    return held | down | near
