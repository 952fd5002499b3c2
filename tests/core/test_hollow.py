"""Shells: walls that are measured, places that are thicker, levels, passages, lattices."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import as_mesh, as_source, moved, turned
from reference.further import further
from wideberth.core.bench import load_bench
from wideberth.core.errors import BadModel
from wideberth.core.hollow import (
    GYROID,
    STRUTS,
    Keepout,
    Lattice,
    Level,
    Shell,
    Thicker,
    cavity_mesh,
    hollow_out,
    lattice_in,
    measured_wall,
    usual_shell,
    wall_gives_mm,
)
from wideberth.core.job import Part, scaled
from wideberth.core.layers import Printed, cast, difference, empty, grid_over
from wideberth.core.model import Closest, Mesh, band_distance, nodes_over, read_model
from wideberth.core.predict import Disk, Stages
from wideberth.demo import mesh_path

UP = np.array([0.0, 0.0, 1.0])


@pytest.mark.prove
@given(st.integers(0, 10_000))
@settings(max_examples=8, deadline=None)
def test_distances_handed_on_are_those_of_a_full_search(seed: int) -> None:
    """Each node's distance against the exact search over all faces; never less, and more only by slivers."""
    chance = np.random.default_rng(seed)
    ball = trimesh.creation.icosphere(3, 6)
    ball.vertices *= 1 + 0.15 * chance.normal(size=(len(ball.vertices), 1))
    mesh = as_mesh(ball)
    nodes = nodes_over(mesh.low, mesh.high, 0.5)
    far, face = band_distance(mesh, nodes, np.ones(nodes.shape, bool), 2.0)
    near = np.argwhere(np.isfinite(far))
    exact, _, _ = Closest(mesh).nearest(nodes.at(near))
    told = far[tuple(near.T)]
    assert (told > exact - 1e-5).all()
    assert (told - exact).max() < 0.1
    assert np.mean(told - exact < 1e-4) > 0.9
    assert (face[tuple(near.T)] >= 0).all()
    missed = Closest(mesh).nearest(nodes.at(np.argwhere(np.isinf(far))))[0]
    assert missed.min() > 1.9


BOX = trimesh.creation.box((30, 24, 40))
SHAPES = {
    "box": BOX,
    "tilted box": turned(turned(BOX, 24, (1, 0, 0)), 40, (0, 1, 0.3)),
    "cylinder": trimesh.creation.cylinder(12, 40, sections=96),
    "torus": turned(trimesh.creation.torus(20, 9, major_sections=96, minor_sections=48), 25, (1, 0, 0)),
}


@pytest.mark.parametrize("wall", [1.2, *further([5.0])])
@pytest.mark.parametrize("name", ["tilted box", "claw", *further(["box", "cylinder", "torus"])])
def test_99_of_100_walls_are_within_a_tenth_and_none_thinner_by_more(name: str, wall: float) -> None:
    outer = as_mesh(SHAPES[name]) if name in SHAPES else read_model(mesh_path(name)).mesh
    shell = Shell(wall, 0.05)
    found = measured_wall(outer, hollow_out(outer, shell).chambers, shell)
    assert found is not None
    assert found.within >= 0.99
    assert found.least_over_mm > -0.1
    assert found.median_mm == pytest.approx(wall, abs=0.03)


def test_flat_walls_have_no_steps_inside() -> None:
    outer = as_mesh(SHAPES["tilted box"])
    (chamber,) = hollow_out(outer, Shell(2.0)).chambers
    matrix = np.linalg.inv(SHAPES["tilted box"].bounding_box_oriented.primitive.transform)
    own = np.abs(chamber.points @ matrix[:3, :3].T + matrix[:3, 3])
    half = np.sort(np.array([13.0, 10.0, 18.0]))
    order = np.argsort(own.max(axis=0))
    own = own[:, order]
    for axis in range(3):
        others = [a for a in range(3) if a != axis]
        on_face = (half[axis] - own[:, axis] < 0.3) & (own[:, others] < half[others] - 1).all(axis=1)
        assert on_face.any()
        assert np.ptp(own[on_face, axis]) < 0.05


