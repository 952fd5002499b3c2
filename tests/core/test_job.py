"""The recipe: order does not matter, stages are remembered, jobs survive."""

import os
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, moved, placed_at, set_down, tube_with_floor, turned
from wideberth.core.bench import Bench
from wideberth.core.drain import Hole
from wideberth.core.errors import BadJob, BadModel, Cancelled, CannotWrite
from wideberth.core.handover import save_job
from wideberth.core.hollow import Level, Shell
from wideberth.core.job import History, Job, Part, cut_in_two, is_job, job_of, open_job, posed, scaled
from wideberth.core.layers import intersection
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.orient import turned as pose_turned
from wideberth.core.predict import Disk, FirstLooks, Stages, fine, predict, preview, resting
from wideberth.core.progress import Progress
from wideberth.core.propose import (
    hole_on_plate,
    propose_all,
    propose_drain,
    propose_hollow,
    propose_places,
    propose_split,
    propose_support,
    propose_thicker,
    with_pieces,
    with_tip,
)
from wideberth.core.split import Cut
from wideberth.core.support import Supports


@pytest.fixture(scope="module")
def egg(bench: Bench) -> Job:
    """A leaning egg above the plate, big enough to be hollowed."""
    solid = trimesh.creation.icosphere(5, 13)
    solid.apply_scale([1, 1, 1.5])
    part = Part("Egg", as_source(as_mesh(solid)), pose=Pose(turned_xyz(25, 10, 0), gap_mm=5.0))
    return job_of("Egg", bench, (part,))


@pytest.mark.prove
def test_hollowing_before_or_after_supporting_gives_the_same_part(egg: Job) -> None:
    stages = Stages()
    hollow_first = propose_support(propose_hollow(egg, egg.parts[0].id, stages).job, ONE, stages).job
    support_first = propose_hollow(propose_support(egg, egg.parts[0].id, stages).job, ONE, stages).job
    assert hollow_first.parts == support_first.parts
    a, b = (predict(job, Stages(), preview(egg.bench)) for job in (hollow_first, support_first))
    assert np.array_equal(a.loads.peel_n, b.loads.peel_n)
    assert a.verdict.findings == b.verdict.findings


def test_supports_never_enter_a_chamber(bench: Bench) -> None:
    """A tip is made to reach deep through the wall: what would stand in the chamber is not printed."""
    part = Part("Cube", as_source(as_mesh(trimesh.creation.box((24, 24, 24)))), shell=Shell(2.0), pose=Pose(gap_mm=5.0))
    job = propose_support(job_of("Cube", bench, (part,)), ONE, Stages()).job
    deep = tuple(replace(c, depth_mm=4.0) for c in job.parts[0].supports.contacts)
    pushed = job.with_part(replace(job.parts[0], supports=replace(job.parts[0].supports, contacts=deep)))
    printed = predict(pushed, Stages(), preview(bench)).printed
    assert printed.cavities is not None
    assert intersection(printed.supports, printed.cavities).volume_mm3 == 0
    unhollowed = predict(pushed.with_part(replace(pushed.parts[0], shell=None)), Stages(), preview(bench)).printed
    assert unhollowed.supports.volume_mm3 > printed.supports.volume_mm3 + 1


@pytest.mark.prove
def test_open_socket_is_no_chamber(bench: Bench) -> None:
    """Posts may stand in a recess that opens to the outside."""
    block = trimesh.boolean.difference(
        [moved(trimesh.creation.box((30, 30, 14)), 0, 0, 7), moved(trimesh.creation.box((18, 18, 10)), 0, 0, 4)],
        engine="manifold",
    )
    part = Part("Socket", as_source(set_down(block)), pose=Pose(gap_mm=5.0))
    job = propose_support(job_of("Socket", bench, (part,)), ONE, Stages()).job
    inside = [t for t in job.parts[0].supports.contacts if abs(t.x_mm) < 8 and abs(t.y_mm) < 8]
    assert any(t.z_mm > 12 for t in inside)


