"""The layer engine against solids with known answers."""

from dataclasses import fields

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import as_mesh, moved, printed_of, set_down, turned
from reference.dense import dense_mask, random_blobs
from wideberth.core.layers import Printed, Sections, bodies, cast, difference, grid_over, intersection, sections, union
from wideberth.core.model import Mesh


def test_sphere_volume_area_and_perimeter(sphere: trimesh.Trimesh) -> None:
    found = printed_of(set_down(sphere))
    s, grid = found.part_sections, found.part.grid
    z = grid.z_of(np.arange(grid.layers))
    area = np.pi * (225 - (z - 15) ** 2)
    around = 2 * np.sqrt(np.pi * area)
    worth = area > 20
    assert found.part.volume_mm3 == pytest.approx(4 / 3 * np.pi * 15**3, rel=1e-3)
    assert s.per_layer(s.area_mm2)[worth] == pytest.approx(area[worth], rel=5e-3)
    assert s.per_layer(s.perimeter_mm)[worth] == pytest.approx(around[worth], rel=1.5e-2)
    assert found.part.broken_rays == 0


def test_ring_volume_area_and_perimeter() -> None:
    ring = set_down(trimesh.creation.annulus(18, 20, 10, sections=720))
    found = printed_of(ring)
    s = found.part_sections
    area = np.pi * (400 - 324)
    assert found.part.volume_mm3 == pytest.approx(10 * area, rel=1e-3)
    assert s.area_mm2 == pytest.approx(np.full(s.count, area), rel=5e-3)
    assert s.perimeter_mm == pytest.approx(np.full(s.count, 2 * np.pi * 38), rel=1.5e-2)


def test_cube_on_its_corner() -> None:
    cube = turned(turned(trimesh.creation.box((20, 20, 20)), 45, (1, 0, 0)), 35.26, (0, 1, 0))
    found = printed_of(set_down(cube))
    s, grid = found.part_sections, found.part.grid
    assert found.part.volume_mm3 == pytest.approx(8000, rel=1e-3)
    # through its middle a cube standing on its corner is a regular hexagon of side a/√2
    k = int(grid.layer_of(10 * np.sqrt(3)))
    side = 20 / np.sqrt(2)
    assert s.area_mm2[s.layer == k].sum() == pytest.approx(1.5 * np.sqrt(3) * side**2, rel=5e-3)
    assert s.perimeter_mm[s.layer == k].sum() == pytest.approx(6 * side, rel=1.5e-2)
    assert (~s.rests_on_something).sum() == 1


def test_volume_error_falls_with_resolution(sphere: trimesh.Trimesh) -> None:
    mesh = set_down(sphere)
    errors = [abs(printed_of(mesh, pitch, pitch / 2).part.volume_mm3 / (4 / 3 * np.pi * 15**3) - 1) for pitch in (1.6, 0.4, 0.1)]
    assert errors[0] > errors[1] > errors[2]


def test_order_of_triangles_does_not_matter(sphere: trimesh.Trimesh) -> None:
    mesh = set_down(turned(sphere, 20, (1, 1, 0)))
    shuffled = mesh.faces[np.random.default_rng(1).permutation(len(mesh.faces))]
    grid = grid_over(mesh.low, mesh.high, 0.2, 0.1)
    a, b = cast(mesh.points, mesh.faces, grid), cast(mesh.points, shuffled, grid)
    assert (a.offsets == b.offsets).all()
    assert np.abs(a.x0 - b.x0).max() <= 1e-9
    assert np.abs(a.x1 - b.x1).max() <= 1e-9


def test_overlapping_and_inside_out_shells_are_one_solid() -> None:
    box = trimesh.creation.box((10, 10, 10))
    twice = trimesh.util.concatenate([box, moved(box, 5, 0, 0)])
    assert printed_of(set_down(twice)).part.volume_mm3 == pytest.approx(1500, rel=1e-3)
    inside_out = as_mesh(box)
    turned_round = type(inside_out)(inside_out.points + 5.0, inside_out.faces[:, ::-1].copy())
    assert printed_of(turned_round).part.volume_mm3 == pytest.approx(1000, rel=1e-3)


def test_rows_that_do_not_close_are_counted_and_mended(sphere: trimesh.Trimesh) -> None:
    mesh = set_down(sphere)
    middle = mesh.corners.mean(axis=1)
    hole = (np.hypot(middle[:, 1], middle[:, 2] - 15) < 0.3) & (middle[:, 0] > 0)
    torn = type(mesh)(mesh.points, mesh.faces[~hole])
    runs = printed_of(torn).part
    assert 0 < hole.sum() < 60
    assert runs.broken_rays > 0
    assert runs.volume_mm3 == pytest.approx(4 / 3 * np.pi * 15**3, rel=1e-3)


