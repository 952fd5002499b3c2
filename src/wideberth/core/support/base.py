"""What stands under the posts: pads tied by ribs, pads alone, one slab, or a frame; none of them is ever a cup."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import scipy
from manifold3d import CrossSection, JoinType, Manifold, OpType
from numpy.typing import NDArray

from wideberth.core.bench import SupportSettings
from wideberth.core.model import Mesh, as_mesh, joined
from wideberth.core.support.graph import BaseKind, On, Supports

BASE_STEPS = 4
BASES_KEPT = 32
ROUND, FINE_MM = 32, 0.01
"""Sides of a round outline, and by how much at most an outline is not quite as round: under half of a fine pixel."""
Spots = NDArray[np.float64]
"""Places seen from above, (n, 2)."""


def base_mesh(supports: Supports, settings: SupportSettings) -> Mesh | None:
    """The base under all posts on the plate; None where none stands there.

    Whatever an outline would enclose is filled, and where a frame would enclose resin it has a gap, so that no base is a cup. The
    rim leans outward from the plate, so that a scraper gets under.
    """
    on_plate = {(round(f.x_mm, 3), round(f.y_mm, 3)) for f in supports.feet if f.on is On.PLATE}
    return _built(tuple(sorted(on_plate)), supports.base, supports.base_mm(settings), settings) if on_plate else None


@lru_cache(BASES_KEPT)
def _built(on_plate: tuple[tuple[float, float], ...], kind: BaseKind, height: float, settings: SupportSettings) -> Mesh:
    """The base under feet on the plate, in order; while tips are sized and thinned the same feet come again and again."""
    feet = np.array(on_plate)
    outline = _outline(feet, kind, settings)
    bridge = 0.5 * settings.pad_bridge_mm
    outline = outline.offset(bridge, JoinType.Round, 2.0, ROUND).offset(-bridge, JoinType.Round, 2.0, ROUND)
    filled = CrossSection([c for c in outline.to_polygons() if _signed_area(np.asarray(c)) > 0]).simplify(FINE_MM)
    edge_deg = settings.slab_edge_deg if kind is BaseKind.SLAB else settings.pad_slope_deg
    lean = 1 / np.tan(np.radians(edge_deg))
    slabs = []
    for step in range(BASE_STEPS):
        low, high = height * step / BASE_STEPS, height * (step + 1) / BASE_STEPS
        drawn_in = (height - 0.5 * (low + high)) * lean
        slab = filled.offset(-drawn_in, JoinType.Round, 2.0, ROUND).simplify(FINE_MM)
        overlap = 0.02 if step else 0.0
        slabs.append(Manifold.extrude(slab, high - low + overlap).translate((0, 0, low - overlap)))
    return joined([as_mesh(slab) for slab in slabs if not slab.is_empty()])


def _outline(feet: Spots, kind: BaseKind, settings: SupportSettings) -> CrossSection:
    """A base seen from above, at its top."""
    circle = CrossSection.circle(0.5 * settings.pad_mm, ROUND)
    pads = [circle.translate((float(x), float(y))) for x, y in feet]
    if kind is BaseKind.SLAB:
        return CrossSection.batch_hull(pads)
    if kind is BaseKind.ALONE:
        return CrossSection.batch_boolean(pads, OpType.Add)
    tree = _tree(feet)
    bars = [_rib(feet[i], feet[j], settings) for i, j in tree]
    if kind is BaseKind.FRAME:
        bars += [bar for i, j in _ring(feet, tree) for bar in _open_rib(feet[i], feet[j], settings)]
    return CrossSection.batch_boolean(pads + bars, OpType.Add)


def _tree(feet: Spots) -> list[tuple[int, int]]:
    """The shortest tree that joins all feet, as pairs of their numbers: without loops, so that nothing is enclosed."""
    if len(feet) < 2:
        return []
    apart = np.hypot(feet[:, None, 0] - feet[None, :, 0], feet[:, None, 1] - feet[None, :, 1])
    tree = scipy.sparse.csgraph.minimum_spanning_tree(apart).tocoo()
    return [(int(i), int(j)) for i, j in zip(tree.row, tree.col, strict=True)]


def _ring(feet: Spots, tree: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Pairs of neighbours on the outline of all feet that the tree does not join."""
    if len(feet) < 3 or np.linalg.matrix_rank(feet - feet[0], tol=1e-6) < 2:
        return []
    hull = [int(i) for i in scipy.spatial.ConvexHull(feet).vertices]
    joins = {frozenset(pair) for pair in tree}
    return [(a, b) for a, b in zip(hull, hull[1:] + hull[:1], strict=True) if frozenset((a, b)) not in joins]


def _rib(a: Spots, b: Spots, settings: SupportSettings) -> CrossSection:
    """A bar between two places, seen from above."""
    along = (b - a) / np.hypot(*(b - a))
    side = 0.5 * settings.rib_mm * np.array([-along[1], along[0]])
    return CrossSection([np.array([a - side, b - side, b + side, a + side])])


def _open_rib(a: Spots, b: Spots, settings: SupportSettings) -> list[CrossSection]:
    """A bar between two pads with a gap in its middle through which resin runs; whole where pads leave no room for one.

    The gap is wider than what grows together.
    """
    length, gap = float(np.hypot(*(b - a))), settings.pad_bridge_mm + settings.drain_gap_mm
    if length < settings.pad_mm + gap:
        return [_rib(a, b, settings)]
    along, middle = (b - a) / length, 0.5 * (a + b)
    return [_rib(a, middle - 0.5 * gap * along, settings), _rib(middle + 0.5 * gap * along, b, settings)]


def _signed_area(loop: np.ndarray) -> float:
    x, y = loop[:, 0], loop[:, 1]
    return float(0.5 * (x * np.roll(y, -1) - y * np.roll(x, -1)).sum())