@pytest.mark.prove
def test_changing_one_stage_recomputes_only_what_depends_on_it(egg: Job) -> None:
    stages = Stages()
    job = propose_support(propose_hollow(egg, egg.parts[0].id, stages).job, ONE, stages).job
    predict(job, stages, preview(job.bench))
    stages.computed.clear()
    whole = job.parts[0].supports
    fewer = job.with_part(replace(job.parts[0], supports=whole.without([whole.contacts[-1].id])))
    predict(fewer, stages, preview(job.bench))
    assert "hollowed" not in stages.computed
    assert stages.computed.count("cast_runs") == 1  # the supports alone; the part and its cavity are not sliced again
    stages.computed.clear()
    predict(fewer, stages, preview(job.bench))
    assert stages.computed == []


def test_same_recipe_gives_the_same_prediction_twice(egg: Job) -> None:
    a, b = (predict(egg, Stages(), fine(0.2)) for _ in range(2))
    assert np.array_equal(a.loads.pull_n, b.loads.pull_n)


def test_preview_and_verdict_agree_on_the_whole(egg: Job) -> None:
    coarse, exact = predict(egg, Stages(), preview(egg.bench)), predict(egg, Stages(), fine())
    assert coarse.verdict.totals.part_ml == pytest.approx(exact.verdict.totals.part_ml, rel=0.01)
    assert coarse.verdict.totals.seconds == pytest.approx(exact.verdict.totals.seconds, rel=0.02)
    assert coarse.loads.peel_n.max() == pytest.approx(exact.loads.peel_n.max(), rel=0.03)


def test_undo_and_redo_walk_through_named_states(egg: Job) -> None:
    history = History.begin(egg)
    larger = egg.with_part(scaled(egg.parts[0], 2.0))
    history = history.then("scale to 2", larger)
    assert history.undo_label == "scale to 2"
    back = history.undo()
    assert back.present is egg
    assert back.redo_label == "scale to 2"
    assert back.redo().present is larger
    assert back.then("turn", egg).redo_label is None
    assert History.begin(egg).undo().present is egg


def test_scale_takes_cuts_and_holes_along_and_drops_tips(egg: Job) -> None:
    part = replace(egg.parts[0], holes=(Hole(1, 2, 3, 2.0),), cuts=(Cut((0, 0, 1.0), 4.0, 1),))
    twice = scaled(part, 2.0)
    assert (twice.holes[0].x_mm, twice.holes[0].z_mm, twice.holes[0].diameter_mm) == (2, 6, 2.0)
    assert twice.cuts[0].offset_mm == 8.0
    with pytest.raises(BadJob):
        scaled(part, float("nan"))
    with pytest.raises(BadJob):
        scaled(part, 0.0)


@pytest.mark.prove
def test_moving_keeps_tips_and_turning_drops_them(egg: Job) -> None:
    job = propose_support(egg, egg.parts[0].id, Stages()).job
    part = job.parts[0]
    assert placed_at(job, 20.0, 0.0).parts[0].supports == part.supports != Supports()
    assert not posed(part, pose_turned(part.pose, 0, 10)).supports


@pytest.mark.prove
def test_moved_part_pulls_the_same(egg: Job) -> None:
    stages = Stages()
    part = propose_support(egg, egg.parts[0].id, stages).job.parts[0]
    here = predict(egg.with_part(part), stages, fine(0.2))
    there = predict(placed_at(egg.with_part(part), 20.0, 8.0), stages, fine(0.2))
    assert there.loads.hold_margin == pytest.approx(here.loads.hold_margin, nan_ok=True, rel=1e-6)


