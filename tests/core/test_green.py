"""Light decides what holds: strength by dose, layers that set on, and what a thin tip is printed as (physics.md 11)."""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
import pytest
import scipy
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from conftest import as_mesh, as_source
from reference.further import further
from wideberth.core.bench import (
    Bench,
    bond_factor,
    drawn_tip_mm,
    green,
    later_light,
    lit_share,
    own_ratios,
    printed_tip_mm,
    reference_energy,
    strength_factor,
)
from wideberth.core.job import Job, Part, job_of
from wideberth.core.layers import Touch
from wideberth.core.loads import KnownTips, bond_factors, plate_strength, tips_at_peels, young
from wideberth.core.orient import Pose
from wideberth.core.predict import Stages, predict, preview
from wideberth.core.propose import propose_support

ONE_LAYER = np.array([25.0])


@pytest.fixture
def stated(bench: Bench) -> Bench:
    """Dp 0.12 mm, Ec 4, layers of 0.05 mm, strength stated at 10 mJ/cm², which the bench's 2.5 s at 4 mW/cm² are."""
    return with_values(bench, {"resin.reference_energy_mj_per_cm2": 10.0, "print.first_layers": 0, "print.transition_layers": 0})


def with_values(bench: Bench, values: dict[str, object]) -> Bench:
    for key, value in values.items():
        bench = bench.with_value(key, value)
    return bench


def fresh(bench: Bench, celsius: float = 25.0) -> float:
    """Strength of a fresh layer over the stated one."""
    return float(strength_factor(own_ratios(np.array([celsius]), bench), bench)[0])


def test_a_fifth_more_light_twice_the_light_and_ten_degrees_less(stated: Bench) -> None:
    """E_w/E_c 1.65; ×1.31, ×1.89 and ×0.72; +20 % light pulls ×1.05 (figures of the law)."""
    assert own_ratios(ONE_LAYER, stated)[0] == pytest.approx(1.648, abs=0.001)
    assert fresh(stated) == pytest.approx(1.0)
    assert fresh(stated.with_value("print.exposure_s", 3.0)) == pytest.approx(1.31, rel=0.01)
    assert fresh(stated.with_value("print.exposure_s", 5.0)) == pytest.approx(1.89, rel=0.01)
    assert fresh(stated, 15.0) == pytest.approx(0.72, rel=0.01)
    assert bond_factor(12.0, 10.0, 0.25, 2.0) == pytest.approx(1.05, rel=0.01)


def test_what_does_not_set_holds_nothing_and_thick_layers_are_weaker(stated: Bench) -> None:
    assert fresh(stated.with_value("print.exposure_s", 1.4)) == 0.0  # 5.6 mJ/cm² leave 3.7 at the far side of 0.05 mm
    assert fresh(stated.with_value("print.layer_height_mm", 0.07)) < 1 < fresh(stated.with_value("print.layer_height_mm", 0.03))
    slow = stated.with_value("resin.green_beta", 0.3)
    by_hand = -math.expm1(-0.3 * (1.2 * 1.6480 - 1)) / -math.expm1(-0.3 * (1.6480 - 1))
    assert fresh(slow.with_value("print.exposure_s", 3.0)) == pytest.approx(by_hand, rel=1e-3)


def test_a_reference_that_is_not_given_is_what_is_advised(bench: Bench) -> None:
    """Twice a layer of 0.05 mm deep: 4 exp(0.1/0.12) = 9.20 mJ/cm²; for 0.1 mm and Dp 0.2: 4 e."""
    bench = bench.with_value("resin.reference_energy_mj_per_cm2", None)
    assert reference_energy(bench.resin, bench.laws) == pytest.approx(4 * math.exp(0.1 / 0.12))
    other = with_values(bench, {"resin.reference_layer_mm": 0.1, "resin.penetration_depth_mm": 0.2})
    assert reference_energy(other.resin, other.laws) == pytest.approx(4 * math.e)


