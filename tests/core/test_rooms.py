"""Hollow, drain, split, orient, support and plate."""

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from conftest import ONE, as_mesh, as_source, moved, printed_of, set_down, tube_with_floor, turned
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.drain import Hole, drill, hole_diameter_mm, propose_for_chamber, propose_for_cups
from wideberth.core.errors import BadModel, Cancelled
from wideberth.core.hollow import Shell, cavity_mesh, hollow_out, weigh_hollow
from wideberth.core.job import Part, job_of, with_marked
from wideberth.core.layers import cast, grid_over, sections
from wideberth.core.loads import loads
from wideberth.core.model import Closest, MarkKind, Mesh
from wideberth.core.orient import Pose, placing, turned_xyz
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress
from wideberth.core.propose import propose_drain, propose_support
from wideberth.core.split import Cut, apply_cuts
from wideberth.core.support import base_mesh, propose_tips, supports_mesh, touches

# hollow


@pytest.mark.parametrize("wall", [1.5, 3.0])
def test_shell_of_a_sphere_has_its_wall_and_volume(wall: float) -> None:
    outer = as_mesh(trimesh.creation.icosphere(5, 15))
    (chamber,) = hollow_out(outer, Shell(wall)).chambers
    assert chamber.watertight
    assert chamber.volume_mm3 == pytest.approx(4 / 3 * np.pi * (15 - wall) ** 3, rel=5e-3)
    assert 15 - np.linalg.norm(chamber.points, axis=1) == pytest.approx(np.full(len(chamber.points), wall), abs=0.06)


def test_wall_is_never_thinner_than_asked_by_a_tenth() -> None:
    """Measured the other way: the closest distance from the cavity to points on the outer surface."""
    outer = as_mesh(turned(trimesh.creation.torus(20, 8, major_sections=96, minor_sections=48), 25, (1, 0, 0)))
    (chamber,) = hollow_out(outer, Shell(2.0)).chambers
    fine, _ = trimesh.sample.sample_surface(trimesh.Trimesh(outer.points, outer.faces), 400_000, seed=1)
    wall, _ = cKDTree(fine).query(chamber.points)
    assert wall.min() > 1.9
    assert np.percentile(np.abs(wall - 2.0), 99) < 0.1


def test_dumbbell_with_a_thin_neck_has_two_chambers() -> None:
    balls = [moved(trimesh.creation.icosphere(4, 9), x, 0, 0) for x in (-14, 14)]
    neck = turned(trimesh.creation.cylinder(1.8, 20, sections=48), 90, (0, 1, 0))
    chambers = hollow_out(as_mesh(trimesh.util.concatenate([*balls, neck])), Shell(2.0)).chambers
    assert len(chambers) == 2
    assert [c.volume_mm3 for c in chambers] == pytest.approx([4 / 3 * np.pi * 7**3] * 2, rel=0.02)


def test_small_part_is_not_worth_hollowing(bench: Bench) -> None:
    outer = as_mesh(trimesh.creation.icosphere(4, 5))
    shell = Shell(2.0)
    advice = weigh_hollow(outer, hollow_out(outer, shell).chambers, shell, bench)
    assert not advice.pays
    assert hollow_out(as_mesh(trimesh.creation.box((3, 30, 30))), Shell(2.0)).chambers == ()


def test_hollowing_can_be_cancelled() -> None:
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        hollow_out(as_mesh(trimesh.creation.icosphere(4, 15)), Shell(2.0), progress)


# drain


def test_hole_is_drilled_along_the_normal_through_the_wall() -> None:
    outer, cavity = as_mesh(trimesh.creation.box((20, 20, 20))), as_mesh(trimesh.creation.box((16, 15, 16)))
    made = drill(outer, cavity, Hole(3.0, -10.4, 2.0, 2.0))
    assert made.along == pytest.approx((0, 1, 0))
    assert made.wall_mm == pytest.approx(2.5)
    assert made.free_mm == pytest.approx(15.0)
    assert made.entry_mm == pytest.approx((3, -10, 2))
    assert made.inner_mouth_mm[1] > -7.5
    assert made.mesh.low[1] < -10
    with pytest.raises(BadModel, match="off the surface"):
        drill(outer, cavity, Hole(0, -20, 0, 2.0))