@pytest.mark.prove
def test_hole_by_hand_opens_the_chamber(egg: Job) -> None:
    stages = Stages()
    hollow = propose_hollow(egg, egg.parts[0].id, stages).job
    shut = predict(hollow, stages, fine(0.2))
    assert shut.verdict.trapped_ml > 1
    assert any(f.code == "trap" for f in shut.verdict.findings)
    side = shut.solids[0].outer
    spot = side.points[side.points[:, 0].argmax()]
    drilled = predict(hole_on_plate(hollow, hollow.parts[0].id, stages, spot, 3.0), stages, fine(0.2))
    assert drilled.verdict.trapped_ml == 0
    assert {c.state for c in drilled.verdict.cups} == {"sealed", "vented"}
    with pytest.raises(BadModel):
        hole_on_plate(hollow, hollow.parts[0].id, stages, np.array([90.0, 0, 0]), 3.0)
    with pytest.raises(BadJob):
        hole_on_plate(hollow, hollow.parts[0].id, stages, spot, 0.0)


def test_proposed_holes_leave_no_trap_and_little_suction(egg: Job) -> None:
    stages = Stages()
    hollow = propose_hollow(egg, egg.parts[0].id, stages).job
    before = predict(hollow, stages, fine(0.2)).verdict
    proposal = propose_drain(hollow, hollow.parts[0].id, stages)
    after = predict(proposal.job, stages, fine(0.2)).verdict
    assert "wall" in proposal.why
    assert after.trapped_ml == 0
    assert after.suction_n < 0.3 * before.suction_n
    assert not propose_drain(proposal.job, ONE, stages).needed


@pytest.mark.prove
def test_tip_that_would_stand_in_a_hole_is_left_out(egg: Job) -> None:
    stages = Stages()
    job = propose_support(propose_hollow(egg, egg.parts[0].id, stages).job, ONE, stages).job
    lonely = next(c for c, route in job.parts[0].supports.routes.items() if not route.shared)
    tip = job.parts[0].supports.contact[lonely]
    back = np.linalg.inv(stages.solids(job.parts[0], job.bench.supports).matrix)
    for way in np.array([(1.0, 0, 0), (-1.0, 0, 0), (0, 1.0, 0), (0, -1.0, 0)]):
        beside = tip.spot_mm + 2.5 * way
        job = with_tip(job, ONE, stages, back[:3, :3] @ beside + back[:3, 3])
    assert job.parts[0].supports.carries_others(lonely)  # so it cannot step aside
    drilled = hole_on_plate(job, job.parts[0].id, stages, tip.spot_mm, 3.0)
    found = predict(drilled, stages, preview(job.bench))
    assert len(found.verdict.tips) < len(job.parts[0].supports.contacts)
    (told,) = (f for f in found.verdict.findings if f.code == "tip_in_hole")
    assert min(np.linalg.norm(np.array(spot) - tip.spot_mm) for spot in told.spots) < 1e-6


@pytest.mark.prove
def test_tall_part_is_split_in_two_that_fit(bench: Bench) -> None:
    tower = as_source(as_mesh(trimesh.creation.cylinder(9, 240, sections=48)))
    job = job_of("Tower", bench, (Part("Tower", tower),))
    stages = Stages()
    assert any(f.code == "too_tall" for f in predict(job, stages, preview(bench)).verdict.findings)
    split = propose_split(job, job.parts[0].id, stages)
    assert [p.name for p in split.job.parts] == ["Tower A", "Tower B"]
    volumes = [stages.cut(p).volume_mm3 for p in split.job.parts]
    assert sum(volumes) == pytest.approx(tower.mesh.volume_mm3, rel=2e-3)  # sockets are wider than pegs
    assert all(stages.cut(p).watertight for p in split.job.parts)
    placed = propose_places(split.job, stages).job
    assert not [f for f in predict(placed, stages, preview(bench)).verdict.findings if f.severity == "lost"]


def test_holes_go_with_the_piece_they_lie_on(egg: Job) -> None:
    part = replace(egg.parts[0], holes=(Hole(0, 0, 10, 2.0), Hole(0, 0, -10, 2.0)))
    above, below = cut_in_two(part, Cut((0.0, 0.0, 1.0), 0.0, 1))
    assert [h.z_mm for h in above.holes] == [10]
    assert [h.z_mm for h in below.holes] == [-10]


