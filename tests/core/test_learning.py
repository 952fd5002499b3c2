"""What prints teach, how runs are watched, how good predictions were: against simulated printers whose truth is known."""

from __future__ import annotations

import io
import json
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from scipy.special import ndtr

from reference.further import further
from reference.prints import made_expected, played
from wideberth.core.bench import Bench, ratio_at, stated_ratio, strength_factor
from wideberth.core.job import open_job
from wideberth.core.logbook import (
    Alarm,
    Behind,
    Entry,
    Estimate,
    Expected,
    Logbook,
    PartOutcome,
    Sample,
    Scars,
    Service,
    Shown,
    TakenFit,
    Told,
    Watch,
    accuracy_of,
    alarm_text,
    alike,
    behind_of,
    chance_of_letting_go,
    changed_values,
    expected_of,
    fit_of,
    forecast_of,
    learn,
    learnt_bench,
    next_time,
    scar_tallies,
    tally,
    unlearnt,
    utc_now,
)
from wideberth.core.logbook.expected_file import packed, unpacked
from wideberth.core.logbook.learn.estimate import most_likely
from wideberth.core.logbook.learn.strength import least_strength
from wideberth.core.plan import behind_lines
from wideberth.core.predict import Prediction, Stages, fine, predict
from wideberth.demo import job_path
from wideberth.demo.simulated import Hidden, Mishap, hidden_of
from wideberth.demo.trainer import SHELF, Guess, points_of

QUIET = Hidden(print_scatter=0.0, tip_scatter=0.0, time_scatter=0.0, cell_n=0.01, scale_g=0.0, warmth_c=0.0, offset_n=0.0,
               drift_n_per_h=0.0, vat_off_c=0.0)  # fmt: skip
TRUE = replace(QUIET, line=0.8, viscous=1.25, rate_power=1.1, sealed=0.9, motion=1.1, overhead_s=2.2, cling=1.4, stays_ml=3.1)


def season(bench: Bench, hidden: Hidden, count: int, seed: int = 0, least: float = 1.5, most: float = 3.0) -> list[Shown]:
    """Prints at several speeds, warmths and margins."""
    draw, made = np.random.default_rng(seed), []
    for n in range(count):
        at = bench.with_value("print.vat_c", float(draw.uniform(19, 30)))
        at = at.with_value("print.lift_mm_per_min", float(draw.choice([40, 60, 90, 120])))
        at = at.with_value("print.lift_mm", float(draw.choice([3, 5, 6])))
        margin = float(draw.uniform(least, most))
        e = made_expected(1000 * seed + n, at, layers=300, weakest=margin, cups=n % 3 == 0)
        made.append(played(e, at, hidden, 1000 * seed + n)[0])
    return made


def test_a_fit_finds_what_a_quiet_printer_hides(bench: Bench) -> None:
    """Without scatter of its own, to a few in a hundred for pulls and time; the scale is never better than a hundredth."""
    fit = fit_of(season(bench, TRUE, 10), bench)
    truth = {
        "film.line_adhesion_n_per_mm": 0.8 * bench.film.line_adhesion_n_per_mm,
        "film.viscous_pull_n_per_mm2": 1.25 * bench.film.viscous_pull_n_per_mm2,
        "laws.rate_power": 1.1 * bench.laws.rate_power,
        "laws.seal_kpa": 0.9 * bench.laws.seal_kpa,
        "printer.motion_factor": 1.1,
        "printer.overhead_s": 2.2,
    }
    for key, value in truth.items():
        found = fit.of(key)
        assert found.value == pytest.approx(value, rel=0.03 if key != "printer.overhead_s" else 0.12), key
        assert found.low <= value <= found.high, key
    cling, stays = fit.resin.one, fit.resin.other
    assert cling.value * 4 + stays.value == pytest.approx(1.4 * 4 + 3.1, rel=0.06)
    assert cling.prints == 10 and cling.is_of_use and stays.is_of_use


