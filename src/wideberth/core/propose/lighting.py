"""The light that supports are proposed for: where no layer sets nothing holds, whatever stands under it, so that no tip could be
sized."""

from __future__ import annotations

from dataclasses import replace

from wideberth.core.bench import Bench, coldest_c, exposure_advice
from wideberth.core.errors import BadBench
from wideberth.core.job import Job

SETS = 1.0
"""Depth of the cure over the layer's height under which layers do not grow together at all."""


def lit(job: Job) -> Job:
    """The job with as much light as is advised where its layers would not set; the job itself elsewhere."""
    advised = exposure_advice(job.bench, coldest_c(job.bench.print))
    if advised.depth_ratio >= SETS:
        return job
    try:
        return replace(job, bench=job.bench.with_value("print.exposure_s", round(advised.advised_s, 1)))
    except BadBench:  # no light that a printer gives sets them
        return job


def in_own_light(of: Job, job: Job) -> Job:
    """What became of a job in more light, with the light that the job has."""
    return replace(of, bench=job.bench)


def counts_on(bench: Bench, own: Bench) -> list[str]:
    """That supports are for other light than a bench's own, where they are."""
    seconds, own_s = bench.print.exposure_s, own.print.exposure_s
    return [f"these are for {seconds:g} s of light: in {own_s:g} s no layer sets, and nothing holds"] if seconds != own_s else []
