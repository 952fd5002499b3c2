"""Compiled loops against slow twins, and files against random recipes."""

import weakref
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import as_mesh, as_source, moved, printed_of, set_down
from reference.dense import random_blobs
from reference.graphs import balanced, bodies_at, naive_links, outline_length
from reference.necks import necks_slowly
from wideberth.core.bench import Bench
from wideberth.core.drain import Hole
from wideberth.core.handover import save_job
from wideberth.core.hollow import Shell
from wideberth.core.job import Part, job_of, open_job
from wideberth.core.layers import (
    FINE_SQUEEZE,
    OUTSIDE,
    PREVIEW_SQUEEZE,
    Lent,
    Solid,
    bodies,
    cast,
    cropped,
    difference,
    empty,
    grid_over,
    intersection,
    on_grid,
    sections,
    squeeze_integrals,
    squeeze_of,
    squeeze_with_supports,
    union,
)
from wideberth.core.loads import hole_resistance
from wideberth.core.loads._kernels import HolesAt, Openings, through_holes
from wideberth.core.loads.necks import necks
from wideberth.core.model import hits
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages
from wideberth.core.support import Need, NeedKind, Route, Supports

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
    mouths, resistances = [], []
    outside, between = np.full(n, np.inf), np.full((n, n), np.inf)
    for i in range(n - 1):
        resistances.append(hole_resistance(float(chance.uniform(0.6, 1.5)), 2.0, 0.2))
        mouths.append((i + 1, i + 2))
        between[i, i + 1] = between[i + 1, i] = resistances[-1]
    for i in (0, n - 1):
        resistances.append(hole_resistance(float(chance.uniform(0.6, 1.5)), 2.0, 0.2))
        mouths.append((i + 1, OUTSIDE))
        outside[i] = resistances[-1]
    found, vents, in_air = through(wanted, mouths, resistances)
    assert found == pytest.approx(balanced(wanted, outside, between), rel=0.02)
    assert vents.tolist() == [sum(i + 1 in m for m in mouths) for i in range(n)] and not in_air.any()


def through(wanted, mouths, resistances, viscosity: float = 1.0):  # type: ignore[no-untyped-def]
    """One layer whose openings are of the sets 1, 2, ..., with holes under the resin between sets."""
    holes = len(mouths)
    sets = np.array([[s for m in mouths for s in m]], np.int64).reshape(1, 2 * holes)
    low, none = np.full(holes, 5.0), np.zeros(holes)
    openings = Openings(
        np.array([0, len(wanted)]), np.arange(1, len(wanted) + 1), np.ones(len(wanted), bool), np.asarray(wanted, float)
    )
    at = HolesAt(sets, np.asarray(resistances, float)[:, None], none, low, low - 9, low - 8, holes)
    pa, vents, _, in_air = through_holes(openings, at, np.array([viscosity]), np.array([6.0]), 25.0, 60_000.0)
    return pa, vents, in_air


def test_pressure_never_exceeds_the_seal() -> None:
    pinhole = hole_resistance(0.05, 4.0, 2.0)
    assert through([500.0], [(1, OUTSIDE)], [pinhole])[0] == pytest.approx([60_000.0], rel=1e-3)
    assert through([500.0], [], [])[0].tolist() == [60_000.0]


@settings(max_examples=15, deadline=None)
@given(seed=SEEDS)
def test_necks_of_random_lumps_are_those_found_with_sets(seed: int) -> None:
    part, chance = blob_sections(seed), np.random.default_rng(seed)
    pulls = chance.uniform(0, 5, part.count)
    held = chance.choice(part.count, 2)
    everything = (part.layer, part.x_mm, part.y_mm, pulls, np.arange(part.count), held)
    slow = necks_slowly(part, *everything, part.principal)
    fast = necks(part, *everything)
    assert np.column_stack((fast.stress_n_per_mm2, fast.pull_n, fast.moment_nmm)) == pytest.approx(slow, rel=1e-9, abs=1e-9)


@settings(max_examples=15, deadline=None)
@given(seed=SEEDS)
def test_runs_are_the_same_whatever_grid_they_are_cast_on(seed: int) -> None:
    """Cast on a grid of their own and put on the plate's, or cast on that; where that is smaller, what lies beyond is cut off."""
    mesh, chance = as_mesh(random_blobs(seed)), np.random.default_rng(seed)
    own = grid_over(mesh.low, mesh.high, 0.8, 0.6)
    plate = grid_over(mesh.low + chance.uniform(-9, 6, 3), mesh.high + chance.uniform(-6, 9, 3), 0.8, 0.6)
    direct, moved_on = cast(mesh.points, mesh.faces, plate), on_grid(cast(mesh.points, mesh.faces, own), plate)
    assert np.array_equal(direct.offsets, moved_on.offsets)
    assert np.allclose(direct.x0, moved_on.x0) and np.allclose(direct.x1, moved_on.x1)