def test_what_prints_cannot_tell_is_said_and_stays_as_it_was(bench: Bench) -> None:
    """One speed and one warmth tell nothing of n; tips and plate that hold by far tell nothing of their strength."""
    still = [
        played(made_expected(n, bench, layers=300, weakest=6.0), bench, replace(TRUE, rate_power=1.0), n)[0] for n in range(6)
    ]
    fit = fit_of(still, bench)
    power, tips, plate = fit.of("laws.rate_power"), fit.tips, fit.plate
    assert not power.is_told and power.value == pytest.approx(bench.laws.rate_power, rel=0.05)
    assert not tips.is_told and tips.value == pytest.approx(bench.resin.green_strength_mpa, rel=0.05)
    assert not plate.is_told
    assert fit.of("film.line_adhesion_n_per_mm").is_told
    taken = learnt_bench(bench, fit)
    assert taken.laws.rate_power == bench.laws.rate_power and taken.resin == replace(
        bench.resin, cling_factor=taken.resin.cling_factor
    )
    assert fit_of([], bench).of_use == () and learnt_bench(bench, fit_of([], bench)) == bench


def test_prints_without_sensors_still_tell_of_strength_and_only_of_that(bench: Bench) -> None:
    """Each is lost or held: a weak resin is found from that alone, as a printer with a load cell would find it."""
    weak = replace(QUIET, tip_scatter=0.12, strength=0.75)
    prints = season(bench, weak, 40, seed=3, least=0.8, most=2.2)
    blind = [replace(s, measured=None) for s in prints]
    assert 5 < sum(bool(s.entry.failed) for s in blind) < 35
    fit = fit_of(blind, bench)
    assert fit.tips.value == pytest.approx(0.75 * bench.resin.green_strength_mpa, rel=0.1)
    assert fit.tips.low < 0.75 * bench.resin.green_strength_mpa < fit.tips.high and fit.tips.is_told
    assert all(e.prints == 0 and e.value == e.was for e in (*fit.pulls, fit.time.one, fit.time.other))


@pytest.mark.prove
@pytest.mark.parametrize(("beta", "strength"), [(0.45, 1.0), *further([(1.0, 0.8), (2.2, 1.2)], True)])
def test_prints_at_other_light_tell_how_fast_a_resin_sets(beta: float, strength: float, bench: Bench) -> None:
    """At a third to twice the usual light beyond what just sets, and without any sensor: β and σ_g, each with its interval."""
    hidden, draw, prints = replace(QUIET, tip_scatter=0.12, setting=beta, strength=strength), np.random.default_rng(1), []
    for n in range(80):
        lit = bench.with_value("print.exposure_s", float(draw.uniform(0.75, 2.2)) * bench.print.exposure_s)
        e = made_expected(n, lit, layers=200, weakest=float(draw.uniform(0.5, 2.5)))
        prints.append(replace(played(e, lit, hidden, n)[0], measured=None))
    fit = fit_of(prints, bench)
    assert fit.setting.low < beta < fit.setting.high and fit.setting.value == pytest.approx(beta, rel=0.35)
    assert fit.tips.low < strength * bench.resin.green_strength_mpa < fit.tips.high
    assert fit.setting.sd < 0.6 * fit.setting.was_sd and fit.setting.prints > 40
    as_stated = np.full(12, stated_ratio(bench))
    alike = [replace(s, expected=replace(s.expected, tip_ratio=as_stated)) for s in prints]
    blind = fit_of(alike, bench).setting  # where σ_g is stated, β makes no difference
    assert blind.prints == 0 and blind.value == pytest.approx(bench.resin.green_beta) and not blind.is_of_use
    former = [replace(s, expected=unpacked(_as_of_version_1(s.expected))) for s in prints]
    assert fit_of(former, bench).setting.prints == 0


def test_what_light_made_something_as_strong_is_found_back(bench: Bench) -> None:
    ratio = np.array([1.0, 1.05, 1.65, 3.0, 8.0, 14.0])
    assert ratio_at(strength_factor(ratio, bench), bench) == pytest.approx(ratio, rel=1e-9)
    assert ratio_at([0.0, 1e6], bench) == pytest.approx([1.0, 15.0])


