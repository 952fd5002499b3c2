"""Compiled loops against slow twins, and files against random recipes."""

from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import as_mesh, as_source, moved, printed_of, set_down
from reference.dense import random_blobs
from reference.graphs import balanced, bodies_at, naive_links, outline_length
from wideberth.core.bench import Bench
from wideberth.core.drain import Hole
from wideberth.core.hollow import Shell
from wideberth.core.job import Job, PartRecipe, Stages, open_job, save_job
from wideberth.core.layers import (
    OUTSIDE,
    bodies,
    cast,
    grid_over,
    sections,
    squeeze_integrals,
    squeeze_of,
    squeeze_with_supports,
)
from wideberth.core.loads import hole_resistance
from wideberth.core.loads.suction import _pressures, _Way
from wideberth.core.model import hits
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.support import Tip

SEEDS = st.integers(0, 5000)


def blob_sections(seed: int, pitch: float = 0.8, layer: float = 0.6):  # type: ignore[no-untyped-def]
    mesh = as_mesh(random_blobs(seed))
    return sections(cast(mesh.points, mesh.faces, grid_over(mesh.low, mesh.high, pitch, layer)))


@settings(max_examples=12, deadline=None)
@given(seed=SEEDS)
def test_links_agree_with_comparing_every_run(seed: int) -> None:
    found = blob_sections(seed)
    mine = set(zip(found.upper.tolist(), found.lower.tolist(), strict=True))
    assert mine == naive_links(found)
    assert len(mine) == len(found.upper)  # no repeats


@settings(max_examples=12, deadline=None)
@given(seed=SEEDS)
def test_bodies_agree_with_a_graph_at_every_layer(seed: int) -> None:
    found = blob_sections(seed)
    tracked = np.flatnonzero(~found.rests_on_something).astype(np.int64)
    swept = bodies(found, tracked)
    for layer in range(0, found.layers, 3):
        truth = bodies_at(found, layer)
        here = [int(c) for c in np.flatnonzero(found.layer == layer)]
        for a in here:
            for b in here:
                assert (swept.root[a] == swept.root[b]) == (truth[a] == truth[b])
        for t, c in enumerate(tracked):
            assert (swept.tracked[layer, t] < 0) == (found.layer[c] > layer)
            for a in here:
                if found.layer[c] <= layer:
                    assert (swept.tracked[layer, t] == swept.root[a]) == (truth[int(c)] == truth[a])
        for a in here:
            members = [c for c, root in truth.items() if root == truth[a]]
            assert swept.volume_mm3[a] == pytest.approx(found.area_mm2[members].sum() * 0.6)


