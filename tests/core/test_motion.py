"""First layers that move in a way of their own, in time, peel, suction, push and findings; a rest that includes the motion."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import printed_of, set_down, weightless
from wideberth.core.bench import Bench, Motion, has_first_motion, load_bench, motion
from wideberth.core.loads import VISCOUS, layer_seconds, loads
from wideberth.core.verdict import Strongest, settings_findings

SLOWER = {"first_lift_mm": 6.0, "first_lift_mm_per_min": 30.0, "first_second_lift_mm": 0.0, "first_return_mm_per_min": 90.0,
          "first_slow_return_mm": 2.0, "first_slow_return_mm_per_min": 40.0, "first_wait_before_s": 4.0,
          "first_wait_after_s": 0.5, "first_wait_lifted_s": 1.5}  # fmt: skip


def with_first(bench: Bench, **values: float) -> Bench:
    return replace(bench, print=replace(bench.print, **values))


def trapezium(mm: float, mm_per_min: float, a: float = 25.0) -> float:
    return mm / (mm_per_min / 60) + (mm_per_min / 60) / a


def test_seconds_of_first_layers_by_hand(bench: Bench) -> None:
    own = with_first(bench, **SLOWER)
    by_hand = trapezium(6, 30) + trapezium(4, 90) + trapezium(2, 40) + 4.0 + 0.5 + 1.5 + 1.2
    seconds, as_before = layer_seconds(np.zeros(40), own), layer_seconds(np.zeros(40), bench)
    assert seconds[:5] == pytest.approx(np.full(5, 30.0 + by_hand))
    assert np.array_equal(seconds[5:], as_before[5:])


@pytest.mark.parametrize("rest_s", [12.0, 17.5, 40.0])
def test_a_rest_from_light_off_leaves_the_wait_that_is_not_moved(bench: Bench, rest_s: float) -> None:
    """Light-off to light-on takes just the rest: the wait is what motion, other waits and overhead leave of it."""
    rested = with_first(bench, rest_s=rest_s, wait_after_s=0.5, wait_lifted_s=1.0)
    moving = trapezium(3, 60) + trapezium(4, 180) + trapezium(5.5, 200) + trapezium(1.5, 80)
    assert motion(rested).wait_before_s == pytest.approx(rest_s - moving - 0.5 - 1.0 - 1.2)
    assert layer_seconds(np.zeros(40), rested)[-1] == pytest.approx(2.5 + rest_s)


def test_a_rest_shorter_than_the_motion_is_told_with_the_least_that_is_not(bench: Bench) -> None:
    hasty = with_first(bench, rest_s=6.0)
    assert motion(hasty).wait_before_s == 0.0
    found = [f for f in settings_findings(hasty, Strongest(12.0, 14.0, "layer 40")) if f.code == "rest_short"]
    assert len(found) == 1 and found[0].change is not None
    key, value = found[0].change
    assert motion(hasty.with_value(key, value)).spare_s >= 0 > motion(hasty.with_value(key, value - 1)).spare_s


def test_first_layers_without_motion_of_their_own_move_as_the_others(bench: Bench) -> None:
    assert not has_first_motion(bench) and motion(bench, first=True) == motion(bench)
    assert not has_first_motion(with_first(bench, first_layers=0, **SLOWER))
    rested = with_first(bench, rest_s=20.0)
    assert motion(rested, first=True) == motion(rested)
    own_wait = motion(with_first(rested, first_wait_before_s=9.0), first=True)
    assert own_wait.wait_before_s == 9.0  # a wait of their own takes the place of the others' rest


def test_only_the_first_layers_peel_at_their_own_speed(bench: Bench) -> None:
    """Viscous pull, and with it the push of the return, by the power n of the speed; the layers above are as they were."""
    printed = printed_of(set_down(trimesh.creation.box([12.0, 9.0, 4.0])))
    slow, usual = with_first(bench, first_lift_mm_per_min=20.0), bench
    there, before = (loads(printed, weightless(b)) for b in (slow, usual))
    first = bench.print.first_layers
    assert np.array_equal(there.peel_n[first:], before.peel_n[first:])
    line = bench.film.line_adhesion_n_per_mm * 2 * (12 + 9) * (1 + 0.25 * np.log(12))  # 120 of 10 mJ/cm²
    assert before.peel_n[0] - there.peel_n[0] == pytest.approx((before.peel_n[0] - line) * (1 - (20 / 60) ** 0.6), rel=0.02)
    assert there.plate_margin[0] > before.plate_margin[0]
    assert there.plate_cause_n_per_mm2[0, VISCOUS] == pytest.approx(
        (20 / 60) ** 0.6 * before.plate_cause_n_per_mm2[0, VISCOUS], rel=1e-6
    )


def test_lift_and_speeds_of_first_layers_are_read_over_too(bench: Bench) -> None:
    small = Strongest(12.0, 14.0, "layer 40")
    large = Strongest(60.0, 14.0, "layer 2")
    own = with_first(bench, first_lift_mm=2.0, first_second_lift_mm=1.0, first_return_mm_per_min=500.0)
    found = {f.code: f for f in settings_findings(own, small, first=large)}
    assert set(found) == {"lift_short", "too_fast"}
    assert "first layers' lift of 3 mm" in found["lift_short"].message and found["lift_short"].change is not None
    assert found["lift_short"].change[0] == "print.first_lift_mm"
    cured = own.with_value(*found["lift_short"].change).with_value("print.first_return_mm_per_min", 300.0)
    assert settings_findings(cured, small, first=large) == []


def test_the_manifest_gives_both_motions_as_they_are_carried_out(bench: Bench) -> None:
    from wideberth.core.handover.layers import _moves

    rested = with_first(bench, rest_s=20.0, **SLOWER)
    told = json.loads(json.dumps([_moves(motion(rested, first)) for first in (True, False)]))
    assert told[0]["lift_mm"] == 6.0 and told[0]["wait_before_s"] == 4.0 and told[1]["lift_mm"] == 3.0
    as_told = Motion(
        **{("wait_entered_s" if k == "wait_before_s" else k): v for k, v in told[1].items()},
        rest_s=None,
        acceleration_mm_per_s2=25.0,
        motion_factor=1.0,
        overhead_s=1.2,
    )
    assert as_told.seconds == pytest.approx(20.0, abs=0.002)


def test_no_shipped_bench_moves_its_first_layers_by_chance() -> None:
    assert not has_first_motion(load_bench())