def _as_of_version_1(expected: Expected) -> bytes:
    """A record as it was kept before it said what light tips got."""
    with np.load(io.BytesIO(packed(expected))) as kept:
        arrays = {name: kept[name] for name in kept.files if name not in ("plain", "tip_ratio")}
        plain = json.loads(kept["plain"].tobytes())
    at = {k: v for k, v in plain["at"].items() if k not in ("green_beta", "stated_ratio")}
    out = io.BytesIO()
    head = np.frombuffer(json.dumps(plain | {"version": 1, "at": at}).encode(), np.uint8)
    np.savez_compressed(out, plain=head, **arrays)
    return out.getvalue()


def test_a_bench_that_has_learnt_says_so_and_its_ranges_are_narrower(bench: Bench) -> None:
    prints = season(bench, TRUE, 8)
    fit = fit_of(prints, bench)
    taken = learnt_bench(bench, fit)
    sources = dict(taken.sources)
    assert sources["film.line_adhesion_n_per_mm"] == "fitted from 8 prints" == sources["ranges.line_adhesion"]
    assert taken.film.line_adhesion_n_per_mm == pytest.approx(fit.of("film.line_adhesion_n_per_mm").value, rel=1e-4)
    assert taken.ranges.line_adhesion < 0.5 * bench.ranges.line_adhesion
    assert taken.ranges.green_strength == bench.ranges.green_strength  # all held by far
    assert taken.laws.time_more_share < bench.laws.time_more_share
    again = fit_of(prints, taken)  # prints that were reckoned with the old bench say the same of the new one
    assert again.of("film.line_adhesion_n_per_mm").value == pytest.approx(taken.film.line_adhesion_n_per_mm, rel=0.02)
    one = learnt_bench(bench, fit, ("laws.seal_kpa",))
    assert one.film == bench.film and one.laws.seal_kpa != bench.laws.seal_kpa


def test_a_forecast_after_learning_holds_new_prints(bench: Bench) -> None:
    hidden = hidden_of(12, bench)
    fit = fit_of(season(bench, hidden, 12, seed=5), bench)
    within = []
    for new in season(bench, hidden, 12, seed=6):
        then = forecast_of(new.expected, fit, bench)
        assert then.seconds.high / then.seconds.low < 1.08 and then.peak_n.high / then.peak_n.low < 1.4
        assert new.entry.seconds is not None and new.entry.resin_g is not None
        within += [then.seconds.holds(new.entry.seconds), then.resin_ml.holds(new.entry.resin_g / new.expected.at.density)]
    assert np.mean(within) >= 0.8


def test_prints_on_another_printer_with_the_film_speak_but_less_loudly(bench: Bench) -> None:
    mine, others = season(bench, TRUE, 2, seed=1), season(bench, TRUE, 2, seed=2)
    foreign = [replace(s, own=False, entry=replace(s.entry, printer="Another")) for s in others]
    alone, both, all_own = fit_of(mine, bench), fit_of([*mine, *foreign], bench), fit_of([*mine, *others], bench)
    sds = [f.of("film.viscous_pull_n_per_mm2").sd for f in (all_own, both, alone)]
    assert sds[0] < sds[1] < sds[2]
    assert both.time.one.prints == 2 and all_own.time.one.prints == 4  # time is the printer's own


def test_wild_readings_and_what_came_after_a_loss_move_nothing(bench: Bench) -> None:
    prints = season(bench, TRUE, 6)
    wild = []
    for n, shown in enumerate(prints):
        m = shown.measured
        assert m is not None
        pull = m.pull_n.copy()
        pull[n::25] += 30.0
        lost = 200
        pull[lost:] = 0.1
        entry = shown.entry.with_part(PartOutcome(0, "Part 1", "lost", lost))
        wild.append(replace(shown, entry=replace(entry, cause="file"), measured=replace(m, pull_n=pull)))
    clean, spoilt = fit_of(prints, bench), fit_of(wild, bench)
    for key in ("film.line_adhesion_n_per_mm", "film.viscous_pull_n_per_mm2"):
        assert spoilt.of(key).value == pytest.approx(clean.of(key).value, rel=0.04), key
    assert spoilt.tips.value == spoilt.tips.was  # lost by a damaged file: nothing is said of tips


