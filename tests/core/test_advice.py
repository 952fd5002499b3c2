"""What would save it: the first advice is the one that a full prediction confirms as best of all that are offered."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest
import trimesh
from typer.testing import CliRunner

from conftest import ONE, as_mesh, as_source, turned
from reference.further import further
from wideberth.cli.main import app
from wideberth.core.bench import Bench
from wideberth.core.handover import save_job
from wideberth.core.job import Job, Part, job_of
from wideberth.core.orient import Pose
from wideberth.core.predict import Stages, predict
from wideberth.core.progress import Progress
from wideberth.core.propose import Advice, advise, propose_support

SOLIDS = {
    "ball": trimesh.creation.icosphere(3, 7),
    "torus": turned(trimesh.creation.torus(7, 2.2), 40.0, (1.0, 0.2, 0.0)),
    "slab": turned(trimesh.creation.box((14, 10, 4)), 25.0, (1.0, 0.4, 0.0)),
    "ring": turned(trimesh.creation.annulus(5, 8, 4, sections=48), 60.0, (0.2, 1.0, 0.0)),
    "rod": turned(trimesh.creation.capsule(12, 4), 50.0, (1.0, 0.0, 0.0)),
}


@pytest.fixture(scope="module")
def quick(bench: Bench) -> Bench:
    """Layers of 0.1 mm, lit as they want it; tips sized for just enough at 20 °C."""
    for key, value in {"print.layer_height_mm": 0.1, "print.exposure_s": 4.0, "print.vat_c": 20.0}.items():
        bench = bench.with_value(key, value)
    return bench


def chilled(name: str, bench: Bench) -> Job:
    """A job on proposed tips whose vat has got from 20 to 10 °C."""
    part = Part(name, as_source(as_mesh(SOLIDS[name])), pose=Pose(gap_mm=4.0))
    job = propose_support(job_of(name, bench, (part,)), ONE, Stages()).job
    return replace(job, bench=job.bench.with_value("print.vat_c", 10.0))


@pytest.mark.parametrize("name", ["ring", *further(["slab", "ball", "rod", "torus"])])
def test_the_first_advice_for_a_cold_job_is_the_best_of_all_when_predicted_fully(quick: Bench, name: str) -> None:
    job = chilled(name, quick)
    now = predict(job, Stages()).verdict.weakest
    heard: list[tuple[Advice, ...]] = []
    given = advise(job, Stages(), told=heard.append)
    assert given and heard and given[0].was == pytest.approx(now)
    fully = [(predict(a.job, Stages()).verdict.weakest or 0.0) for a in given]
    assert [a.weakest for a in given] == pytest.approx(fully, rel=1e-6)
    assert all(after > now for after in fully)
    saving = [a.saves for a in given]
    assert saving == sorted(saving, reverse=True)
    rates = [a.gain / max(a.minutes, 5.0) for a in given if a.saves == given[0].saves]
    assert rates[0] == max(rates)
    assert not any(a.breaks for a in given)


@pytest.mark.prove
def test_what_breaks_something_else_is_not_advised(quick: Bench) -> None:
    """A resin that blurs at little more light, in a vat that may not get warmer: light and warmth are not offered."""
    job = chilled("ball", quick)
    bench = job.bench.with_value("laws.blur_depth_ratio", 1.45).with_value("resin.warmest_c", 11.0)
    keys = {a.change[0] for a in advise(replace(job, bench=bench), Stages()) if a.change is not None}
    assert "print.vat_c" not in keys and "print.exposure_s" not in keys


def test_advice_can_be_cancelled(quick: Bench) -> None:
    from wideberth.core.errors import Cancelled

    job = chilled("ball", quick)
    stop = Progress(lambda share, _: stop.cancel() if share > 0.1 else None)
    with pytest.raises(Cancelled):
        advise(job, Stages(), stop)


@pytest.mark.prove
def test_a_saved_job_is_checked_and_advised_on_the_command_line(quick: Bench, tmp_path: Path) -> None:
    job = chilled("slab", quick)
    path, report, advice = tmp_path / "slab.3mf", tmp_path / "report.json", tmp_path / "advice.json"
    save_job(job, path, Stages())
    run = CliRunner()
    done = run.invoke(
        app, ["check", str(path), "--set", "print.vat_c=18", "--set", "print.exposure_s=4.4", "--json", str(report)]
    )
    assert done.exit_code == 0, done.output
    said = json.loads(report.read_text())
    warm = replace(job, bench=job.bench.with_value("print.vat_c", 18.0).with_value("print.exposure_s", 4.4))
    v = predict(warm, Stages()).verdict
    assert min(t["margin"] for t in said["tips"] if t["margin"] is not None) == pytest.approx(v.hold_margin, rel=1e-3)
    assert len(said["tips"]) == len(job.parts[0].supports.contacts)
    assert said["bench"]["print.vat_c"] == {"value": 18.0, "unit": "°C", "source": "--set"}
    done = run.invoke(app, ["advise", str(path), "--json", str(advice)])
    assert done.exit_code == 0, done.output
    first = json.loads(advice.read_text())["advice"][0]
    assert first["label"] in done.output and first["margin_after"] > first["margin_before"]
    chart = tmp_path / "chart.json"
    done = run.invoke(app, ["chart", str(path), "--over", "print.vat_c", "--coarse", "--json", str(chart)])
    assert done.exit_code == 0, done.output
    drawn = json.loads(chart.read_text())
    assert drawn["present"] == 10.0 and drawn["values"] == sorted(drawn["values"]) and drawn["hold"] == sorted(drawn["hold"])
    assert run.invoke(app, ["chart", str(path), "--over", "print.name"]).exit_code != 0
    for option in (["--scale", "2"], ["--tips", "propose"], ["--gap", "0"], ["--hollow", "2"]):
        done = run.invoke(app, ["check", str(path), *option])
        assert done.exit_code != 0 and "judged as it is saved" in str(done.exception)
    for wrong in ("print.vat_c", "vat=3", "print.vat_c=900"):
        assert run.invoke(app, ["check", str(path), "--set", wrong]).exit_code != 0