def test_viscous_resin_gets_wider_holes(bench: Bench) -> None:
    assert hole_diameter_mm(bench) == 2.0
    assert hole_diameter_mm(bench.with_value("resin.viscosity_pa_s", 1.2)) == 3.5


def test_proposed_holes_of_a_chamber_are_low_and_lead_outside(bench: Bench) -> None:
    outer = set_down(trimesh.creation.icosphere(5, 15), 5.0)
    chambers = hollow_out(outer, Shell(2.0)).chambers
    spots = propose_for_chamber(outer, cavity_mesh(chambers), chambers[0], bench, np.empty((0, 3)))
    assert len(spots) == 2
    assert spots[0].point_mm[2] < 9
    assert spots[0].wall_mm == pytest.approx(2.0, abs=0.3)
    for spot in spots:
        assert np.linalg.norm(np.array(spot.point_mm) - [0, 0, 20]) == pytest.approx(15, abs=0.1)
    assert np.linalg.norm(np.subtract(spots[0].point_mm, spots[1].point_mm)) > 3


def test_wide_hole_out_of_sight_keeps_off_tips_and_the_lowest_point(bench: Bench) -> None:
    """Where it does not show the house's 5 mm are taken, but only where a tip has room beside it."""
    outer = set_down(trimesh.creation.icosphere(5, 15), 5.0)
    chambers = hollow_out(outer, Shell(2.0)).chambers
    cavity = cavity_mesh(chambers)
    free = propose_for_chamber(outer, cavity, chambers[0], bench, np.empty((0, 3)))
    assert 5.0 in {s.diameter_mm for s in free}
    tips = np.array([[0.0, 0.0, 5.0], *(np.array(s.point_mm) + [3.0, 0, 0] for s in free)])
    spots = propose_for_chamber(outer, cavity, chambers[0], bench, tips)
    assert len(spots) == 2
    for spot in spots:
        assert np.linalg.norm(tips - spot.point_mm, axis=1).min() >= spot.diameter_mm / 2 + 1.2 - 1e-6


@pytest.mark.prove
@pytest.mark.parametrize("turn_deg", [40, *further([0, 115, 200])])
def test_no_hole_breaks_through_what_is_kept_clean_while_there_is_another_way(turn_deg: int, bench: Bench) -> None:
    """A third of a ball, about any side, is kept clean; then all of it, and the holes say so."""
    outer = set_down(trimesh.creation.icosphere(4, 15), 5.0)
    part = Part("Ball", as_source(outer), shell=Shell(2.0), pose=Pose(gap_mm=5.0))
    side = np.array([np.cos(np.radians(turn_deg)) * 0.6, np.sin(np.radians(turn_deg)) * 0.6, -0.8])
    clean = np.flatnonzero(part.source.mesh.normals @ side > 0.35)
    stages = Stages()
    for faces, all_of_it in ((clean, False), (np.arange(part.source.mesh.triangles), True)):
        job = job_of("x", bench, (with_marked(part, MarkKind.KEEP_CLEAN, faces),))
        holes = propose_drain(job, ONE, stages).job.parts[0].holes
        assert len(holes) == 2
        kept = Closest(Mesh(outer.points, outer.faces[faces]))
        for hole in holes:
            away = float(kept.nearest(hole.point_mm)[0][0])
            assert (away < 0.1) if all_of_it else (away > hole.diameter_mm / 2 - 0.05)
            assert ("no other way leads out" in hole.why) is all_of_it


