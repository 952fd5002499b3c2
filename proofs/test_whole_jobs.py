"""The demo job, whole: written and compared, and as a former version saved it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from reference.saved import assert_opens_as_it_was
from reference.written import assert_same, written
from wideberth.core.job import open_job
from wideberth.core.predict import Stages, fine, predict
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
