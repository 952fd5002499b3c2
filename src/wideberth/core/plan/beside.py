"""A job's price beside that of its variants, and of the same job on other printers."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import NamedTuple

from wideberth.core.bench import load_named, names_of
from wideberth.core.errors import WideBerthError
from wideberth.core.job import Job
from wideberth.core.plan.quote import Quote, quote_of
from wideberth.core.plan.runs import predicted_runs
from wideberth.core.plan.usage import usage_of
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose import propose_plates
from wideberth.core.verdict import Code

NO_ROOM = {Code.OFF_PLATE, Code.TOO_TALL}
NOW = "as it is now"


@dataclass(frozen=True)
class Beside:
    """One way to make a job: a state of it, on a printer.

    hold : least margin of tips and plate; None where nothing was asked to hold. why_not : why it cannot be made so, "" where it
    can; then there is no quote.
    """

    name: str
    printer: str
    quote: Quote | None
    hours: float
    resin_ml: float
    hold: float | None
    why_not: str = ""


def beside(job: Job, stages: Stages, count: int = 1, coarse: bool = True, progress: Progress | None = None) -> tuple[Beside, ...]:
    """The job as it is, each of its variants, and the job on every other printer of the bench; each predicted anew.

    On another printer prints that would reach over the plate are arranged anew, on as many plates as they take.

    Parameters
    ----------
    count : of sets. coarse : see `predicted_runs`.

    Raises
    ------
    BadJob : when nothing stands on any plate of the job as it is. Cancelled : when the progress is cancelled.
    """
    states = list(_states(job))
    shares = (progress or quiet()).evenly(len(states))
    return tuple(_made(state, stages, count, coarse, share) for state, share in zip(states, shares, strict=True))


class _State(NamedTuple):
    """A job as it would be printed; `elsewhere` : on a printer that it was not arranged for."""

    name: str
    job: Job
    elsewhere: bool = False


def _states(job: Job) -> Iterator[_State]:
    yield _State(NOW, job)
    for v in job.variants:
        yield _State(v.name, replace(job, bench=v.bench, parts=v.parts, plates=v.plates))
    for name in names_of("printer"):
        printer = load_named("printer", name)
        if printer.name != job.bench.printer.name:
            yield _State(NOW, replace(job, bench=job.bench.with_section("printer", printer, name)), True)


def _made(state: _State, stages: Stages, count: int, coarse: bool, progress: Progress) -> Beside:
    name, job, printer = state.name, state.job, state.job.bench.printer.name
    try:
        seen = predicted_runs(job, stages, coarse, progress.part(0.0, 0.5))
        if state.elsewhere and any(f.code is Code.OFF_PLATE for p in seen for f in p.verdict.findings):
            job = propose_plates(job, stages, progress=progress.part(0.5, 0.6)).job
            seen = predicted_runs(job, stages, coarse, progress.part(0.6, 1.0))
            name = "arranged anew" + (f", on {len(seen)} plates" if len(seen) > 1 else "")
    except WideBerthError as error:
        return Beside(name, printer, None, 0.0, 0.0, None, error.what)
    wrong = [f.message for p in seen for f in p.verdict.findings if f.code in NO_ROOM]
    if wrong:
        return Beside(name, printer, None, 0.0, 0.0, None, wrong[0])
    usages, holds = [usage_of(p) for p in seen], [p.verdict.weakest for p in seen if p.verdict.weakest is not None]
    hours, resin = sum(u.hours for u in usages), sum(u.resin_ml for u in usages)
    return Beside(name, printer, quote_of(job.title, job.bench, usages, count), hours, resin, min(holds, default=None))
