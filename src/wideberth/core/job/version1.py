"""Version 1 of the recipe: one plate, places in poses, supports as a flat list. Read and brought to the present form."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from pydantic import ConfigDict, TypeAdapter
from pydantic.dataclasses import dataclass

from wideberth.core.bench import Bench
from wideberth.core.drain import Hole
from wideberth.core.hollow import Shell
from wideberth.core.job.job import Job, job_of
from wideberth.core.job.part import Part
from wideberth.core.job.plate import Placement
from wideberth.core.model import Mend, Source
from wideberth.core.naming import cleaned
from wideberth.core.orient import Pose, Turn
from wideberth.core.split import Cut
from wideberth.core.support import Route, Supports, need_from_words

STRICT = ConfigDict(extra="forbid", allow_inf_nan=False)
SAME_POST_MM = 1e-3


@dataclass(frozen=True, config=STRICT)
class _Pose:
    turn: Turn
    x_mm: float = 0.0
    y_mm: float = 0.0
    gap_mm: float = 0.0


@dataclass(frozen=True, config=STRICT)
class _Copy:
    x_mm: float
    y_mm: float
    mirrored: bool = False


@dataclass(frozen=True, config=STRICT)
class _Tip:
    """A support: its spot, its tapered end, where its post stands and on what; posts were told apart by their place."""

    x_mm: float
    y_mm: float
    z_mm: float
    towards: tuple[float, float, float]
    cone_mm: float
    diameter_mm: float
    post_x_mm: float
    post_y_mm: float
    top_mm: float
    foot_mm: float
    foot: str
    why: str
    post_mm: float | None = None


@dataclass(frozen=True, config=STRICT)
class _Part:
    name: str
    source: str
    source_name: str
    scale: float
    cuts: tuple[Cut, ...]
    shell: Shell | None
    holes: tuple[Hole, ...]
    pose: _Pose
    tips: tuple[_Tip, ...]
    source_item: int = 0
    mends: tuple[Mend, ...] = ()
    stretch: tuple[float, float, float] = (1.0, 1.0, 1.0)
    mirrored: bool = False
    copies: tuple[_Copy, ...] = ()
    side: str = ""


@dataclass(frozen=True, config=STRICT)
class _Recipe:
    version: int
    title: str
    parts: tuple[_Part, ...]
    linked: bool = False


def read_version_1(raw: Any, bench: Bench, source_of: Callable[[str, str, int, str], Source]) -> Job:
    """A job of version 1 in the present form.

    Parameters
    ----------
    raw : what its recipe.json holds. source_of : gives a source by its attachment, name, object's number and the part it is for.

    Raises
    ------
    ValidationError : when it does not hold what version 1 does.
    """
    recipe = TypeAdapter(_Recipe).validate_python(raw)
    job = job_of(cleaned(recipe.title), bench, linked=recipe.linked)
    for p in recipe.parts:
        source = source_of(p.source, p.source_name, p.source_item, p.name)
        part = Part(
            cleaned(p.name),
            source,
            scale=p.scale,
            cuts=p.cuts,
            shell=p.shell,
            pose=Pose(p.pose.turn, p.pose.gap_mm),
            supports=_supports(p.tips),
            mends=p.mends,
            stretch=p.stretch,
            mirrored=p.mirrored,
            side=p.side,
        )
        job = job.with_more(part.with_holes(p.holes), places=[(p.pose.x_mm, p.pose.y_mm)])
        for copy in p.copies:
            plate, number = job.plates[0], job.last + 1
            made = Placement(f"print-{number}", job.parts[-1].id, copy.x_mm, copy.y_mm, mirrored=copy.mirrored)
            job = replace(job.replated(replace(plate, placements=(*plate.placements, made))), last=number)
    return job


def _supports(tips: tuple[_Tip, ...]) -> Supports:
    """The graph of a flat list of tips. Those that join a post follow the one that it belongs to, wherever they stood."""
    supports = Supports()
    posts: dict[tuple[int, int], str] = {}
    order: dict[str, int] = {}
    for number, tip in sorted(enumerate(tips), key=lambda t: t[1].foot == "post"):
        at = (round(tip.post_x_mm / SAME_POST_MM), round(tip.post_y_mm / SAME_POST_MM))
        length = math.hypot(*tip.towards)
        x, y, z = (s + tip.cone_mm * t / length for s, t in zip((tip.x_mm, tip.y_mm, tip.z_mm), tip.towards, strict=True))
        shared = tip.foot == "post" and at in posts
        route = Route(
            (tip.x_mm, tip.y_mm, tip.z_mm),
            (x, y, z),
            (tip.post_x_mm, tip.post_y_mm, tip.top_mm),
            (tip.post_x_mm, tip.post_y_mm, tip.foot_mm if tip.foot == "part" else 0.0),
            tip.foot != "part",
            posts.get(at, "") if shared else "",
            shared,
        )
        supports = supports.with_route(route, tip.diameter_mm, need_from_words(tip.why), tip.post_mm)
        order[supports.contacts[-1].id] = number
        if tip.foot == "plate":
            posts[at] = supports.posts[-1].id
    contacts = tuple(sorted(supports.contacts, key=lambda c: order[c.id]))
    return replace(supports, contacts=contacts)