def test_proposed_hole_of_a_vase_is_at_its_floor(bench: Bench) -> None:
    mesh = set_down(tube_with_floor())
    (spot,) = propose_for_cups(mesh, None, printed_of(mesh, 0.3, 0.1), bench)
    assert spot.point_mm[2] - spot.diameter_mm / 2 == pytest.approx(2.1, abs=0.15)
    assert np.hypot(*spot.point_mm[:2]) == pytest.approx(17, abs=0.1)
    assert spot.wall_mm == pytest.approx(2.0, abs=0.1)


# split


def test_cut_pieces_are_closed_and_add_up() -> None:
    mesh = as_mesh(trimesh.creation.cone(10, 40, sections=96))
    cut = Cut((0.0, 0.0, 1.0), 15.0, 1)
    above, below = apply_cuts(mesh, (cut,), "cone"), apply_cuts(mesh, (cut.other_side,), "cone")
    assert above.watertight
    assert below.watertight
    assert above.volume_mm3 + below.volume_mm3 == pytest.approx(mesh.volume_mm3)
    assert above.low[2] == pytest.approx(15)


# orient


def test_turns_are_about_x_then_y_then_z() -> None:
    pose = Pose(turned_xyz(90, 0, 90))
    # y goes up under the first turn and stays there under the last; x goes to y
    assert pose.rotation @ [0, 1, 0] == pytest.approx([0, 0, 1], abs=1e-12)
    assert pose.rotation @ [1, 0, 0] == pytest.approx([0, 1, 0], abs=1e-12)


@settings(max_examples=30, deadline=None)
@given(x=st.floats(-180, 180), y=st.floats(-180, 180), gap=st.floats(0, 20))
def test_part_is_set_down_at_its_gap_over_the_middle(x: float, y: float, gap: float) -> None:
    mesh = as_mesh(moved(trimesh.creation.box((10, 20, 5)), 3, -40, 7))
    down = mesh.transformed(placing(mesh, Pose(turned_xyz(x, y, 30), gap)))
    assert down.low[2] == pytest.approx(gap, abs=1e-9)
    assert 0.5 * (down.low + down.high)[:2] == pytest.approx([0, 0], abs=1e-9)
    assert down.volume_mm3 == pytest.approx(1000)


# support


def _held(mesh, bench):  # type: ignore[no-untyped-def]
    found = propose_tips(mesh, bench)
    supports = supports_mesh(found.supports, bench.supports)
    assert supports is not None
    printed = printed_of(mesh, supports=supports, touches=touches(found.supports, bench.supports, 0, 0, 0))
    return found, supports, printed, loads(printed, bench)


@pytest.mark.parametrize("name", ["sphere", *further(["tilted cube", "table"])])
def test_proposed_tips_hold_what_they_must(name: str, bench: Bench) -> None:
    table = [moved(trimesh.creation.box((30, 30, 3)), 0, 0, 12)]
    table += [moved(trimesh.creation.cylinder(2, 12, sections=32), x, y, 6) for x in (-12, 12) for y in (-12, 12)]
    solid = {
        "tilted cube": turned(trimesh.creation.box((20, 20, 20)), 35, (1, 0.3, 0)),
        "sphere": trimesh.creation.icosphere(5, 12),
        "table": trimesh.util.concatenate(table),
    }[name]
    mesh = set_down(solid, 5.0)
    found, _, printed, load = _held(mesh, bench)
    assert not found.unreached
    assert printed.sections.rests_on_something[printed.part_in_all[printed.islands]].all()
    assert np.nanmin(load.hold_margin) > 1.5
    assert np.nanmin(load.plate_margin) > 1.5
    assert (load.tip_touches >= 0).all()


