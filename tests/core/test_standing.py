"""How feet stand, and the room that posts have: by hand, by the verdict's own engine, and node by node."""

from __future__ import annotations

import itertools
from collections.abc import Iterable

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import set_down, turned
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.loads import Pulls
from wideberth.core.support import Supports, propose_tips
from wideberth.core.support._kernels.swell import swell
from wideberth.core.support.bearing import Trial
from wideberth.core.support.standing import Tilting, feet_of, outriggers, with_outriggers


def pulled_at(newtons: float, x_mm: float, y_mm: float) -> Tilting:
    """One layer, pulled at one place."""
    return Tilting(np.array([newtons]), np.array([newtons * x_mm]), np.array([newtons * y_mm]))


@given(st.integers(3, 40), st.floats(2.0, 60.0), st.floats(0.0, 30.0), st.floats(0.0, 6.2))
def test_a_ring_of_feet_bears_what_the_closed_form_says(n: int, radius: float, off: float, way: float) -> None:
    """F/n + F e (R + pad/2) / Σ d², with Σ d² = n R²/2 and n pad²/16 of the pads themselves."""
    turn = way + 2 * np.pi * np.arange(n) / n  # the first foot lies the way that the pull is off
    feet = np.column_stack((7 + radius * np.cos(turn), -3 + radius * np.sin(turn)))
    hardest = pulled_at(12.0, 7 + off * np.cos(way), -3 + off * np.sin(way)).hardest_n(feet, 4.0)
    assert hardest == pytest.approx(12 / n + 12 * off * (radius + 2.0) / (n * radius**2 / 2 + n * 4.0**2 / 16))


def test_no_feet_bear_nothing_and_the_worst_layer_counts() -> None:
    two = np.array([(-10.0, 0.0), (10.0, 0.0)])
    assert pulled_at(1.0, 0, 0).hardest_n(np.empty((0, 2)), 4.0) == np.inf
    layers = Tilting(np.array([2.0, 6.0]), np.array([2.0 * 30, 0.0]), np.zeros(2))
    assert layers.hardest_n(two, 4.0) == pytest.approx(max(2 / 2 + 60 * 12 / (200 + 2), 6 / 2))


@pytest.mark.prove
@given(st.integers(0, 2**32), st.integers(1, 400), st.sampled_from([(1.0, 1.0), (1.0, 0.0), (0.0, 0.0)]))
def test_only_the_hull_of_all_layers_is_looked_at_and_none_is_missed(seed: int, layers: int, along: tuple[float, float]) -> None:
    """Random pulls all over a plate, along a line and at one point: the worst of all layers, one by one."""
    chance = np.random.default_rng(seed)
    layer, newtons = chance.integers(0, layers, 2 * layers), chance.uniform(0, 30, 2 * layers)
    x, y = along[0] * chance.normal(0, 20, 2 * layers), along[1] * chance.normal(0, 20, 2 * layers)
    pulls = Pulls(layer, x, y, newtons[:, None], np.zeros(2 * layers, np.int64))
    sums = [np.bincount(layer, part, layers) for part in (newtons, newtons * x, newtons * y)]
    hull = Tilting.by(pulls, layers)
    for count in (1, 3, 12):
        feet = chance.normal(0, 15, (count, 2))
        each = [Tilting(*(np.array([part[k]]) for part in sums)).hardest_n(feet, 4.0) for k in range(layers)]
        assert hull.hardest_n(feet, 4.0) == pytest.approx(max(each), rel=1e-9)
    assert layers < 300 or along != (1.0, 1.0) or len(hull.pull_n) < 0.5 * layers


def stood(seed: int, count: int, off_mm: float) -> tuple[np.ndarray, Tilting]:
    """Feet by chance, and three layers that are pulled beside their middle."""
    chance = np.random.default_rng(seed)
    feet = np.array([4.0, -2.0]) + chance.normal(0, 6, (count, 2)).round(3)
    at, newtons = chance.normal(0, off_mm, (3, 2)), chance.uniform(1, 20, 3)
    return feet, Tilting(newtons, newtons * at[:, 0], newtons * at[:, 1])


@given(st.integers(0, 2**32), st.integers(1, 9), st.floats(0.0, 12.0), st.integers(0, 4))
def test_feet_with_others_beside_bear_what_they_do_as_one(seed: int, count: int, off_mm: float, more: int) -> None:
    feet, tilting = stood(seed, count, off_mm)
    beside = np.random.default_rng(seed + 1).normal(0, 20, (5, more, 2))
    one_by_one = [tilting.hardest_n(np.concatenate((feet, pads)), 5.0) for pads in beside]
    assert tilting.hardest_with(feet, beside, 5.0) == pytest.approx(one_by_one, rel=1e-9)


