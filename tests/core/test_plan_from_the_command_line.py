"""`quote`, `plan` and `write`, run as a user runs them; and what they say agrees with the core."""

from __future__ import annotations

import csv
import json
import sys
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from typer.testing import CliRunner

from conftest import as_mesh, as_source
from wideberth.cli.main import app
from wideberth.core.bench import WEEKDAYS, Bench, load_named
from wideberth.core.errors import BadJob
from wideberth.core.handover import Converter, read_quote, save_job
from wideberth.core.job import Part, job_of
from wideberth.core.plan import first_seen, moments, time_shares, usage_of
from wideberth.core.plan.clock import seconds_of_layers
from wideberth.core.predict import Prediction, Stages, fine, predict, preview


@pytest.fixture(scope="module")
def saved(tmp_path_factory: pytest.TempPathFactory, bench: Bench) -> Path:
    """A slab whose name is a formula, in the museum's workshop."""
    shop = bench.with_section("trade", load_named("trade", "museum-workshop"), "test")
    shop = shop.with_value("resin.price_per_litre", 38.0).with_value("resin.currency", "EUR")
    slab = Part("Slab", as_source(as_mesh(trimesh.creation.box((30, 20, 9)))))
    path = tmp_path_factory.mktemp("jobs") / "slab.3mf"
    save_job(job_of("=HYPERLINK(1) <b>&\u202e", shop, (slab,)), path, Stages())
    return path


@pytest.fixture(scope="module")
def predicted(bench: Bench) -> tuple[Prediction, Prediction]:
    """A cone of 40 mm, finely and coarsely."""
    cone = job_of("cone", bench, (Part("Cone", as_source(as_mesh(trimesh.creation.cone(12, 40)))),))
    return predict(cone, Stages(), fine()), predict(cone, Stages(), preview(bench))


def run(*words: object) -> str:
    done = CliRunner().invoke(app, [str(w) for w in words])
    if done.exception is not None:
        raise done.exception
    return done.output


def test_a_quote_without_a_window(saved: Path, tmp_path: Path) -> None:
    out = [tmp_path / name for name in ("q.pdf", "q.csv", "q.json")]
    told = run("quote", saved, "--coarse", "--count", 5, *(w for path in out for w in ("-o", path)))
    quote = read_quote(out[2])
    assert f"{quote.total:,.2f} EUR for 5 sets" in told.replace("\n", " ")
    assert quote.is_complete and "incomplete" not in told  # it stands on the plate: there are no marks to look at
    rows = list(csv.reader(out[1].open()))
    assert all(not cell.startswith(("=", "@", "+")) for row in rows for cell in row)
    assert rows[1][0].startswith("'=HYPERLINK")
    assert out[0].read_bytes().startswith(b"%PDF")
    again = run("quote", saved, "--coarse", "--count", 5, "--set", "trade.labour_per_h=40", "--against", out[2])
    assert "since it was sent: starting" in again and "total" in again


@pytest.mark.parametrize(
    "content", ["", "[]", "{}", '{"format": "wide-berth quote", "version": 1}', "{" * 5000, '{"format": "x"}']
)
def test_what_is_no_quote_is_refused(tmp_path: Path, content: str) -> None:
    path = tmp_path / "q.json"
    path.write_text(content)
    with pytest.raises(BadJob, match="holds no quote"):
        read_quote(path)


def test_a_quote_with_endless_numbers_is_refused(saved: Path, tmp_path: Path) -> None:
    run("quote", saved, "--coarse", "-o", tmp_path / "q.json")
    text = (tmp_path / "q.json").read_text()
    total = json.loads(text)["lines"][0]["sum"]
    (tmp_path / "q.json").write_text(text.replace(f'"{total}"', '"NaN"', 1))
    with pytest.raises(BadJob):
        read_quote(tmp_path / "q.json")


def test_a_plan_without_a_window(saved: Path, tmp_path: Path) -> None:
    told = run("plan", saved, saved, "--begin", "2026-11-30T08:00:00", "--json", tmp_path / "plan.json")
    first, second = json.loads((tmp_path / "plan.json").read_text())["week"]
    assert first["begins"] == "2026-11-30T08:00:00" and second["begins"] >= first["done"]
    assert "says" in told
    nobody = [w for day in WEEKDAYS for w in ("--set", f"hours.{day}=")]
    none = run("plan", saved, "--begin", "2026-11-30T08:00:00", *nobody)
    assert "No week" in none and "nobody is there" in none


