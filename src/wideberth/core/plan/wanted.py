"""A predicted plate as a run that is to be placed in a week."""

from __future__ import annotations

from wideberth.core.plan.clock import run_of
from wideberth.core.plan.week import Wanted
from wideberth.core.predict import Prediction


def wanted_of(prediction: Prediction) -> Wanted:
    """A run on its bench's own printer, by the names of its job and, where that has several, its plate."""
    job = prediction.job
    name = job.title if len(job.plates) == 1 else f"{job.title}, {job.plate(prediction.plate).name}"
    return Wanted(name, run_of(prediction), job.bench.resin.name, (job.bench.printer.name,))