def test_marked_place_gets_its_thicker_wall_and_the_rest_keeps_its_own() -> None:
    outer = as_mesh(trimesh.creation.box((40, 40, 40)))
    place = Thicker(20.0, 0.0, 0.0, 4.0, 5.0)
    (chamber,) = hollow_out(outer, Shell(2.0, thicker=(place,))).chambers
    side = chamber.points[(chamber.points[:, 0] > 10) & (np.hypot(chamber.points[:, 1], chamber.points[:, 2]) < 4)]
    assert (20 - side[:, 0] > 4.9).all()
    assert chamber.low[0] == pytest.approx(-18, abs=0.03)
    far = chamber.points[(np.hypot(chamber.points[:, 1], chamber.points[:, 2]) > 14) & (chamber.points[:, 0] > 17)]
    assert far[:, 0].max() == pytest.approx(18, abs=0.03)


def test_solid_below_a_level_leaves_the_cavity_above_it() -> None:
    """A box of 30 x 24 x 40 with a 2 mm wall, solid for its lowest 12 mm: 26 x 20 x 26 mm of cavity."""
    outer = as_mesh(BOX)
    (chamber,) = hollow_out(outer, Shell(2.0, solid_below=Level((0.0, 0.0, 1.0), -8.0))).chambers
    assert chamber.low[2] == pytest.approx(-8, abs=0.02)
    assert chamber.volume_mm3 == pytest.approx(26 * 20 * 26, rel=3e-3)


def test_shell_without_a_floor_is_open_below_and_nowhere_else() -> None:
    outer = as_mesh(BOX)
    (chamber,) = hollow_out(outer, Shell(2.0, open_below=Level((0.0, 0.0, 1.0), -20.0))).chambers
    assert chamber.low[2] < -20
    assert chamber.high[2] == pytest.approx(18, abs=0.02)
    grid = grid_over(outer.low + [0, 0, 21], outer.high + [0, 0, 21], 0.2, 0.1)
    lift = np.array([0, 0, 21.0])
    part = difference(cast(outer.points + lift, outer.faces, grid), cast(chamber.points + lift, chamber.faces, grid))
    assert part.volume_mm3 == pytest.approx(30 * 24 * 40 - 26 * 20 * 38, rel=3e-3)
    with pytest.raises(BadModel, match="no flat face"):
        hollow_out(as_mesh(trimesh.creation.icosphere(4, 15)), Shell(2.0, open_below=Level((0.0, 0.0, 1.0), -15.0)))


def test_narrow_passage_between_two_chambers_is_filled_and_a_wide_one_stays() -> None:
    """Bulbs of radius 10 on a neck of radius 4: the way between the chambers is 4 mm across with a 2 mm wall."""
    bulbs = [moved(trimesh.creation.icosphere(4, 10), x, 0, 0) for x in (-16, 16)]
    neck = turned(trimesh.creation.cylinder(4, 24, sections=64), 90, (0, 1, 0))
    outer = as_mesh(trimesh.util.concatenate([*bulbs, neck]))
    assert len(hollow_out(outer, Shell(2.0, passage_mm=3.5)).chambers) == 1
    apart = hollow_out(outer, Shell(2.0, passage_mm=4.6)).chambers
    assert len(apart) == 2
    assert apart[0].volume_mm3 == pytest.approx(4 / 3 * np.pi * 8**3, rel=0.03)


def test_smallest_passage_rounds_a_cube_s_inner_corners_to_half_of_it() -> None:
    """A cube of side a opened with a ball of radius r loses 3 (a - 2r) r² (4 - π) along edges and r³ (8 - 4π/3) at corners.

    The nodes blunt the edges of what the ball's middle may reach by at most step / √2.
    """
    a, r = 20.0, 2.0
    (chamber,) = hollow_out(as_mesh(trimesh.creation.box((a + 4,) * 3)), Shell(2.0, passage_mm=2 * r)).chambers
    lost = 3 * (a - 2 * r) * r**2 * (4 - np.pi) + r**3 * (8 - 4 * np.pi / 3)
    rounded_mm2 = 12 * (a - 2 * r) * r * np.pi / 2 + 4 * np.pi * r**2
    assert lost - 2 < a**3 - chamber.volume_mm3 < lost + 0.25 / np.sqrt(2) * rounded_mm2