def test_layers_set_on_by_the_light_of_later_ones(stated: Bench) -> None:
    """Each later layer lets e^(-t/Dp) of what the one before it let through: after three of them q + q² + q³ of its own dose."""
    so_far = young(np.full(40, 25.0), 0.05, stated)
    q = math.exp(-0.05 / 0.12)
    for age, sum_of in ((0, 0.0), (1, q), (3, q + q**2 + q**3)):
        assert so_far.later[5, age] == pytest.approx(1.648 * sum_of, rel=1e-3)
    assert so_far.later[5, -1] == pytest.approx(1.648 * q / (1 - q), rel=2e-3)
    assert so_far.later[-1, -1] == 0 and so_far.later[-2, -1] == pytest.approx(1.648 * q, rel=1e-3)
    by_hand = strength_factor(1.648 * (1 + q + q**2), stated)
    assert so_far.factor(np.array([7]), np.array([9]))[0] == pytest.approx(by_hand, rel=1e-3)
    assert later_light(stated)[-1] < 1e-4 * 1.6 and len(later_light(stated)) == math.ceil(math.log(1e4) / (0.05 / 0.12))


def test_a_preview_of_thick_layers_knows_the_printed_ones(stated: Bench) -> None:
    """Layers of 0.2 mm are four of 0.05 mm: what lies 0.8 mm under the newest has sixteen layers over it."""
    exact, coarse = young(np.full(40, 25.0), 0.05, stated), young(np.full(10, 25.0), 0.2, stated)
    assert np.allclose(exact.own, coarse.own) and np.allclose(exact.later, coarse.later)
    assert coarse.newest(np.array([0, 1, 9])).tolist() == [0, 4, 36]
    at = coarse.layers_at(np.array([1.0]))
    assert coarse.factor(at, np.array([9]))[0] == exact.factor(at, np.array([36]))[0]


def test_a_drift_and_first_layers_count_at_their_own_temperature_and_light(bench: Bench) -> None:
    settings = {"print.first_layers": 3, "print.first_exposure_s": 20.0, "print.transition_layers": 1, "print.exposure_s": 3.0}
    warm = np.linspace(25.0, 15.0, 11)
    ratio = own_ratios(warm, with_values(bench, settings))
    through = 4.0 * math.exp(-0.05 / 0.12) / 4.0
    assert ratio[0] == pytest.approx(20.0 * through) and ratio[3] == pytest.approx(11.5 * through * math.exp(-0.015 * 3.0))
    assert ratio[10] == pytest.approx(3.0 * through * math.exp(-0.015 * 10.0))


def blurred_disc_mm(diameter: float, ratio: float, blur: float, pixel: float) -> float:
    """By numbers: a disc on a fine pixel grid, blurred, and the diameter of a disc as large as what passes Ec."""
    n = int(np.ceil((diameter / 2 + 6 * blur) / pixel))
    x = pixel * np.arange(-n, n + 1)
    drawn = (np.hypot(*np.meshgrid(x, x)) <= diameter / 2).astype(float)
    dose = scipy.ndimage.gaussian_filter(drawn, blur / pixel, mode="constant", truncate=6)
    return float(2 * np.sqrt((ratio * dose > 1).sum() / np.pi) * pixel)


@pytest.mark.parametrize("ratio", [1.65, *further([2.2, 3.4])])
@pytest.mark.parametrize(("diameter", "blur"), [(0.15, 0.03), (0.15, 0.05), (0.3, 0.05), *further([(0.6, 0.08)], True)])
def test_a_tip_is_printed_as_the_blur_of_its_pixels_says(diameter: float, blur: float, ratio: float) -> None:
    assert printed_tip_mm(diameter, ratio, blur) == pytest.approx(blurred_disc_mm(diameter, ratio, blur, 0.001), rel=0.02)


def test_small_tips_lose_much_and_large_ones_little() -> None:
    """At 1.65 Ec a straight edge goes back by 0.27 s; a disc whose middle gets less than 1/1.65 of the dose sets nowhere."""
    assert 0.24 < printed_tip_mm(0.3, 1.648, 0.05) < 0.27 < printed_tip_mm(0.3, 1.9, 0.05) < 0.3
    assert printed_tip_mm(5.0, 1.648, 0.05) == pytest.approx(5.0 - 2 * 0.05 * scipy.stats.norm.ppf(1 / 1.648), abs=1e-3)
    none = 2 * 0.05 * math.sqrt(-2 * math.log(1 - 1 / 1.648))
    assert printed_tip_mm(0.99 * none, 1.648, 0.05) == 0.0 < printed_tip_mm(1.01 * none, 1.648, 0.05)
    assert printed_tip_mm(0.3, 0.9, 0.05) == 0.0 and printed_tip_mm(0.3, 1.1, 0.0) == 0.3
    assert printed_tip_mm(0.3, 12.0, 0.05) > 0.3