def test_the_most_likely_value_of_one_gaussian_is_the_weighted_mean() -> None:
    """Prior 2 ± 1, four readings of 2.5 ± 1: mean (2 + 4·2.5)/5 = 2.4, sd 1/√5; one wild one of 90 draws it by its weight
    alone."""
    readings = np.full(4, 2.5)
    x, covariance, _ = most_likely(lambda v: np.concatenate((readings - v[0], v - 2.0)), np.zeros(1), 4)
    assert x[0] == pytest.approx(2.4, abs=0.01) and np.sqrt(covariance[0, 0]) == pytest.approx(5**-0.5, rel=0.02)
    wild = np.append(readings, 90.0)
    drawn, _, _ = most_likely(lambda v: np.concatenate((wild - v[0], v - 2.0)), np.zeros(1), 5)
    assert drawn[0] < 3.0  # by least squares it would be 17


def test_the_least_strength_of_tips_by_hand() -> None:
    """One tip at half its strength needs half of it; of two equal ones with unequal strength both must hold or one the whole."""
    middle, spread = least_strength(np.array([0.5]), np.array([1.0]), draws=4000)
    assert np.exp(middle) == pytest.approx(0.5, rel=0.02) and spread == pytest.approx(np.hypot(0.15, 0.04), rel=0.05)
    rng = np.random.default_rng(1)
    e = np.exp(rng.normal(0, 0.15, (100_000, 2)))
    weak, strong = e.min(axis=1), e.max(axis=1)
    needed = 1 / np.maximum(weak / 0.5, 0.5 * strong / 0.5)  # both share it, or the stronger bears twice as much
    middle, _ = least_strength(np.array([0.5, 0.5]), np.array([1.0, 1.0]), draws=4000)
    assert middle == pytest.approx(float(np.log(needed).mean()), abs=0.01)
    assert least_strength(np.zeros(3), np.ones(3))[0] < -1  # nothing pulls


# watching


def heard(
    expected: Expected, bench: Bench, hidden: Hidden, seed: int, mishap: Mishap | None = None
) -> tuple[list[Alarm], Shown, Watch]:
    """All alarms of a run."""
    watch = Watch(expected, bench)
    shown, _ = played(expected, bench, hidden, seed, mishap)
    m, told = shown.measured, []
    assert m is not None
    for n, k in enumerate(m.layer):
        told += watch.heard(Sample(int(k), m.at_s[n], m.seconds[n], m.pull_n[n], m.vat_g[n], m.vat_c[n]))
    return told, shown, watch


@pytest.mark.parametrize("seed", range(6))
def test_a_part_that_lets_go_is_told_within_three_layers_and_a_good_run_is_silent(bench: Bench, seed: int) -> None:
    e, hidden = made_expected(seed, bench, weakest=5.0), hidden_of(seed, bench)
    assert heard(e, bench, hidden, seed)[0] == []
    watch = Watch(e, bench)
    layer = next(k for k in range(100, 600) if watch.can_tell(1, k) and watch.can_tell(1, k + 3))
    alarms, _, _ = heard(e, bench, hidden, seed, Mishap("tip", layer, 1))
    first, (one, other) = alarms[0], e.names
    text = alarm_text(replace(first, kind="lost", print=1, others=()), e, bench)
    assert f"the pull of {other}, since layer" in text and f"{one} still pulls as it should" in text
    unsure = alarm_text(replace(first, kind="lost", print=1, others=(0, 2)), e, bench)
    assert f"the pull of {other} or {one}, or of all," in unsure and unsure.endswith("stop.")
    assert first.kind in ("lost", "all") and layer + 1 <= first.layer <= layer + 2 and first.since >= layer - 1
    assert first.print == 1 or 1 in first.others or first.kind == "all"