@pytest.mark.parametrize("command", ["quote", "plan"])
def test_a_job_with_nothing_on_its_plates_is_refused(bench: Bench, tmp_path: Path, command: str) -> None:
    slab = Part("Slab", as_source(as_mesh(trimesh.creation.box((30, 20, 9)))))
    job = job_of("bare", bench, (slab,))
    bare = job.replated(replace(job.plates[0], placements=()))
    save_job(bare, tmp_path / "bare.3mf", Stages())
    with pytest.raises(BadJob, match="nothing stands"):
        run(command, tmp_path / "bare.3mf")


@pytest.mark.parametrize("year", ["1700", "9999"])
def test_no_plan_is_made_for_a_year_that_is_none(saved: Path, year: str) -> None:
    with pytest.raises(BadJob, match="no year"):
        run("plan", saved, "--begin", f"{year}-11-30T08:00:00")


def test_layers_without_a_window(saved: Path, tmp_path: Path) -> None:
    run("write", saved, "-o", tmp_path / "layers.zip", "--set", "print.layer_height_mm=0.1")
    with zipfile.ZipFile(tmp_path / "layers.zip") as package:
        assert json.loads(package.read("manifest.json"))["layer_count"] == 90
    with pytest.raises(BadJob, match="none of its plates"):
        run("write", saved, "-o", tmp_path / "layers.zip", "--plate", "Nowhere")


def test_times_of_a_run_by_hand(predicted: tuple[Prediction, Prediction], bench: Bench) -> None:
    """800 layers of 0.05 mm: the part shows where layers and lift are over the resin's depth; shares add up to the time."""
    fine_one, coarse = predicted
    settings = bench.print
    lift = settings.lift_mm + settings.second_lift_mm
    k = first_seen(bench, 800)
    assert k is not None
    assert (k + 1) * 0.05 + lift > settings.resin_depth_mm >= k * 0.05 + lift
    seconds = fine_one.loads.seconds
    assert np.allclose(seconds_of_layers(fine_one), seconds) and np.allclose(seconds_of_layers(coarse), seconds)
    told = {m.name: m for m in moments(fine_one)}
    assert told["end"].after_s == pytest.approx(seconds.sum()) and told["listen"].after_s == pytest.approx(seconds[0])
    assert told["first layers done"].after_s == pytest.approx(seconds[: settings.first_layers].sum())
    assert told["look"].after_s == pytest.approx(seconds[: k + 1].sum())
    assert told["end"].high_s == pytest.approx(1.25 * seconds.sum()) and told["end"].low_s == pytest.approx(0.95 * seconds.sum())
    shares = time_shares(fine_one)
    lit = settings.exposure_s * (800 - settings.first_layers) + settings.first_exposure_s * settings.first_layers
    lit += sum((settings.first_exposure_s - settings.exposure_s) * (1 - n / (settings.transition_layers + 1))
               for n in range(1, settings.transition_layers + 1))  # fmt: skip
    assert shares.light_s == pytest.approx(lit, rel=1e-6) and shares.seconds == pytest.approx(seconds.sum())
    assert shares.overhead_s == pytest.approx(800 * bench.printer.overhead_s)


def test_what_a_run_uses_is_the_same_of_a_coarse_look(predicted: tuple[Prediction, Prediction]) -> None:
    """By hours, pulls and light; the film's life by whichever is used up sooner."""
    a, b = (usage_of(p) for p in predicted)
    film, printer = predicted[0].job.bench.film, predicted[0].job.bench.printer
    assert a.pulls == b.pulls == 800 and a.exposure_h == pytest.approx(b.exposure_h)
    assert a.film_share == pytest.approx(max(a.hours / film.lasts_h, 800 / film.lasts_pulls) / film.treatment_factor)
    assert a.screen_share == pytest.approx(a.exposure_h / printer.light_lasts_h)
    assert a.hours == pytest.approx(predicted[0].loads.seconds.sum() / 3600)


def test_a_converter_runs_on_what_was_written(saved: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    own = Converter("Folder", (sys.executable, "-m", "wideberth.demo.unpack", "{package}", "{out}"))
    monkeypatch.setattr("wideberth.cli.write.converters", lambda: (own,))
    told = run("write", saved, "-o", tmp_path / "l.zip", "--set", "print.layer_height_mm=0.3", "--converter", "Folder")
    assert "30 layers" in told and len(list((tmp_path / "l").glob("*.png"))) == 30
    with pytest.raises(BadJob, match="no converter is called"):
        run("write", saved, "-o", tmp_path / "l.zip", "--converter", "Other")