@pytest.mark.prove
def test_an_open_floor_stays_open_only_in_the_piece_that_has_it(bench: Bench) -> None:
    """A block open at its underside, cut across: the lower piece is open there still, the upper one closed all round."""
    block = as_source(as_mesh(trimesh.creation.box((30, 30, 40))))
    shell = Shell(2.0, open_below=Level((0.0, 0.0, 1.0), -20.0))
    part = Part("Block", block, shell=shell, pose=Pose(gap_mm=0.0))
    stages = Stages()
    cut = with_pieces(job_of("Block", bench, (part,)), ONE, Cut((0.0, 0.0, 1.0), 0.0, 1), stages)
    above, below = cut.parts
    assert below.shell is not None and below.shell.open_below is not None
    assert above.shell is not None and above.shell.open_below is None
    inner = [sum(c.volume_mm3 for c in stages.chambers(p)) for p in (above, below)]
    assert inner[0] == pytest.approx(26 * 26 * 16, rel=0.05)
    assert inner[1] == pytest.approx(26 * 26 * 18, rel=0.08)
    assert predict(propose_places(cut, stages).job, stages, preview(bench)).verdict.findings


def test_part_over_the_edge_is_lost(egg: Job) -> None:
    away = placed_at(egg, 95.0, 0.0)
    found = predict(away, Stages(), preview(egg.bench)).verdict.findings
    assert [f.code for f in found if f.code == "off_plate"] == ["off_plate"]


@pytest.mark.prove
def test_whole_chain_gives_a_print_that_holds(bench: Bench) -> None:
    source = as_source(as_mesh(turned(tube_with_floor(), 90, (1, 0, 0))))
    stages = Stages()
    job, taken = propose_all(job_of("Vase", bench, (Part("Vase", source),)), stages)
    assert [p.step for p in taken][:6] == ["split", "orient", "hollow", "drain", "support", "plate"]
    assert all(p.why for p in taken)
    verdict = predict(job, stages, fine()).verdict
    assert not [f for f in verdict.findings if f.severity == "lost"]
    assert verdict.weakest is not None
    assert verdict.weakest > 1.5


def test_nothing_on_the_plate_is_said_so(bench: Bench) -> None:
    with pytest.raises(BadJob, match="no part"):
        predict(Job("Empty", bench), Stages())


def test_part_in_the_wrong_unit_is_refused_before_it_fills_the_memory(egg: Job) -> None:
    huge = egg.with_part(scaled(egg.parts[0], 400.0))
    with pytest.raises(BadJob, match="another unit"):
        predict(huge, Stages(), fine())


def test_prediction_can_be_cancelled(egg: Job) -> None:
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        predict(egg, Stages(), fine(), progress)


# the job file


@pytest.fixture(scope="module")
def finished(egg: Job) -> tuple[Job, Stages]:
    stages = Stages()
    job = propose_drain(propose_hollow(egg, egg.parts[0].id, stages).job, ONE, stages).job
    return propose_support(job, job.parts[0].id, stages).job, stages


def test_job_file_gives_back_the_same_job(finished: tuple[Job, Stages], tmp_path: Path) -> None:
    job, stages = finished
    job = replace(job, bench=job.bench.with_value("print.vat_c", 21.0))
    path = tmp_path / "egg.3mf"
    assert save_job(job, path, stages) == []
    again = open_job(path)
    assert again.parts == job.parts
    assert again.title == "Egg"
    assert [(b.key, b.value) for b in again.bench.values()] == [(b.key, b.value) for b in job.bench.values()]
    sources = {b.key: b.source for b in again.bench.values()}
    assert sources["print.vat_c"] == "saved in egg.3mf"
    assert sources["print.lift_mm"] == "default"
    assert is_job(path)


def look(folder: Path, path: Path, stages: Stages | None = None):  # type: ignore[no-untyped-def]
    """A job file opened as the window does it, and what it shows first kept."""
    looks = FirstLooks(Disk(folder))
    opened = looks.open(path, stages or Stages(disk=Disk(folder)))
    looks.keep()
    return opened


