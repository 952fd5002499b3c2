"""The shelf: what is poured adds up, no vat stands over its mark, mixes weigh what they should; and what a run needs in the
vat."""

from __future__ import annotations

import json
import multiprocessing
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from typer.testing import CliRunner

from conftest import ONE, as_mesh, as_source
from wideberth.cli.main import app
from wideberth.core.bench import Bench, Ingredient, Mix, load_named, mixed, strength_factor, viscosity_at
from wideberth.core.errors import BadShelf, CannotWrite
from wideberth.core.job import Part, job_of
from wideberth.core.plan import Taking, filling_lines, filling_of, taking_of
from wideberth.core.predict import Prediction, Stages, predict, preview
from wideberth.core.shelf import (
    EMPTY,
    Shelf,
    ShelfFile,
    Vat,
    as_json,
    corrected,
    emptied,
    of_resin,
    on_shelf,
    poured,
    poured_back,
    stirred,
    taken_away,
    used_up,
    weighed_out,
)

NOW = datetime(2026, 3, 2, 9, 0)
GREY = load_named("resin", "standard").name


@pytest.fixture
def shelf() -> Shelf:
    return on_shelf(on_shelf(EMPTY, GREY, 1000.0, "G-17"), "Slipway tough", 500.0, "T-2")


def test_pouring_opens_the_bottle_and_a_print_makes_the_rest_used(shelf: Shelf, bench: Bench) -> None:
    """300 of 1,000 mL poured, 60 printed: 240 used. 160 fresh on top: 240/400 used. Back: 398, less the 2 that stay."""
    printer = bench.printer
    one = poured(shelf, "1", printer, 300.0, NOW)
    assert one.bottle("1").left_ml == 700.0 and one.bottle("1").opened == NOW.date()
    assert one.vat(printer.name) == Vat(printer.name, GREY, 300.0, 0.0, ("G-17",), NOW, None)
    after = used_up(stirred(one, printer.name, NOW), printer.name, 60.0)
    assert (after.vat(printer.name).ml, after.vat(printer.name).used_share) == (240.0, 1.0)
    topped = poured(after, "1", printer, 160.0, NOW)
    assert topped.vat(printer.name).used_share == pytest.approx(0.6)
    assert topped.vat(printer.name).stirred is None  # fresh on top: stir it again
    back = poured_back(topped, printer, "1")
    assert back.bottle("1").left_ml == pytest.approx(540.0 + 400.0 - printer.stays_ml)
    assert back.bottle("1").used_share == pytest.approx(0.6 * 398 / 938) and back.vat(printer.name).is_empty
    assert of_resin(back, GREY) == back.bottle("1").left_ml and of_resin(taken_away(back, "1"), GREY) == 0


def test_nothing_is_poured_over_the_mark_nor_onto_another_resin_nor_out_of_an_empty_bottle(shelf: Shelf, bench: Bench) -> None:
    printer = replace(bench.printer, vat_ml=600.0)
    full = poured(shelf, "1", printer, printer.vat_ml - 50, NOW)
    with pytest.raises(BadShelf, match=r"over the mark of 600 mL\. Nothing was poured\. Pour no more than 50 mL"):
        poured(full, "1", printer, 60.0, NOW)
    with pytest.raises(BadShelf, match="Slipway tough would blend"):
        poured(full, "2", printer, 10.0, NOW)
    with pytest.raises(BadShelf, match="has 500 mL left"):
        poured(shelf, "2", printer, 501.0, NOW)
    with pytest.raises(BadShelf, match="not on the shelf"):
        poured(taken_away(shelf, "2"), "2", printer, 1.0, NOW)
    with pytest.raises(BadShelf, match=f"the vat holds {GREY}"):
        poured_back(full, printer, "2")
    with pytest.raises(BadShelf, match="nothing in its vat"):
        poured_back(shelf, printer, "1")
    with pytest.raises(BadShelf, match="up to its mark"):
        corrected(shelf, printer, GREY, printer.vat_ml + 1, 0.0, NOW)
    with pytest.raises(BadShelf, match="room for"):
        poured_back(corrected(shelf, printer, GREY, 100.0, 0.5, NOW), printer, "1")
    assert poured(emptied(full, printer.name), "2", printer, 10.0, NOW).vat(printer.name).resin == "Slipway tough"


