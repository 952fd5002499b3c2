"""Keys of a joint: pegs, tapered pins, rings and dovetails, and the sockets that they go into."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from manifold3d import CrossSection, JoinType, Manifold

TAPER_DEG = 4.0
"""Of a pin's sides."""
FLAT_SHARE = 0.55
"""A lone peg is cut flat so far from its middle, in its radii: then it goes in one way only."""
RING_GAP_DEG = 50.0
"""A gap lets a ring in one way only."""
TAIL_SHARE, TAIL_NARROWS = 0.66, 0.1
"""A dovetail's foot over its width, and by how much it narrows over each of its lengths."""
CHAMFER_SHARE, MOST_CHAMFER_MM = 0.15, 0.6
RELIEF_MM = 0.4
"""Of a socket beyond its peg's end: room for glue."""
INTO_MM = 0.2
"""A peg is sunk so far into its own side."""
CHAMFER_STEPS = 4
"""Of a ring, which is not convex."""
SAG_MM = 0.003
"""Between a circle and its facets."""
LEAST_SIDES = 24


class Kind(StrEnum):
    """What a key is."""

    PEG = "peg"
    PIN = "tapered pin"
    FLAT_PEG = "peg with a flat"
    RING = "ring"
    DOVETAIL = "dovetail"


@dataclass(frozen=True)
class Key:
    """A key on a cut. across_mm, over_mm : its place in the cut's frame. size_mm : diameter, or width of a dovetail. depth_mm :
    how far it stands up. peg_on : +1 the side that the cut's normal points to carries it, -1. turn_deg : about the normal.
    long_mm : of a dovetail, which runs through the part. wall_mm : of a ring."""

    kind: Kind
    across_mm: float
    over_mm: float
    size_mm: float
    depth_mm: float
    peg_on: int
    turn_deg: float = 0.0
    long_mm: float = 0.0
    wall_mm: float = 0.0


def key_solid(key: Key, clearance_mm: float | None = None) -> Manifold:
    """A key in the frame of its cut: from the plane into the side across; with a clearance, the socket for it.

    A peg's end is chamfered to lead in. A socket is wider all round by the clearance, and reaches over the plane by as much as
    it takes to be cut out clean.
    """
    wider = clearance_mm or 0.0
    is_socket = clearance_mm is not None
    if key.kind is Kind.DOVETAIL:
        made = _tail(key, wider, is_socket)
    else:
        made = _plug(key, wider, is_socket)
    made = made.rotate((0.0, 0.0, key.turn_deg))
    if key.peg_on > 0:  # it stands on the upper side and points down
        made = made.mirror((0.0, 0.0, 1.0))
    return made.translate((key.across_mm, key.over_mm, 0.0))


def _plug(key: Key, wider: float, is_socket: bool) -> Manifold:
    """A key with the same outline all along, or one that tapers."""
    outline, radius = _outline(key), 0.5 * key.size_mm
    into = INTO_MM  # how far a peg is sunk into its own side, and a socket reaches over the plane
    deep = key.depth_mm + (wider + RELIEF_MM if is_socket else 0.0)
    slope = math.tan(math.radians(TAPER_DEG)) if key.kind is Kind.PIN else 0.0
    levels = [(-into, slope * into), (deep, -slope * deep)]
    if not is_socket:
        chamfer = min(CHAMFER_SHARE * key.size_mm, MOST_CHAMFER_MM, 0.5 * key.depth_mm)
        levels = [(-into, slope * into), (deep - chamfer, -slope * (deep - chamfer)), (deep, -slope * deep - chamfer)]
    grown = outline.offset(wider, JoinType.Round, circular_segments=_sides(radius + wider)) if wider > 0 else outline
    if key.kind is Kind.RING:  # it draws in from both sides: by steps
        return _stepped(grown, levels)
    rings = [np.insert(_offset(grown, by).to_polygons()[0], 2, level, axis=1) for level, by in levels]
    return Manifold.hull_points(np.concatenate(rings))


def _stepped(outline: CrossSection, levels: list[tuple[float, float]]) -> Manifold:
    """A column whose outline is offset by so much at some levels, by steps between them. What is narrower stands in what is
    wider, on the same ground: slabs upon one another would leave gaps as thin as rounding."""
    made, (ground, _) = Manifold(), levels[0]
    for (low, first), (high, last) in zip(levels, levels[1:], strict=False):
        steps = 1 if first == last else CHAMFER_STEPS
        for n in range(steps):
            part = _offset(outline, first + (last - first) * (n + 0.5) / steps)
            top = low + (high - low) * (n + 1) / steps
            made = made + Manifold.extrude(part, top - ground).translate((0.0, 0.0, ground))
    return made


def _offset(outline: CrossSection, by_mm: float) -> CrossSection:
    return outline.offset(by_mm, JoinType.Miter) if by_mm else outline


def _outline(key: Key) -> CrossSection:
    """A key's outline in its own middle."""
    radius = 0.5 * key.size_mm
    circle = CrossSection.circle(radius, _sides(radius))
    if key.kind is Kind.FLAT_PEG:
        side = 4 * radius
        return circle ^ CrossSection.square((side, side), center=True).translate((0.0, FLAT_SHARE * radius - 0.5 * side))
    if key.kind is Kind.RING:
        half, far = math.radians(0.5 * RING_GAP_DEG), 2 * radius
        gap = CrossSection(
            [np.array([(0.0, 0.0), (far * math.cos(half), -far * math.sin(half)), (far * math.cos(half), far * math.sin(half))])]
        )
        inner = radius - key.wall_mm
        return circle - CrossSection.circle(inner, _sides(inner)) - gap
    return circle


def _tail(key: Key, wider: float, is_socket: bool) -> Manifold:
    """A dovetail: wider away from the plane, so that it holds, and narrowing along its length, so that it slides in one way."""
    deep = key.depth_mm + (wider if is_socket else 0.0)
    half = 0.5 * key.long_mm + (1.0 if is_socket else 0.0)
    into = INTO_MM
    rise = 0.5 * (1.0 - TAIL_SHARE) * key.size_mm / key.depth_mm
    narrows = 0.5 * TAIL_NARROWS * key.size_mm / max(key.long_mm, 1e-9)
    out = wider * math.hypot(1.0, rise)  # square to the slanting side
    corners = []
    for y in (-half, half):
        for z in (-into, deep):
            wide = 0.5 * TAIL_SHARE * key.size_mm + rise * z - narrows * y + out
            corners += [(-wide, y, z), (wide, y, z)]
    return Manifold.hull_points(np.array(corners))


def _sides(radius_mm: float) -> int:
    """So many facets keep a circle round to within `SAG_MM`; a multiple of four."""
    turn = 2 * math.acos(max(1 - SAG_MM / max(radius_mm, SAG_MM), -1.0))
    return max(LEAST_SIDES, 4 * math.ceil(2 * math.pi / max(turn, 1e-3) / 4))