@pytest.mark.prove
def test_what_a_job_is_opened_with_lies_in_a_file_whether_it_was_seen_before_or_not(
    finished: tuple[Job, Stages], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It is read again when it is drawn or kept, and else would lie beside all that the fine prediction takes."""
    monkeypatch.setattr(resting, "LARGE_BYTES", 1 << 10)
    monkeypatch.setattr(resting, "WORTH_BYTES", 1 << 16)
    job, stages = finished
    save_job(job, tmp_path / "egg.3mf", stages)
    seen, again = (look(tmp_path / "kept", tmp_path / "egg.3mf")[1] for _ in range(2))
    assert seen is not None and again is not None
    assert not resting._is_awake(seen.loads.peel_n) and not resting._is_awake(again.loads.peel_n)
    assert resting._is_awake(predict(job, stages, preview(job.bench)).loads.peel_n)  # by itself it does not


@pytest.mark.prove
def test_job_seen_before_shows_the_same_figures_without_a_stage_computed(finished: tuple[Job, Stages], tmp_path: Path) -> None:
    """What is kept goes with the file's bytes: saved anew with another temperature it is another job, and damage is no harm."""
    job, stages = finished
    path, folder = tmp_path / "egg.3mf", tmp_path / "kept"
    save_job(job, path, stages)
    _, seen, _ = look(folder, path)
    later = Stages(disk=Disk(folder))
    opened, again, error = look(folder, path, later)
    assert seen is not None and again is not None and error is None
    assert again.job is opened and opened.parts == job.parts and later.computed == []
    assert np.array_equal(again.loads.pull_n, seen.loads.pull_n)
    assert again.verdict.findings == seen.verdict.findings
    fine_one = predict(opened, later, preview(opened.bench))
    assert not {"scaffold", "standing"} & set(later.computed) and fine_one.solids[0].stands_as(again.solids[0])

    save_job(replace(job, bench=job.bench.with_value("print.vat_c", 12.0)), path, stages)
    colder, cold, _ = look(folder, path)
    assert colder.bench.print.vat_c == 12.0 and cold is not None and cold.verdict.pull_n > seen.verdict.pull_n

    for kept in folder.glob("*.bin"):
        kept.write_bytes(kept.read_bytes()[:1000])
    assert look(folder, path)[0].parts == job.parts
    blocked = tmp_path / "a file"
    blocked.write_text("no folder")
    assert look(blocked / "below", path)[0].parts == job.parts


def test_job_that_cannot_be_predicted_is_opened_and_says_why(bench: Bench, tmp_path: Path) -> None:
    far = Part("Cube", as_source(as_mesh(trimesh.creation.box((9, 9, 9)))), scale=4000.0)
    path = tmp_path / "far.3mf"
    save_job(job_of("Far", bench, (far,)), path, Stages())
    opened, seen, error = look(tmp_path / "kept", path)
    assert [p.name for p in opened.parts] == ["Cube"] and seen is None
    assert error is not None and "another unit" in error.text


def test_any_3mf_reader_opens_the_prepared_plate(finished: tuple[Job, Stages], tmp_path: Path) -> None:
    """A general mesh library reads the file: hollowed, drilled, with supports, from the plate's corner."""
    job, stages = finished
    path = tmp_path / "egg.3mf"
    save_job(job, path, stages)
    scene = trimesh.load_scene(path)
    part = max(scene.geometry.values(), key=lambda g: len(g.faces))
    printed = predict(job, stages, fine()).printed
    assert part.is_watertight
    assert part.volume == pytest.approx(printed.part.volume_mm3, rel=5e-3)
    assert scene.bounds[0][0] > 0
    with zipfile.ZipFile(path) as package:
        assert "WideBerth/recipe.json" in package.namelist()


def test_failed_save_leaves_the_old_file_and_no_litter(
    finished: tuple[Job, Stages], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    job, stages = finished
    path = tmp_path / "egg.3mf"
    save_job(job, path, stages)
    before = path.read_bytes()

    def full(_handle: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(CannotWrite, match="No space left"):
        save_job(job, path, stages)
    assert path.read_bytes() == before
    assert [p.name for p in tmp_path.iterdir()] == ["egg.3mf"]


def test_save_into_a_missing_folder_is_refused(finished: tuple[Job, Stages], tmp_path: Path) -> None:
    with pytest.raises(CannotWrite):
        save_job(finished[0], tmp_path / "gone" / "egg.3mf", finished[1])


def _rewritten(path: Path, target: Path, change) -> Path:  # type: ignore[no-untyped-def]
    """A copy of a package with its parts changed."""
    with zipfile.ZipFile(path) as package:
        parts = {name: package.read(name) for name in package.namelist()}
    with zipfile.ZipFile(target, "w") as package:
        for name, content in parts.items():
            package.writestr(name, change(name, content))
    return target


def test_bad_job_files_are_refused_with_a_reason(finished: tuple[Job, Stages], tmp_path: Path) -> None:
    job, stages = finished
    path = tmp_path / "egg.3mf"
    save_job(job, path, stages)
    later = _rewritten(
        path, tmp_path / "later.3mf", lambda n, c: c.replace(b'"version": 2', b'"version": 99') if "recipe" in n else c
    )
    with pytest.raises(BadJob, match="later version"):
        open_job(later)
    torn = _rewritten(path, tmp_path / "torn.3mf", lambda n, c: c[: len(c) // 2] if "recipe" in n else c)
    with pytest.raises(BadJob, match="cannot be read"):
        open_job(torn)
    foreign = tmp_path / "foreign.3mf"
    trimesh.creation.box((5, 5, 5)).export(foreign)
    assert not is_job(foreign)
    with pytest.raises(BadJob, match="no recipe"):
        open_job(foreign)
    junk = tmp_path / "junk.3mf"
    junk.write_bytes(b"not a package")
    with pytest.raises(BadJob):
        open_job(junk)
    with pytest.raises(BadJob, match="no such file"):
        open_job(tmp_path / "gone.3mf")


def test_tips_keep_their_numbers_when_one_stands_in_a_drain_hole(bench: Bench) -> None:
    """The first tip is left out for a hole; the second carries too much and is the one that grows."""
    from wideberth.core.drain import Hole

    slab = as_source(as_mesh(trimesh.creation.box((30, 12, 3))))
    stages = Stages()
    job = propose_support(job_of("Slab", bench, (Part("Slab", slab, pose=Pose(gap_mm=5.0)),)), ONE, stages).job
    part = job.parts[0]
    thin = part.supports.sized({c.id: 0.25 for c in part.supports.contacts})
    first = thin.contacts[0]
    up = stages.solids(part, bench.supports)
    at = np.linalg.inv(up.matrix) @ np.array([first.x_mm, first.y_mm, first.z_mm, 1.0])
    hole = Hole(float(at[0]), float(at[1]), float(at[2]), 1.0, "by hand")
    holed = job.with_part(replace(part, supports=thin, holes=(hole,)))
    found = predict(holed, stages, fine(0.2))
    assert first.id not in {t.contact for t in found.printed.touches}
    grown = propose_thicker(holed, stages).job.parts[0].supports.contact
    size = {t.contact: load for t, load in zip(found.printed.touches, found.loads.tip_load_n.max(axis=0), strict=True)}
    assert grown[first.id].diameter_mm == 0.25
    worst = max(size, key=lambda n: size[n])
    assert grown[worst].diameter_mm > 0.25


def test_hole_into_the_inner_chamber_does_not_serve_the_ring_round_it() -> None:
    """A ring chamber about a ball: the ball lies in the ring's box, and not in the ring."""
    from wideberth.core.model import points_inside

    ring = as_mesh(trimesh.creation.annulus(10, 14, 6, sections=64))
    inside = points_inside(ring, np.array([[0.0, 0.1, 0.2], [12.0, 0.1, 0.2], [0.1, -11.9, 2.0], [0.0, 0.0, 9.0]]))
    assert inside.tolist() == [False, True, True, False]
