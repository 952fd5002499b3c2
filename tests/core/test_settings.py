"""The bench read over: temperature, exposure, mixes and what a colleague would say of the settings."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from wideberth.core.bench import (
    BLEEDING,
    RIGHT,
    UNDER,
    Bench,
    CuredPair,
    ExposureTest,
    Ingredient,
    Mix,
    Resin,
    cured_depth_mm,
    exposure_advice,
    fit_working_curve,
    load_bench,
    load_named,
    mixed,
    names_of,
    vat_c_at,
    vat_viscosity,
    viscosity_at,
)
from wideberth.core.errors import BadBench
from wideberth.core.loads import film_follow_mm, layer_seconds, layer_temperatures, peel_n, spread_radius_mm
from wideberth.core.verdict import Strongest, aftercare_findings, motion_explained, settings_findings


def codes(bench: Bench, strongest: Strongest | None = None) -> list[str]:
    return [f.code for f in settings_findings(bench, strongest)]


def test_a_colleague_has_nothing_to_say_of_the_standard_bench() -> None:
    assert codes(load_bench()) == []


@pytest.mark.parametrize(
    ("key", "value", "code"),
    [
        ("print.layer_height_mm", 0.5, "layer_height"),
        ("print.layer_height_mm", 0.0051, "layer_height"),
        ("print.layer_height_mm", 0.0507, "layer_step"),
        ("print.second_lift_mm_per_min", 900, "too_fast"),
        ("print.lift_mm_per_min", 1.0, "too_slow"),
        ("print.exposure_s", 1.6, "under_bonded"),
        ("print.exposure_s", 9.0, "bleeding"),
        ("print.first_layers", 0, "no_first_layers"),
        ("print.first_exposure_s", 1.0, "first_shorter"),
        ("print.drift_to_c", 18.0, "too_cold"),
        ("print.vat_c", 41.0, "too_warm"),
        ("resin.viscosity_pa_s", 2.0, "no_wait"),
        ("resin.thinnest_wall_mm", 0.05, "coarse_pixel"),
    ],
)
def test_a_slip_in_one_value_is_told_and_nothing_else(key: str, value: float, code: str) -> None:
    small = Strongest(12.0, 14.0, "layer 40")
    assert codes(load_bench().with_value(key, value), small) == [code]


def test_a_lift_in_inches_is_caught() -> None:
    bench = load_bench().with_value("print.lift_mm", 0.125).with_value("print.second_lift_mm", 0.125)
    assert codes(bench) == ["lift_inches"]


def test_the_film_follows_by_the_law_and_the_lift_must_be_twice_that_and_one(bench: Bench) -> None:
    by_hand = 22.6 / (2 * math.pi * 3.0) * math.log(75 / 20)
    assert film_follow_mm(22.6, 20.0, bench) == pytest.approx(by_hand, rel=1e-9)
    assert by_hand == pytest.approx(1.585, abs=0.001)
    enough = 2 * by_hand + 1
    fits = bench.with_value("print.lift_mm", 3.0).with_value("print.second_lift_mm", enough - 3.0 + 1e-6)
    short = bench.with_value("print.lift_mm", 3.0).with_value("print.second_lift_mm", enough - 3.0 - 0.01)
    pull = Strongest(22.6, 20.0, "layer 9")
    assert codes(fits, pull) == []
    found = settings_findings(short, pull)
    assert [f.code for f in found] == ["lift_short"]
    assert "1.6 mm" in found[0].message and "4.2 mm" in found[0].message


def test_pulls_spread_over_the_plate_draw_less_of_a_cone(bench: Bench) -> None:
    disc = math.pi * 20**2
    one = spread_radius_mm(np.array([disc]), np.array([3.0]), np.array([4.0]))
    assert one == pytest.approx(20.0)
    two = spread_radius_mm(np.array([disc, disc]), np.array([-30.0, 30.0]), np.zeros(2))
    assert two == pytest.approx(math.sqrt(2 * 30**2 + 20**2))  # 2 (d² + R²/2)
    assert film_follow_mm(40, two, bench) < film_follow_mm(40, one, bench)


def test_larger_vats_need_longer_lifts(bench: Bench) -> None:
    wide = replace(bench, printer=load_named("printer", "drydock-330"))
    assert film_follow_mm(20, 18, wide) > film_follow_mm(20, 18, bench)


def test_every_motion_value_is_explained_with_its_unit(bench: Bench) -> None:
    said = dict(motion_explained(bench))
    assert {"lift_mm", "lift_mm_per_min", "second_lift_mm", "return_mm_per_min", "wait_before_s"} <= set(said)
    assert "52 %" in said["lift_mm_per_min"]  # 2 ** 0.6 = 1.516


# temperature


def test_the_vat_drifts_evenly_and_then_stays(bench: Bench) -> None:
    p = replace(bench.print, vat_c=26.0, drift_to_c=18.0, drift_h=8.0)
    assert [vat_c_at(p, h) for h in (0, 4, 8, 20)] == [26.0, 22.0, 18.0, 18.0]


def test_the_pull_grows_through_a_cold_night_by_the_viscosity_to_the_power_n(bench: Bench) -> None:
    night = bench.with_value("print.drift_to_c", 15.0).with_value("print.drift_h", 1.0)
    thicker = viscosity_at(bench.resin, 15.0) / viscosity_at(bench.resin, 25.0)
    area, around, squeeze = np.array([1000.0]), np.array([0.0]), np.array([5e7])
    warm, cold = peel_n(area, around, squeeze, bench), peel_n(area, around, squeeze, night)
    assert float(cold[0] / warm[0]) == pytest.approx(thicker**0.6, rel=1e-9)
    seconds = layer_seconds(np.zeros(2000), night)
    vat = layer_temperatures(seconds, night)
    assert vat[0] == pytest.approx(25.0, abs=0.2)
    assert vat[-1] == 15.0
    hour = int(np.searchsorted(np.cumsum(seconds), 1800.0))
    assert vat[hour] == pytest.approx(20.0, abs=0.05)


def test_a_drift_counts_only_as_far_as_the_print_lasts(bench: Bench) -> None:
    night = bench.with_value("print.drift_to_c", 15.0).with_value("print.drift_h", 10.0)
    small = Strongest(12.0, 14.0, "layer 40")
    assert [f.code for f in settings_findings(night, small, 4.9)] == []  # 20.1 °C when it is done
    late = settings_findings(night, small, 6.0)
    assert [f.code for f in late] == ["too_cold"] and "19 °C within 6.0 h" in late[0].message


def test_holes_are_sized_for_the_coldest_hour(bench: Bench) -> None:
    night = bench.with_value("print.drift_to_c", 15.0)
    assert vat_viscosity(night) == viscosity_at(bench.resin, 15.0)


def test_a_laser_takes_longer_for_larger_sections(bench: Bench) -> None:
    laser = replace(bench, printer=load_named("printer", "lightship-150"))
    seconds = layer_seconds(np.full(60, 900.0), laser)
    empty = layer_seconds(np.zeros(60), laser)
    assert seconds[-1] - empty[-1] == pytest.approx(10.0)  # 900 mm² at 90 mm²/s
    assert seconds[0] - empty[0] == pytest.approx(10.0 * bench.print.first_exposure_s / bench.print.exposure_s)


# exposure


def test_the_advised_exposure_cures_what_it_should_at_any_temperature(bench: Bench) -> None:
    for celsius in (15.0, 25.0, 32.0):
        advice = exposure_advice(bench, celsius)
        for seconds, ratio in ((advice.least_s, 1.3), (advice.advised_s, 2.0), (advice.most_s, 3.0)):
            depth = cured_depth_mm(bench.resin, bench.printer, seconds, celsius)
            assert depth == pytest.approx(ratio * bench.print.layer_height_mm)
    assert exposure_advice(bench, 15.0).advised_s / exposure_advice(bench, 25.0).advised_s == pytest.approx(math.exp(0.15))


def test_an_exposure_is_under_right_or_bleeding(bench: Bench) -> None:
    advice = exposure_advice(bench, 25.0)
    states = [exposure_advice(bench, 25.0, s).state for s in (0.9 * advice.least_s, advice.advised_s, 1.1 * advice.most_s)]
    assert states == [UNDER, RIGHT, BLEEDING]


def exposures(seconds: list[float], dp: float, ec: float, power: float, off: list[float] | None = None) -> ExposureTest:
    off = off or [0.0] * len(seconds)
    pairs = tuple(CuredPair(s, dp * math.log(power * s / ec) + o) for s, o in zip(seconds, off, strict=True))
    return ExposureTest("test", "standard", "standard", power, 25.0, pairs)


def test_a_working_curve_without_scatter_is_found_exactly() -> None:
    fit = fit_working_curve(exposures([2, 4, 8, 16, 32], 0.12, 4.0, 4.0))
    assert fit.dp_mm == pytest.approx(0.12)
    assert fit.ec_mj_per_cm2 == pytest.approx(4.0)
    assert not fit.outliers.any()
    assert fit.dp_range == pytest.approx((0.12, 0.12))
    assert fit.ec_range == pytest.approx((4.0, 4.0))


def test_confidence_intervals_hold_the_truth_as_often_as_they_say() -> None:
    rng = np.random.default_rng(11)
    seconds = [2.0, 3.0, 5.0, 8.0, 12.0, 20.0]
    hits = np.zeros(2)
    tries = 400
    for _ in range(tries):
        fit = fit_working_curve(exposures(seconds, 0.12, 4.0, 4.0, list(rng.normal(0, 0.015, len(seconds)))))
        hits += [fit.dp_range[0] <= 0.12 <= fit.dp_range[1], fit.ec_range[0] <= 4.0 <= fit.ec_range[1]]
    # 95 % of 400, give or take three standard errors
    assert (np.abs(hits / tries - 0.95) < 3 * math.sqrt(0.95 * 0.05 / tries)).all()


def test_an_outlier_is_shown_and_stays_until_set_aside() -> None:
    seconds = [2.0, 3.0, 5.0, 8.0, 12.0, 20.0]
    test = exposures(seconds, 0.12, 4.0, 4.0, [0.001, -0.001, 0.001, 0.08, -0.001, 0.001])
    fit = fit_working_curve(test)
    assert fit.outliers.tolist() == [False, False, False, True, False, False]
    aside = replace(test, pairs=tuple(replace(p, used=i != 3) for i, p in enumerate(test.pairs)))
    assert fit_working_curve(aside).dp_mm == pytest.approx(0.12, abs=0.001)
    assert fit_working_curve(aside).outliers.tolist() == [False, False, False, True, False, False]
    assert abs(fit.dp_mm - 0.12) > abs(fit_working_curve(aside).dp_mm - 0.12)


@pytest.mark.parametrize("seconds", [[2.0, 4.0], [3.0, 3.0, 3.0]])
def test_too_little_to_fit_is_refused_with_a_reason(seconds: list[float]) -> None:
    with pytest.raises(BadBench, match="pairs"):
        fit_working_curve(exposures(seconds, 0.12, 4.0, 4.0))


def test_swapped_columns_are_refused() -> None:
    pairs = tuple(CuredPair(s, d) for s, d in ((8.0, 0.1), (4.0, 0.2), (2.0, 0.3)))
    with pytest.raises(BadBench, match="rise"):
        fit_working_curve(ExposureTest("t", "r", "p", 4.0, 25.0, pairs))


def test_growth_and_smallest_feature_of_a_test() -> None:
    test = replace(
        exposures([2, 4, 8], 0.12, 4, 4), known_width_mm=10.0, measured_width_mm=10.09, smallest_slot_mm=0.3, smallest_pin_mm=0.2
    )
    assert test.growth_mm == pytest.approx(0.045)
    assert test.smallest_mm == 0.3
    assert exposures([2, 4, 8], 0.12, 4, 4).growth_mm is None


# after the print


@pytest.mark.parametrize(
    ("size", "codes_wanted"),
    [
        ((60, 50, 95), []),
        ((20, 195, 30), []),  # laid along the basket
        ((215, 50, 50), ["sticks_out"]),
        ((140, 150, 160), ["sticks_out"]),
        ((30, 5, 2), ["falls_through"]),
        ((30, 7, 2), []),
    ],
)
def test_parts_are_held_against_bath_basket_and_lamp(bench: Bench, size: tuple[float, ...], codes_wanted: list[str]) -> None:
    assert [f.code for f in aftercare_findings(bench, [("part", np.array(size, float))])] == codes_wanted


def test_a_low_lamp_and_a_wrong_bath_are_told(bench: Bench) -> None:
    low = replace(bench, station=replace(bench.station, chamber_mm=40.0))
    assert [f.code for f in aftercare_findings(low, [("part", np.array([60.0, 60.0, 60.0]))])] == ["under_lamp"]
    water = replace(bench, station=load_named("station", "quay-water"))
    assert [f.code for f in aftercare_findings(water, [])] == ["wrong_bath"]
    washable = replace(water, resin=load_named("resin", "lantern-clear"))
    assert aftercare_findings(washable, []) == []


# mixes


def two(parts: tuple[float, float], by: str = "volume") -> Resin:
    mix = Mix("m", (Ingredient("standard", parts[0]), Ingredient("slipway-tough", parts[1])), by)  # type: ignore[arg-type]
    return mixed(mix, lambda n: load_named("resin", n))


def test_a_mix_by_hand() -> None:
    made = two((50.0, 50.0))
    assert made.viscosity_pa_s == pytest.approx(math.sqrt(0.2 * 0.42))
    assert made.density_kg_per_m3 == pytest.approx(1095.0)
    assert made.price_per_litre == pytest.approx(45.0)
    assert made.penetration_depth_mm == pytest.approx(2 / (1 / 0.12 + 1 / 0.14))
    assert made.strength_low_mpa == pytest.approx(2 / (1 / 8 + 1 / 7))
    assert made.strength_high_mpa == pytest.approx(7.5)
    assert made.coldest_c == 22.0 and made.warmest_c == 35.0


def test_the_mixing_rule_holds_at_every_temperature() -> None:
    a, b = load_named("resin", "standard"), load_named("resin", "slipway-tough")
    made = two((30.0, 70.0))
    for celsius in (10.0, 25.0, 40.0):
        by_hand = viscosity_at(a, celsius) ** 0.3 * viscosity_at(b, celsius) ** 0.7
        assert viscosity_at(made, celsius) == pytest.approx(by_hand)


def test_only_ratios_of_parts_count_and_pure_is_pure() -> None:
    assert two((1.0, 3.0)) == replace(two((25.0, 75.0)), ingredients=two((1.0, 3.0)).ingredients)
    pure = mixed(Mix("m", (Ingredient("standard", 5.0),)), lambda n: load_named("resin", n))
    standard = load_named("resin", "standard")
    assert pure.viscosity_pa_s == pytest.approx(standard.viscosity_pa_s)
    assert pure.green_strength_mpa == pytest.approx(standard.green_strength_mpa)


def test_weighed_parts_are_turned_into_volumes() -> None:
    made = two((50.0, 50.0), "weight")
    volume = np.array([50 / 1100, 50 / 1090])
    by_hand = float(100 / volume.sum())  # mass over volume
    assert made.density_kg_per_m3 == pytest.approx(by_hand)


def test_a_mix_with_an_unpriced_resin_is_not_priced() -> None:
    mix = Mix("m", (Ingredient("standard", 1.0), Ingredient("caulk-viscous", 1.0)))
    assert mixed(mix, lambda n: load_named("resin", n)).price_per_litre is None


def test_a_mix_of_mixes_is_refused() -> None:
    mix = Mix("m", (Ingredient("grey-with-tough", 1.0),))
    with pytest.raises(BadBench, match="mix itself"):
        mixed(mix, lambda n: load_named("resin", n))


def test_what_ships(bench: Bench) -> None:
    assert len(names_of("printer")) >= 4 and len(names_of("resin")) >= 5 and len(names_of("film")) >= 2
    sizes = {load_named("printer", n).plate_x_mm for n in names_of("printer")}
    assert len(sizes) == len(names_of("printer"))
