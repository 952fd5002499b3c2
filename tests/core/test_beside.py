"""A job's price beside its variants' and on other printers: each as a quote of its own would say, or why it cannot be made so."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
import trimesh
from typer.testing import CliRunner

from conftest import ONE, as_mesh, as_source
from wideberth.cli.main import app
from wideberth.core.bench import Bench, load_named, names_of
from wideberth.core.errors import BadJob
from wideberth.core.handover import beside_row, save_job, sum_text
from wideberth.core.job import Job, Part, Variant, job_of, scaled, with_count
from wideberth.core.orient import Pose
from wideberth.core.plan import beside, predicted_runs, quote_of, usage_of
from wideberth.core.predict import Stages
from wideberth.core.propose import propose_plates


@pytest.fixture(scope="module")
def job(bench: Bench) -> Job:
    """A tall slab that only the tall printers take, and a small one kept beside it."""
    shop = bench.with_section("trade", load_named("trade", "museum-workshop"), "test")
    shop = shop.with_value("resin.price_per_litre", 38.0).with_value("resin.currency", "EUR")
    tall = Part("Slab", as_source(as_mesh(trimesh.creation.box((20, 20, 165)))), id=ONE)
    made = job_of("Tray", shop, (tall,))
    small = job_of("Tray", shop, (scaled(tall, 0.4),))
    return replace(made, variants=(Variant("v", "small one", small.bench, small.parts, small.plates),))


def test_each_way_is_priced_as_by_itself(job: Job) -> None:
    stages, ways = Stages(), beside(job, Stages(), 3)
    printers = [load_named("printer", name) for name in names_of("printer")]
    assert [(w.name, w.printer) for w in ways[:2]] == [
        ("as it is now", job.bench.printer.name),
        ("small one", job.bench.printer.name),
    ]
    assert {w.printer for w in ways} == {p.name for p in printers}
    for way in ways:
        printer = next(p for p in printers if p.name == way.printer)
        state = job if way.name != "small one" else replace(job, parts=job.variants[0].parts, plates=job.variants[0].plates)
        state = replace(state, bench=state.bench.with_section("printer", printer, "test"))
        if way.quote is None:
            assert printer.height_mm < 168 and way.why_not and beside_row(way)[0] == way.why_not
            continue
        assert printer.height_mm >= 168 or way.name == "small one"
        usages = [usage_of(p) for p in predicted_runs(state, stages, True)]
        own = quote_of(state.title, state.bench, usages, 3)
        assert (way.quote.total, way.hours) == (own.total, pytest.approx(sum(u.hours for u in usages)))
        assert beside_row(way)[1] == sum_text(own.each)
    assert any(w.quote is None for w in ways) and ways[1].resin_ml < 0.2 * ways[0].resin_ml


@pytest.mark.prove
def test_what_has_no_room_on_a_smaller_plate_is_arranged_anew_on_as_many_as_it_takes(bench: Bench) -> None:
    """Three slabs in a row as long as a large plate: on a small one they stand on two, and cost what they cost there."""
    large = bench.with_section("printer", load_named("printer", "drydock-330"), "test")
    slab = Part("Slab", as_source(as_mesh(trimesh.creation.box((58, 58, 6)))), pose=Pose(gap_mm=5.0), id=ONE)
    job = with_count(job_of("Three", large, (slab,)), ONE, 3, (58.0, 58.0), 5.0)
    row = tuple(replace(p, x_mm=80.0 * (n - 1), y_mm=0.0) for n, p in enumerate(job.plates[0].placements))
    job = replace(job, plates=(replace(job.plates[0], placements=row),))
    ways = {way.printer: way for way in beside(job, Stages())}
    assert ways[large.printer.name].name == "as it is now"
    anew = [way for way in ways.values() if way.name.startswith("arranged anew")]
    assert anew and all(way.quote is not None and way.hours > 0 for way in anew)
    small, usual = load_named("printer", "coracle-130"), load_named("printer", "standard")
    assert (small.plate_x_mm, small.plate_y_mm) < (3 * 58, 2 * 58) and ways[small.name].name == "arranged anew, on 2 plates"
    assert usual.plate_x_mm > 3 * 58 + 2 * 6 and ways[usual.name].name == "arranged anew"
    by_hand = replace(job, bench=job.bench.with_section("printer", small, "test"))
    own = [usage_of(p) for p in predicted_runs(propose_plates(by_hand, Stages()).job, Stages(), True)]
    assert len(own) == 2 and ways[small.name].quote.total == quote_of("Three", by_hand.bench, own, 1).total  # type: ignore[union-attr]


def test_nothing_to_price_is_said(bench: Bench) -> None:
    empty = job_of("Nothing", bench, ())
    way = beside(empty, Stages())[0]
    assert way.quote is None and way.why_not
    with pytest.raises(BadJob):
        predicted_runs(empty, Stages(), True)


def test_the_command_line_sets_them_side_by_side(job: Job, tmp_path: Path) -> None:
    path = tmp_path / "tray.3mf"
    save_job(job, path, Stages())
    told = CliRunner().invoke(app, ["quote", str(path), "--coarse", "--beside"])
    assert told.exit_code == 0 and "small one" in told.stdout and all(name in told.stdout for name in ("state", "holds"))