@pytest.mark.prove
@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**32), st.integers(1, 6), st.floats(0.0, 12.0), st.floats(0.3, 1.1))
def test_of_one_or_two_pads_those_are_taken_that_take_least_resin(seed: int, count: int, off_mm: float, share: float) -> None:
    """Beside every single pad and every pair in sixteen directions, one to four pads farther out than the feet there."""
    feet, tilting = stood(seed, count, off_mm)
    most, pad, middle = share * tilting.hardest_n(feet, 5.0), 5.0, feet.mean(axis=0)
    places = []
    for way, steps in itertools.product(np.arange(16) * np.pi / 8, range(1, 5)):
        along = np.array([np.cos(way), np.sin(way)])
        places.append(middle + (max((foot - middle) @ along for foot in feet) + steps * pad) * along)

    def takes(pads: Iterable[np.ndarray]) -> float:
        return sum(1.5 * pad + min(np.hypot(*(at - foot)) for foot in feet) for at in pads)

    sets = [*([p] for p in places), *(list(two) for two in itertools.combinations(places, 2))]
    do = [takes(pads) for pads in sets if tilting.hardest_n(np.array([*feet, *pads]), pad) <= most * (1 - 1e-9)]
    made = outriggers(feet, tilting, most, pad)
    if share >= 1:
        assert len(made) == 0
    elif do:
        assert len(made) in (1, 2) and takes(made) <= min(do) + 1e-6
        assert tilting.hardest_n(np.concatenate((feet, made)), pad) <= most * (1 + 1e-9)
    else:
        assert len(made) >= 2
        assert tilting.hardest_n(np.concatenate((feet, made)), pad) < tilting.hardest_n(feet, pad)


SOLIDS = {
    "ball": lambda: trimesh.creation.icosphere(4, 14.0),
    "slab": lambda: turned(trimesh.creation.box((30, 20, 6)), 30, (1, 0.3, 0)),
    "capsule": lambda: turned(trimesh.creation.capsule(26, 7), 40, (0, 1, 0)),
}


@pytest.mark.parametrize("name", ["ball", *further(sorted(SOLIDS.keys() - {"ball"}))])
def test_fewer_and_wider_feet_go_as_the_verdict_s_engine_says(name: str, bench: Bench) -> None:
    """Feet are told better from worse: the plate's margin on fewer feet within a fifth, and of pads that carry nothing that
    they help, by no more than a fifth less than is told; where their ribs help too, by more."""
    mesh = set_down(SOLIDS[name](), 6.0)
    supports, trial = propose_tips(mesh, bench).supports, Trial(mesh, bench)
    borne, pad = trial.borne(supports), bench.supports.pad_mm
    tilting = Tilting.by(borne.part_pulls.tug().pulls, borne.layers)
    ids = [c.id for c in supports.contacts]

    def better(other: Supports) -> tuple[float, float]:
        engine = np.nanmin(trial.borne(other).plate_margin) / np.nanmin(borne.plate_margin)
        return tilting.hardest_n(feet_of(supports), pad) / tilting.hardest_n(feet_of(other), pad), float(engine)

    for fewer in (supports.without(ids[::4]), supports.without(ids[len(ids) // 2 :])):
        feet, engine = better(fewer)
        assert feet == pytest.approx(engine, rel=0.2)
    feet_now = feet_of(supports)
    wide = outriggers(feet_now, tilting, 0.7 * tilting.hardest_n(feet_now, pad), pad)
    feet, engine = better(with_outriggers(supports, wide))
    assert 1.3 < feet <= 1.2 * engine


@given(st.integers(0, 2**32 - 1), st.floats(0.0, 3.5), st.booleans())
def test_widened_runs_take_the_nodes_that_they_reach_one_by_one(seed: int, reach: float, leaning: bool) -> None:
    rng = np.random.default_rng(seed)
    levels, rows, nodes = 6, 7, 15
    level, row = rng.integers(0, levels, 5), rng.integers(0, rows, 5)
    x0 = rng.uniform(-3, 14, 5)
    x1 = x0 + rng.uniform(0, 6, 5)
    ways = [(u, a) for u, a in itertools.product(range(-3, 4), repeat=2) if u * u + a * a <= reach**2 and (leaning or u == 0)]
    up, aside = (np.array(way) for way in zip(*ways, strict=True))
    taken = np.zeros((levels, rows, nodes), np.bool_)
    swell(level, row, x0, x1, up, aside, np.sqrt(reach**2 - up**2 - aside**2), taken)
    for k, j, i in np.ndindex(taken.shape):
        wide = [
            (r, np.sqrt(reach**2 - (k - level[r]) ** 2 - (j - row[r]) ** 2))
            for r in range(5)
            if (k - level[r], j - row[r]) in ways
        ]
        assert taken[k, j, i] == any(np.floor(x0[r] - w) <= i <= np.ceil(x1[r] + w) for r, w in wide), (k, j, i)


LEANING = {
    "rod": lambda: turned(trimesh.creation.cylinder(4, 40), 150, (1, 0.5, 0)),
    "hook": lambda: turned(
        trimesh.boolean.union(
            [trimesh.creation.box((6, 6, 34)), trimesh.creation.box((6, 26, 6)).apply_translation((0, 10, 17))], engine="manifold"
        ),
        20,
        (1, 0, 0),
    ),
    "cone": lambda: turned(trimesh.creation.cone(8, 30), 150, (1, 0.5, 0)),
}


@pytest.mark.prove
@pytest.mark.parametrize("name", ["hook", *further(sorted(LEANING.keys() - {"hook"}))])
def test_a_base_is_widened_the_way_that_a_part_tilts(name: str, bench: Bench) -> None:
    """Whatever way it leans: two pads across the line of feet left these at ×1.4 to ×1.8 of the ×2 that is wanted."""
    mesh = set_down(LEANING[name](), 5.0)
    supports, trial = propose_tips(mesh, bench).supports, Trial(mesh, bench)
    assert np.nanmin(trial.borne(supports).plate_margin) >= bench.supports.wanted_margin
    assert np.nanmin(trial.borne(supports.without_outriggers()).plate_margin) < bench.supports.wanted_margin
    assert 0 < len(supports.outriggers) <= 2
