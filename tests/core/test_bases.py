"""What stands under posts: four kinds of base, none a cup, all with a rim that leans outward and all in reach of a scraper."""

from dataclasses import replace

import numpy as np
import pytest
import scipy

from conftest import printed_of
from wideberth.core.bench import load_bench
from wideberth.core.layers import cast, grid_over, sections
from wideberth.core.model import as_solid, resolved
from wideberth.core.support import BaseKind, Need, Route, Supports, base_mesh

SETTINGS = load_bench().supports
KINDS = list(BaseKind)


def on_feet(feet: np.ndarray, kind: BaseKind) -> Supports:
    made = Supports(base=kind)
    for x, y in feet.tolist():
        made = made.with_route(Route((x, y, 9.0), (x, y, 7.0), (x, y, 7.0), (x, y, 0.0)), 0.4, Need())
    return made


def scattered(seed: int, count: int) -> np.ndarray:
    return np.random.default_rng(seed).uniform(-22, 22, (count, 2)).round(2)


RING = np.stack([18 * np.cos(np.arange(12) * np.pi / 6), 18 * np.sin(np.arange(12) * np.pi / 6)], axis=1)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("feet", [RING, scattered(1, 5), scattered(2, 14), scattered(3, 40), RING[:1], RING[:2]])
def test_no_base_is_a_cup_and_every_rim_leans_outward(kind: BaseKind, feet: np.ndarray) -> None:
    """By the engine that finds cups, layer by layer; the plate's own layer is the smallest."""
    supports = on_feet(feet, kind)
    base = base_mesh(supports, SETTINGS)
    assert base is not None
    printed = printed_of(base, 0.1, 0.05)
    assert printed.openings.count == 0
    area = printed.all.layer_area_mm2()
    assert area[-2] > area[0]
    assert base.high[2] == pytest.approx(supports.base_mm(SETTINGS)) and base.low[2] == pytest.approx(0)


@pytest.mark.parametrize("feet", [RING, scattered(2, 14)], ids=["ring", "scattered"])
def test_a_slab_is_the_hull_of_its_pads_and_pads_alone_are_so_many(feet: np.ndarray) -> None:
    """Area at the top: the hull of the feet, widened by half a pad all round (Steiner); pads apart: n π r²."""
    slab = base_mesh(on_feet(feet, BaseKind.SLAB), SETTINGS)
    assert slab is not None
    hull, r = scipy.spatial.ConvexHull(feet), 0.5 * SETTINGS.pad_mm
    drawn = 0.5 * SETTINGS.slab_mm / 4 / np.tan(np.radians(SETTINGS.slab_edge_deg))  # the middle of the top step
    top = sections(cast(slab.points, slab.faces, grid_over(slab.low, slab.high, 0.05, 0.1)))
    wide = hull.volume + hull.area * (r - drawn) + np.pi * (r - drawn) ** 2
    assert top.area_mm2[-1] == pytest.approx(wide, rel=5e-3)
    far = 12.0 * np.array([(i % 3, i // 3) for i in range(6)])
    alone = base_mesh(on_feet(far, BaseKind.ALONE), SETTINGS)
    assert alone is not None
    lone = sections(cast(alone.points, alone.faces, grid_over(alone.low, alone.high, 0.05, 0.1)))
    assert (np.diff(lone.first) == 6).all()


@pytest.mark.parametrize("feet", [RING, scattered(5, 20)], ids=["ring", "scattered"])
def test_a_frame_goes_all_round_and_stays_one_piece(feet: np.ndarray) -> None:
    """One piece in every layer; wider than ribs alone, lighter than a slab; and its outline reaches as far as the hull of the
    pads."""
    volume = {}
    for kind in (BaseKind.PADS, BaseKind.FRAME, BaseKind.SLAB):
        base = base_mesh(on_feet(feet, kind), replace(SETTINGS, slab_mm=SETTINGS.pad_height_mm))
        assert base is not None
        volume[kind] = as_solid(resolved(base)).volume()
        if kind is not BaseKind.SLAB:
            layers = sections(cast(base.points, base.faces, grid_over(base.low, base.high, 0.1, 0.1)))
            assert (np.diff(layers.first) == 1).all()
    assert volume[BaseKind.PADS] < volume[BaseKind.FRAME] < volume[BaseKind.SLAB]


def test_posts_begin_above_a_slab() -> None:
    """A route that joins a post does so no lower than the base is high."""
    assert Supports(base=BaseKind.SLAB).base_mm(SETTINGS) == SETTINGS.slab_mm > SETTINGS.pad_height_mm
    assert Supports(base=BaseKind.FRAME).base_mm(SETTINGS) == SETTINGS.pad_height_mm
