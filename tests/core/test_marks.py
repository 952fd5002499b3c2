"""Marks on faces: regions that are picked, kinds of surface by their shape, minutes by kind, and what follows from them."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, moved, turned
from reference.further import further
from wideberth.core.bench import SCHOOLS, Bench, mark_min, school_of
from wideberth.core.errors import Cancelled
from wideberth.core.job import Job, Part, job_of, marked_as, with_marked
from wideberth.core.loads import MARKS, UNMARKED, finish_of
from wideberth.core.model import SURFACES, MarkKind, Mesh, Regions, Surface, hatched, surface_kinds
from wideberth.core.orient import Inside, Light, Pose, search_poses, turned_xyz, weigh_pose
from wideberth.core.predict import Stages, fine, predict
from wideberth.core.progress import Progress
from wideberth.core.propose import (
    Way,
    facing_faces,
    propose_marks,
    propose_orient,
    propose_support,
    region_at,
    ring_less,
    ring_more,
)

CUBE = trimesh.creation.box((20, 20, 20)).subdivide_to_size(3.0)
TURNS = [(0.0, (1, 0, 0)), (31.0, (0.3, 1.0, 0.2)), (143.0, (1.0, 0.2, -0.6))]


def grooved(width: float = 1.0, deep: float = 0.5) -> trimesh.Trimesh:
    """A plate of 60 x 40 x 4 mm with eleven grooves of 15 mm in its upper face."""
    at = trimesh.transformations.translation_matrix
    cutters = [trimesh.creation.box((width, 15, 2 * deep), transform=at((x, 0, 2))) for x in range(-20, 21, 4)]
    return trimesh.boolean.difference([trimesh.creation.box((60, 40, 4)), *cutters], engine="manifold")


def rippled(height: float, wave: float, finer: int = 6) -> trimesh.Trimesh:
    """A ball of 20 mm with ripples of a height and a wave length."""
    ball = trimesh.creation.icosphere(finer, 20.0)
    v = ball.vertices
    out = height * np.sin(2 * np.pi * v[:, 0] / wave) * np.sin(2 * np.pi * v[:, 1] / wave)
    ball.vertices = v * (1 + out / 20.0)[:, None]
    return ball


def shares(mesh: Mesh) -> dict[str, float]:
    """Share of the surface that is of each kind."""
    kinds = surface_kinds(mesh)
    sums = np.bincount(kinds, mesh.face_area_mm2, len(SURFACES)) / mesh.face_area_mm2.sum()
    return {str(kind): float(share) for kind, share in zip(SURFACES, sums, strict=True)}


# regions


@pytest.mark.parametrize(("degrees", "axis"), TURNS)
def test_a_face_of_a_cube_is_a_sixth_of_it_by_flatness_and_by_facing(degrees: float, axis: tuple[float, ...]) -> None:
    mesh = as_mesh(turned(CUBE, degrees, axis))
    regions = Regions.of(mesh)
    for picked in (regions.flat(0), regions.smooth(0, 25.0), regions.facing(0, mesh.normals[0], 30.0)):
        assert mesh.face_area_mm2[picked].sum() == pytest.approx(400.0)
    assert len(regions.smooth(0, 91.0)) == mesh.triangles == len(regions.shell(0))


def test_a_shell_is_one_of_two_and_a_box_takes_what_lies_in_it() -> None:
    both = trimesh.util.concatenate([CUBE, moved(CUBE, 50, 0, 0)])
    regions = Regions.of(as_mesh(both))
    assert len(regions.shell(0)) == len(CUBE.faces)
    inside = regions.within(np.array([39.0, -11, -11]), np.array([70.0, 11, 11]))
    assert len(inside) == len(CUBE.faces) and inside.min() >= len(CUBE.faces)


@pytest.mark.parametrize("radius", [2.0, 5.0])
def test_a_brush_covers_its_circle_and_not_the_other_side_of_a_thin_wall(radius: float) -> None:
    wall = trimesh.creation.box((40, 40, 1.0)).subdivide_to_size(0.8)
    mesh = as_mesh(wall)
    regions, spot = Regions.of(mesh), np.array([3.0, 4.0, 0.5])
    face = int(np.argmin(np.linalg.norm(mesh.corners.mean(axis=1) - spot, axis=1)))
    picked = regions.around(face, spot, radius)
    assert (mesh.normals[picked][:, 2] > 0.99).all()
    assert mesh.face_area_mm2[picked].sum() == pytest.approx(math.pi * radius**2, rel=0.12)


def test_a_ring_more_and_less_comes_back_to_a_round_patch() -> None:
    mesh = as_mesh(trimesh.creation.icosphere(4, 10.0))
    regions = Regions.of(mesh)
    patch = np.flatnonzero(regions.looking(np.array([0, 0, 1.0]), 40.0))
    grown = regions.grown(patch)
    assert set(patch) < set(grown) and set(regions.shrunk(grown)) >= set(patch)
    assert set(regions.shrunk(patch)) < set(patch)
    everything = np.arange(mesh.triangles)
    assert np.array_equal(regions.shrunk(everything), everything)  # it has no edge


# kinds of surface


@pytest.mark.parametrize(("degrees", "axis"), TURNS)
@pytest.mark.parametrize("finer", [False, *further([True])])
def test_smooth_solids_are_smooth_and_level_ones_flat_however_turned_and_cut(degrees: float, axis: tuple, finer: bool) -> None:
    for solid, kind, least in (
        (trimesh.creation.box((30, 20, 10)), Surface.FLAT, 1.0),
        (trimesh.creation.icosphere(4, 12.0), Surface.SMOOTH, 1.0),
        (trimesh.creation.capsule(30, 8, count=[64, 64]), Surface.SMOOTH, 1.0),
        (trimesh.creation.cylinder(8, 40, sections=128), Surface.SMOOTH, 0.82),
    ):
        made = turned(solid, degrees, axis)
        found = shares(as_mesh(made.subdivide() if finer else made))
        assert found[kind] >= least - 1e-6 and found[Surface.BUSY] == found[Surface.ENGRAVED] == found[Surface.INNER] == 0


@pytest.mark.prove
def test_ripples_are_busy_from_a_height_on_and_noise_that_no_print_shows_is_not() -> None:
    assert shares(as_mesh(rippled(0.3, 3.0)))[Surface.BUSY] > 0.9
    assert shares(as_mesh(rippled(0.2, 1.5, 7)))[Surface.SMOOTH] < 0.05
    assert shares(as_mesh(rippled(0.03, 3.0)))[Surface.SMOOTH] > 0.97
    ball = trimesh.creation.icosphere(6, 20.0)
    ball.vertices *= 1 + 0.0005 * np.random.default_rng(3).standard_normal(len(ball.vertices))[:, None]
    assert shares(as_mesh(ball))[Surface.SMOOTH] > 0.97


@pytest.mark.parametrize(("degrees", "axis"), TURNS)
@pytest.mark.parametrize("times", [0.5, 1.0, 2.0])
def test_narrow_grooves_are_engraved_walls_and_floor(degrees: float, axis: tuple[float, ...], times: float) -> None:
    plate = grooved()
    plate.apply_scale(times)
    mesh = as_mesh(turned(plate, degrees, axis))
    expected = 11 * (15 * 1.0 + 2 * (15 + 1.0) * 0.5) * times**2
    engraved = mesh.face_area_mm2[surface_kinds(mesh) == SURFACES.index(Surface.ENGRAVED)].sum()
    assert engraved == pytest.approx(expected, rel=0.02)


def test_wide_grooves_are_none_and_the_inside_of_a_deep_cup_is_a_hollow() -> None:
    assert shares(as_mesh(grooved(3.2)))[Surface.ENGRAVED] == 0
    bore = trimesh.creation.cylinder(13, 40, sections=96, transform=trimesh.transformations.translation_matrix((0, 0, 3)))
    cup = as_mesh(trimesh.boolean.difference([trimesh.creation.cylinder(15, 40, sections=96), bore], engine="manifold"))
    inner = cup.corners.mean(axis=1)
    inside = (np.hypot(inner[:, 0], inner[:, 1]) < 13.5) & (inner[:, 2] < 15) & (inner[:, 2] > -19)
    kinds = surface_kinds(cup)
    assert (kinds[inside] == SURFACES.index(Surface.INNER)).all()
    assert (kinds[inner[:, 2] < -19.5] != SURFACES.index(Surface.INNER)).all()


def test_looking_at_a_surface_can_be_cancelled() -> None:
    mesh = as_mesh(rippled(0.3, 3.0))
    for share in (0.1, 0.4, 0.8):
        with pytest.raises(Cancelled):
            surface_kinds(mesh, cancelled_at(share))


def cancelled_at(share: float) -> Progress:
    progress = Progress(lambda done, _: progress.cancel() if done >= share else None)
    return progress


# minutes


def test_minutes_by_kind_of_surface_and_by_mark(bench: Bench) -> None:
    house = replace(bench.house, mark_min=0.5, mark_min_per_mm2=3.0, busy_mark_times=0.25, clean_mark_times=7.0)
    assert mark_min(0.4, house) == pytest.approx(0.5 + 3.0 * 0.16)
    surface = np.array(
        [SURFACES.index(s) for s in (Surface.SMOOTH, Surface.BUSY, Surface.BUSY, Surface.FLAT, Surface.INNER)], np.uint8
    )
    marks = [UNMARKED, UNMARKED, MARKS.index(MarkKind.KEEP_CLEAN), MARKS.index(MarkKind.MATING), MARKS.index(MarkKind.HIDDEN)]
    finish = finish_of(surface, np.array(marks, np.int8), house)
    assert finish.times[[0, 1, 2, 4]] == pytest.approx([1.0, 0.25, 7.0, 0.1])
    assert finish.barred.tolist() == [False, False, False, True, False]  # clean faces are dear here, mating ones forbidden


def test_each_school_is_known_by_what_it_sets(bench: Bench) -> None:
    for name, sets in SCHOOLS.items():
        assert school_of(replace(bench.house, **sets)) == name
    assert school_of(replace(bench.house, busy_mark_times=0.77)) == ""
    assert school_of(bench.house) == next(iter(SCHOOLS))


# marking


@pytest.fixture
def cube() -> Part:
    return Part("Cube", as_source(as_mesh(CUBE)), id=ONE)


def test_a_face_has_one_mark_and_a_mark_keeps_its_id(cube: Part) -> None:
    stages = Stages()
    top = facing_faces(cube, stages, np.array([0, 0, 1.0]), 10.0)
    once = with_marked(cube, MarkKind.KEEP_CLEAN, top)
    half = with_marked(once, MarkKind.HIDDEN, top[::2])
    assert np.array_equal(marked_as(half, MarkKind.KEEP_CLEAN), np.setdiff1d(top, top[::2]))
    assert [m.id for m in half.marks] == ["mark-1", "mark-2"]
    assert [m.id for m in with_marked(half, MarkKind.KEEP_CLEAN, top).marks] == ["mark-1"]
    assert with_marked(half, None, top).marks == () and with_marked(half, None, top).last == 2


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("way", list(Way))
def test_what_is_picked_on_the_part_is_marked_on_its_source(cube: Part, way: Way, mirrored: bool) -> None:
    """A cube stretched to 40 x 20 x 20 and mirrored: the same face is meant, whatever the size."""
    part, stages = replace(cube, stretch=(2.0, 1.0, 1.0), mirrored=mirrored), Stages()
    spot = np.array([3.0, 2.0, 10.0])
    amount = {Way.BRUSH: 4.0, Way.SMOOTH: 25.0, Way.FACING: 30.0}.get(way, 0.0)
    faces = region_at(part, stages, spot, way, amount, np.array([21.0, 11.0, 9.9]) if way is Way.BOX else None)
    area = float(stages.regions(part).mesh.face_area_mm2[faces].sum())
    if way is Way.BOX:
        middles = stages.regions(part).mesh.corners.mean(axis=1)[faces]
        assert len(faces) > 20 and (middles >= [3, 2, 9.45 - 1e-9]).all() and (middles <= [21, 11, 10.45]).all()
        return
    wanted = {Way.BRUSH: math.pi * 16, Way.SHELL: 2 * (800 + 800 + 400)}.get(way, 800.0)
    assert area == pytest.approx(wanted, rel=0.25 if way is Way.BRUSH else 1e-6)
    if way is not Way.SHELL:
        assert (part.source.mesh.normals[faces][:, 2] > 0.99).all()


def test_rings_go_over_the_marked_faces(cube: Part) -> None:
    stages = Stages()
    part = with_marked(cube, MarkKind.KEEP_CLEAN, region_at(cube, stages, np.array([0, 0, 10.0]), Way.BRUSH, 4.0))
    more = ring_more(part, stages, MarkKind.KEEP_CLEAN)
    less = ring_less(part, stages, MarkKind.KEEP_CLEAN)
    counts = [len(marked_as(p, MarkKind.KEEP_CLEAN)) for p in (less, part, more)]
    assert 0 < counts[0] < counts[1] < counts[2]


def test_the_shape_proposes_clean_engravings_and_hidden_hollows_and_leaves_marks_alone(bench: Bench) -> None:
    stages = Stages()
    part = Part("Plate", as_source(as_mesh(grooved().subdivide_to_size(1.0))), id=ONE)
    job = job_of("Plate", bench, (part,))
    made = propose_marks(job, ONE, stages)
    clean = marked_as(made.job.part(ONE), MarkKind.KEEP_CLEAN)
    assert made.needed and "engraved: keep clean" in made.why and "flat" in made.why
    assert (part.source.mesh.corners[clean].mean(axis=1)[:, 2] > 1.4).all()
    hidden = job.with_part(with_marked(job.part(ONE), MarkKind.HIDDEN, clean))
    assert marked_as(propose_marks(hidden, ONE, stages).job.part(ONE), MarkKind.KEEP_CLEAN).size == 0
    assert not propose_marks(job_of("Cube", bench, (replace(part, source=as_source(as_mesh(CUBE))),)), ONE, stages).needed


# what follows


def figure() -> trimesh.Trimesh:
    """A standing figure: body, head, an arm to each side; its front looks to -y."""
    body = trimesh.creation.capsule(22, 7, count=[48, 48])
    head = trimesh.creation.icosphere(4, 5.0)
    head.apply_translation((0, 0, 32))
    arm = trimesh.creation.capsule(14, 2.5, count=[32, 32])
    arm.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (0, 1, 0)))
    parts = [body, head, moved(arm, 4, 0, 18), moved(arm, -18, 0, 18)]
    return trimesh.boolean.union(parts, engine="manifold")


def with_clean_front(bench: Bench, stages: Stages, degrees: float = 60.0) -> Job:
    part = Part("Figure", as_source(as_mesh(figure())), id=ONE)
    front = facing_faces(part, stages, np.array([0.0, -1.0, 0.0]), degrees)
    return job_of("Figure", bench, (with_marked(part, MarkKind.KEEP_CLEAN, front),))


@pytest.mark.prove
def test_a_figure_with_a_clean_front_leans_back_and_no_tip_stands_on_it(bench: Bench) -> None:
    stages = Stages()
    job = with_clean_front(bench, stages)
    turned_job = propose_orient(job, ONE, stages, most=150).job
    up = turned_job.part(ONE).pose.rotation[2]
    assert up @ [0, -1, 0] > -0.2  # the front does not look down
    held = propose_support(turned_job, ONE, stages).job
    verdict = predict(held, stages, fine(0.2)).verdict
    assert len(verdict.marks) == len(held.part(ONE).supports.contacts) > 3
    assert not any(m.forbidden for m in verdict.marks) and "mark_forbidden" not in {str(f.code) for f in verdict.findings}


@pytest.mark.prove
def test_a_front_turned_down_gets_tips_only_under_what_begins_and_is_told(bench: Bench) -> None:
    stages = Stages()
    job = with_clean_front(bench, stages)
    face_down = job.with_part(replace(job.part(ONE), pose=Pose(turned_xyz(90, 0, 0), 4.0)))
    assert face_down.part(ONE).pose.rotation[2] @ [0, -1, 0] == pytest.approx(-1.0)
    free = face_down.with_part(replace(face_down.part(ONE), marks=()))
    several = len(propose_support(free, ONE, stages).job.part(ONE).supports.contacts)
    held = propose_support(face_down, ONE, stages).job
    assert len(held.part(ONE).supports.contacts) < several
    verdict = predict(held, stages, fine(0.2)).verdict
    (told,) = [f for f in verdict.findings if f.code == "mark_forbidden"]
    wrong = [m for m in verdict.marks if m.forbidden]
    assert 0 < len(wrong) == told.count and "marked keep clean" in told.message and told.severity == "doubtful"
    assert {m.contact for m in wrong} <= {c.id for c in held.part(ONE).supports.contacts if str(c.need.kind) == "island"}


def test_minutes_of_a_pose_are_its_tips_times_the_minutes_of_their_faces(bench: Bench) -> None:
    """A cube on its face: 20 x 20 mm of shade, flat (0.8 times); marked hidden it costs an eighth of that."""
    mesh = as_mesh(CUBE)
    flat = np.full(mesh.triangles, SURFACES.index(Surface.FLAT), np.uint8)
    costs = []
    for mark in (UNMARKED, MARKS.index(MarkKind.HIDDEN), MARKS.index(MarkKind.KEEP_CLEAN)):
        finish = finish_of(flat, np.full(mesh.triangles, mark, np.int8), bench.house)
        costs.append(weigh_pose(Light.of(mesh, finish), Pose(turned_xyz(0, 0, 0), 3.0), bench))
    plain, hidden, clean = costs
    assert plain.mark_min == pytest.approx(plain.tips * 0.8 * mark_min(bench.supports.tip_mm, bench.house), rel=0.02)
    assert hidden.mark_min == pytest.approx(plain.mark_min / 8, rel=1e-6)
    assert plain.clean_tips == hidden.clean_tips == 0 and clean.clean_tips == pytest.approx(clean.tips)
    assert dict(plain.mark_min_of)["flat"] == pytest.approx(plain.mark_min)
    assert clean.total(bench.house) > plain.total(bench.house) + 90 * clean.tips


def test_steps_show_on_slopes_and_not_on_level_or_upright_faces(bench: Bench) -> None:
    mesh, layer = as_mesh(CUBE), bench.print.layer_height_mm
    light = Light.of(mesh)
    assert weigh_pose(light, Pose(turned_xyz(0, 0, 0), 3.0), bench).step_mm == pytest.approx(0.0, abs=1e-9)
    tilted = weigh_pose(light, Pose(turned_xyz(30, 0, 0), 3.0), bench).step_mm
    wanted = layer * (2 * math.cos(math.radians(30)) + 2 * math.sin(math.radians(30))) / 6
    assert tilted == pytest.approx(wanted, rel=1e-3)


@pytest.mark.prove
def test_a_shell_with_its_holes_is_what_a_search_weighs(bench: Bench) -> None:
    """A hollow ball: less area to peel; sealed it sucks, with two holes at its ends hardly."""
    from wideberth.core.drain import Hole
    from wideberth.core.hollow import Shell

    stages = Stages()
    ball = Part("Ball", as_source(as_mesh(trimesh.creation.icosphere(5, 20.0))), id=ONE)
    hollow = replace(ball, shell=Shell(2.0, 0.05, 0.0))
    holed = replace(hollow, holes=(Hole(0, 0, 20.0, 6.0, "", id="a"), Hole(0, 0, -20.0, 6.0, "", id="b")))
    pose = Pose(turned_xyz(0, 0, 0), 3.0)

    def cost(part: Part):  # type: ignore[no-untyped-def]
        inner = None if part.shell is None else stages.cavity(part)
        return weigh_pose(Light.of(stages.cut(part), None, Inside(inner, stages.own_bores(part))), pose, bench)

    solid, shut, open_ = cost(ball), cost(hollow), cost(holed)
    assert shut.peak_n < 0.5 * solid.peak_n
    assert solid.suction_n == 0 and shut.suction_n > 20 and open_.suction_n < 0.5 * shut.suction_n
    found = search_poses(stages.cut(holed), bench, most=60, inside=Inside(stages.cavity(holed), stages.own_bores(holed)))
    sealed_ways = [c for c in found.costs if c.suction_n > 2 * open_.suction_n]
    assert sealed_ways and found.costs[0] not in sealed_ways  # with the holes at its sides it seals


# hatching


@pytest.mark.parametrize(("degrees", "axis"), TURNS)
@pytest.mark.parametrize("finer", [False, True])
def test_hatching_draws_area_over_distance_of_line_on_the_face(degrees: float, axis: tuple[float, ...], finer: bool) -> None:
    """A 20 mm square with lines 0.5 mm apart carries 800 mm of them; they lie on it, whatever its triangles."""
    mesh = as_mesh(turned(CUBE if finer else trimesh.creation.box((20, 20, 20)), degrees, axis))
    regions = Regions.of(mesh)
    face = regions.flat(0)
    normal = mesh.normals[0]
    across = np.cross(normal, [0.3, 0.5, 0.81])
    lines = hatched(mesh, face, across, 0.5)
    assert np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1).sum() == pytest.approx(800.0, rel=0.03)
    height = lines @ normal - float(mesh.corners[0, 0] @ normal)
    assert height == pytest.approx(np.zeros(height.shape), abs=1e-9)
    assert np.abs((lines[:, 1] - lines[:, 0]) @ across).max() < 1e-9


def test_normals_at_points_lift_a_ball_to_a_larger_one() -> None:
    ball = as_mesh(trimesh.creation.icosphere(4, 10.0))
    lifted = Mesh(ball.points + 0.5 * ball.point_normals, ball.faces)
    assert np.linalg.norm(lifted.points, axis=1) == pytest.approx(np.full(len(ball.points), 10.5), abs=1e-3)


def test_hatching_of_nothing_and_of_very_much(bench: Bench) -> None:
    mesh = as_mesh(CUBE)
    assert len(hatched(mesh, np.empty(0, np.int64), np.array([1.0, 0, 0]), 0.5)) == 0
    assert 0 < len(hatched(mesh, np.arange(mesh.triangles), np.array([1.0, 0.2, 0.1]), 1e-6)) <= 200_000
