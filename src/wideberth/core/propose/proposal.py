"""A proposal: what a step would do, why, and the job if it is accepted."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.job import Job

PROPOSED, ACCEPTED, PINNED, REFUSED = "proposed", "accepted", "pinned", "refused"


@dataclass(frozen=True)
class Proposal:
    """What a step would do: the job afterwards, a label for undo, the reason with its numbers, and its state.

    `needed` is False when the step has nothing to gain; the job is then unchanged.
    """

    step: str
    label: str
    why: str
    job: Job
    needed: bool = True
    state: str = PROPOSED

    @property
    def unsolved(self) -> bool:
        """Whether it only says by what the job would still be lost."""
        return self.step == "predict" and self.state == REFUSED
