"""A proposal: what a step would do, as candidates side by side, each with measures, a reason, and the job if it is taken."""

from __future__ import annotations

import functools
from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Concatenate, ParamSpec

from wideberth.core.job import Job

More = ParamSpec("More")


class State(StrEnum):
    """What became of a candidate."""

    PROPOSED = "proposed"
    ACCEPTED = "accepted"
    PINNED = "pinned"
    REFUSED = "refused"


class Better(StrEnum):
    """Which way a measure is better."""

    LESS = "less"
    MORE = "more"


@dataclass(frozen=True)
class Measure:
    """A named figure with its unit, and which way it is better."""

    name: str
    value: float
    unit: str
    better: Better = Better.LESS


@dataclass(frozen=True)
class Difference:
    """How a measure of a candidate differs from the present state's: by how much, and whether for the better."""

    name: str
    by: float
    unit: str
    gains: bool


def differences(measures: tuple[Measure, ...], now: tuple[Measure, ...]) -> tuple[Difference, ...]:
    """What measures differ in from others of the same names."""
    present = {m.name: m for m in now}
    told = []
    for m in measures:
        if m.name in present and m.value != present[m.name].value:
            by = m.value - present[m.name].value
            told.append(Difference(m.name, by, m.unit, (by < 0) == (m.better is Better.LESS)))
    return tuple(told)


@dataclass(frozen=True)
class Candidate:
    """One way to do a step: a label for undo, the reason with its numbers, the job afterwards, its measures, its state, and what
    it is called beside others."""

    label: str
    why: str
    job: Job
    measures: tuple[Measure, ...] = ()
    state: State = State.PROPOSED
    name: str = ""

    def measure(self, name: str) -> Measure | None:
        """A measure by its name; None where it has none."""
        return next((m for m in self.measures if m.name == name), None)

    def differences(self, now: tuple[Measure, ...]) -> tuple[Difference, ...]:
        """What its measures differ in from others of the same names."""
        return differences(self.measures, now)


@dataclass(frozen=True)
class Proposal:
    """What a step would do.

    candidates : the best first; never empty. now : measures of the present state, where it has them. needed : False when the step
    has nothing to gain; the job of its one candidate is then unchanged. part : id of the part that it is for; "" for the job.
    """

    step: str
    candidates: tuple[Candidate, ...]
    needed: bool = True
    now: tuple[Measure, ...] = ()
    part: str = ""

    @property
    def best(self) -> Candidate:
        return self.candidates[0]

    @property
    def label(self) -> str:
        return self.best.label

    @property
    def why(self) -> str:
        return self.best.why

    @property
    def job(self) -> Job:
        return self.best.job

    @property
    def state(self) -> State:
        return self.best.state

    def in_state(self, state: State) -> Proposal:
        """With its best candidate in another state."""
        return replace(self, candidates=(replace(self.best, state=state), *self.candidates[1:]))

    @property
    def unsolved(self) -> bool:
        """Whether it only says by what the job would still be lost."""
        return self.step == "predict" and self.state is State.REFUSED


def of_part(propose: Callable[Concatenate[Job, str, More], Proposal]) -> Callable[Concatenate[Job, str, More], Proposal]:
    """A proposal for a part, by a job and the part's id, that tells for which."""

    @functools.wraps(propose)
    def made(job: Job, id: str, /, *args: More.args, **more: More.kwargs) -> Proposal:
        return replace(propose(job, id, *args, **more), part=id)

    return made


def only(step: str, label: str, why: str, job: Job, needed: bool = True, state: State = State.PROPOSED) -> Proposal:
    """A proposal of one candidate."""
    return Proposal(step, (Candidate(label, why, job, state=state),), needed)