def test_a_cell_that_cannot_tell_says_so(bench: Bench) -> None:
    e = made_expected(1, bench)
    small = replace(e, own_n=e.own_n * np.array([1.0, 1e-3])[:, None, None])
    watch = Watch(small, bench)
    k = int(np.argmax(e.own_pull_n[0]))
    assert watch.can_tell(0, k) and not watch.can_tell(1, k)
    assert Watch(e, bench).heard(Sample(3, 1.0, 1.0)) == [] and Watch(e, bench).heard(Sample(99_999, 1.0, 1.0, 5.0)) == []


def test_a_cold_night_a_torn_film_and_a_leak_are_told_once_each(bench: Bench) -> None:
    e, hidden = made_expected(2, bench, weakest=9.0), replace(QUIET, cell_n=0.1)
    cold, *_ = heard(e, bench, hidden, 2, Mishap("cold", 100))
    assert [a.kind for a in cold] == ["warmth"] and "°C" in alarm_text(cold[0], e, bench)
    torn, *_ = heard(e, bench, hidden, 2, Mishap("film", 200))
    assert sorted({a.kind for a in torn}) in (["harder", "level"], ["harder"], ["level"]) and len(torn) == len(
        {a.kind for a in torn}
    )
    harder = next((a for a in torn if a.kind == "harder"), None)
    assert harder is None or (harder.since >= 195 and harder.figure > 1.3 and "×" in alarm_text(harder, e, bench))


def test_a_weaker_film_is_no_lost_part(bench: Bench) -> None:
    """Everything pulls a fifth less than expected from the first layer on: that is learnt, and nothing is told."""
    e = made_expected(3, bench, weakest=6.0)
    alarms, _, watch = heard(e, bench, replace(QUIET, line=0.8, viscous=0.8, cell_n=0.1), 3)
    assert alarms == [] and watch.fitted_n[300] == pytest.approx(0.8 * e.pull_n[300], rel=0.05)


# from a prediction


@pytest.fixture(scope="module")
def demo_prediction() -> Prediction:
    return predict(open_job(job_path()), Stages(), fine(0.4))


def test_what_is_expected_of_a_job_adds_up_to_its_prediction(demo_prediction: Prediction) -> None:
    e, loads = expected_of(demo_prediction), demo_prediction.loads
    np.testing.assert_allclose(e.pull_n, loads.pull_n, rtol=1e-9, atol=1e-9)
    np.testing.assert_allclose(e.own_pull_n.sum(axis=0), loads.own_pull_n, atol=0.05)
    np.testing.assert_allclose(e.seconds, loads.seconds)
    assert e.resin_ml == pytest.approx(demo_prediction.verdict.totals.resin_ml)
    assert e.grown_ml[-1] == pytest.approx(e.solid_ml, rel=1e-6)
    assert e.weakest == pytest.approx(demo_prediction.verdict.hold_margin, rel=1e-6)
    for tip, record in enumerate(demo_prediction.verdict.tips):
        assert e.tip_print[tip] == record.part
        assert e.tip_holds_n[tip] / max(e.tip_cause_n[tip].sum(), 1e-9) == pytest.approx(record.margin, rel=1e-6)
        assert 1 / max(e.tip_so_far[-1, tip], 1e-9) == pytest.approx(record.margin, rel=1e-6)


# the record


def told_of(margin: float | None, seconds: float = 100.0, peak: float = 10.0) -> Told:
    low = None if margin is None else margin / 1.3
    return Told(500, seconds, 0.95 * seconds, 1.2 * seconds, 20.0, peak, margin, low, None, None, lit_s=1800.0, bath_g=2.5)


def past(number: int, margin: float | None, fate: str, **values: object) -> Entry:
    made = Entry(f"{number}", datetime(2026, 1, 1) + timedelta(days=number), "J", "P", "F", "R", told_of(margin), ended="done",
                 seconds=110.0, layers=500, parts=(PartOutcome(0, "A", fate),))  # type: ignore[arg-type]  # fmt: skip
    return replace(made, **values)