@pytest.mark.parametrize("name", ["sphere", "cone", "cube"])
def test_no_false_island_beyond_the_first_contact(name: str, sphere: trimesh.Trimesh) -> None:
    solid = {
        "sphere": sphere,
        "cone": trimesh.creation.cone(12, 25, sections=180),
        "cube": turned(trimesh.creation.box((20, 20, 20)), 31, (2, 1, 0)),
    }[name]
    found = printed_of(set_down(solid, 3.0))
    assert len(found.islands) == 1
    first = found.part_sections.layer[found.islands[0]]
    assert first == pytest.approx(60, abs=1)


def test_islands_at_each_of_seven_points() -> None:
    """A slab with seven down-pointing cones of different length: seven islands, each at its own place and layer."""
    lengths = np.array([4.0, 5.1, 6.2, 7.3, 8.4, 9.5, 10.6])
    x = np.linspace(-24, 24, 7)
    pieces = [moved(trimesh.creation.box((60, 10, 4)), 0, 0, 22)]
    for at, length in zip(x, lengths, strict=True):
        cone = turned(trimesh.creation.cone(3, length, sections=48), 180, (1, 0, 0))
        pieces.append(moved(cone, at, 0.4, 20.5))
    mesh = as_mesh(trimesh.util.concatenate(pieces))
    found = printed_of(mesh)
    s = found.part_sections
    order = np.argsort(s.x_mm[found.islands])
    islands = found.islands[order]
    assert len(islands) == 7
    assert s.x_mm[islands] == pytest.approx(x, abs=0.1)
    assert s.y_mm[islands] == pytest.approx(np.full(7, 0.4), abs=0.1)
    # the first layer a cone of half angle atan(3/L) shows on rows of 0.1 mm lies within its first 0.05 mm of radius
    tips = 20.5 - lengths
    seen = found.part.grid.z_of(s.layer[islands])
    assert (seen > tips - 0.05).all()
    assert (seen < tips + 0.05 * lengths / 3 + 0.1).all()


def test_parts_side_by_side_keep_their_own_measures() -> None:
    """Measures are of each component, whatever stands beside it on the same rows."""
    a, b = trimesh.creation.box((10, 10, 4)), moved(trimesh.creation.box((6, 6, 4)), 20, 1, 0)
    s = printed_of(set_down(trimesh.util.concatenate([a, b]))).part_sections
    first = np.flatnonzero(s.layer == 10)
    assert sorted(s.area_mm2[first]) == pytest.approx([36, 100], rel=0.03)
    assert sorted(s.perimeter_mm[first]) == pytest.approx([24, 40], rel=0.03)


def test_polar_moment_of_a_disc() -> None:
    s = printed_of(set_down(trimesh.creation.cylinder(9, 2, sections=360))).part_sections
    assert s.polar_mm4[3] == pytest.approx(np.pi * 9**4 / 2, rel=2e-3)


def test_two_legs_are_two_bodies_until_the_bridge() -> None:
    legs = [moved(trimesh.creation.box((4, 4, 10)), x, 0, 5) for x in (-8, 8)]
    bridge = moved(trimesh.creation.box((20, 4, 4)), 0, 0, 11.9)
    s = printed_of(as_mesh(trimesh.util.concatenate([*legs, bridge]))).part_sections
    grounds = np.flatnonzero(s.layer == 0)
    joined = bodies(s, grounds.astype(np.int64))
    apart = joined.tracked[:, 0] != joined.tracked[:, 1]
    assert apart[:197].all()
    assert not apart[200:].any()
    assert joined.volume_mm3[-1] == pytest.approx(2 * 160 + 320 - 2 * 4 * 4 * 0.1, rel=0.02)


@settings(max_examples=12, deadline=None)
@given(seed=st.integers(0, 10_000))
def test_runs_and_labels_agree_with_dense_pixels(seed: int) -> None:
    """A slow second method: inside-tests of pixels and SciPy's labelling, on random overlapping spheres."""
    blobs = random_blobs(seed)
    mesh = as_mesh(blobs)
    grid = grid_over(mesh.low, mesh.high, 0.5, 0.4)
    runs = cast(mesh.points, mesh.faces, grid)
    s = sections(runs)
    mask, areas, pieces = dense_mask(blobs, grid)
    assert runs.layer_area_mm2() == pytest.approx(areas, abs=0.02 * areas.max())
    assert np.abs(np.diff(s.first) - pieces).sum() <= 0.02 * pieces.sum() + 1
    assert runs.volume_mm3 == pytest.approx(mask.sum() * 0.5 * 0.4 * 0.05, rel=0.01)


