"""Proposals: computed off the interface thread, taken over as one change each; undo refuses them."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from wideberth.core.job import Job
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress
from wideberth.core.propose import Proposal, propose_all
from wideberth.desktop.session.document import Document
from wideberth.desktop.session.messages import Messages
from wideberth.desktop.session.tasks import Tasks


class Proposing(QObject):
    """Signals: proposed (a step has another reason to tell).

    reasons : why the last proposal of a step was made, by the step; made : that proposal, with its other candidates.
    """

    proposed = Signal()

    def __init__(self, document: Document, tasks: Tasks, messages: Messages, stages: Stages) -> None:
        super().__init__()
        self._document, self._tasks, self._messages, self._stages = document, tasks, messages, stages
        self.reasons: dict[str, str] = {}
        self.made: dict[str, Proposal] = {}
        document.replaced.connect(self._forget)

    def _forget(self) -> None:
        """What was proposed is of another job."""
        self.reasons.clear()
        self.made.clear()
        self.proposed.emit()

    def propose(self, phrase: str, make: Callable[[Progress], Proposal]) -> None:
        """Compute a proposal and take it over."""

        def done(proposal: Proposal) -> None:
            self.reasons[proposal.step] = proposal.why
            self.made[proposal.step] = proposal
            if proposal.needed:
                self._document.change(proposal.label, proposal.job)
            self._messages.say(f"{proposal.step}: {proposal.why}")
            self.proposed.emit()

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
            for proposal in taken:
                self.reasons[proposal.step] = proposal.why
            self._document.change("propose everything", together)
            self.proposed.emit()
            if taken[0].unsolved:
                self._messages.warn(taken[0].why)

        self._tasks.act("proposing", lambda p: propose_all(job, self._stages, p), done)
