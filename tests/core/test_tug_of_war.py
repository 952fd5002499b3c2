"""Causes of a pull, ranges of a margin, what goes first and what follows, and posts under the push of the return."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import as_mesh, beam, moved, printed_of, set_down, weightless
from wideberth.core.bench import Bench, lit_share, motion, viscosity_at
from wideberth.core.layers import Touch
from wideberth.core.loads import (
    CAUSES,
    LINE,
    SEALED_CUP,
    VENTED_CUP,
    VISCOUS,
    WEIGHT,
    buckling_n,
    line_n,
    loads,
    plate_strength,
    return_share,
    viscous_n,
)
from wideberth.core.loads.down import pushed

FOUR = [(-12.0, -4.0), (-12.0, 4.0), (12.0, -4.0), (12.0, 4.0)]


def with_ranges(bench: Bench, **shares: float) -> Bench:
    """A bench on which only the given coefficients have a range."""
    none = {f: 0.0 for f in bench.ranges.__dataclass_fields__ if f != "name"}
    return replace(bench, ranges=replace(bench.ranges, **(none | shares)))


def test_causes_of_a_tip_load_are_those_of_the_formula(bench: Bench) -> None:
    """A slab of 30 x 10 mm on four tips: a quarter of γ P, a quarter of the viscous share, no suction."""
    _, printed = beam(FOUR)
    found = loads(printed, weightless(bench))
    k = 120
    line = line_n(np.array([80.0]), bench)[0] / 4
    viscous = viscous_n(np.array([300.0]), found.squeeze_mm4[[k]], bench, 0.2, 60.0)[0] / 4
    assert found.tip_cause_n[k, :, LINE] == pytest.approx(np.full(4, line), rel=0.01)
    assert found.tip_cause_n[k, :, VISCOUS] == pytest.approx(np.full(4, viscous), rel=0.01)
    assert (found.tip_cause_n[k][:, [SEALED_CUP, VENTED_CUP]] == 0).all()
    assert found.tip_cause_n[k, :, WEIGHT] == pytest.approx(np.zeros(4), abs=1e-3)


def test_range_of_one_coefficient_is_that_of_its_law(bench: Bench) -> None:
    """Strength ±25 % alone: the margin goes from 0.75 to 1.25 of itself. Viscous pull ±35 % alone: by its share of the pull."""
    _, printed = beam(FOUR)
    strong = loads(printed, with_ranges(weightless(bench), green_strength=0.25))
    k = 120
    assert strong.ranges.hold_low[k] == pytest.approx(0.75 * strong.hold_margin[k], rel=0.01)
    assert strong.ranges.hold_high[k] == pytest.approx(1.25 * strong.hold_margin[k], rel=0.01)
    tacky = loads(printed, with_ranges(weightless(bench), viscous_pull=0.35))
    share = (tacky.tip_cause_n[k, 0, VISCOUS] / tacky.tip_load_n[k, 0]).item()
    assert tacky.ranges.hold_low[k] == pytest.approx(tacky.hold_margin[k] / (1 + 0.35 * share), rel=0.01)
    assert tacky.ranges.influences[0].key == "film.viscous_pull_n_per_mm2"


def test_ranges_add_in_squares_and_are_never_narrower_than_one_of_them(bench: Bench) -> None:
    _, printed = beam(FOUR)
    k = 120
    one = loads(printed, with_ranges(weightless(bench), green_strength=0.2))
    two = loads(printed, with_ranges(weightless(bench), green_strength=0.2, viscous_pull=0.3))
    fall = [np.log(f.ranges.hold_low[k] / f.hold_margin[k]) for f in (one, two)]
    other = np.log(1 / (1 + 0.3 * two.tip_cause_n[k, 0, VISCOUS] / two.tip_load_n[k, 0]))
    assert fall[1] == pytest.approx(-np.hypot(fall[0], other), rel=0.02)


def test_range_by_pixels_is_that_of_tips_as_small_as_their_lit_pixels(bench: Bench) -> None:
    """Thin tips on coarse pixels: at the low end all hold as tips drawn just so much smaller do, which a prediction anew
    tells."""
    _, printed = beam(FOUR)
    coarse = with_ranges(weightless(bench).with_value("printer.pixels_x", 800).with_value("printer.pixels_y", 480))
    thin = replace(printed, touches=tuple(replace(t, diameter_mm=0.7) for t in printed.touches))
    k, (low, high) = 120, lit_share([0.7], coarse.printer)
    found = loads(thin, coarse)
    for end, share in ((found.ranges.hold_low, low), (found.ranges.hold_high, high)):
        drawn = 0.7 * float(np.sqrt(share[0]))
        anew = loads(replace(thin, touches=tuple(replace(t, diameter_mm=drawn) for t in thin.touches)), coarse)
        assert end[k] == pytest.approx(anew.hold_margin[k], rel=1e-3)
    assert found.ranges.hold_low[k] < 0.95 * found.hold_margin[k]


def test_sensitivity_is_what_a_prediction_with_that_value_gives(bench: Bench) -> None:
    """Each end of a range is compared with a prediction made anew on a bench with that very value."""
    cold = weightless(bench)
    _, printed = beam(FOUR)
    influences = {i.key: i for i in loads(printed, cold).ranges.influences}
    for key in (
        "film.line_adhesion_n_per_mm",
        "film.viscous_pull_n_per_mm2",
        "laws.rate_power",
        "laws.shape_power",
        "resin.viscosity_pa_s",
    ):
        told = influences[key]
        anew = loads(printed, cold.with_value(key, told.high))
        assert np.nanmin(anew.hold_margin) == pytest.approx(told.hold_high, rel=1e-6), key
    colder = influences["print.vat_c"]
    assert viscosity_at(bench.resin, colder.low) > bench.resin.viscosity_pa_s
    assert np.nanmin(loads(printed, cold.with_value("print.vat_c", colder.low)).hold_margin) == pytest.approx(
        colder.hold_low, rel=1e-6
    )


@pytest.mark.parametrize("exposure_s", [1.6, 2.5, 6.0])
def test_another_setting_rate_is_what_a_prediction_with_it_gives(bench: Bench, exposure_s: float) -> None:
    """β tells how far other light than the stated one has set the tips: both ends, found anew on a bench with that β."""
    lit = weightless(bench).with_value("print.exposure_s", exposure_s)
    _, printed = beam(FOUR)
    told = {i.key: i for i in loads(printed, lit).ranges.influences}["resin.green_beta"]
    assert (told.low, told.high) == pytest.approx((lit.resin.green_beta / 3, 3.0), abs=0.05)
    for value, least in ((told.low, told.hold_low), (told.high, told.hold_high)):
        assert np.nanmin(loads(printed, lit.with_value("resin.green_beta", value)).hold_margin) == pytest.approx(least, rel=1e-6)
    assert told.swing(float(np.nanmin(loads(printed, lit).hold_margin)), None) > 0.02


def test_plates_margin_with_another_gain_of_long_exposure_is_that_of_a_prediction_with_it(bench: Bench) -> None:
    """κ raises the first layers' pull and the plate's grip alike; the weakest layer is found anew."""
    disc = printed_of(set_down(trimesh.creation.cylinder(20, 3, sections=360)))
    light = weightless(bench)
    told = {i.key: i for i in loads(disc, light).ranges.influences}["laws.exposure_gain"]
    for value, least in ((told.low, told.plate_low), (told.high, told.plate_high)):
        anew = loads(disc, light.with_value("laws.exposure_gain", value))
        assert np.nanmin(anew.plate_margin) == pytest.approx(least, rel=1e-6)
    assert told.low != told.high and told.plate_low != told.plate_high
    beyond = loads(disc, light.with_value("laws.exposure_gain", 2.0)).ranges.influences  # the most that a bench may hold
    assert max(i.high for i in beyond if i.key == "laws.exposure_gain") == pytest.approx(2.8)


def test_plate_range_follows_its_adhesion(bench: Bench) -> None:
    disc = printed_of(set_down(trimesh.creation.cylinder(20, 3, sections=360)))
    found = loads(disc, with_ranges(weightless(bench), plate_adhesion=0.3))
    assert found.ranges.plate_low == pytest.approx(0.7 * found.plate_margin, rel=1e-6)
    assert found.ranges.influences[0].key == "laws.plate_adhesion_n_per_mm2"
    assert np.isnan(found.ranges.hold_low).all()
    assert plate_strength(bench) > 0


def test_first_tip_to_go_hands_its_load_to_the_others(bench: Bench) -> None:
    """Six equal tips on a line, the pull in their middle: each F/6. Without an end one the lever rule of the other five says
    how much the far end of the same side carries."""
    spots = [(x, 0.0) for x in (-12.5, -7.5, -2.5, 2.5, 7.5, 12.5)]
    _, printed = beam(spots, diameter=0.8)
    found = loads(printed, weightless(bench))
    failure = found.failure
    assert failure is not None
    assert not failure.expected
    left = np.delete([x for x, _ in spots], failure.tip)
    k = failure.layer
    pull = found.tip_load_n[k].sum()
    share = pull / 5 + pull * (0 - left.mean()) / ((left - left.mean()) ** 2).sum() * (left - left.mean())
    capacity = found.tip_capacity_n[k, 0]
    assert failure.rest_margin == pytest.approx(capacity / share.max(), rel=0.03)
    assert failure.others == ()
    assert failure.lost_layer is None


def test_overload_runs_through_all_tips_and_the_part_is_lost(bench: Bench) -> None:
    """Four thin tips under a slab that pulls more than they hold: one goes, then all, and the slab hangs on nothing."""
    _, printed = beam(FOUR, diameter=0.35)
    found = loads(printed, weightless(bench))
    failure = found.failure
    assert failure is not None
    assert failure.expected
    assert len(failure.others) == 3
    assert failure.lost_layer == failure.layer == int(np.flatnonzero(found.hold_margin < 1)[0])
    assert failure.lost_n == pytest.approx(found.tip_load_n[failure.layer :].sum(axis=1).max(), rel=1e-6)


def test_post_buckles_by_euler(bench: Bench) -> None:
    """π² E π d⁴ / (64 L²) of 1.2 mm and 20 mm in 400 MPa; the return presses with the viscous share at its own speed."""
    assert buckling_n(1.2, 20.0, 400.0) == pytest.approx(np.pi**2 * 400 * np.pi * 1.2**4 / 64 / 400)
    assert return_share(motion(bench), bench) == pytest.approx((80 / 60) ** 0.6)
    _, printed = beam(FOUR, gap=20.0)
    found = loads(printed, weightless(bench))
    k = int(found.posts.layer[0])
    assert found.posts.push_n[0] == pytest.approx((80 / 60) ** 0.6 * found.tip_cause_n[k, 0, VISCOUS], rel=1e-3)
    set_by_then = found.young.factor(found.young.layers_at(np.array([10.0])), np.array([k]))[0]  # the post's middle
    assert set_by_then > 1.5
    assert found.posts.margin[0] == pytest.approx(set_by_then * buckling_n(0.8, 20.0, 400.0) / found.posts.push_n[0])


def test_tips_on_one_post_press_on_it_together(bench: Bench) -> None:
    _, printed = beam(FOUR)
    together = tuple(replace(t, post="post-1") for t in printed.touches)
    posts = loads(replace(printed, touches=together), weightless(bench)).posts
    alone = loads(printed, weightless(bench)).posts
    assert posts.tips == ((0, 1, 2, 3),)
    assert posts.push_n[0] == pytest.approx(alone.push_n.sum(), rel=0.01)


def test_what_hangs_on_a_post_pulls_against_the_return(bench: Bench) -> None:
    """On the way down a post bears share × viscous − weight, summed over its tips, at the layer where that is most."""
    slow = bench.with_value("print.slow_return_mm_per_min", 0.6 * bench.print.lift_mm_per_min)
    _, printed = beam([(-5.0, 0.0), (5.0, 0.0)])
    one_post = tuple(replace(t, post="post-1") for t in printed.touches)
    tip_n = np.zeros((3, 2, len(CAUSES)))
    tip_n[:, :, VISCOUS] = [[4.0, 2.0], [5.0, 6.0], [7.0, 4.5]]
    tip_n[:, :, WEIGHT] = [[0.1, 0.2], [0.3, 0.4], [2.0, 1.5]]
    share = return_share(motion(slow), slow)
    down = share * tip_n[:, :, VISCOUS].sum(axis=1) - tip_n[:, :, WEIGHT].sum(axis=1)
    found = pushed(one_post, tip_n, slow)
    assert found.push_n == pytest.approx([down.max()]) and found.layer.tolist() == [1]
    assert share < 1 and found.tips == ((0, 1),)
    heavier = tip_n.copy()
    heavier[:, :, WEIGHT] += 0.5
    assert pushed(one_post, heavier, slow).push_n == pytest.approx([down.max() - 1.0])


def test_a_tip_under_two_beginnings_bears_what_both_pull(bench: Bench) -> None:
    """Two bars side by side on one tip, a slit between them: it is nobody else's load, so the tip bears both."""
    bars = [moved(trimesh.creation.box((0.7, 4, 3)), side * 0.45, 0, 5.5) for side in (-1, 1)]
    rod = moved(trimesh.creation.cylinder(0.8, 4.0, sections=32), 0, 0, 2.0)
    touches = (Touch(0, "contact-0", 0.0, 0.0, 4.0, 1.6, 0.0, 4.0, 1.6, 0.0, 0.0, 4.0),)
    printed = printed_of(as_mesh(trimesh.util.concatenate(bars)), supports=as_mesh(rod), touches=touches)
    found = loads(printed, weightless(bench))
    k = 120
    line = line_n(np.array([2 * 2 * 4.7]), bench)[0]
    assert found.tip_cause_n[k, 0, LINE] == pytest.approx(line, rel=0.02)
    assert found.tip_load_n[k].sum() == pytest.approx(found.pull_n[k], rel=0.01)
    assert found.unheld_n[k] == 0