def test_how_good_we_were_by_hand() -> None:
    prints = [past(n, 1.1, "lost" if n < 3 else "good") for n in range(4)] + [past(9, 2.5, "good"), past(10, None, "good")]
    of = accuracy_of([*prints, past(11, 1.1, "not looked at"), past(12, 1.1, "good", ended="power cut")])
    assert (of.prints, of.looked_at, of.lost) == (8, 6, 3)
    assert [(s.low, s.high, s.prints, s.lost) for s in of.steps] == [(1.0, 1.2, 4, 3), (2.0, 3.0, 1, 0)]
    sd = np.hypot(np.log1p(0.3) / 2, 0.15)
    chances = [float(ndtr(-np.log(m) / sd)) for m in (1.1, 1.1, 1.1, 1.1, 2.5)]
    assert of.steps[0].expected == pytest.approx(4 * chances[0])
    happened = [1, 1, 1, 0, 0]
    assert of.brier == pytest.approx(np.mean([(c - h) ** 2 for c, h in zip(chances, happened, strict=True)]))
    assert of.brier_blind == pytest.approx(0.6 * 0.4)
    assert of.time is not None and of.time.median == pytest.approx(1.1) and of.time.within == of.time.ranged == 7
    assert chance_of_letting_go(1.0, 0.3) == pytest.approx(0.5) and of.resin is None


def test_like_prints_come_nearest_first_and_tallies_count(bench: Bench) -> None:
    mine = {"printer": bench.printer.name, "resin": bench.resin.name, "film": bench.film.name}
    prints = [past(1, 1.3, "lost", **mine), past(2, 2.6, "good", **mine), past(3, 1.3, "good"), past(4, 1.25, "good", **mine)]
    assert [a.entry.id for a in alike(prints, told_of(1.3), bench)] == ["1", "4", "2", "3"]
    counted = tally(prints, bench.resin.name, 1.3)
    assert counted is not None and (counted.under, counted.prints, counted.lost) == (1.4, 2, 1)
    assert counted.text == f"1 of 2 prints of {bench.resin.name} with a weakest tip under ×1.4 lost something"
    assert tally(prints, "Unknown", 1.3) is None and tally(prints, bench.resin.name, 5.0) is None


def test_what_to_change_next_time_follows_the_cause(bench: Bench) -> None:
    changes = {c: [n.key for n in next_time(past(1, 1.2, "lost", cause=c), bench)] for c in ("tips", "plate", "power", "")}
    assert changes["tips"] == ["supports.wanted_margin", "print.lift_mm_per_min", "print.exposure_s"]
    assert changes["plate"] == ["print.first_exposure_s"] and changes["power"] == changes[""] == []
    cold = next_time(past(1, 1.2, "lost", cause="cold", vat_c=17.5), bench)
    assert [(c.key, c.value) for c in cold] == [("print.vat_c", 17.5)]


def test_marks_are_counted_by_how_supports_came_off() -> None:
    cured = tuple(Scars("after the cure", "pulled", mm, kind, n) for mm, kind, n in ((0.4, "crater", 3), (0.3, "clean", 9)))
    soft = tuple(Scars("before the wash", "snipped", 0.4, kind, n) for kind, n in (("bump", 1), ("clean", 19)))
    part, other = (PartOutcome(0, "A", "good", None, (), scars) for scars in (cured, soft))
    first, second = scar_tallies([past(1, 2, "good", parts=(part,)), past(2, 2, "good", parts=(other,))])
    assert (first.stage, first.marks, first.bumps, first.craters) == ("before the wash", 20, 1, 0)
    assert (second.marks, second.craters) == (12, 3) and "3 craters in 12 marks" in second.text


def test_hours_count_from_when_a_thing_was_changed(bench: Bench) -> None:
    prints = [past(n, 2.0, "good", printer="P", seconds=3600.0 * 5, layers=250) for n in range(10)]
    new_film = Service(datetime(2026, 1, 8), "P", "film")
    elsewhere = Service(datetime(2026, 1, 9), "Q", "screen")
    assert behind_of(prints, [new_film, elsewhere], "P") == Behind(15.0, 750, 10 * 0.25, 25.0, 50.0, 10)
    assert behind_of(prints, [], "Q") == Behind()
    worn = dict(behind_lines(Behind(200.0, 1000, 0.0, 0.0, 0.0, 3), bench))
    assert worn["Film"].endswith(": change it.") and "160 % of its life" in worn["Film"]


