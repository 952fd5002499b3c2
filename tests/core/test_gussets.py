"""Gussets: nothing begins in mid-liquid under a chamber's ceiling, whichever way it stands, and no wall gets thinner."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, moved, placed_at, turned
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.handover import write_plate
from wideberth.core.hollow import Ceilings, Gussets, Keepout, Lattice, Level, Shell, cavity_mesh, gussets_in, hollow_out
from wideberth.core.job import Job, Part, job_of
from wideberth.core.layers import Printed, Runs, cast, difference, empty, grid_over
from wideberth.core.model import Closest, Mesh
from wideberth.core.orient import Pose, placing, turned_xyz
from wideberth.core.predict import Stages, predict
from wideberth.core.predict.prepared import prepared_mesh
from wideberth.core.propose import propose_all, propose_hollow, remedy_for

UP = np.array([0.0, 0.0, 1.0])
SHELL = Shell(2.0, 0.3, 1.0)
BLOCK = moved(trimesh.creation.box((44, 44, 34)), 0, 0, 17)


def less(body: trimesh.Trimesh, *cutters: trimesh.Trimesh) -> Mesh:
    return as_mesh(trimesh.boolean.difference([body, *cutters], engine="manifold"))


def knobbly() -> Mesh:
    """A ball of radius 18 mm with waves all over."""
    chance = np.random.default_rng(3)
    ball = trimesh.creation.icosphere(5, 18)
    way, radius = ball.vertices / 18, np.ones(len(ball.vertices))
    for _ in range(14):
        wave = chance.normal(size=3)
        wave *= chance.uniform(2, 7) / np.linalg.norm(wave)
        radius += 0.05 * np.sin(2 * way @ wave + chance.uniform(0, 6))
    ball.vertices *= radius[:, None]
    return as_mesh(ball)


DENTED = {
    "a recess": (less(BLOCK, moved(trimesh.creation.box((20, 20, 6)), 0, 0, 34)), 1),
    "a bowl": (less(BLOCK, moved(trimesh.creation.icosphere(4, 16), 3, 0, 40)), 1),
    "pins": (
        less(BLOCK, *(moved(trimesh.creation.cylinder(1.5, 12, sections=48), x, y, 30) for x in (-12, 0, 12) for y in (-10, 10))),
        6,
    ),
    "a ring": (less(BLOCK, moved(trimesh.creation.annulus(10, 15, 6, sections=96), 0, 0, 34)), 1),
}  # fmt: skip


def standing(outer: Mesh, cavity: Mesh, gussets: Gussets | None, pose: Pose, pitch: float, layer: float) -> tuple[Printed, Runs]:
    """The shell on the plate, and what it would be without its gussets."""
    place = placing(outer, pose)
    body, void = outer.transformed(place), cavity.transformed(place)
    grid = grid_over(np.minimum(body.low, void.low), np.maximum(body.high, void.high), pitch, layer)
    solid, chamber = cast(body.points, body.faces, grid), cast(void.points, void.faces, grid)
    bare = difference(solid, chamber)
    if gussets is None:
        return Printed(bare, empty(grid), cavities=chamber), bare
    stands = gussets.mesh.transformed(place)
    shell = difference(solid, difference(chamber, cast(stands.points, stands.faces, grid)))
    return Printed(shell, empty(grid), cavities=chamber), bare


def begins_inside(printed: Printed) -> int:
    """How many components begin on nothing over a chamber; chips of a layer or so, under three rows wide, are no islands."""
    return int(printed.alone.in_chamber(printed.islands).sum()) + len(printed.alone.crumbs)


@pytest.mark.parametrize("turn", [(30, 25, 0), *further([(0, 0, 0)])])
@pytest.mark.parametrize("name", ["pins", *further(["a bowl", "a recess", "a ring"])])
def test_nothing_begins_in_mid_liquid_under_a_dented_ceiling(name: str, turn: tuple[float, float, float]) -> None:
    outer, dents = DENTED[name]
    cavity = cavity_mesh(hollow_out(outer, SHELL).chambers)
    assert cavity is not None
    pose = Pose(turned_xyz(*turn), 3.0)
    gussets = gussets_in(Ceilings(cavity), pose.rotation[2])
    assert gussets is not None
    assert len(gussets.uncarried_mm) == 0
    if turn == (0, 0, 0):
        assert gussets.bumps == dents
        assert begins_inside(standing(outer, cavity, None, pose, 0.1, 0.05)[0]) == dents
    for pitch, layer in ((0.1, 0.05), (0.25, 0.1)):
        printed, bare = standing(outer, cavity, gussets, pose, pitch, layer)
        assert begins_inside(printed) == 0
        assert difference(bare, printed.part).volume_mm3 == 0.0  # nothing of the wall is taken
    assert gussets.volume_ml < 0.1 * cavity.volume_mm3 / 1000


@pytest.mark.prove
def test_a_knobbly_shell_has_no_islands_inside_in_any_pose() -> None:
    outer = knobbly()
    cavity = cavity_mesh(hollow_out(outer, SHELL).chambers)
    assert cavity is not None
    ceilings, without = Ceilings(cavity), 0
    for turn in ((0, 0, 0), (180, 0, 0), (90, 0, 0), (215, -20, 0)):
        pose = Pose(turned_xyz(*turn), 3.0)
        gussets = gussets_in(ceilings, pose.rotation[2])
        without += begins_inside(standing(outer, cavity, None, pose, 0.1, 0.05)[0])
        assert begins_inside(standing(outer, cavity, gussets, pose, 0.1, 0.05)[0]) == 0
    assert without > 3


@pytest.mark.parametrize("name", ["cone", *further(["torus", "box", "ball"])])
def test_ceilings_that_hang_nowhere_get_none(name: str) -> None:
    made = {
        "box": trimesh.creation.box((30, 24, 40)),
        "ball": trimesh.creation.icosphere(5, 15),
        "cone": trimesh.creation.cone(14, 40, sections=128),
        "torus": trimesh.creation.torus(20, 9, major_sections=96, minor_sections=48),
    }[name]
    cavity = cavity_mesh(hollow_out(as_mesh(turned(made, 27, (1, 0.4, 0.2))), SHELL).chambers)
    assert cavity is not None
    ceilings = Ceilings(cavity)
    for turn in ((0, 0, 0), (180, 0, 0), (90, 0, 0), (35, 20, 0), (3, 0, 0), (0, 1, 0)):
        assert gussets_in(ceilings, Pose(turned_xyz(*turn)).rotation[2]) is None


def test_two_cones_that_hang_from_a_flat_ceiling_hang_as_deep_as_they_are() -> None:
    """A cavity drawn by hand: a block of void with two cones of solid, 5 and 0.005 mm deep, from its ceiling."""
    room = moved(trimesh.creation.box((40, 20, 20)), 0, 0, 10)
    cones = [turned(moved(trimesh.creation.cone(3, deep, sections=64), 0, 0, 0), 180, (1, 0, 0)) for deep in (5, 0.005)]
    cavity = less(room, moved(cones[0], -10, 0, 20), moved(cones[1], 10, 0, 20))
    (bump,) = Ceilings(cavity).bumps(UP)  # the shallow one is below what shows
    assert cavity.points[bump.lowest] == pytest.approx([-10, 0, 15], abs=1e-6)
    assert (cavity.points[bump.corners, 2] < 20).all()


def test_a_gusset_stands_where_the_wall_is_nearest_and_rises_steeply() -> None:
    """In a block of void a cone hangs 4 mm from a wall: 43° from upright the wall is met 4 / tan 43° below its point."""
    cone = moved(turned(trimesh.creation.cone(1, 5, sections=64), 180, (1, 0, 0)), 16, 0, 20)
    cavity = less(moved(trimesh.creation.box((40, 60, 40)), 0, 0, 0), cone)
    gussets = gussets_in(Ceilings(cavity), UP)
    assert gussets is not None
    void = gussets.mesh.points[gussets.mesh.points[:, 0] < 20 - 1e-3]
    assert gussets.mesh.extents_mm[1] == pytest.approx(1.0)
    foot = gussets.mesh.points[gussets.mesh.points[:, 2].argmin()]
    assert foot[0] > 20
    lowest_in_void = 15 - 0.15 - 4 / np.tan(np.radians(43))
    assert void[:, 2].min() > lowest_in_void - 0.05
    slope = gussets.mesh.normals[(gussets.mesh.normals[:, 2] < -0.1)]
    assert np.degrees(np.arccos(-slope[:, 2])) == pytest.approx(47, abs=1e-6)


@pytest.mark.prove
def test_gussets_stay_clear_of_drain_holes_and_of_the_open_floor() -> None:
    outer, _ = DENTED["a bowl"]
    level = Level((0, 0, 1), 0.0)
    cavity = cavity_mesh(hollow_out(outer, replace(SHELL, open_below=level)).chambers)
    assert cavity is not None
    free = gussets_in(Ceilings(cavity), UP, (), level)
    assert free is not None
    assert free.mesh.low[2] > 1.0  # its foot is in a wall, not on the plate
    foot = free.mesh.points[free.mesh.points[:, 2].argmin()]
    out = np.array([foot[0], foot[1], 0.0]) / np.hypot(foot[0], foot[1])
    hole = Keepout(tuple(foot + 3 * out), tuple(-out), 1.5, 6.0)
    clear = gussets_in(Ceilings(cavity), UP, (hole,), level)
    assert clear is not None
    axis = np.array(hole.entry_mm) + np.linspace(0, hole.wall_mm, 50)[:, None] * np.array(hole.along)
    assert Closest(free.mesh).nearest(axis)[0].min() < hole.radius_mm
    assert Closest(clear.mesh).nearest(axis)[0].min() > hole.radius_mm + 0.4


@pytest.mark.prove
def test_what_no_wall_can_carry_stays_solid_and_says_why(bench: Bench) -> None:
    """A low wide lid, open below: whatever hangs in its middle has only the liquid under it."""
    lid = less(moved(trimesh.creation.box((90, 90, 10)), 0, 0, 5), moved(trimesh.creation.icosphere(4, 12), 0, 0, 19))
    shell = replace(SHELL, open_below=Level((0, 0, 1), 0.0))
    part = Part("Lid", as_source(lid), shell=shell, pose=Pose(gap_mm=3.0))
    stages = Stages()
    gussets = stages.gussets(part)
    assert gussets is not None
    assert len(gussets.uncarried_mm) == 1
    told = propose_hollow(job_of("Lid", bench, (part,)), ONE, stages)
    assert not told.needed
    assert "nothing can carry them" in told.why
    hollowed = predict(job_of("Lid", bench, (part,)), stages)  # and if it is hollowed all the same
    assert any(f.code == "island_inside" and f.severity == "lost" for f in hollowed.verdict.findings)


@pytest.fixture(scope="module")
def dented_job(bench: Bench) -> Job:
    part = Part("Dented", as_source(DENTED["a bowl"][0]), shell=SHELL, pose=Pose(turned_xyz(12, 5, 0), gap_mm=3.0))
    return job_of("Dented", bench, (part,))


@pytest.mark.prove
def test_gussets_are_in_layers_meshes_and_mirrored_copies(dented_job: Job, tmp_path) -> None:  # type: ignore[no-untyped-def]
    stages = Stages()
    for shell in (SHELL, replace(SHELL, lattice=Lattice())):
        part = replace(dented_job.parts[0], shell=shell)
        seen = predict(dented_job.with_part(part), stages)
        solid = seen.solids[0]
        assert solid.gussets is not None
        assert not any(f.code in ("island_inside", "crumb") and f.z_mm > 20 for f in seen.verdict.findings)
        mesh, note = prepared_mesh(solid.at_home)
        assert note == ""
        assert mesh.volume_mm3 == pytest.approx(seen.printed.part.volume_mm3, rel=2e-3)
    assert write_plate(seen, tmp_path / "plate.stl", stages) == []


@pytest.mark.prove
def test_another_pose_has_gussets_of_its_own_and_a_move_keeps_them(dented_job: Job) -> None:
    stages, part = Stages(), dented_job.parts[0]
    first = stages.gussets(part)
    moved_job = placed_at(dented_job, 12.0, 0.0)
    assert stages.gussets(moved_job.parts[0]) is first
    over = stages.gussets(replace(part, pose=Pose(turned_xyz(180, 0, 0), gap_mm=3.0)))
    assert over is None  # turned over, the bowl's bump stands on the floor
    assert first is not None


@pytest.mark.prove
def test_a_ceiling_that_sags_is_offered_a_lattice(bench: Bench) -> None:
    part = Part("Box", as_source(as_mesh(BLOCK)), shell=SHELL, pose=Pose(gap_mm=3.0))
    stages = Stages()
    seen = predict(job_of("Box", bench, (part,)), stages)
    (sags,) = [f for f in seen.verdict.findings if f.code == "ceiling_sags"]
    remedy = remedy_for(sags, seen, stages)
    assert remedy is not None
    assert remedy.label == "Add a lattice"
    made = remedy.make(None).job  # type: ignore[arg-type]
    after = predict(made, stages)
    inside = seen.sag.inside
    assert after.sag.reach_mm[after.sag.inside].max() < 0.5 * seen.sag.reach_mm[inside].max()


@pytest.mark.prove
def test_what_is_proposed_and_still_lost_is_said_first(bench: Bench) -> None:
    """Light that does not cure through a layer: no pose and no tip helps."""
    dark = bench.with_value("print.exposure_s", 0.3, "too little")
    ball = as_source(as_mesh(trimesh.creation.icosphere(3, 6)))
    job, taken = propose_all(job_of("Ball", dark, (Part("Ball", ball),)), Stages())
    lost = [f for f in predict(job, Stages()).verdict.findings if f.severity == "lost"]
    assert any(f.code == "under_bonded" for f in lost)
    assert taken[0].unsolved
    assert sum(f.message in taken[0].why for f in lost) == min(5, len(lost))  # the worst by name, and how many more
    assert any(f.message in taken[0].why for f in lost if f.code == "under_bonded")
    assert len(lost) <= 5 or f"And {len(lost) - 5} more finding" in taken[0].why
    assert not any(t.unsolved for t in taken[1:])
    well, taken = propose_all(replace(job, bench=bench), Stages())
    assert not any(f.severity == "lost" for f in predict(well, Stages()).verdict.findings)
    assert not any(t.unsolved for t in taken)