@given(st.lists(st.tuples(st.sampled_from("pub"), st.floats(0, 700)), max_size=25))
def test_whatever_is_done_resin_is_neither_made_nor_over_the_mark(acts: list[tuple[str, float]]) -> None:
    printer, shelf, gone = load_named("printer", "standard"), on_shelf(EMPTY, GREY, 2000.0), 0.0
    for act, ml in acts:
        before = shelf
        try:
            if act == "p":
                shelf = poured(shelf, "1", printer, ml, NOW)
            elif act == "u":
                shelf = used_up(shelf, printer.name, ml)
                gone += before.vat(printer.name).ml - shelf.vat(printer.name).ml
            else:
                shelf = poured_back(shelf, printer, "1")
                gone += min(printer.stays_ml, before.vat(printer.name).ml)
        except BadShelf:
            assert shelf is before
        vat, bottle = shelf.vat(printer.name), shelf.bottle("1")
        assert 0 <= vat.ml <= printer.vat_ml + 0.1 and 0 <= vat.used_share <= 1 and 0 <= bottle.used_share <= 1
        assert vat.ml + bottle.left_ml + gone == pytest.approx(2000.0, abs=2.0)


def test_a_mix_weighs_its_shares_and_fills_the_cup(bench: Bench) -> None:
    """70 : 30 by volume: 210 and 90 mL of 300, each times its density; by weight the grams are as 70 to 30."""
    grey, tough = load_named("resin", "standard"), load_named("resin", "slipway-tough")
    known = {grey.name: grey, tough.name: tough}
    parts = (Ingredient(grey.name, 70), Ingredient(tough.name, 30))
    first, second = weighed_out(Mix("Mix", parts), known.__getitem__, 300.0)
    assert (first.ml, second.ml) == pytest.approx((210.0, 90.0))
    assert first.grams == pytest.approx(210 * grey.density_kg_per_m3 / 1000)
    assert second.after_g == pytest.approx(first.grams + second.grams)
    heavy = weighed_out(Mix("Mix", parts, "weight"), known.__getitem__, 300.0)
    assert heavy[0].grams / heavy[1].grams == pytest.approx(70 / 30) and sum(p.ml for p in heavy) == pytest.approx(300.0)


def test_used_resin_is_thicker_and_weaker_as_the_bench_says(bench: Bench) -> None:
    resin = replace(bench.resin, used_thicker_share=0.2, used_weaker_share=0.1)
    half = replace(resin, used_share=0.5)
    assert viscosity_at(half, 18.0) == pytest.approx(1.1 * viscosity_at(resin, 18.0))
    assert strength_factor(1.8, replace(bench, resin=half)) == pytest.approx(
        0.95 * strength_factor(1.8, replace(bench, resin=resin))
    )
    mix = mixed(Mix("Mix", (Ingredient("a", 1), Ingredient("b", 1))), lambda _: replace(half, used_share=0.0))
    assert mix.used_share == 0.0


# what a run needs


@pytest.fixture(scope="module")
def seen(bench: Bench) -> Prediction:
    job = job_of("Column", bench, (Part("Column", as_source(as_mesh(trimesh.creation.box((40, 40, 60)))), id=ONE),))
    return predict(job, Stages(), preview(bench))


