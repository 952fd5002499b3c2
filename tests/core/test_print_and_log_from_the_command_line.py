"""`wide-berth print` and `log`: a job printed on a simulated printer, found in the log, learnt from."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from wideberth.cli.main import app
from wideberth.core.bench import Bench, fitted_prints
from wideberth.core.errors import BadDevice, BadJob
from wideberth.core.handover import save_job
from wideberth.core.job import job_of, open_job, taken_in
from wideberth.core.logbook import Logbook
from wideberth.core.model import ball, binary_stl, parse_model
from wideberth.core.predict import Stages
from wideberth.core.propose import propose_all

run = CliRunner().invoke


@pytest.fixture(scope="module")
def saved(bench: Bench, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A buoy on its posts."""
    small = bench.with_value("printer.pixels_x", 300).with_value("printer.pixels_y", 180)
    buoy = taken_in(parse_model("Buoy", ".stl", binary_stl(ball(np.array([0.0, 0.0, 4.0]), 4.0))))
    stages = Stages()
    job, _ = propose_all(job_of("A buoy", small, (buoy,)), stages)
    path = tmp_path_factory.mktemp("jobs") / "buoy.3mf"
    save_job(job, path, stages)
    return path


@pytest.mark.prove
def test_a_job_is_printed_logged_listed_and_learnt_from(saved: Path, tmp_path: Path) -> None:
    log = tmp_path / "log.sqlite"
    asked = ["print", str(saved), "--simulate", "--seed", "3", "--speed", "10000", "--log", str(log)]
    printed = run(app, asked, catch_exceptions=False)
    assert printed.exit_code == 0, printed.output
    (entry,) = Logbook(log).entries()
    assert f"logged as {entry.id}" in printed.output and entry.ended == "done" and entry.failed is False
    assert entry.source == "simulated printer, seed 3" and entry.layers == entry.told.layers
    assert run(app, [*asked, "--mishap", "tip:120:1"], catch_exceptions=False).exit_code == 0
    listed = json.loads(run(app, ["log", "--json", "--log", str(log)], catch_exceptions=False).stdout)
    assert [p["failed"] for p in listed["prints"]].count(True) == 1 and listed["accuracy"]["looked_at"] == 2
    lost = json.loads(run(app, ["log", "buoy", "--json", "--failed", "--log", str(log)], catch_exceptions=False).stdout)
    (one,) = lost["prints"]
    assert one["parts"][0]["lost_layer"] == 119 and one["cause"] == "tips" and one["alarms"]

    table, copy, learnt = tmp_path / "t.csv", tmp_path / "c.sqlite", tmp_path / "learnt.3mf"
    assert (
        run(app, ["log", "--csv", str(table), "--back-up", str(copy), "--log", str(log)], catch_exceptions=False).exit_code == 0
    )
    read = run(app, ["log", "--read", str(table), "--log", str(tmp_path / "other.sqlite")], catch_exceptions=False)
    assert "2 prints taken over" in read.output and Logbook(copy).count() == 2
    taught = run(app, ["log", "--learn", str(saved), "--take", str(learnt), "--log", str(log)], catch_exceptions=False)
    assert taught.exit_code == 0 and "printer.overhead_s" in taught.output
    assert fitted_prints(open_job(learnt).bench) == 2 and len(Logbook(log).fits()) == 1
    told = json.loads(run(app, ["log", "--learn", str(saved), "--json", "--log", str(log)], catch_exceptions=False).stdout)
    assert len(told["estimates"]) == 11 and told["prints"] == 2


def test_what_cannot_be_printed_is_refused_before_anything_is_written(saved: Path, tmp_path: Path) -> None:
    log = tmp_path / "log.sqlite"
    for asked, error in (
        (["print", str(saved)], BadDevice),
        (["print", str(saved), "--simulate", "--port", "80"], BadDevice),
        (["print", str(saved), "--simulate", "--mishap", "boom"], BadDevice),
        (["print", str(tmp_path / "none.3mf"), "--simulate"], BadJob),
    ):
        with pytest.raises(error):
            run(app, [*asked, "--log", str(log)], catch_exceptions=False)
    assert not log.exists()
    assert "no print yet" in run(app, ["log", "--log", str(log)], catch_exceptions=False).output
