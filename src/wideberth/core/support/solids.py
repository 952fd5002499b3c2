"""Supports with their base as closed, overlapping meshes, and as the tips that the loads are shared over."""

from __future__ import annotations

import numpy as np

from wideberth.core.bench import SupportSettings
from wideberth.core.layers import Touch
from wideberth.core.model import Mesh, ball, joined, rod
from wideberth.core.support.base import base_mesh
from wideberth.core.support.bracing import free_stretches_mm
from wideberth.core.support.graph import TWIG_SHARE, Brace, On, Post, Supports
from wideberth.core.support.route import Route

SIDES = 8
BALL_SIDES = 6
SHORTEST_TWIG_MM = 0.05
"""A shorter one is within the joint's ball."""


def supports_mesh(supports: Supports, settings: SupportSettings) -> Mesh | None:
    """All tips, twigs, posts and the base of a part, around its own place; None when there are none."""
    if not supports:
        return None
    pieces = [piece for c, route in supports.routes.items() for piece in _limb(supports, c, route, settings)]
    pieces += [piece for post in supports.posts for piece in _post(post, supports, settings)]
    pieces += [piece for brace in supports.braces for piece in _brace(brace, supports, settings)]
    base = base_mesh(supports, settings)
    return joined([*pieces, base] if base is not None else pieces)


def _limb(supports: Supports, id: str, route: Route, settings: SupportSettings) -> list[Mesh]:
    """A contact's tapered end and its twig."""
    contact, twig = supports.contact[id], supports.twig_under.get(id)
    thick = TWIG_SHARE * settings.post_mm if twig is None or twig.diameter_mm is None else twig.diameter_mm
    tip_radius, twig_radius = 0.5 * contact.diameter_mm, 0.5 * thick
    spot, joint = np.array(route.spot_mm), np.array(route.joint_mm)
    depth = settings.contact_depth_mm if contact.depth_mm is None else contact.depth_mm
    pieces = [
        rod(spot - depth * route.towards, spot, tip_radius, tip_radius, SIDES),
        rod(spot, joint, tip_radius, twig_radius, SIDES),
    ]
    if route.twig_mm > SHORTEST_TWIG_MM:
        for upper, lower in (np.array(leg) for leg in route.legs_mm):
            pieces += [ball(upper, twig_radius, BALL_SIDES), rod(upper, lower, twig_radius, twig_radius, SIDES)]
    return pieces


def _post(post: Post, supports: Supports, settings: SupportSettings) -> list[Mesh]:
    """A post with its round top; on the part it ends as thin as the tip that it carries."""
    radius = 0.5 * (settings.post_mm if post.diameter_mm is None else post.diameter_mm)
    top, foot = supports.joint[post.top].point_mm, supports.foot[post.foot].point_mm
    pieces = [ball(top, radius, BALL_SIDES)]
    if supports.foot[post.foot].on is On.PART:
        above = foot + [0, 0, min(settings.cone_mm, 0.5 * (top[2] - foot[2]))]
        thin = 0.5 * supports.feet_on_part.get(post.id, settings.tip_mm)
        pieces.append(rod(above, foot - [0, 0, settings.contact_depth_mm], radius, thin, SIDES))
        foot = above
    pieces.append(rod(top, foot, radius, radius, SIDES))
    return pieces


def _brace(brace: Brace, supports: Supports, settings: SupportSettings) -> list[Mesh]:
    """A diagonal between two posts."""
    radius = 0.5 * (TWIG_SHARE * settings.post_mm if brace.diameter_mm is None else brace.diameter_mm)
    return [rod(supports.joint[brace.upper].point_mm, supports.joint[brace.lower].point_mm, radius, radius, SIDES)]


def _bends_mm(route: Route, free_mm: float | None) -> float | None:
    """The longest stretch under a joint that nothing holds aside; None for the whole of a straight post."""
    if not route.bends_mm:
        return free_mm
    return max(route.length_mm if free_mm is None else route.twig_mm, free_mm or 0.0)


def touches(supports: Supports, settings: SupportSettings, part: int, x_mm: float, y_mm: float) -> tuple[Touch, ...]:
    """The contacts as holders on the plate, for a part placed at (x, y), in their order."""
    made = []
    free = free_stretches_mm(supports, settings) if supports.braces else {}
    for c in supports.contacts:
        route = supports.routes[c.id]
        stout = supports.post[route.post].diameter_mm
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
                settings.post_mm if stout is None else stout,
                route.top_mm[0] + x_mm,
                route.top_mm[1] + y_mm,
                route.top_mm[2],
                route.foot_mm[2],
                route.post,
                _bends_mm(route, free.get(route.post)),
            )
        )
    return tuple(made)
