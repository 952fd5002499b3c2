"""Supports and base as closed, overlapping meshes, and as the tips that the loads are shared over."""

from __future__ import annotations

import numpy as np
import scipy
from manifold3d import CrossSection, JoinType, Manifold, OpType
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.layers import Touch
from wideberth.core.model import Mesh, as_mesh, ball, joined, rod
from wideberth.core.support.tip import Tip

SIDES = 8
BALL_SIDES = 6
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
    stout = radius if tip.post_mm is None else 0.5 * tip.post_mm
    joint, top = tip.joint_mm, tip.top_point_mm
    pieces = []
    if tip.diameter_mm > 0:
        pieces.append(rod(tip.inside_mm(settings.contact_depth_mm), tip.spot_mm, tip_radius, tip_radius, SIDES))
        pieces.append(rod(tip.spot_mm, joint, tip_radius, TWIG_SHARE * radius, SIDES))
    if tip.diameter_mm > 0 and np.linalg.norm(joint - top) > 0.05:
        pieces += [
            ball(joint, TWIG_SHARE * radius, BALL_SIDES),
            rod(joint, top, TWIG_SHARE * radius, TWIG_SHARE * radius, SIDES),
        ]
    if tip.foot == "post":
        return pieces
    pieces.append(ball(top, stout, BALL_SIDES))
    foot = np.array([tip.post_x_mm, tip.post_y_mm, tip.foot_mm])
    if tip.foot == "part":
        above = foot + [0, 0, min(settings.cone_mm, 0.5 * (tip.top_mm - tip.foot_mm))]
        pieces += [rod(above, foot - [0, 0, settings.contact_depth_mm], stout, tip_radius, SIDES)]
        foot = above
    pieces.append(rod(top, foot, stout, stout, SIDES))
    return pieces


def base_mesh(tips: tuple[Tip, ...], settings: SupportSettings) -> Mesh | None:
    """Pads under all posts on the plate, tied together by ribs, so that no post stands or tips alone.

    The ribs are the shortest tree between the pads: it has no loops, and whatever pads that grow together would
    enclose is filled, so that the base itself is never a cup. The rim leans outward from the plate, so that a scraper
    gets under.
    """
    feet = np.unique(np.round([(t.post_x_mm, t.post_y_mm) for t in tips if t.foot == "plate"], 3), axis=0)
    if feet.size == 0:
        return None
    circle = CrossSection.circle(0.5 * settings.pad_mm, 32)
    outline = CrossSection.batch_boolean(
        [circle.translate((float(x), float(y))) for x, y in feet] + [_rib(a, b, settings) for a, b in _tree(feet)],
        OpType.Add,
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


def touches(tips: tuple[Tip, ...], settings: SupportSettings, part: int, x_mm: float, y_mm: float,
            numbers: tuple[int, ...] = ()) -> tuple[Touch, ...]:  # fmt: skip
    """The tips as holders on the plate, for a part placed at (x, y); posts without a tip of their own hold nothing.

    numbers : of each tip in the recipe, where some of its tips are left out.
    """
    found = []
    for number, tip in zip(numbers or range(len(tips)), tips, strict=True):
        if tip.diameter_mm <= 0:
            continue
        stout = settings.post_mm if tip.post_mm is None else tip.post_mm
        found.append(
            Touch(part, number, tip.x_mm + x_mm, tip.y_mm + y_mm, tip.z_mm, tip.diameter_mm,
                  settings.contact_depth_mm, tip.length_mm, stout, tip.post_x_mm + x_mm,
                  tip.post_y_mm + y_mm, tip.top_mm, tip.why,
                  0.0 if tip.foot == "post" else tip.foot_mm)
        )  # fmt: skip
    return tuple(found)