def test_every_island_gets_a_tip(bench: Bench) -> None:
    pieces = [moved(trimesh.creation.box((50, 8, 3)), 0, 0, 20)]
    for x, length in zip((-20, -5, 8, 21), (5, 9, 7, 11), strict=True):
        pieces.append(moved(turned(trimesh.creation.cone(2, length, sections=24), 180, (1, 0, 0)), x, 0, 19))
    mesh = set_down(trimesh.util.concatenate(pieces), 5.0)
    found, _, printed, _ = _held(mesh, bench)
    assert len(printed.islands) == 4
    for x in (-20, -5, 8, 21):
        assert any(abs(t.x_mm - x - (-0.5)) < 1.2 or abs(t.x_mm - x) < 1.2 for t in found.supports.contacts)


def test_tips_grow_with_the_pull(bench: Bench) -> None:
    mesh = set_down(trimesh.creation.box((18, 18, 5)), 5.0)
    calm = propose_tips(mesh, bench)
    harsh = propose_tips(mesh, bench.with_value("print.lift_mm_per_min", 300.0))
    assert max(t.diameter_mm for t in harsh.supports.contacts) > max(t.diameter_mm for t in calm.supports.contacts)


def test_posts_do_not_pass_through_the_part(bench: Bench) -> None:
    """A mushroom: posts under the brim must stand clear of the stem and of each other's part."""
    stem = moved(trimesh.creation.cylinder(5, 20, sections=64), 0, 0, 10)
    brim = moved(trimesh.creation.cylinder(15, 3, sections=96), 0, 0, 21.4)
    mesh = set_down(trimesh.util.concatenate([stem, brim]))
    found = propose_tips(mesh, bench)
    assert len(found.supports.contacts) > 8
    for tip in found.supports.routes.values():
        if tip.on_plate:
            assert np.hypot(*tip.foot_mm[:2]) > 5 + 0.5 * bench.supports.post_mm


@pytest.mark.prove
def test_no_tip_reaches_over_the_rim_of_a_bore_that_is_to_mate(bench: Bench) -> None:
    """A plate of 24 x 18 x 4 mm with a bore of 9 mm: unmarked, tips stand on its rim; marked, even their rims keep off it."""
    drill = trimesh.creation.cylinder(4.5, 24, sections=96)
    plate = as_mesh(trimesh.boolean.difference([trimesh.creation.box((24, 18, 4)), drill], engine="manifold"))
    middle = plate.points[plate.faces].mean(axis=1)
    wall = np.flatnonzero((np.hypot(*middle[:, :2].T) < 4.55) & (np.abs(plate.normals[:, 2]) < 0.5))
    unmarked = Part("Plate", as_source(plate), pose=Pose(turned_xyz(20, 0, 0), 5.0), id=ONE)
    over = []
    for part in (unmarked, with_marked(unmarked, MarkKind.MATING, wall)):
        stages = Stages()
        job = propose_support(job_of("Plate", bench, (part,)), ONE, stages).best.job
        outer, tips = stages.solids(job.part(ONE), bench.supports).outer, job.part(ONE).supports.contacts
        off = Closest(Mesh(outer.points, outer.faces[wall])).nearest(np.array([t.spot_mm for t in tips]))[0]
        over.append(int((off < 0.5 * np.array([t.diameter_mm for t in tips])).sum()))
        assert len(tips) >= 5
    assert over[0] > 0 and over[1] == 0


def test_base_never_forms_a_cup_and_leans_outward(bench: Bench) -> None:
    mesh = set_down(trimesh.creation.box((34, 34, 5)), 5.0)
    found = propose_tips(mesh, bench)
    base = base_mesh(found.supports, bench.supports)
    assert base is not None
    printed = printed_of(base, 0.1, 0.05)
    assert printed.openings.count == 0
    area = printed.all.layer_area_mm2()
    assert area[-2] > area[0]
    assert base.low[2] == pytest.approx(0)
    s = sections(cast(base.points, base.faces, grid_over(base.low, base.high, 0.1, 0.1)))
    assert (np.diff(s.first) == 1).all()  # one piece: no pad stands alone


def test_nothing_to_hold_is_said_so(bench: Bench) -> None:
    assert propose_tips(set_down(trimesh.creation.box((10, 10, 10))), bench).supports.contacts == ()
