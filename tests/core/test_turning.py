"""Nothing is lost by turning: tips come along, are routed anew where a pose needs them, and wait idle for the way back."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, turned
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.handover import save_job
from wideberth.core.job import Job, Part, job_of, open_job
from wideberth.core.orient import Pose, laid, turned_xyz
from wideberth.core.orient import turned as pose_turned
from wideberth.core.predict import Stages, fine, predict, preview
from wideberth.core.progress import quiet
from wideberth.core.propose import in_pose, propose_support, ready_for_posts
from wideberth.core.propose.rooming import room_around
from wideberth.core.support import ROOM_TRIANGLES, Idleness, On

SOLIDS = {
    "slab": turned(trimesh.creation.box((18, 12, 4)), 25.0, (1.0, 0.4, 0.0)),
    "torus": turned(trimesh.creation.torus(8, 2.4), 35.0, (1.0, 0.2, 0.0)),
    "ball": trimesh.creation.icosphere(4, 7),
}


@pytest.fixture(scope="module")
def stages() -> Stages:
    return Stages()


@pytest.fixture(scope="module")
def quick(bench: Bench) -> Bench:
    return bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0)


@pytest.fixture(scope="module", params=sorted(SOLIDS))
def held(request: pytest.FixtureRequest, quick: Bench, stages: Stages) -> Job:
    part = Part(request.param, as_source(as_mesh(SOLIDS[request.param])), pose=Pose(gap_mm=4.0))
    return propose_support(job_of(request.param, quick, (part,)), ONE, stages).job


def spots(job: Job) -> dict[str, tuple[float, ...]]:
    return {c.id: tuple(np.round(c.spot_mm, 6)) for c in job.parts[0].supports.contacts}


@pytest.mark.parametrize("degrees", [90.0, 37.0, *further([180.0])])
def test_a_turn_about_the_upright_keeps_every_tip_and_its_margin(held: Job, stages: Stages, degrees: float) -> None:
    """By a quarter the same rows see the same part; by any angle but for where rows fall."""
    part = held.parts[0]
    there, came = in_pose(held, ONE, pose_turned(part.pose, 2, degrees), stages)
    assert came is not None and came.moved_whole and len(came.kept) == len(part.supports.contacts)
    assert list(spots(there)) == list(spots(held))
    assert [r.length_mm for r in there.parts[0].supports.routes.values()] == pytest.approx(
        [r.length_mm for r in part.supports.routes.values()]
    )
    before, after = (predict(j, Stages(), fine(0.1)).verdict for j in (held, there))
    pairs = [(a.margin, b.margin) for a, b in zip(before.tips, after.tips, strict=True) if min(a.margin, b.margin) < 6]
    exact = 0.02 if degrees in (90.0, 180.0) else 0.10
    assert np.median([abs(a / b - 1) for a, b in pairs]) < exact
    assert before.hold_margin == pytest.approx(after.hold_margin, rel=3 * exact)  # of one tip, not of many


@pytest.mark.parametrize("gap_mm", [7.5, 3.2])
def test_another_gap_lengthens_the_posts_and_moves_no_foot(held: Job, stages: Stages, gap_mm: float) -> None:
    part = held.parts[0]
    there, came = in_pose(held, ONE, replace(part.pose, gap_mm=gap_mm), stages)
    assert came is not None and came.moved_whole
    by = gap_mm - 4.0
    old, new = part.supports, there.parts[0].supports
    for a, b in zip(old.contacts, new.contacts, strict=True):
        assert b.spot_mm - a.spot_mm == pytest.approx([0, 0, by], abs=1e-9)
    for f, g in zip(old.feet, new.feet, strict=True):
        assert g.point_mm - f.point_mm == pytest.approx([0, 0, 0 if f.on is On.PLATE else by], abs=1e-9)
    assert all(t.touches for t in predict(there, Stages(), fine(0.2)).verdict.tips)


@pytest.mark.parametrize("axis", [0, 1])
def test_after_a_tilt_and_back_the_same_tips(held: Job, stages: Stages, axis: int) -> None:
    """Twenty degrees and back: every contact stands where it stood, as thick, for the same reason."""
    part = held.parts[0]
    tilted, came = in_pose(held, ONE, pose_turned(part.pose, axis, 20.0), stages)
    assert came is not None and not came.moved_whole
    assert len(came.kept) + len(came.idle) == len(part.supports.contacts)
    assert set(came.idle.values()) <= set(Idleness)
    back, again = in_pose(tilted, ONE, part.pose, stages)
    assert again is not None
    now = back.parts[0].supports
    lost = {c.id for c in part.supports.contacts} - {c.id for c in now.contacts}
    assert not lost and not now.idle
    for c in part.supports.contacts:
        same = now.contact[c.id]
        assert same.spot_mm == pytest.approx(c.spot_mm, abs=2e-3)
        assert (same.diameter_mm, same.need, same.pinned) == (c.diameter_mm, c.need, c.pinned)


def test_what_a_tilt_leaves_still_stands_and_touches(held: Job, stages: Stages) -> None:
    tilted, came = in_pose(held, ONE, pose_turned(held.parts[0].pose, 0, 20.0), stages)
    assert came is not None and came.kept
    assert tilted.parts[0].supports.checked("tilted")
    tips = predict(tilted, Stages(), fine(0.2)).verdict.tips
    assert len(tips) == len(came.kept) and np.mean([t.touches for t in tips]) > 0.9


def test_a_tip_on_what_is_no_underside_any_more_is_idle_unless_pinned(quick: Bench, stages: Stages) -> None:
    """A cube turned on its head: its former underside looks up, no tip is needed there; one that is pinned finds no way."""
    cube = as_source(as_mesh(trimesh.creation.box((12, 12, 12))))
    job = propose_support(job_of("Cube", quick, (Part("Cube", cube, pose=Pose(gap_mm=4.0)),)), ONE, stages).job
    part = job.parts[0]
    held_fast = min(part.supports.contacts, key=lambda c: float(np.hypot(c.x_mm, c.y_mm))).id
    contacts = tuple(replace(c, pinned=c.id == held_fast) for c in part.supports.contacts)
    job = job.with_part(replace(part, supports=replace(part.supports, contacts=contacts)))
    over, came = in_pose(job, ONE, pose_turned(part.pose, 0, 180.0), stages)
    assert came is not None and came.kept == ()
    assert came.idle.pop(held_fast) is Idleness.UNREACHABLE
    assert set(came.idle.values()) == {Idleness.NOT_NEEDED}
    assert len(came.news_mm) >= 4 and "new spots want one" in came.words
    back, again = in_pose(over, ONE, part.pose, stages)
    assert again is not None and set(again.kept) == {c.id for c in contacts}
    assert back.parts[0].supports.contact[held_fast].pinned and not back.parts[0].supports.idle


def test_idle_tips_are_saved_and_change_nothing_that_is_printed(held: Job, stages: Stages, tmp_path: Path) -> None:
    tilted, _ = in_pose(held, ONE, pose_turned(held.parts[0].pose, 1, 60.0), stages)
    path = tmp_path / "tilted.3mf"
    save_job(tilted, path, stages)
    opened = open_job(path)
    assert opened.parts[0].supports == tilted.parts[0].supports
    bare = replace(tilted.parts[0], supports=replace(tilted.parts[0].supports, idle=()))
    assert tilted.parts[0].supports.bare == bare.supports.bare


def test_lowering_too_far_routes_anew_and_never_under_the_plate(held: Job, stages: Stages) -> None:
    there, came = in_pose(held, ONE, replace(held.parts[0].pose, gap_mm=0.6), stages)
    assert came is not None
    assert all(j.z_mm > 0 for j in there.parts[0].supports.joints)
    assert all(r.top_mm[2] >= r.foot_mm[2] - 1e-9 for r in there.parts[0].supports.routes.values())


# laying a face


@pytest.mark.parametrize("lean", [0.0, 35.0, 90.0, 180.0])
@pytest.mark.parametrize("turn", [(0, 0, 0), (25, -40, 70), (180, 0, 0), (90, 0, 0)])
def test_a_face_is_laid_at_its_lean_by_the_shortest_turn(turn: tuple[float, float, float], lean: float) -> None:
    normal, before = np.array([0.0, 0.6, 0.8]), Pose(turned_xyz(*turn), 4.0)
    after = laid(before, normal, lean)
    assert after.gap_mm == 4.0 and after.rotation @ after.rotation.T == pytest.approx(np.eye(3), abs=1e-12)
    now = after.rotation @ normal
    assert np.degrees(np.arccos(np.clip(-now[2], -1, 1))) == pytest.approx(lean, abs=1e-4)
    was = np.degrees(np.arccos(np.clip(-(before.rotation @ normal)[2], -1, 1)))
    step = after.rotation @ before.rotation.T
    assert np.degrees(np.arccos(np.clip((np.trace(step) - 1) / 2, -1, 1))) == pytest.approx(abs(lean - was), abs=1e-4)


@pytest.mark.prove
def test_what_takes_longest_of_tips_for_a_scan_is_made_once_however_it_is_turned(quick: Bench) -> None:
    """A ball of 327,680 triangles: once ready, neither its stand-in for posts nor its kinds of surface are made again."""
    stages, part = Stages(), Part("Ball", as_source(as_mesh(trimesh.creation.icosphere(7, 8))), pose=Pose(gap_mm=4.0))
    job = job_of("Ball", quick, (part,))
    ready_for_posts(predict(job, stages, preview(quick)), stages, quiet())
    assert {"lightened", "surfaces"} <= set(stages.computed)
    stages.computed.clear()
    turned_over = replace(job.parts[0], pose=Pose(turned_xyz(40, 20, 0), 4.0))
    room = room_around(turned_over, stages, quick)
    stages.finish(turned_over, quick.house)
    assert not {"lightened", "surfaces"} & set(stages.computed)
    assert room.light.triangles <= ROOM_TRIANGLES
    assert np.linalg.norm(room.light.points - [0.0, 0.0, 12.0], axis=1) == pytest.approx(
        np.full(len(room.light.points), 8), abs=0.02
    )
