"""How far two solids are apart: by closed form, at once and in another process, and none waits for pairs that are far apart."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import as_mesh, turned
from reference.further import further
from wideberth.core.errors import BadModel, Cancelled
from wideberth.core.model import Gaps, Mesh, between
from wideberth.core.progress import Progress


def ball(fineness: int, radius_mm: float, *at: float) -> Mesh:
    return as_mesh(trimesh.creation.icosphere(fineness, radius_mm)).moved(np.array(at))


@pytest.mark.parametrize("fineness", [3, 5, *further([6])])
@pytest.mark.parametrize("apart", [0.3, 4.0, *further([15.0])])
def test_two_balls_are_apart_by_their_middles_less_their_radii(fineness: int, apart: float) -> None:
    """Less than by as much as their facets are inside the balls; the finer ones in another process."""
    way = np.array([0.6, 0.64, 0.48])
    one, other = ball(fineness, 9.0, 0.0, 0.0, 0.0), ball(fineness, 6.0, *((15.0 + apart) * way))
    inside = 15.0 * (1 - np.cos(np.arctan(1.2 / 2**fineness)))
    found = Gaps().between(one, other, 20.0)
    assert apart - 1e-6 <= found <= apart + inside
    assert Gaps().between(other, one, 20.0) == pytest.approx(found, abs=1e-6)
    assert Gaps().between(one, other, 0.5 * apart) == pytest.approx(0.5 * apart)


@settings(max_examples=16)
@given(st.integers(0, 10_000), st.sampled_from([False, False, False, True]))
def test_both_ways_agree_with_a_search_as_far_as_asked_for(seed: int, heavy: bool) -> None:
    """Boxes of few corners, turned and subdivided anyhow: what the corners tell shortens the search, and changes nothing."""
    chance = np.random.default_rng(seed)
    made = []
    for _ in range(2):
        box = trimesh.creation.box(chance.uniform(1, 20, 3))
        for _ in range(int(chance.integers(0, 3))):
            box = box.subdivide()
        made.append(as_mesh(turned(box, float(chance.uniform(0, 180)), tuple(chance.normal(size=3)))))
    shift = chance.uniform(-20, 20, 3)
    other = made[1].moved(shift)
    exact = between.as_solid(made[0]).min_gap(between.as_solid(other), 25.0)
    was = between.HEAVY
    try:
        between.HEAVY = 0 if heavy else was
        assert Gaps().between(made[0], other, 25.0) == pytest.approx(exact, abs=2e-6)
        assert Gaps().between(made[0], made[1], 25.0, None, shift) == pytest.approx(exact, abs=2e-6)
    finally:
        between.HEAVY = was


def test_what_is_no_solid_is_refused_by_both_ways(monkeypatch: pytest.MonkeyPatch) -> None:
    whole = ball(3, 5.0, 0.0, 0.0, 0.0)
    torn = Mesh(whole.points + [14.0, 0, 0], whole.faces[1:])
    for heavy in (between.HEAVY, 0):
        monkeypatch.setattr(between, "HEAVY", heavy)
        with pytest.raises(BadModel, match="open"):
            Gaps().between(whole, torn, 20.0)


def test_a_long_measurement_can_be_cancelled() -> None:
    """Two walls of many triangles each, far apart."""
    wall = trimesh.creation.box((20, 20, 20))
    for _ in range(5):
        wall = wall.subdivide()
    one = as_mesh(wall)
    progress = Progress(lambda share, phrase: progress.cancel())
    with pytest.raises(Cancelled):
        Gaps().between(one, one.moved(np.array([32.0, 0, 0])), 30.0, progress)