@settings(max_examples=25, deadline=None)
@given(seed=st.integers(0, 10_000))
def test_booleans_of_runs_obey_set_algebra(seed: int) -> None:
    a, b = (as_mesh(random_blobs(seed + i)) for i in (0, 1))
    grid = grid_over(np.minimum(a.low, b.low), np.maximum(a.high, b.high), 1.0, 1.0)
    ra, rb = (cast(m.points, m.faces, grid) for m in (a, b))
    both = intersection(ra, rb).volume_mm3
    assert union(ra, rb).volume_mm3 == pytest.approx(ra.volume_mm3 + rb.volume_mm3 - both, abs=1e-6)
    assert difference(ra, rb).volume_mm3 == pytest.approx(ra.volume_mm3 - both, abs=1e-6)
    gaps = union(ra, rb)
    same_ray = np.diff(gaps.row_index()) == 0
    assert (gaps.x0[1:][same_ray] > gaps.x1[:-1][same_ray]).all()


@settings(max_examples=25, deadline=None)
@given(seed=st.integers(0, 10_000), share=st.floats(0.02, 1.0), known=st.booleans())
def test_sections_of_all_are_the_same_whether_or_not_those_of_the_part_are_taken_over(
    seed: int, share: float, known: bool
) -> None:
    """Blobs among blobs that end at some height: every value of every component, and what rests on what."""
    part, rest = (as_mesh(random_blobs(seed + i)) for i in (0, 1))
    low, high = np.minimum(part.low, rest.low), np.maximum(part.high, rest.high)
    ends = Mesh((rest.points - low) * [1, 1, share] + low, rest.faces)
    grid = grid_over(low - [0, 0, low[2]], high - [0, 0, low[2]], 0.5, 0.4)
    lifted = [cast(m.points - [0, 0, low[2]], m.faces, grid) for m in (part, ends)]
    found = Printed(*lifted)
    if known:
        _ = found.part_sections
    whole = sections(found.all)
    for field in fields(Sections):
        if field.name not in ("runs", "across"):
            now, then = getattr(found.sections, field.name), getattr(whole, field.name)
            assert now.dtype == then.dtype and np.array_equal(now, then), field.name


@pytest.mark.parametrize("pitch", [0.03, 0.05])
@pytest.mark.parametrize("area", [0.006, 0.02, 0.1])
def test_every_island_over_two_pixels_is_found_at_rows_as_fine_as_the_pixel(pitch: float, area: float) -> None:
    """Sixteen pegs under a slab, square and strips of 0.06 mm, each turned and placed by chance; 0.0025 mm² a pixel of 0.05."""
    chance = np.random.default_rng(5)
    pegs = []
    for n in range(16):
        wide = 0.06 if n % 2 else np.sqrt(area)
        peg = turned(trimesh.creation.box((area / wide, wide, 2)), chance.uniform(0, 180), (0, 0, 1))
        pegs.append(moved(peg, -15 + 10 * (n % 4) + chance.uniform(-1, 1), -15 + 10 * (n // 4) + chance.uniform(-1, 1), 0))
    slab = moved(trimesh.creation.box((40, 40, 1)), 0, 0, 1.4)
    mesh = as_mesh(trimesh.util.concatenate([*pegs, slab])).moved(np.array([0.0, 0.0, 4.0]))
    assert len(printed_of(mesh, pitch, 0.05).islands) == 16


def test_the_run_at_a_place_is_the_one_that_a_look_through_its_ray_finds() -> None:
    """For random places on a turned ring, in and out of it, and on rays that hold nothing."""
    ring = as_mesh(turned(trimesh.creation.annulus(5, 9, 6), 35, (1, 0.4, 0)))
    runs = cast(ring.points, ring.faces, grid_over(ring.low, ring.high, 0.3, 0.3))
    chance = np.random.default_rng(5)
    ray, x = chance.integers(-1, runs.grid.rays, 4000), chance.uniform(ring.low[0] - 2, ring.high[0] + 2, 4000)
    found = runs.at(ray, x)
    for k in range(len(ray)):
        own = [i for i in range(runs.offsets[ray[k]], runs.offsets[ray[k] + 1]) if runs.x0[i] <= x[k]] if ray[k] >= 0 else []
        assert found[k] == (own[-1] if own else -1)
    assert (found >= 0).any() and (found < 0).any()
