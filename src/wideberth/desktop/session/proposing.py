"""Proposals: computed off the interface thread, taken over as one change each; undo refuses them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from wideberth.core.job import Job, Part
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress
from wideberth.core.propose import Proposal, propose_all
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.session.tasks import Tasks


@dataclass(frozen=True, eq=False)
class _Reason:
    """Why a proposal was made; of which part, "" for the whole job; the job that came of it."""

    step: str
    part: str
    why: str
    job: Job


class Proposing(QObject):
    """Signals: proposed (a step has another reason to tell).

    made : the last proposal of a step, with its other candidates, by the step.
    """

    proposed = Signal()

    def __init__(self, document: Document, tasks: Tasks, messages: Messages, stages: Stages) -> None:
        super().__init__()
        self._document, self._tasks, self._messages, self._stages = document, tasks, messages, stages
        self._reasons: list[_Reason] = []
        self.made: dict[str, Proposal] = {}
        document.replaced.connect(self._forget)

    def _forget(self) -> None:
        """What was proposed is of another job."""
        self._reasons.clear()
        self.made.clear()
        self.proposed.emit()

    def why(self, step: str, part: Part | None) -> str:
        """Why the last proposal of a step for a part, or for the whole job, was made that was not undone; "" without one."""
        of = ("",) if part is None else ("", part.id)
        told = (r.why for r in reversed(self._reasons) if r.step == step and r.part in of and self._document.came_by(r.job))
        return next(told, "")

    def _tell(self, proposals: list[Proposal], before: Job) -> None:
        """Keep the reasons of proposals that the present job came of."""
        job = self._document.job
        self._reasons = [r for r in self._reasons if self._document.holds(r.job)]
        self._reasons += [_Reason(p.step, p.part or _only_changed(before, p.job), p.why, job) for p in proposals]
        self.proposed.emit()

    def propose(self, phrase: str, make: Callable[[Progress], Proposal]) -> None:
        """Compute a proposal and take it over."""

        def done(proposal: Proposal) -> None:
            before = self._document.job
            self.made[proposal.step] = proposal
            if proposal.needed:
                self._document.change(proposal.label, proposal.job)
            self._messages.say(f"{proposal.step}: {proposal.why}")
            self._tell([proposal], before)

        self._tasks.act(phrase, make, done)

    def weigh(self, phrase: str, make: Callable[[Progress], Proposal]) -> None:
        """Compute a proposal only to tell what its candidates come to; nothing is taken over."""

        def done(proposal: Proposal) -> None:
            self.made[proposal.step] = proposal
            self._messages.say(f"{proposal.step}: best is {proposal.best.name}, {proposal.why}")
            self.proposed.emit()

        self._tasks.act(phrase, make, done)

    def propose_everything(self) -> None:
        """The whole chain for all parts, as one change."""
        job = self._document.job

        def done(result: tuple[Job, list[Proposal]]) -> None:
            together, taken = result
            self._document.change("propose everything", together)
            self._tell(taken, job)
            if taken[0].unsolved:
                self._messages.warn(taken[0].why)

        self._tasks.act("proposing", lambda p: propose_all(job, self._stages, p), done)


def _only_changed(before: Job, after: Job) -> str:
    """Id of the one part that differs between two jobs; "" where there are more or none."""
    own = {part.id: part for part in before.parts}
    changed = [part.id for part in after.parts if own.get(part.id) is not part]
    return changed[0] if len(changed) == 1 else ""
