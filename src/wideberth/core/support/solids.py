"""Supports and base as closed, overlapping meshes, and as the tips that the loads are shared over."""

from __future__ import annotations

import numpy as np
import scipy
from manifold3d import CrossSection, JoinType, Manifold, OpType
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.layers import Touch
from wideberth.core.model import Mesh, as_mesh, ball, joined, rod
from wideberth.core.support.bracing import free_stretches_mm
from wideberth.core.support.graph import TWIG_SHARE, Brace, On, Post, Supports
from wideberth.core.support.route import Route

SIDES = 8
BALL_SIDES = 6
BASE_STEPS = 4
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


def base_mesh(supports: Supports, settings: SupportSettings) -> Mesh | None:
    """Pads under all posts on the plate, tied together by ribs, so that no post stands or tips alone.

    The ribs are the shortest tree between the pads: it has no loops, and whatever pads that grow together would
    enclose is filled, so that the base itself is never a cup. The rim leans outward from the plate, so that a scraper
    gets under.
    """
    on_plate = [(f.x_mm, f.y_mm) for f in supports.feet if f.on is On.PLATE]
    if not on_plate:
        return None
    feet = np.unique(np.round(on_plate, 3), axis=0)
    circle = CrossSection.circle(0.5 * settings.pad_mm, 32)
    outline = CrossSection.batch_boolean(
        [circle.translate((float(x), float(y))) for x, y in feet] + [_rib(a, b, settings) for a, b in _tree(feet)], OpType.Add
    )
    bridge = 0.5 * settings.pad_bridge_mm
    outline = outline.offset(bridge, JoinType.Round, 2.0, 32).offset(-bridge, JoinType.Round, 2.0, 32)
    filled = CrossSection([c for c in outline.to_polygons() if _signed_area(np.asarray(c)) > 0]).simplify(0.01)
    height = settings.pad_height_mm
    lean = 1 / np.tan(np.radians(settings.pad_slope_deg))
    slabs = []
    for step in range(BASE_STEPS):
        low, high = height * step / BASE_STEPS, height * (step + 1) / BASE_STEPS
        drawn_in = (height - 0.5 * (low + high)) * lean
        slab = filled.offset(-drawn_in, JoinType.Round, 2.0, 32)
        overlap = 0.02 if step else 0.0
        slabs.append(Manifold.extrude(slab, high - low + overlap).translate((0, 0, low - overlap)))
    return joined([as_mesh(slab) for slab in slabs if not slab.is_empty()])


def _tree(feet: NDArray[np.float64]) -> list[tuple[NDArray[np.float64], NDArray[np.float64]]]:
    """The shortest tree that joins all feet, as pairs of points."""
    if len(feet) < 2:
        return []
    apart = np.hypot(feet[:, None, 0] - feet[None, :, 0], feet[:, None, 1] - feet[None, :, 1])
    tree = scipy.sparse.csgraph.minimum_spanning_tree(apart).tocoo()
    return [(feet[i], feet[j]) for i, j in zip(tree.row, tree.col, strict=True)]


def _rib(a: NDArray[np.float64], b: NDArray[np.float64], settings: SupportSettings) -> CrossSection:
    """A bar between two pads, seen from above."""
    along = (b - a) / np.hypot(*(b - a))
    side = 0.5 * settings.rib_mm * np.array([-along[1], along[0]])
    return CrossSection([np.array([a - side, b - side, b + side, a + side])])


def _signed_area(loop: np.ndarray) -> float:
    x, y = loop[:, 0], loop[:, 1]
    return float(0.5 * (x * np.roll(y, -1) - y * np.roll(x, -1)).sum())


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