def test_a_run_is_filled_up_to_what_it_takes_and_the_film_s_cover(seen: Prediction) -> None:
    """A 96 mL column: what it takes is resin less what stays; what is there already is not poured again."""
    bench, totals = seen.job.bench, seen.verdict.totals
    printer = bench.printer
    told = filling_of(taking_of(seen), Vat(printer.name))
    assert told.cover_ml == pytest.approx((printer.plate_y_mm + 30) * (printer.plate_x_mm + 30) * 3.0 / 1000)
    assert told.takes_ml == pytest.approx(totals.resin_ml - printer.stays_ml) and told.takes_ml > 96
    assert told.before_ml == pytest.approx(told.takes_ml + told.cover_ml) and not told.top_ups
    assert told.leaves_ml == pytest.approx(told.cover_ml)
    half = filling_of(taking_of(seen), Vat(printer.name, bench.resin.name, 100.0))
    assert half.before_ml == pytest.approx(told.before_ml - 100.0)
    assert filling_of(taking_of(seen), Vat(printer.name, "Slipway tough", 100.0)).before_ml == pytest.approx(told.before_ml)
    plenty = filling_of(taking_of(seen), Vat(printer.name, bench.resin.name, 590.0))
    assert plenty.before_ml == 0 and plenty.leaves_ml == pytest.approx(590.0 - told.takes_ml)


def test_a_small_vat_is_topped_up_just_before_the_film_would_lie_bare(seen: Prediction) -> None:
    """The same by a walk through the layers: it never falls under the cover, nor rises over the mark."""
    bench = seen.job.bench
    small = seen.job.bench.with_value("printer.vat_ml", 140.0).with_value("printer.cover_mm", 2.0)
    told = filling_of(
        taking_of(replace(seen, job=replace(seen.job, bench=small))), Vat(bench.printer.name, bench.resin.name, 30.0)
    )
    assert len(told.top_ups) >= 1 and told.before_ml == pytest.approx(110.0)
    area = seen.loads.area_mm2
    each, level, pours = told.takes_ml * area / area.sum(), 140.0, {t.layer: t for t in told.top_ups}
    for layer, ml in enumerate(each):
        if layer in pours:
            assert level - ml < told.cover_ml + 1e-6  # it could not have waited for another layer
            assert pours[layer].after_s == pytest.approx(seen.loads.seconds[:layer].sum())
            level += pours[layer].ml
        level -= ml
        assert level >= told.cover_ml - ml - 1e-6 and level <= 140.0 + 1e-6
    assert level == pytest.approx(told.leaves_ml, abs=1e-6)


@given(st.floats(1, 3000), st.floats(0, 700), st.floats(0, 20), st.floats(1, 900))
def test_any_filling_adds_up(takes: float, there: float, cover_mm: float, mark: float) -> None:
    printer = replace(load_named("printer", "standard"), vat_ml=mark, cover_mm=cover_mm)
    there = min(there, mark)
    taking = Taking(takes, np.linspace(0.01, 1, 100), np.linspace(60, 6000, 100), 0.05, "Any", printer)
    told = filling_of(taking, Vat(printer.name, "Any", there))
    if printer.cover_ml < mark:
        poured_ml = told.before_ml + sum(t.ml for t in told.top_ups)
        assert there + poured_ml - takes == pytest.approx(told.leaves_ml, abs=1e-6)
        assert told.leaves_ml >= told.cover_ml - 1e-6 and all(t.ml <= mark - told.cover_ml + 1e-6 for t in told.top_ups)


def test_what_is_told_names_lot_age_share_and_what_the_shelf_lacks(seen: Prediction, shelf: Shelf) -> None:
    printer = seen.job.bench.printer
    there = used_up(poured(shelf, "1", printer, 100.0, NOW), printer.name, 40.0)
    vat = there.vat(printer.name)
    told = dict(filling_lines(filling_of(taking_of(seen), vat), vat, there, seen.job.bench, NOW + timedelta(days=5)))
    assert told["In the vat"] == f"60 mL of {GREY}, 100% of it used, lot G-17, poured 5 days ago."
    assert told["Stirred"] == "not since it was poured: stir it." and "On the shelf" not in told
    bare = dict(filling_lines(filling_of(taking_of(seen), vat), vat, taken_away(there, "1"), seen.job.bench, NOW))
    assert "mL too little" in bare["On the shelf"]
    other = corrected(shelf, printer, "Slipway tough", 90.0, 0.0, NOW).vat(printer.name)
    assert "empty the vat" in dict(filling_lines(filling_of(taking_of(seen), other), other, shelf, seen.job.bench, NOW))["First"]