@given(st.floats(0.16, 3.0), st.floats(1.3, 30.0), st.floats(0.0, 0.06))
def test_drawing_a_tip_for_what_is_to_be_printed(wanted: float, ratio: float, blur: float) -> None:
    drawn = drawn_tip_mm(wanted, ratio, blur)
    sets_at_all = printed_tip_mm(0.99 * drawn, ratio, blur) > 0  # below a certain size nothing does, and then at once a spot
    assert printed_tip_mm(drawn, ratio, blur) == pytest.approx(wanted, rel=4e-3) or not sets_at_all


@pytest.mark.parametrize("blur", [0.01, 0.03, 0.05, 0.2])
def test_an_outline_is_found_in_a_few_steps_of_newton_s(blur: float, monkeypatch: pytest.MonkeyPatch) -> None:
    """The last step lands on the answer, beside the end of what is known to hold it; halving from there took thirty more."""
    steps: list[int] = []
    found = green._crossing

    def counted(excess, start, most):  # type: ignore[no-untyped-def]
        steps.append(0)

        def one(at):  # type: ignore[no-untyped-def]
            steps[-1] += 1
            return excess(at)

        return found(one, start, most)

    monkeypatch.setattr(green, "_crossing", counted)
    rng = np.random.default_rng(3)
    drawn, ratio = rng.uniform(0.3, 1.5, 300), rng.uniform(1.5, 12.0, 300)
    printed = printed_tip_mm(drawn, ratio, blur)
    again = drawn_tip_mm(printed, ratio, blur)
    assert max(steps, default=0) <= 10
    assert again[printed > 0] == pytest.approx(drawn[printed > 0], rel=1e-6)


def test_tips_that_are_known_are_what_they_would_be_anew(stated: Bench) -> None:
    rng = np.random.default_rng(5)
    of, known = young(np.full(80, 25.0), 0.05, stated), KnownTips(80)
    for _ in range(6):
        touches = tuple(
            Touch(0, f"c{i}", 0, 0, float(z), float(d), 0.2, 1.0, 1.2, 0, 0, 1.0)
            for i, (z, d) in enumerate(zip(rng.integers(1, 4, 9), rng.choice([0.3, 0.45, 0.6], 9), strict=True))
        )
        told, anew = tips_at_peels(touches, of, 80, known), tips_at_peels(touches, of, 80)
        for name in ("z_mm", "drawn_mm", "printed_mm", "ratio", "strength_n_per_mm2", "stiff"):
            assert np.array_equal(getattr(told, name), getattr(anew, name)), name
    assert known.count == 9 and tips_at_peels((), of, 80, known).capacity_n.shape == (80, 0)


def test_more_tips_than_are_remembered_are_told_rightly_to_several_that_ask_at_once(stated: Bench) -> None:
    of, known = young(np.full(20, 25.0), 0.05, stated), KnownTips(20)
    groups = [[(0.05 * (n % 17), 0.3 + 0.001 * n) for n in range(first, first + 90)] for first in range(0, 1800, 60)]
    groups.append([(0.3, 0.3 + 0.0005 * n) for n in range(1500)])  # at once more than are ever kept otherwise
    with ThreadPoolExecutor(4) as at_once:
        told = list(at_once.map(lambda tips: known.of(tips, of), groups))
    for tips, values in zip(groups, told, strict=True):
        for had, anew in zip(values, KnownTips(20).of(tips, of), strict=True):
            np.testing.assert_allclose(had, anew, rtol=1e-12)
    assert known.count <= 2 * 1500


def test_a_tip_holds_its_strength_times_its_printed_area(stated: Bench) -> None:
    touch = Touch(0, "c", 0, 0, 1.0, 0.3, 0.2, 1.0, 1.2, 0, 0, 1.0)
    tips = tips_at_peels((touch,), young(np.full(60, 25.0), 0.05, stated), 60)
    share = 1 - math.exp(-(0.15**2) / (2 * 0.05**2))
    fresh_mpa = 8.0 * float(strength_factor(1.648 * share, stated))
    assert tips.printed_mm[0] == pytest.approx(float(printed_tip_mm(0.3, 1.648, 0.05)), rel=1e-3)
    assert tips.capacity_n[20, 0] == pytest.approx(fresh_mpa * math.pi * tips.printed_mm[0] ** 2 / 4, rel=2e-3)
    assert (np.diff(tips.capacity_n[20:, 0]) >= 0).all() and tips.capacity_n[59, 0] > 1.5 * tips.capacity_n[20, 0]


