"""Bench files, viscosity and cure."""

import math
import tomllib
from pathlib import Path

import numpy as np
import pytest

from wideberth.core.bench import (
    Bench,
    CuredPair,
    ExposureTest,
    bench_from,
    bench_toml,
    bond_factor,
    critical_exposure,
    cured_depth_mm,
    exposure_of_layer,
    first_layer_growth_mm,
    fit_working_curve,
    fitted_bench,
    load_bench,
    told_apart,
    vat_viscosity,
    viscosity_at,
)
from wideberth.core.errors import BadBench


def test_standard_bench_gives_every_value_a_source(bench: Bench) -> None:
    values = {b.key: b for b in bench.values()}
    assert values["print.lift_mm_per_min"].unit == "mm/min"
    assert values["film.line_adhesion_n_per_mm"].unit == "N/mm"
    assert {b.source for b in bench.values()} == {"default"}


def test_ten_degrees_warmer_is_half_as_thick(bench: Bench) -> None:
    ratio = viscosity_at(bench.resin, 35) / viscosity_at(bench.resin, 25)
    by_hand = np.exp(50000 / 8.314462618 * (1 / 308.15 - 1 / 298.15))
    assert ratio == pytest.approx(by_hand, rel=1e-9)
    assert ratio == pytest.approx(0.52, abs=0.01)
    assert vat_viscosity(bench) == pytest.approx(bench.resin.viscosity_pa_s)


def test_bench_written_out_reads_back_the_same(bench: Bench, tmp_path: Path) -> None:
    file = tmp_path / "bench.toml"
    file.write_text(bench_toml(bench), encoding="utf-8")
    again = load_bench(file)
    assert [(b.key, b.value) for b in again.values()] == [(b.key, b.value) for b in bench.values()]
    assert {b.source for b in told_apart(again, "file").values()} == {"default"}


def test_override_is_taken_and_its_source_told(tmp_path: Path) -> None:
    file = tmp_path / "mine.toml"
    file.write_text("[resin]\nviscosity_pa_s = 1.5\n[film]\nuse = 'standard'\n", encoding="utf-8")
    bench = load_bench(file)
    value = next(b for b in bench.values() if b.key == "resin.viscosity_pa_s")
    assert (value.value, value.source) == (1.5, str(file))


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("[resin]\nviscosity = 3\n", "line 2: `resin.viscosity`"),
        ("[resin]\nviscosity = 3\n", "Did you mean `viscosity_pa_s`"),
        ("[resin]\nviscosity_pa_s = -3\n", "greater than 0"),
        ("[print]\nlift_mm_per_min = 'fast'\n", "valid number"),
        ("[printr]\n", "no table of a bench"),
        ("[resin\n", "cannot be read as TOML"),
        ("[resin]\nuse = 'nowhere'\n", "no resin is called"),
        ("[resin]\nviscosity_pa_s = nan\n", "finite number"),
    ],
)
def test_bad_bench_names_the_key_and_the_line(text: str, told: str, tmp_path: Path) -> None:
    file = tmp_path / "bad.toml"
    file.write_text(text, encoding="utf-8")
    with pytest.raises(BadBench) as error:
        load_bench(file)
    assert told in str(error.value)


def test_user_file_takes_the_place_of_the_shipped_one(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr("wideberth.core.bench.load.user_folder", lambda: tmp_path)
    shipped = load_bench().film
    (tmp_path / "film").mkdir()
    text = "name = 'mine'\nline_adhesion_n_per_mm = 0.03\nviscous_pull_n_per_mm2 = 0.016\nfollow_share = 0.5\n"
    (tmp_path / "film" / "standard.toml").write_text(text, encoding="utf-8")
    own = load_bench().film
    assert shipped.line_adhesion_n_per_mm == 0.02
    assert own.line_adhesion_n_per_mm == 0.03


def test_value_set_by_hand_is_checked(bench: Bench) -> None:
    assert bench.with_value("print.vat_c", 20.0).print.vat_c == 20.0
    with pytest.raises(BadBench):
        bench.with_value("print.layer_height_mm", 5.0)


def test_exposure_falls_linearly_from_first_to_normal(bench: Bench) -> None:
    p = bench.print
    first = [exposure_of_layer(p, k) for k in range(p.first_layers)]
    assert first == [p.first_exposure_s] * p.first_layers
    steps = np.diff([exposure_of_layer(p, k) for k in range(p.first_layers - 1, p.first_layers + p.transition_layers + 1)])
    assert steps == pytest.approx(np.full(len(steps), (p.exposure_s - p.first_exposure_s) / (p.transition_layers + 1)))
    assert exposure_of_layer(p, 100) == p.exposure_s


def test_bond_grows_with_exposure_up_to_twice() -> None:
    assert bond_factor(2.5, 2.5, 0.25, 2) == 1
    assert bond_factor(2.5 * np.e, 2.5, 0.25, 2) == pytest.approx(1.25)
    assert bond_factor(1e9, 2.5, 0.25, 2) == 2


def test_working_curve_and_growth(bench: Bench) -> None:
    seconds = bench.resin.critical_exposure_mj_per_cm2 * np.e / bench.printer.irradiance_mw_per_cm2
    assert cured_depth_mm(bench.resin, bench.printer, seconds) == pytest.approx(bench.resin.penetration_depth_mm)
    assert first_layer_growth_mm(bench) == pytest.approx(0.05 * np.log(30 / 2.5))


def test_a_working_curve_is_taken_over_at_the_temperature_of_its_test() -> None:
    """Tested at 18 °C: there the bench's resin has the fitted Ec, and at its own reference what the law makes of it."""
    bench = load_bench().with_value("resin.cure_gain_per_c", 0.03)
    pairs = tuple(CuredPair(s, 0.12 * math.log(3.0 * s / 9.0)) for s in (6.0, 9.0, 14.0, 20.0))
    test = ExposureTest("Test", "resin", "printer", 3.0, 18.0, pairs)
    fitted = fitted_bench(bench, fit_working_curve(test), test)
    assert fitted.resin.penetration_depth_mm == pytest.approx(0.12, rel=1e-6)
    assert critical_exposure(fitted.resin, 18.0) == pytest.approx(9.0, rel=1e-6)
    at_reference = 9.0 * math.exp(0.03 * (18.0 - fitted.resin.reference_c))
    assert fitted.resin.critical_exposure_mj_per_cm2 == pytest.approx(at_reference, rel=1e-6)


def test_what_a_saved_bench_does_not_know_stays_unknown(bench: Bench) -> None:
    """A resin without a price is so again; what a table of a few keys leaves out is the standard bench's."""
    unknown = bench.with_value("resin.price_per_litre", None).with_value("resin.reference_energy_mj_per_cm2", None)
    text = bench_toml(unknown)
    again = bench_from(tomllib.loads(text), text, "saved")
    assert again.resin == unknown.resin and again.resin.price_per_litre is None
    assert again.printer.warmest_c is None and again.laws == unknown.laws
    some = bench_from({"resin": {"viscosity_pa_s": 0.3}}, "", "some")
    assert some.resin.price_per_litre == bench.resin.price_per_litre and some.resin.viscosity_pa_s == 0.3
