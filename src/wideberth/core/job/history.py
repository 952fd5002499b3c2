"""Undo and redo: a list of recipes with labels."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.job.job import Job

LONGEST = 300


@dataclass(frozen=True)
class History:
    """States of a job, oldest first; `at` is the present one. Immutable: every move makes a new history."""

    states: tuple[tuple[str, Job], ...]
    at: int = 0

    @classmethod
    def begin(cls, job: Job, label: str = "open") -> History:
        return cls(((label, job),))

    @property
    def present(self) -> Job:
        return self.states[self.at][1]

    def then(self, label: str, job: Job) -> History:
        """A change; what had been undone is forgotten."""
        states = (*self.states[: self.at + 1], (label, job))[-LONGEST:]
        return History(states, len(states) - 1)

    @property
    def undo_label(self) -> str | None:
        """Name of the change that undo would take back."""
        return self.states[self.at][0] if self.at > 0 else None

    @property
    def redo_label(self) -> str | None:
        return self.states[self.at + 1][0] if self.at + 1 < len(self.states) else None

    def undo(self) -> History:
        return History(self.states, max(0, self.at - 1))

    def redo(self) -> History:
        return History(self.states, min(len(self.states) - 1, self.at + 1))
