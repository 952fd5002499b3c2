"""Supports where the light sets no layer: for as much light as is advised, told so, and the bench stays as it was."""

from __future__ import annotations

from dataclasses import replace

import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, turned
from wideberth.core.bench import Bench, exposure_advice
from wideberth.core.job import Job, job_of, taken_in
from wideberth.core.predict import Stages, predict
from wideberth.core.propose import propose_all, propose_support, propose_thicker
from wideberth.core.propose.lighting import lit


@pytest.fixture(scope="module")
def wedge(bench: Bench) -> Job:
    """A leaning slab, on layers of 0.1 mm, in light that cures half a layer."""
    bench = bench.with_value("print.layer_height_mm", 0.1)
    slab = as_source(as_mesh(turned(trimesh.creation.box((20, 12, 5)), 35, (1, 0.4, 0))))
    job = job_of("Slab", bench, (taken_in(slab),))
    advised = exposure_advice(bench, bench.print.vat_c)
    dim = next(s / 10 for s in range(1, 300) if exposure_advice(bench, bench.print.vat_c, s / 10).depth_ratio > 0.5)
    assert dim < advised.least_s
    return replace(job, bench=bench.with_value("print.exposure_s", dim))


@pytest.mark.prove
def test_supports_are_those_of_the_light_that_is_advised(wedge: Job) -> None:
    bright = lit(wedge)
    advised = exposure_advice(wedge.bench, wedge.bench.print.vat_c).advised_s
    assert bright.bench.print.exposure_s == pytest.approx(advised, abs=0.051)
    proposed, there = propose_support(wedge, ONE, Stages()), propose_support(bright, ONE, Stages())
    assert proposed.job.bench == wedge.bench
    assert proposed.job.part(ONE).supports == there.job.part(ONE).supports
    assert (
        f"for {bright.bench.print.exposure_s:g} s of light: in {wedge.bench.print.exposure_s:g} s no layer sets" in proposed.why
    )
    assert "of light" not in there.why and "turn the part" not in proposed.why

    def margin(job: Job) -> float | None:
        return predict(job, Stages()).verdict.hold_margin

    assert margin(proposed.job) == 0.0
    bright_margin = margin(replace(proposed.job, bench=bright.bench))
    assert bright_margin is not None and bright_margin >= wedge.bench.supports.wanted_margin


@pytest.mark.prove
def test_no_tip_grows_for_what_does_not_set(wedge: Job) -> None:
    supported = propose_support(wedge, ONE, Stages()).job
    grown = propose_thicker(supported, Stages())
    assert grown.job == supported and not grown.needed


@pytest.mark.prove
def test_all_is_proposed_and_what_is_lost_is_said(wedge: Job) -> None:
    job, taken = propose_all(wedge, Stages())
    assert job.bench == wedge.bench
    assert taken[0].unsolved and "to bond" in taken[0].why
    sizes = [c.diameter_mm for part in job.parts for c in part.supports.contacts]
    assert sizes and min(sizes) < job.bench.supports.largest_tip_mm


def test_light_that_sets_layers_is_left_as_it_is(wedge: Job) -> None:
    bench = wedge.bench
    least = next(s / 10 for s in range(1, 300) if exposure_advice(bench, bench.print.vat_c, s / 10).depth_ratio >= 1)
    for seconds in (least, 2 * least):
        job = replace(wedge, bench=bench.with_value("print.exposure_s", seconds))
        assert lit(job) is job
    cooler = bench.with_value("print.exposure_s", least).with_value("print.drift_to_c", bench.print.vat_c - 8)
    assert lit(replace(wedge, bench=cooler)).bench.print.exposure_s > least  # the coldest hour counts
