"""The straight pieces that supports are made of, as truncated cones, and those that run through the part."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.model import Closest, ring_about
from wideberth.core.support.graph import TWIG_SHARE, Brace, On, Post, Supports
from wideberth.core.support.route import Point, Route

LEAVES_MM = 0.6
"""A piece that begins on the part leaves it within this length, and its radius, since a steep face holds a wide rim longer."""
SHORTEST_TWIG_MM = 0.05
"""A shorter one is within the joint's ball."""
LAP_MM = 0.1
"""What reaches into the part begins so far within the taper: solids that only meet leave a slit when they are joined."""
LINES = 6
"""Lines along a piece's side that are looked along, beside its axis."""
Spot = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Limb:
    """A truncated cone. start, end : (3,) [mm]. leaves_mm : so far from its start it may lie in the part; infinite for what is to
    be in it."""

    start: Spot
    end: Spot
    start_radius_mm: float
    end_radius_mm: float
    leaves_mm: float = 0.0

    @property
    def length_mm(self) -> float:
        """0 where a joint lies on what it joins: such a piece has no side, and is within its neighbour."""
        return float(np.linalg.norm(self.end - self.start))


def limbs(supports: Supports, settings: SupportSettings) -> list[Limb]:
    """All of a part's supports but for joints and the base, around its own place."""
    made = [limb for id, route in supports.routes.items() for limb in _under(supports, id, route, settings)]
    made += [limb for post in supports.posts for limb in _post(post, supports, settings)]
    return made + [_diagonal(brace, supports, settings) for brace in supports.braces]


def twig_radius_mm(supports: Supports, contact: str, settings: SupportSettings) -> float:
    """Half the thickness of what a contact's tapered end runs into."""
    twig = supports.twig_under.get(contact)
    return 0.5 * (TWIG_SHARE * settings.post_mm if twig is None or twig.diameter_mm is None else twig.diameter_mm)


def post_radius_mm(post: Post, settings: SupportSettings) -> float:
    """Half a post's thickness."""
    return 0.5 * (settings.post_mm if post.diameter_mm is None else post.diameter_mm)


def _under(supports: Supports, id: str, route: Route, settings: SupportSettings) -> list[Limb]:
    """What a contact reaches into the part, its tapered end, in which that begins, and its twig."""
    contact, wide = supports.contact[id], twig_radius_mm(supports, id, settings)
    tip, spot, joint = 0.5 * contact.diameter_mm, np.array(route.spot_mm), np.array(route.joint_mm)
    depth = settings.contact_depth_mm if contact.depth_mm is None else contact.depth_mm
    lap = min(LAP_MM, 0.5 * float(np.linalg.norm(joint - spot))) * route.towards
    made = [Limb(spot - depth * route.towards, spot + lap, tip, min(tip, wide), np.inf)]
    made += [Limb(spot, joint, tip, wide, LEAVES_MM + tip)]
    if route.twig_mm > SHORTEST_TWIG_MM:
        made += [Limb(np.array(upper), np.array(lower), wide, wide) for upper, lower in route.legs_mm]
    return made


def _post(post: Post, supports: Supports, settings: SupportSettings) -> list[Limb]:
    """A post; on the part it ends as thin as the tip that it carries."""
    radius = post_radius_mm(post, settings)
    top, foot = supports.joint[post.top].point_mm, supports.foot[post.foot].point_mm
    if supports.foot[post.foot].on is not On.PART:
        return [Limb(top, foot, radius, radius)]
    above = foot + [0, 0, min(settings.cone_mm, 0.5 * (top[2] - foot[2]))]
    thin, deep = 0.5 * supports.feet_on_part.get(post.id, settings.tip_mm), settings.contact_depth_mm
    return [Limb(foot - [0, 0, deep], above, thin, radius, deep + LEAVES_MM), Limb(top, above, radius, radius)]


def _diagonal(brace: Brace, supports: Supports, settings: SupportSettings) -> Limb:
    radius = 0.5 * (TWIG_SHARE * settings.post_mm if brace.diameter_mm is None else brace.diameter_mm)
    return Limb(supports.joint[brace.upper].point_mm, supports.joint[brace.lower].point_mm, radius, radius)


def through_part(supports: Supports, surface: Closest, matrix: Spot, settings: SupportSettings) -> tuple[Point, ...]:
    """Where supports run through the part although they should pass clear of it, one spot for each piece that does, in the part's
    own frame.

    A piece is looked along by its axis and by lines along its side: exactly, for those lines.

    Parameters
    ----------
    surface : the part's, in its own frame. matrix : 4 x 4 rigid, from there to its own place on the plate.
    """
    found: list[Point] = []
    looked = [limb for limb in limbs(supports, settings) if limb.length_mm > limb.leaves_mm]
    if not looked:
        return ()
    starts, ways, lengths = (np.stack(column) for column in zip(*map(_lines, looked), strict=True))
    starts, ways = (starts - matrix[:3, 3]) @ matrix[:3, :3], ways @ matrix[:3, :3]
    hit = surface.first_hit(starts.reshape(-1, 3), ways.reshape(-1, 3), 0.0).reshape(lengths.shape)
    for n in np.flatnonzero((hit < lengths).any(axis=1)):
        line = int(hit[n].argmin())
        x, y, z = (float(v) for v in starts[n, line] + hit[n, line] * ways[n, line])
        found.append((x, y, z))
    return tuple(found)


def _lines(limb: Limb) -> tuple[Spot, Spot, Spot]:
    """Starts (lines, 3), unit directions (lines, 3) and lengths (lines,) of the lines along a piece, from where it has left the
    part."""
    along, length = limb.end - limb.start, limb.length_mm
    ring = np.concatenate((np.zeros((1, 3)), ring_about(along, LINES)))
    share = limb.leaves_mm / length
    start = limb.start + share * along + ring * (limb.start_radius_mm + share * (limb.end_radius_mm - limb.start_radius_mm))
    way = limb.end + ring * limb.end_radius_mm - start
    lengths = np.linalg.norm(way, axis=1)
    return start, way / np.maximum(lengths, 1e-12)[:, None], lengths
