"""A part that would be lost where it stands, since tips have no room under it, is raised; whatever holds there stays."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from typer.testing import CliRunner

from conftest import ONE, as_mesh, as_source, moved
from reference.further import further
from wideberth.cli.main import app
from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob
from wideberth.core.job import Job, Part, job_of
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Prediction, Stages, fine, predict
from wideberth.core.progress import quiet
from wideberth.core.propose import propose_support, remedy_for, with_tip, with_tips_pinned
from wideberth.core.verdict import LOST, Code


def egg() -> trimesh.Trimesh:
    solid = trimesh.creation.icosphere(4, 6.0)
    solid.apply_scale([1.0, 1.0, 1.5])
    return solid


SOLIDS = {
    "egg": egg,
    "capsule": lambda: trimesh.creation.capsule(12, 5),
    "box": lambda: trimesh.creation.box((14, 10, 8)),
    "torus": lambda: trimesh.creation.torus(9, 3),
    "cone": lambda: trimesh.creation.cone(6, 14),
}
TURNS = [(20.0, 30.0, 0.0), *further([(75.0, -10.0, 20.0), (140.0, 25.0, -60.0), (-35.0, 200.0, 10.0)])]


def standing(solid: trimesh.Trimesh, turn: tuple[float, float, float], bench: Bench, gap_mm: float = 0.0) -> Job:
    pose = Pose(turned_xyz(*turn), gap_mm)
    return job_of("standing", bench, (Part(id="", name="One", source=as_source(as_mesh(solid)), pose=pose),))


def lost(seen: Prediction) -> set[str]:
    return {str(f.code) for f in seen.verdict.findings if f.severity == LOST}


@pytest.mark.parametrize("turn", TURNS)
@pytest.mark.parametrize("name", ["egg", *further(sorted(SOLIDS.keys() - {"egg"}))])
def test_what_stands_on_its_lowest_spot_is_raised_where_it_would_be_lost(
    name: str, turn: tuple[float, float, float], bench: Bench
) -> None:
    bench, stages = bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0), Stages()
    job = standing(SOLIDS[name](), turn, bench)
    stays = propose_support(job, ONE, stages, may_raise=False).job
    assert stays.part(ONE).pose == job.part(ONE).pose
    made = propose_support(job, ONE, stages)
    gap = made.job.part(ONE).pose.gap_mm
    assert lost(predict(made.job, stages, fine())) == set()
    if lost(predict(stays, stages, fine())):
        assert gap == bench.supports.gap_mm and f"Raised to {gap:.3g} mm" in made.why
        assert np.allclose(made.job.part(ONE).pose.rotation, job.part(ONE).pose.rotation)
    else:
        assert made.job == stays


def test_an_egg_on_its_end_is_lost_there_and_says_by_what(bench: Bench) -> None:
    bench, stages = bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0), Stages()
    job = standing(egg(), (0.0, 0.0, 0.0), bench)
    stays = predict(propose_support(job, ONE, stages, may_raise=False).job, stages, fine())
    assert "plate_margin" in lost(stays)
    word = f"at 0 mm the plate holds ×{stays.verdict.plate_margin:.2f}"
    assert word in propose_support(job, ONE, stages).why
    remedy = remedy_for(next(f for f in stays.verdict.findings if f.code == Code.PLATE_MARGIN), stays, stages)
    assert remedy is not None and remedy.label == "Propose tips" and word in remedy.make(quiet()).why


@pytest.mark.parametrize("name", ["egg", *further(["box", "cone"])])
def test_what_would_be_lost_raised_too_stays_and_says_so(name: str, bench: Bench) -> None:
    """Where next to nothing sticks to the plate it is lost on it and above."""
    bench, stages = bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0), Stages()
    bench = bench.with_value("laws.plate_adhesion_n_per_mm2", 1e-4)
    job = standing(SOLIDS[name](), (10.0, 20.0, 0.0), bench)
    made, stays = propose_support(job, ONE, stages), propose_support(job, ONE, stages, may_raise=False)
    assert made.job == stays.job
    above = job.with_part(replace(job.part(ONE), pose=replace(job.part(ONE).pose, gap_mm=bench.supports.gap_mm)))
    for there in (made.job, propose_support(above, ONE, stages).job):
        assert lost(predict(there, stages, fine()))
    told = stays.why.removesuffix(". It stands where tips have little room: raise it")
    assert made.why.startswith(f"{told}. Raised to {bench.supports.gap_mm:.3g} mm it would be lost too: the plate holds ×")


def test_what_holds_on_the_plate_stays_there(bench: Bench) -> None:
    """A table: its foot stands flat on the plate, and its top wants tips."""
    bench, stages = bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0), Stages()
    foot, top = moved(trimesh.creation.box((12, 12, 10)), 0, 0, 5), moved(trimesh.creation.box((30, 12, 3)), 0, 0, 11)
    made = propose_support(standing(trimesh.boolean.union([foot, top], engine="manifold"), (0, 0, 0), bench), ONE, stages)
    assert made.job.part(ONE).pose.gap_mm == 0.0 and "Raised" not in made.why
    assert made.job.part(ONE).supports.contacts


def test_where_there_is_no_room_for_a_tip_raising_is_advised(bench: Bench) -> None:
    stages, low = Stages(), egg().vertices[np.argmax(egg().vertices @ [0.5, 0.0, -0.87])]
    with pytest.raises(BadJob, match="Raise the part"):
        with_tip(standing(egg(), (0.0, 0.0, 0.0), bench), ONE, stages, low)
    assert with_tip(standing(egg(), (0.0, 0.0, 0.0), bench, 3.0), ONE, stages, low).part(ONE).supports.contacts
    seen = predict(standing(egg(), (0.0, 0.0, 0.0), bench.with_value("print.layer_height_mm", 0.1)), stages, fine())
    there = (float(low[0]), float(low[1]), float(low[2] - egg().vertices[:, 2].min()))
    finding = replace(
        seen.verdict.findings[0], code=Code.ISLAND, x_mm=there[0], y_mm=there[1], z_mm=there[2], change=None, spots=()
    )
    remedy = remedy_for(finding, seen, stages)
    assert remedy is not None and "raise the part" in remedy.make(quiet()).why


def test_a_pinned_pose_stays(bench: Bench) -> None:
    bench, stages = bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0), Stages()
    job = standing(egg(), (0.0, 0.0, 0.0), bench)
    pinned = job.with_part(replace(job.part(ONE), pose_pinned=True))
    made = propose_support(pinned, ONE, stages)
    assert made.job.part(ONE).pose.gap_mm == 0.0 and made.why.endswith("raise it")


def test_pinned_tips_come_along(bench: Bench) -> None:
    bench, stages = bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0), Stages()
    ring, down = SOLIDS["torus"](), np.array([np.sin(np.radians(20)), 0, -np.cos(np.radians(20))])
    job = standing(ring, (60.0, 0.0, 0.0), bench)
    job = with_tip(job, ONE, stages, ring.vertices[np.argmax(ring.vertices @ down)])
    (own,) = job.part(ONE).supports.contacts
    made = propose_support(with_tips_pinned(job, ONE, [own.id], True), ONE, stages).job.part(ONE)
    assert made.pose.gap_mm == bench.supports.gap_mm
    kept = made.supports.contact[own.id]
    assert kept.pinned and kept.diameter_mm == own.diameter_mm
    assert np.allclose(np.array(kept.spot_mm) - own.spot_mm, [0, 0, bench.supports.gap_mm], atol=0.05)


def test_a_gap_that_was_asked_for_stays(tmp_path: object) -> None:
    path = f"{tmp_path}/egg.stl"
    egg().export(path)
    done = CliRunner().invoke(app, ["check", path, "--tips", "propose", "--gap", "0", "--layer-height", "0.1"])
    assert done.exit_code == 0 and "Raised to" not in done.output and "The plate holds ×0" in done.output.replace("\n", " ")