# the file


def test_a_shelf_is_kept_and_found_again(tmp_path: Path, shelf: Shelf, bench: Bench) -> None:
    file = ShelfFile(tmp_path / "deep" / "shelf.json")
    assert file.read() == EMPTY
    kept = file.change(lambda _: poured(shelf, "1", bench.printer, 120.0, NOW))
    assert ShelfFile(file.path).read() == kept
    with pytest.raises(BadShelf):
        file.change(lambda s: poured(s, "1", bench.printer, 1e4, NOW))
    assert file.read() == kept


@pytest.mark.parametrize(
    "content",
    [
        "",
        "[]",
        "{",
        "[" * 5000,
        '{"format": "wide-berth shelf"}',
        '{"format": "wide-berth shelf", "version": 9, "shelf": {}}',
        '{"format": "wide-berth shelf", "version": 1, "shelf": {"bottles": [{"id": "1"}]}}',
        '{"format": "wide-berth shelf", "version": 1, "shelf": {"vats": [{"printer": "a", "ml": NaN}]}}',
        '{"format": "wide-berth shelf", "version": 1, "shelf": {"vats": [{"printer": "a", "ml": -4}]}}',
        '{"format": "wide-berth shelf", "version": 1, "shelf": null}',
    ],
)
def test_a_damaged_shelf_is_refused_and_left_as_it_is(tmp_path: Path, content: str) -> None:
    path = tmp_path / "shelf.json"
    path.write_text(content)
    with pytest.raises(BadShelf):
        ShelfFile(path).change(lambda s: on_shelf(s, GREY, 500.0))
    assert path.read_text() == content


def _add(path: Path, count: int) -> None:
    for _ in range(count):
        ShelfFile(path).change(lambda s: on_shelf(s, GREY, 500.0))


@pytest.mark.prove
def test_two_programs_lose_none_of_each_other_s_bottles(tmp_path: Path) -> None:
    path = tmp_path / "shelf.json"
    both = [multiprocessing.get_context("spawn").Process(target=_add, args=(path, 20)) for _ in range(2)]
    for each in both:
        each.start()
    for each in both:
        each.join()
    assert sorted(int(b["id"]) for b in json.loads(path.read_text())["shelf"]["bottles"]) == list(range(1, 41))


def test_a_folder_that_cannot_be_written_is_said(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    with pytest.raises(CannotWrite):
        ShelfFile(tmp_path / "file" / "shelf.json").change(lambda s: s)


def test_the_command_line_tells_what_is_kept(tmp_path: Path, shelf: Shelf, bench: Bench) -> None:
    file = tmp_path / "shelf.json"
    kept = ShelfFile(file).change(lambda _: poured(shelf, "1", bench.printer, 120.0, NOW))
    told = CliRunner().invoke(app, ["shelf", "--file", str(file), "--json"])
    assert told.exit_code == 0 and told.stdout.strip() == as_json(kept)
    table = CliRunner().invoke(app, ["shelf", "--file", str(file)]).stdout
    assert "880" in table and "T-2" in table and f"120 mL of {GREY}" in table
    file.write_text("{}")
    assert CliRunner().invoke(app, ["shelf", "--file", str(file)]).exit_code != 0


def test_an_empty_shelf_says_where_to_begin(tmp_path: Path) -> None:
    told = CliRunner().invoke(app, ["shelf", "--file", str(tmp_path / "none.json")])
    assert told.exit_code == 0 and "No bottle" in told.stdout and not (tmp_path / "none.json").exists()