@settings(max_examples=8, deadline=None)
@given(seed=SEEDS)
def test_perimeters_agree_with_pixels(seed: int) -> None:
    found = blob_sections(seed, 0.1, 1.0)
    large = np.flatnonzero(found.area_mm2 > 15)
    for c in large[:: max(1, len(large) // 4)]:
        assert found.perimeter_mm[c] == pytest.approx(outline_length(found, int(c)), rel=0.06)


@settings(max_examples=8, deadline=None)
@given(seed=SEEDS)
def test_rays_agree_with_the_spheres_equations(seed: int) -> None:
    chance = np.random.default_rng(seed)
    radius = float(chance.uniform(3, 9))
    mesh = as_mesh(trimesh.creation.icosphere(5, radius))
    start, towards = chance.uniform(-2, 2, 3), chance.normal(size=3)
    towards /= np.linalg.norm(towards)
    middle = -float(start @ towards)
    half = float(np.sqrt(max(radius**2 - (start @ start - middle**2), 0)))
    distance, step, face = hits(mesh, start, towards)
    assert distance == pytest.approx([middle - half, middle + half], abs=0.02)
    assert step.tolist() == [1, -1]
    assert (mesh.normals[face] @ towards)[0] < 0


@settings(max_examples=15, deadline=None)
@given(seed=SEEDS)
def test_joined_sets_balance_as_their_equations_say(seed: int) -> None:
    """Random chambers joined in a row, the first and last to the outside."""
    chance = np.random.default_rng(seed)
    n = int(chance.integers(2, 5))
    wanted = chance.uniform(10, 80, n)
    ways, outside, between = [], np.full(n, np.inf), np.full((n, n), np.inf)
    for i in range(n - 1):
        resistance = hole_resistance(float(chance.uniform(0.6, 1.5)), 2.0, 0.2)
        ways.append(_Way(i + 1, i + 2, resistance, 0.0))
        between[i, i + 1] = between[i + 1, i] = resistance
    for i in (0, n - 1):
        outside[i] = hole_resistance(float(chance.uniform(0.6, 1.5)), 2.0, 0.2)
        ways.append(_Way(i + 1, OUTSIDE, outside[i], 0.0))
    found = _pressures({i + 1: float(w) for i, w in enumerate(wanted)}, set(), ways, 60.0)
    truth = balanced(wanted, outside, between) / 1000
    assert [found[i + 1] for i in range(n)] == pytest.approx(truth.tolist(), rel=0.02)


def test_pressure_never_exceeds_the_seal() -> None:
    pinhole = _Way(1, OUTSIDE, hole_resistance(0.05, 4.0, 2.0), 0.0)
    assert _pressures({1: 500.0}, set(), [pinhole], 60.0)[1] == pytest.approx(60.0, rel=1e-3)
    assert _pressures({1: 500.0}, set(), [], 60.0)[1] == 60.0


def test_supports_add_next_to_nothing_to_a_large_sections_squeeze() -> None:
    """A post merged into a plate's rim: the shortcut agrees with solving the whole."""
    plate = moved(trimesh.creation.box((24, 16, 2)), 0, 0, 1)
    post = moved(trimesh.creation.cylinder(0.8, 2, sections=24), 12.2, 0, 1)
    printed = printed_of(as_mesh(plate), supports=as_mesh(post))
    part, _ = squeeze_integrals(printed.part_sections)
    fast, solved = squeeze_with_supports(printed.sections, printed.part_sections, part, printed.part_in_all)
    assert solved == 0
    assert fast[10] == pytest.approx(squeeze_of(printed.sections, 10), rel=0.02)


numbers = st.floats(-50, 50, allow_nan=False).map(lambda v: round(v, 6))


@settings(max_examples=12, deadline=None)
@given(
    scale=st.floats(0.5, 3),
    turn=st.tuples(st.floats(-180, 180), st.floats(-180, 180), st.floats(-180, 180)),
    place=st.tuples(st.floats(-40, 40), st.floats(-20, 20), st.floats(0, 30)),
    tips=st.lists(st.tuples(numbers, numbers, st.floats(3, 30), st.sampled_from(["plate", "part"])), max_size=4),
    name=st.text(min_size=1, max_size=12).filter(lambda t: t.isprintable()),
)
def test_any_recipe_comes_back_from_its_file(scale, turn, place, tips, name, bench: Bench, tmp_path_factory) -> None:  # type: ignore[no-untyped-def]
    """Names in any script, awkward numbers: what is saved is what is opened."""
    made = tuple(
        Tip(x, y, z, (0.0, 0.0, -1.0), 1.0, 0.4, x, y, z - 1.0, 0.0, foot, "made up") for x, y, z, foot in tips
    )
    source = as_source(set_down(trimesh.creation.box((6, 5, 4))), "box")
    part = PartRecipe(name, source, scale, (), Shell(0.8, 0.0), (), Pose(turned_xyz(*turn), *place), made)
    job = Job(name, bench, (part,))
    path: Path = tmp_path_factory.mktemp("jobs") / "job.3mf"
    save_job(job, path, Stages())
    again = open_job(path)
    assert again.parts == job.parts
    assert again.title == name


def test_holes_by_direction_and_by_normal_come_back_from_their_file(bench: Bench, tmp_path: Path) -> None:
    source = as_source(set_down(trimesh.creation.box((20, 20, 20))), "box")
    holes = (Hole(10, 0, 9, 2.0, "by hand"), Hole(0, 10, 12, 3.0, "proposed", (0.0, -1.0, 0.0)))
    job = Job("Box", bench, (PartRecipe("Box", source, shell=Shell(2.0, 0.0), holes=holes),))
    save_job(job, tmp_path / "job.3mf", Stages())
    assert open_job(tmp_path / "job.3mf").parts[0].holes == holes