@pytest.mark.parametrize("thick_mm", [4.01, 4.03, 4.08, 4.12])
def test_walls_that_all_but_meet_leave_crumbs_of_void_or_none(thick_mm: float) -> None:
    """A leaning slab hardly thicker than its two walls: what chambers there are fit between them."""
    slab = as_mesh(turned(trimesh.creation.box((20, 14, thick_mm)), 20, (1, 0.3, 0.2)))
    chambers = hollow_out(slab, Shell(2.0, smallest_chamber_ml=0.0)).chambers
    assert all(c.volume_mm3 > 0 and c.watertight for c in chambers)
    assert sum(c.volume_mm3 for c in chambers) <= 16 * 10 * (thick_mm - 4)


def test_small_chambers_stay_solid() -> None:
    outer = as_mesh(
        trimesh.util.concatenate([trimesh.creation.icosphere(4, 12), moved(trimesh.creation.icosphere(4, 5), 30, 0, 0)])
    )
    assert len(hollow_out(outer, Shell(2.0, 0.05)).chambers) == 2
    assert len(hollow_out(outer, Shell(2.0, 0.3)).chambers) == 1


def test_wall_that_is_too_thin_to_measure_on_a_huge_part_is_refused() -> None:
    """40 million nodes over a cube of 500 mm lie 1.5 mm apart: a wall of 2 mm holds no two of them."""
    with pytest.raises(BadModel, match=r"nodes would lie 1\.5 mm apart.*2\.9 mm or more"):
        hollow_out(as_mesh(trimesh.creation.box((500, 500, 500))), Shell(2.0))


def test_house_rules_make_the_usual_shell() -> None:
    bench = load_bench().with_value("house.passage_mm", 2.5)
    assert usual_shell(bench).passage_mm == 2.5


# lattices


@pytest.fixture(scope="module")
def cavity() -> Mesh:
    found = cavity_mesh(hollow_out(as_mesh(moved(trimesh.creation.icosphere(5, 20), 0, 0, 20)), Shell(2.0)).chambers)
    assert found is not None
    return found


def filled(cavity: Mesh, bars: Mesh) -> Printed:
    """A ball of radius 20 on the plate with its cavity and the bars in it."""
    outer = as_mesh(moved(trimesh.creation.icosphere(5, 20), 0, 0, 20))
    grid = grid_over(outer.low, outer.high, 0.15, 0.1)
    void = difference(cast(cavity.points, cavity.faces, grid), cast(bars.points, bars.faces, grid))
    part = difference(cast(outer.points, outer.faces, grid), void)
    return Printed(part, empty(grid))


@pytest.mark.parametrize("kind", [GYROID, *further([STRUTS])])
@pytest.mark.parametrize(("share", "bar"), [(0.15, 1.2), *further([(0.05, 1.0)], True)])
def test_lattice_takes_its_share_and_leaves_one_void_and_no_island(cavity: Mesh, kind: str, share: float, bar: float) -> None:
    bars = lattice_in(cavity, Lattice(kind, share, bar), UP)
    printed = filled(cavity, bars.mesh)
    whole = cast(cavity.points, cavity.faces, printed.all.grid).volume_mm3
    ball = 4 / 3 * np.pi * 20**3
    own_share = (printed.part.volume_mm3 - (ball - whole)) / whole
    assert own_share == pytest.approx(share, abs=0.01)
    assert bars.share == pytest.approx(share, abs=0.01)
    assert bars.bar_mm == pytest.approx(bar, rel=0.15)
    voids = [t for t in printed.traps if t.volume_mm3 > 0.05]
    assert len(voids) == 1  # the whole cavity: no cell is closed
    assert voids[0].volume_mm3 == pytest.approx((1 - share) * whole, rel=0.02)
    assert len(printed.islands) == 0