@settings(max_examples=15, deadline=None)
@given(seed=SEEDS)
def test_what_is_drilled_and_plugged_again_is_what_it_was(seed: int) -> None:
    """Plugs on the smallest window that holds them, put back on any other, with what stands beside them."""
    mesh, chance = as_mesh(random_blobs(seed)), np.random.default_rng(seed)
    grid = grid_over(mesh.low, mesh.high, 0.8, 0.6)
    whole = cast(mesh.points, mesh.faces, grid)
    drill, post = (
        as_mesh(moved(trimesh.creation.cylinder(r, 60, sections=9), *chance.uniform(-6, 6, 2), 0))
        for r in chance.uniform(1, 4, 2)
    )
    drills, posts = (cast(m.points, m.faces, grid) for m in (drill, post))
    solid = Solid(difference(whole, drills), posts, cropped(intersection(whole, drills)))
    for made, wanted in (
        (solid.part_plugged, whole),
        (solid.all, union(difference(whole, drills), posts)),
        (solid.all_plugged, union(whole, posts)),
    ):
        assert np.array_equal(made.offsets, wanted.offsets)
        assert np.array_equal(made.x0, wanted.x0) and np.array_equal(made.x1, wanted.x1)
    assert solid.plugs is not None and solid.plugs.volume_mm3 == pytest.approx(whole.volume_mm3 - solid.part.volume_mm3)


def test_what_is_lent_is_the_same_for_all_that_hold_it_and_is_let_go_after_them() -> None:
    made: list[Solid] = []
    bare = empty(grid_over(np.zeros(3), np.ones(3), 0.5, 0.5))

    def make() -> Solid:
        solid = Solid(bare, bare)
        made.append(solid)
        return solid

    lent = Lent(make)
    with ThreadPoolExecutor(2) as several:
        first, second = several.map(lambda _: lent.get(), range(2))
    assert first is second and len(made) == 1
    gone = weakref.ref(first)
    made.clear()
    del first, second
    assert gone() is None
    assert lent.get() is not None and len(made) == 1


def test_a_previews_coarse_squeezes_move_no_pull_by_more_than_four_percent() -> None:
    """The pull goes with S to the power 1/4; layer by layer, against five thousand cells and every check solve."""
    for seed in range(6):
        part = blob_sections(seed, 0.4, 0.2)
        fine, coarse = (squeeze_integrals(part, effort)[0] for effort in (FINE_SQUEEZE, PREVIEW_SQUEEZE))
        pulls = [part.per_layer(part.area_mm2 * (s / part.area_mm2) ** 0.25) for s in (fine, coarse)]
        assert pulls[1] == pytest.approx(pulls[0], rel=0.04)


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
    made = Supports()
    for x, y, z, on in tips:
        top = (x, y, z - 1.0)
        route = Route((x, y, z), top, top, (x, y, 0.0), on == "plate")
        made = made.with_route(route, 0.4, Need(NeedKind.ISLAND, carries_n=abs(x)))
    source = as_source(set_down(trimesh.creation.box((6, 5, 4))), "box")
    pose = Pose(turned_xyz(*turn), place[2])
    part = Part(name, source, scale=scale, shell=Shell(0.8, 0.0), pose=pose, supports=made)
    job = job_of(name, bench, (part,), [place[:2]]).keep_variant(name)
    path: Path = tmp_path_factory.mktemp("jobs") / "job.3mf"
    save_job(job, path, Stages())
    again = open_job(path)
    assert (again.parts, again.plates, again.last) == (job.parts, job.plates, job.last)
    assert again.variants[0].parts == job.parts
    assert again.title == name


def test_holes_by_direction_and_by_normal_come_back_from_their_file(bench: Bench, tmp_path: Path) -> None:
    source = as_source(set_down(trimesh.creation.box((20, 20, 20))), "box")
    holes = (Hole(10, 0, 9, 2.0, "by hand"), Hole(0, 10, 12, 3.0, "proposed", (0.0, -1.0, 0.0)))
    job = job_of("Box", bench, (Part("Box", source, shell=Shell(2.0, 0.0), holes=holes),))
    save_job(job, tmp_path / "job.3mf", Stages())
    again = open_job(tmp_path / "job.3mf").parts[0].holes
    assert again == job.parts[0].holes
    assert tuple(replace(hole, id="") for hole in again) == holes
