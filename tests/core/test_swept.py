"""Charts of a job over light, lift and warmth: every point is what a prediction of that very job says."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, turned
from wideberth.core.bench import Bench, cured_depth_mm, exposure_advice
from wideberth.core.errors import Cancelled
from wideberth.core.job import Job, Part, job_of
from wideberth.core.orient import Pose
from wideberth.core.predict import Prediction, Stages, fine, predict, preview, weighed_again
from wideberth.core.progress import Progress
from wideberth.core.propose import AXES, axis_values, propose_support, swept, with_axis


@pytest.fixture(scope="module")
def stages() -> Stages:
    return Stages()


@pytest.fixture(scope="module")
def seen(bench: Bench, stages: Stages) -> Prediction:
    """A slanting slab on proposed tips, coarsely."""
    for key, value in {"print.layer_height_mm": 0.1, "print.exposure_s": 4.0}.items():
        bench = bench.with_value(key, value)
    slab = turned(trimesh.creation.box((14, 10, 4)), 25.0, (1.0, 0.4, 0.0))
    job = job_of("slab", bench, (Part("slab", as_source(as_mesh(slab)), pose=Pose(gap_mm=4.0)),))
    return predict(propose_support(job, ONE, stages).job, stages, preview(bench))


@pytest.mark.parametrize("key", AXES)
def test_every_point_is_what_a_new_prediction_says(seen: Prediction, stages: Stages, key: str) -> None:
    found = swept(seen, key, stages)
    assert len(found.values) >= 12 and (np.diff(found.values) > 0).all() and found.present in found.values
    for at in (0, 5, len(found.values) - 1):
        job = with_axis(seen.job, key, float(found.values[at]))
        anew = predict(job, Stages(), preview(job.bench))
        assert found.hold[at] == pytest.approx(anew.verdict.hold_margin, rel=1e-6)
        assert found.plate[at] == pytest.approx(anew.verdict.plate_margin, rel=1e-6)
        assert found.hours[at] == pytest.approx(anew.loads.seconds.sum() / 3600)
        assert found.effort_n[at] == pytest.approx(anew.verdict.removals[0].effort_n)


def test_more_light_and_warmth_hold_more_and_a_faster_lift_less(seen: Prediction, stages: Stages) -> None:
    """κ makes film pull grow by less than the tips' strength, down to where light hardens nothing more."""
    light, lift, warm = (swept(seen, AXES[i], stages) for i in (0, 2, 3))
    assert (np.diff(light.hold[light.values <= 6]) >= 0).all() and (np.diff(light.hours) > 0).all()
    assert (np.diff(lift.hold) < 0).all() and (np.diff(lift.hours) < 0).all()
    assert (np.diff(warm.hold) > 0).all()


def test_bands_are_what_the_laws_say(seen: Prediction, stages: Stages) -> None:
    bench, house = seen.job.bench, seen.job.bench.house
    advice = exposure_advice(bench, 25.0)
    light = swept(seen, "print.exposure_s", stages)
    assert light.band == pytest.approx((advice.least_s, advice.most_s))
    deep = cured_depth_mm(bench.resin, bench.printer, float(light.values[-1]), 25.0)
    assert light.blur_mm[-1] == pytest.approx(deep - 0.1) and light.blur_mm[0] == 0.0
    first = swept(seen, "print.first_exposure_s", stages)
    assert first.band is not None
    assert np.interp(first.band[0], first.values, first.plate) == pytest.approx(house.margin_note, rel=0.05) or (
        first.plate[0] > house.margin_note
    )
    assert first.growth_mm == pytest.approx(0.05 * np.log(np.maximum(first.values / 4.0, 1.0)))
    assert swept(seen, "print.vat_c", stages).band == (20.0, 35.0)
    lift = swept(seen, "print.lift_mm_per_min", stages)
    if lift.band is not None:
        assert lift.weakest[lift.values <= lift.band[1]].min() >= house.margin_note


@pytest.mark.parametrize("key", AXES)
def test_the_best_holds_as_the_house_wants_in_the_least_hours(seen: Prediction, stages: Stages, key: str) -> None:
    found, wanted = swept(seen, key, stages), seen.job.bench.house.margin_note
    if found.band is None or found.best is None:
        pytest.fail("this job has a sensible stretch of everything")
    inside = (found.values >= found.band[0]) & (found.values <= found.band[1])
    at = int(np.flatnonzero(found.values == found.best)[0])
    assert inside[at]
    held = inside & (found.weakest >= wanted)
    if held.any():
        assert found.weakest[at] >= wanted and found.hours[at] <= 1.02 * found.hours[held].min()
        as_quick = found.values[held & (found.hours <= 1.02 * found.hours[held].min())]
        assert abs(found.best - found.present) == np.abs(as_quick - found.present).min()
    else:
        assert found.weakest[at] == found.weakest[inside].max()


def test_a_drift_goes_along_with_the_vat(seen: Prediction) -> None:
    night = replace(seen.job, bench=seen.job.bench.with_value("print.drift_to_c", 19.0))
    assert with_axis(night, "print.vat_c", 30.0).bench.print.drift_to_c == 24.0
    assert 25.0 in axis_values(night.bench, "print.vat_c")


def test_a_chart_can_be_cancelled_and_tells_how_far_it_is(seen: Prediction, stages: Stages) -> None:
    heard: list[int] = []
    swept(seen, AXES[2], stages, told=heard.append)
    assert heard == list(range(1, len(heard) + 1)) and len(heard) >= 12
    stop = Progress(lambda share, _: stop.cancel() if share > 0.3 else None)
    with pytest.raises(Cancelled):
        swept(seen, AXES[0], stages, stop)


CHANGES = [
    ("print.first_layers", 2), ("print.first_lift_mm_per_min", 20.0), ("resin.green_beta", 2.0), ("film.follow_share", 0.2),
    ("laws.rate_power", 0.4), ("print.resin_depth_mm", 2.0), ("print.layer_height_mm", 0.2), ("printer.pixels_x", 2000),
]  # fmt: skip


@pytest.mark.parametrize(("key", "value"), CHANGES)
def test_weighing_again_is_predicting_again(seen: Prediction, stages: Stages, key: str, value: float) -> None:
    job: Job = replace(seen.job, bench=seen.job.bench.with_value(key, value))
    again, anew = weighed_again(seen, job, stages), predict(job, Stages(), seen.fineness)
    assert np.array_equal(again.loads.tip_load_n, anew.loads.tip_load_n)
    assert again.verdict.hold_margin == anew.verdict.hold_margin and again.verdict.findings == anew.verdict.findings
    assert again.verdict.totals == anew.verdict.totals


def test_a_fine_prediction_weighed_again_sags_as_a_new_one(seen: Prediction, stages: Stages) -> None:
    whole = predict(seen.job, stages, fine(0.2))
    slow = replace(seen.job, bench=seen.job.bench.with_value("print.lift_mm_per_min", 30.0))
    again, anew = weighed_again(whole, slow, stages), predict(slow, Stages(), fine(0.2))
    assert again.verdict.findings == anew.verdict.findings and np.array_equal(again.sag.sag_mm, anew.sag.sag_mm)
