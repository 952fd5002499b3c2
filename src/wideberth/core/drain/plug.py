"""Plugs: what closes a drain hole later, following the surface that was drilled away."""

from __future__ import annotations

import math

from wideberth.core.drain.hole import Drilled
from wideberth.core.errors import BadModel
from wideberth.core.model import Exact, Mesh, meshes_of

LEAST_MM = 0.4
EASE_DEG = 1.0
"""A plug for a straight hole is thinner towards its inner end by this, so that it starts easily."""


def plug(outer: Mesh, drilled: Drilled, clearance_mm: float, name: str = "plug") -> tuple[Mesh, str]:
    """The plug of a hole in the part's own frame, and a note when its outer end is flat.

    It is the hole's own outline less a clearance on each side, as long as the wall; its outer end is the part's surface.

    Raises
    ------
    BadModel : when the clearance leaves nothing.
    """
    if 0.5 * drilled.hole.diameter_mm - clearance_mm < LEAST_MM:
        raise BadModel(
            f"a clearance of {clearance_mm:g} mm leaves no plug for a hole of {drilled.hole.diameter_mm:g} mm.",
            where=name,
            remedy="Use a smaller clearance or a wider hole.",
        )
    ease = drilled.wall_mm * math.tan(math.radians(EASE_DEG)) if drilled.hole.taper_deg == 0 else 0.0
    beyond = 2.0 * drilled.widest_radius_mm + 0.5
    rough = drilled.bored(-beyond, drilled.wall_mm, clearance_mm)
    if ease > 0:
        axis, tip = drilled.at(drilled.wall_mm), drilled.at(-beyond)
        depth = (rough.points - tip) @ drilled.along / (drilled.wall_mm + beyond)
        middle = tip + depth[:, None] * (axis - tip)
        shrink = 1 - depth * ease / (0.5 * drilled.hole.diameter_mm)
        rough = Mesh(middle + (rough.points - middle) * shrink[:, None], rough.faces)
    try:
        made = meshes_of([Exact.solid(rough) ^ Exact.solid(outer)], name, what="shaping plugs")[0]
        if made.triangles == 0:
            raise BadModel("nothing of the part is left in the hole.", where=name)
        return made, ""
    except BadModel:
        return drilled.bored(
            0.0, drilled.wall_mm, clearance_mm
        ), f"{name}: its outer end is flat, since the part is no closed solid"