def test_struts_rise_by_more_than_45_degrees_in_any_pose(cavity: Mesh) -> None:
    """Faces of the bars that look down are no flatter than the bars, but for short stretches where four of them meet."""
    up = np.array([0.3, -0.5, 0.81])
    up /= np.linalg.norm(up)
    bars = lattice_in(cavity, Lattice(STRUTS, 0.05, 1.0), up).mesh
    middle = bars.corners.mean(axis=1) - [0, 0, 20]
    within = np.linalg.norm(middle, axis=1) < 16
    flat = (bars.normals @ up < -np.cos(np.radians(30))) & within
    assert bars.face_area_mm2[flat].sum() < 0.03 * bars.face_area_mm2[within].sum()


@pytest.mark.prove
def test_no_bar_comes_nearer_to_a_hole_than_asked(cavity: Mesh) -> None:
    hole = Keepout((0.0, 0.0, 0.0), (0.0, 0.0, 1.0), 1.5, 4.0)
    lattice = Lattice(STRUTS, 0.12, 1.2, clear_mm=2.0)
    bars = lattice_in(cavity, lattice, UP, (hole,)).mesh
    spots = bars.points
    inside = np.linalg.norm(spots - [0, 0, 20], axis=1) < 18
    past = np.maximum(np.maximum(-spots[:, 2], spots[:, 2] - 4.0), 0)
    away = np.hypot(past, np.maximum(np.hypot(spots[:, 0], spots[:, 1]) - 1.5, 0))
    assert away[inside].min() > 2.0 - 0.05
    plain = lattice_in(cavity, lattice, UP).mesh.points
    assert np.hypot(plain[:, 0], plain[:, 1])[plain[:, 2] < 6].min() < 3.0


def test_lattice_out_of_range_is_refused(cavity: Mesh) -> None:
    with pytest.raises(BadModel, match="not between"):
        lattice_in(cavity, Lattice(STRUTS, 0.6), UP)
    with pytest.raises(BadModel, match="falls apart"):
        lattice_in(cavity, Lattice(GYROID, 0.02), UP)


def test_wall_between_stiffeners_gives_way_like_a_clamped_plate() -> None:
    """60 kPa on 10 mm of 2 mm wall at 400 MPa: 0.0138 · 0.06 · 10⁴ / (400 · 8) = 2.59 µm; half the span gives a sixteenth."""
    assert wall_gives_mm(60, 10, 2, 400) == pytest.approx(2.5875e-3)
    assert wall_gives_mm(60, 10, 2, 400) / wall_gives_mm(60, 5, 2, 400) == pytest.approx(16)


def test_shell_is_a_value_that_its_lattice_is_no_part_of() -> None:
    shell = Shell(2.0, lattice=Lattice())
    assert replace(shell, lattice=None) == Shell(2.0)


# kept between sessions


@pytest.mark.prove
def test_chambers_kept_on_disk_are_the_same(tmp_path: Path) -> None:
    part = Part("Box", as_source(as_mesh(BOX)), shell=Shell(2.0))
    made = Stages(disk=Disk(tmp_path)).chambers(part)
    again = Stages(disk=Disk(tmp_path))
    assert again.chambers(part) == made
    assert again.computed == []
    other = Stages(disk=Disk(tmp_path))
    other.chambers(replace(part, shell=Shell(2.5)))
    other.chambers(replace(part, scale=1.1))
    assert other.computed.count("hollowed") == 2


def test_places_and_levels_of_a_shell_go_along_when_the_part_is_resized() -> None:
    """A box of 30 x 24 x 40 mm, open below, with a thicker place on its side, at half size: the same spots, half as far."""
    shell = Shell(2.0, thicker=(Thicker(15.0, 0.0, 6.0, 4.0, 5.0),), open_below=Level((0.0, 0.0, 1.0), -20.0))
    half = scaled(Part("Box", as_source(as_mesh(BOX)), shell=shell), 0.5)
    assert half.shell is not None
    (place,) = half.shell.thicker
    assert (place.x_mm, place.z_mm, place.reach_mm, place.wall_mm) == pytest.approx((7.5, 3.0, 2.0, 5.0))
    assert half.shell.open_below == Level((0.0, 0.0, 1.0), -10.0)
    assert Stages().chambers(half)[0].low[2] < -10