def test_points_for_a_guess() -> None:
    right = points_of(Guess(1.5, 20.0, 0.0), 1.5, 20.0, 50.0, lost=False)
    assert (right.margin, right.place, right.outcome, right.total) == (40, 20, 40, 100)
    half = points_of(Guess(1.5 * float(np.exp(0.3)), 25.0, 0.5), 1.5, 20.0, 50.0, lost=True)
    assert (half.margin, half.place, half.outcome) == (20, 10, 30)
    assert points_of(Guess(9.0, 0.0, 0.0), None, 0.0, 50.0, lost=False).margin == 40
    assert points_of(Guess(9.0, 0.0, 1.0), 0.5, 50.0, 50.0, lost=False).total < 5


@pytest.mark.parametrize("model", SHELF, ids=lambda m: m.key)
def test_every_model_of_the_shelf_is_a_closed_solid(model) -> None:  # type: ignore[no-untyped-def]
    mesh = model.make().mesh
    assert mesh.watertight and mesh.volume_mm3 > 500 and max(mesh.extents_mm) < 130


def test_an_interval_of_a_factor_is_a_factor() -> None:
    of = Estimate("film.line_adhesion_n_per_mm", 0.02, 0.1, 0.018, 0.02, 5)
    assert of.low == pytest.approx(0.018 * np.exp(-0.0329)) and of.is_told and of.range_share == pytest.approx(np.expm1(0.04))
    assert (
        not replace(of, prints=0).is_told and not replace(of, sd=0.09).is_told and replace(of, sd=0.09, together=True).is_of_use
    )


def test_learning_again_after_taking_it_over_learns_the_same_and_no_more_surely(bench: Bench, tmp_path: Path) -> None:
    """What was taken over is not what was thought before: the same prints would count twice."""
    book = Logbook(tmp_path / "log.sqlite")
    for shown in season(bench, TRUE, 5):
        m, entry = shown.measured, shown.entry
        assert m is not None
        book.begin(entry, shown.expected, bench)
        columns = (m.at_s, m.seconds, m.pull_n, m.vat_g, m.vat_c)
        book.add_samples(entry.id, [Sample(int(k), *(float(v[n]) for v in columns)) for n, k in enumerate(m.layer)])
        book.finish(entry.id, lambda e, entry=entry: entry)  # type: ignore[misc]
    first, now = learn(book, bench), bench
    for _ in range(3):
        taken = learnt_bench(now, learn(book, now))
        book.take_fit(TakenFit(0, utc_now(), first.group, first.prints, changed_values(now, taken)))
        now = taken
    assert now.ranges.line_adhesion < bench.ranges.line_adhesion and now.film != bench.film
    again = learn(book, now)
    for was, is_ in zip(first.estimates, again.estimates, strict=True):
        assert is_.value == pytest.approx(was.value, rel=1e-3) and is_.sd == pytest.approx(was.sd, rel=1e-2), was.key
    assert unlearnt(now, book.fits()).film == bench.film and unlearnt(now, book.fits()).ranges == bench.ranges
    assert unlearnt(now, []).film.line_adhesion_n_per_mm == bench.film.line_adhesion_n_per_mm  # the standard one's


def test_a_plate_that_everything_came_off_grips_less_though_nobody_knows_at_which_layer(bench: Bench) -> None:
    shown, _ = played(made_expected(3, bench, layers=200, weakest=9.0), bench, QUIET, 3)
    parts = tuple(PartOutcome(p.number, p.name, "lost") for p in shown.entry.parts)
    off = replace(shown, entry=replace(shown.entry, parts=parts, cause="plate"))
    assert off.entry.failed and off.entry.off_plate is None
    held, came_off = fit_of([shown], bench).plate, fit_of([off], bench).plate
    assert came_off.value < came_off.was < held.value * 1.001
