"""Supports and base as closed, overlapping meshes, and as the tips that the loads are shared over."""

from __future__ import annotations

import numpy as np
from manifold3d import CrossSection, JoinType, Manifold, OpType

from wideberth.core.bench import SupportSettings
from wideberth.core.layers import Touch
from wideberth.core.model import Mesh, as_mesh, ball, joined, rod
from wideberth.core.support.tip import Tip

SIDES = 10
BASE_STEPS = 4
TWIG_SHARE = 0.8


def supports_mesh(tips: tuple[Tip, ...], settings: SupportSettings) -> Mesh | None:
    """All tips, twigs, posts and the base of a part, around its own place; None when there are none."""
    if not tips:
        return None
    pieces = [piece for tip in tips for piece in _support(tip, settings)]
    base = base_mesh(tips, settings)
    return joined([*pieces, base] if base is not None else pieces)


def _support(tip: Tip, settings: SupportSettings) -> list[Mesh]:
    radius, tip_radius = 0.5 * settings.post_mm, 0.5 * tip.diameter_mm
    joint, top = tip.joint_mm(_cone(tip, settings)), tip.top_point_mm
    pieces = [rod(tip.inside_mm(settings.contact_depth_mm), tip.spot_mm, tip_radius, tip_radius, SIDES),
              rod(tip.spot_mm, joint, tip_radius, TWIG_SHARE * radius, SIDES)]  # fmt: skip
    if np.linalg.norm(joint - top) > 0.05:
        pieces += [
            ball(joint, TWIG_SHARE * radius, 8),
            rod(joint, top, TWIG_SHARE * radius, TWIG_SHARE * radius, SIDES),
        ]
    if tip.foot == "post":
        return pieces
    pieces.append(ball(top, radius, 8))
    foot = np.array([tip.post_x_mm, tip.post_y_mm, tip.foot_mm])
    if tip.foot == "part":
        above = foot + [0, 0, min(settings.cone_mm, 0.5 * (tip.top_mm - tip.foot_mm))]
        pieces += [rod(above, foot - [0, 0, settings.contact_depth_mm], radius, tip_radius, SIDES)]
        foot = above
    pieces.append(rod(top, foot, radius, radius, SIDES))
    return pieces


def _cone(tip: Tip, settings: SupportSettings) -> float:
    """Length of the tapered end; shorter near the plate."""
    return float(min(settings.cone_mm, max(0.5, 0.6 * (tip.z_mm - settings.pad_height_mm))))


def base_mesh(tips: tuple[Tip, ...], settings: SupportSettings) -> Mesh | None:
    """Pads under all posts on the plate.

    Near pads grow together, and whatever they would enclose is filled, so that the base itself is never a cup. The
    rim leans outward from the plate, so that a scraper gets under.
    """
    feet = {(round(t.post_x_mm, 3), round(t.post_y_mm, 3)) for t in tips if t.foot == "plate"}
    if not feet:
        return None
    circle = CrossSection.circle(0.5 * settings.pad_mm, 32)
    outline = CrossSection.batch_boolean([circle.translate(foot) for foot in sorted(feet)], OpType.Add)
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


def _signed_area(loop: np.ndarray) -> float:
    x, y = loop[:, 0], loop[:, 1]
    return float(0.5 * (x * np.roll(y, -1) - y * np.roll(x, -1)).sum())


def touches(tips: tuple[Tip, ...], settings: SupportSettings, part: int, x_mm: float, y_mm: float) -> tuple[Touch, ...]:
    """The tips as holders on the plate, for a part placed at (x, y)."""
    found = []
    for number, tip in enumerate(tips):
        found.append(
            Touch(part, number, tip.x_mm + x_mm, tip.y_mm + y_mm, tip.z_mm, tip.diameter_mm,
                  settings.contact_depth_mm, tip.length_mm(_cone(tip, settings)), settings.post_mm, tip.why)
        )  # fmt: skip
    return tuple(found)
