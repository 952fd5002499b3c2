"""The demo job, whole: written and compared, and as a former version saved it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
import trimesh

from conftest import ONE, as_mesh, as_source
from reference.saved import assert_opens_as_it_was
from reference.written import assert_same, written
from wideberth.core.bench import load_bench
from wideberth.core.job import job_of, open_job, taken_in
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages, fine, predict
from wideberth.core.propose import propose_places, propose_support
from wideberth.core.support import BaseKind
from wideberth.demo import job_path


def test_the_demo_of_version_1_opens_with_the_verdict_that_it_had() -> None:
    assert_opens_as_it_was("demo")


def test_demo_job_is_written_as_it_stands(tmp_path: Path) -> None:
    """Shell, drain holes, lattice and supports, on the bench's own screen."""
    stages = Stages()
    job = open_job(job_path())
    coarse = {"printer.pixels_x": 500, "printer.pixels_y": 301, "print.layer_height_mm": 0.1}
    for key, value in coarse.items():
        job = replace(job, bench=job.bench.with_value(key, value))
    prediction = predict(job, stages, fine())
    manifest, package, plate = written(prediction, stages, tmp_path, 0)
    assert manifest["layer_count"] > 400
    assert_same(manifest, package, plate, 290)


@pytest.mark.parametrize("kind", list(BaseKind))
def test_braced_and_bent_supports_on_each_base_are_written_as_they_stand(kind: BaseKind, tmp_path: Path) -> None:
    """A slab high on a stalk, on thin posts with diagonals, and a turned block between shelves: two parts on one plate."""
    at = trimesh.transformations.translation_matrix
    tee = [
        trimesh.creation.box((26, 20, 3), transform=at((0, 0, 41))),
        trimesh.creation.box((6, 6, 42), transform=at((0, 0, 21))),
    ]
    shelves = [
        trimesh.creation.box((40, 30, 2), transform=at((0, 0, 31))),
        trimesh.creation.box((2, 30, 32), transform=at((-19, 0, 16))),
        trimesh.creation.box((24, 30, 2), transform=at((-8, 0, 19))),
        trimesh.creation.box((18, 30, 2), transform=at((11, 0, 6))),
    ]
    values = {
        "supports.stoutest_post_mm": 1.0, "supports.post_mm": 1.0, "supports.base": str(kind), "printer.pixels_x": 500,
        "printer.pixels_y": 301, "print.layer_height_mm": 0.1, "print.exposure_s": 4.0,
    }  # fmt: skip
    bench, stages = load_bench(), Stages()
    for key, value in values.items():
        bench = bench.with_value(key, value)
    parts = [
        replace(taken_in(as_source(as_mesh(trimesh.boolean.union(solids, engine="manifold")), name)), pose=Pose(turn, 4.0))
        for name, solids, turn in (("tee", tee, turned_xyz(0, 0, 20)), ("shelves", shelves, turned_xyz(0, 0, 33)))
    ]
    job = job_of("both", bench, parts)
    for part in job.parts:
        job = propose_support(job, part.id, stages).job
    job = propose_places(job, stages).job
    assert any(route.bends_mm for p in job.parts for route in p.supports.routes.values())
    assert job.part(ONE).supports.braces and {p.supports.base for p in job.parts} == {kind}
    prediction = predict(job, stages, fine())
    manifest, package, plate = written(prediction, stages, tmp_path, 0)
    assert manifest["layer_count"] > 400
    assert_same(manifest, package, plate, 290)
