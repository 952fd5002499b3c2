"""Supports with their base as closed, overlapping meshes, and as the tips that the loads are shared over."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from wideberth.core.bench import SupportSettings
from wideberth.core.layers import Touch
from wideberth.core.model import Mesh, balls, joined, rods
from wideberth.core.support.base import base_mesh
from wideberth.core.support.bracing import free_stretches_mm
from wideberth.core.support.graph import Supports
from wideberth.core.support.limbs import SHORTEST_TWIG_MM, limbs, post_radius_mm, twig_radius_mm
from wideberth.core.support.route import Route

SIDES = 8
BALL_SIDES = 6


def supports_mesh(supports: Supports, settings: SupportSettings) -> Mesh | None:
    """All tips, twigs, posts and the base of a part, around its own place; None when there are none."""
    if not supports:
        return None
    made = [limb for limb in limbs(supports, settings) if limb.length_mm > 0]
    start, end = (np.array([getattr(l, at) for l in made]) for at in ("start", "end"))
    thin, thick = (np.array([getattr(l, at) for l in made]) for at in ("start_radius_mm", "end_radius_mm"))
    base = base_mesh(supports, settings)
    return joined([rods(start, end, thin, thick, SIDES), _joints(supports, settings), *([] if base is None else [base])])


def _joints(supports: Supports, settings: SupportSettings) -> Mesh:
    """Balls where twigs bend, and the round tops of posts."""
    round_mm = [
        (np.array(upper), twig_radius_mm(supports, id, settings))
        for id, route in supports.routes.items()
        if route.twig_mm > SHORTEST_TWIG_MM
        for upper, _ in route.legs_mm
    ]
    round_mm += [(supports.joint[p.top].point_mm, post_radius_mm(p, settings)) for p in supports.posts]
    return balls(np.array([at for at, _ in round_mm]).reshape(-1, 3), np.array([radius for _, radius in round_mm]), BALL_SIDES)


def _bends_mm(route: Route, free_mm: float | None) -> float | None:
    """The longest stretch under a joint that nothing holds aside; None for the whole of a straight post."""
    if not route.bends_mm:
        return free_mm
    return max(route.length_mm if free_mm is None else route.twig_mm, free_mm or 0.0)


def without_touch(held: tuple[Touch, ...], contact: str) -> tuple[Touch, ...]:
    """Holders less one; what the others are on stays as it was, but for posts that lose a diagonal."""
    return tuple(touch for touch in held if touch.contact != contact)


def resized(held: tuple[Touch, ...], diameter_mm: Mapping[str, float]) -> tuple[Touch, ...]:
    """Holders with other diameters of some, by contact."""
    return tuple(
        replace(touch, diameter_mm=diameter_mm[touch.contact]) if touch.contact in diameter_mm else touch for touch in held
    )


def touches(supports: Supports, settings: SupportSettings, part: int, x_mm: float, y_mm: float) -> tuple[Touch, ...]:
    """The contacts as holders on the plate, for a part placed at (x, y), in their order."""
    made = []
    free = free_stretches_mm(supports, settings) if supports.braces else {}
    for c in supports.contacts:
        route = supports.routes[c.id]
        post = supports.post[route.post]
        made.append(
            Touch(
                part,
                c.id,
                c.x_mm + x_mm,
                c.y_mm + y_mm,
                c.z_mm,
                c.diameter_mm,
                settings.contact_depth_mm if c.depth_mm is None else c.depth_mm,
                route.length_mm,
                settings.post_mm if post.diameter_mm is None else post.diameter_mm,
                route.top_mm[0] + x_mm,
                route.top_mm[1] + y_mm,
                route.top_mm[2],
                route.foot_mm[2],
                route.post,
                _bends_mm(route, free.get(route.post)),
                post.narrow,
            )
        )
    return tuple(made)