def test_peel_is_taken_against_the_reference_dose(stated: Bench) -> None:
    brighter = with_values(stated, {"print.exposure_s": 3.0, "print.first_layers": 2, "print.first_exposure_s": 30.0})
    assert bond_factors(4, brighter) == pytest.approx([1 + 0.25 * math.log(12.0)] * 2 + [1 + 0.25 * math.log(1.2)] * 2)
    dimmer = stated.with_value("printer.irradiance_mw_per_cm2", 3.0)  # the same seconds of a weaker light are less dose
    assert bond_factors(1, dimmer)[0] == pytest.approx(1 + 0.25 * math.log(0.75))


def test_the_plate_grips_by_dose_and_old_benches_by_seconds(stated: Bench) -> None:
    """30 s at 4 mW/cm² are 120 mJ/cm²; at 2 mW/cm² the plate holds 1 - κ ln 2 of that, on a bench without the key as much."""
    assert plate_strength(stated) == pytest.approx(0.25)
    dim = stated.with_value("printer.irradiance_mw_per_cm2", 2.0)
    assert plate_strength(dim) == pytest.approx(0.25 * (1 - 0.25 * math.log(2)))
    assert plate_strength(dim.with_value("laws.plate_reference_mj_per_cm2", None)) == pytest.approx(0.25)


@pytest.fixture(scope="module")
def on_tips(bench: Bench) -> Job:
    ball = as_source(as_mesh(trimesh.creation.icosphere(3, 7)))
    job = job_of("Ball", bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0),
                 (Part("Ball", ball, pose=Pose(gap_mm=4.0)),))  # fmt: skip
    return propose_support(job, job.parts[0].id, Stages()).job


def test_more_light_never_lowers_what_tips_bear_and_cold_never_raises_it(on_tips: Job) -> None:
    stages = Stages()

    def seen(key: str, value: float):  # type: ignore[no-untyped-def]
        return predict(replace(on_tips, bench=on_tips.bench.with_value(key, value)), stages).loads

    capacities = [seen("print.exposure_s", s).tip_capacity_n for s in (3.2, 3.6, 4.0, 5.0, 7.0)]
    assert all((more >= less - 1e-9).all() for less, more in zip(capacities, capacities[1:], strict=False))
    assert (capacities[-1] > capacities[0]).any()
    margins = [seen("print.vat_c", c).tip_margin for c in (12.0, 16.0, 20.0, 25.0, 30.0)]
    assert all((warmer >= colder - 1e-9).all() for colder, warmer in zip(margins, margins[1:], strict=False))


def test_proposed_tips_hold_as_printed(on_tips: Job) -> None:
    """Sized by what they are printed as and have set to: the margin that is wanted is met by the prediction."""
    v = predict(on_tips, Stages()).verdict
    assert v.hold_margin is not None and v.hold_margin > 0.9 * on_tips.bench.supports.wanted_margin
    assert all(0 < t.printed_mm < t.diameter_mm for t in v.tips)


def test_a_coarse_prediction_bears_about_what_the_fine_one_does(on_tips: Job) -> None:
    """A preview takes several layers as one, but its tips set in layers as they are printed."""
    stages = Stages()
    coarse = predict(on_tips, stages, preview(on_tips.bench)).verdict
    exact = predict(on_tips, stages).verdict
    assert coarse.hold_margin == pytest.approx(exact.hold_margin, rel=0.25)


def test_pixels_light_a_disc_as_large_as_it_is_on_average_and_small_ones_unsurely(bench: Bench) -> None:
    printer = bench.printer
    rng, pixel = np.random.default_rng(3), printer.pixel_x_mm
    sizes = np.array([3.0, 5.0, 10.0, 29.0]) * pixel
    low, high = lit_share(sizes, printer)
    for d, least, most in zip(sizes, low, high, strict=True):
        ends = np.arange(-20, 21) * pixel
        places = rng.uniform(0, pixel, (4000, 2))
        lit = np.array([((ends[:, None] + x) ** 2 + (ends + y) ** 2 <= d * d / 4).sum() for x, y in places])
        share = lit * pixel**2 / (np.pi / 4 * d * d)
        assert share.mean() == pytest.approx(1.0, abs=0.005)
        assert (least, most) == pytest.approx(np.quantile(share, [0.05, 0.95]), abs=0.8 * pixel**2 / (np.pi / 4 * d * d))
    assert (np.diff(high - low) < 0).all() and high[0] - low[0] > 0.2
    assert lit_share([200 * pixel, 0.0], printer)[0] == pytest.approx([1.0, 1.0])
