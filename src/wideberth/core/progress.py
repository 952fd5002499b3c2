"""Progress of long work, and the wish to stop it. One object serves every call that may last over half a second."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, wait
from typing import TypeVar

from wideberth.core.errors import Cancelled

Made = TypeVar("Made")
LOOK_S = 0.05
"""How often whoever waits for others looks whether it is still to wait."""


class Progress:
    """Reports a fraction and a phrase, and raises `Cancelled` once `cancel()` was called (from any thread).

    Parameters
    ----------
    report : called with (fraction 0..1, phrase); may be left out.

    Examples
    --------
    >>> seen = []
    >>> Progress(lambda f, phrase: seen.append((f, phrase))).part(0.5, 1.0).at(0.5, "posts")
    >>> seen
    [(0.75, 'posts')]
    """

    def __init__(self, report: Callable[[float, str], None] | None = None) -> None:
        self._report = report
        self._cancelled = False
        self._root: Progress = self
        self._from, self._to = 0.0, 1.0

    def cancel(self) -> None:
        """Ask the work to stop at its next report."""
        self._root._cancelled = True

    @property
    def cancelled(self) -> bool:
        return self._root._cancelled

    def at(self, fraction: float, phrase: str) -> None:
        """Report that `fraction` (0..1) of this part of the work is done."""
        if self._root._cancelled:
            raise Cancelled(phrase)
        if self._report is not None:
            self._report(self._from + (self._to - self._from) * fraction, phrase)

    def heed(self) -> None:
        """Stop here if that was asked for; where there is nothing to report."""
        if self._root._cancelled:
            raise Cancelled("")

    def part(self, start: float, stop: float) -> Progress:
        """A progress for the stretch of this one from `start` to `stop` (0..1)."""
        piece = Progress(self._report)
        piece._root = self._root
        span = self._to - self._from
        piece._from, piece._to = self._from + span * start, self._from + span * stop
        return piece

    def unheard(self) -> Progress:
        """A progress of what is done beside this: nobody listens, and it is cancelled with this one."""
        piece = Progress()
        piece._root = self._root
        return piece


def waited(work: Future[Made], progress: Progress) -> Made:
    """What work beside comes to; once it is no longer wanted it is not waited for, and ends at its own next report.

    Raises
    ------
    Cancelled : within `LOOK_S` of the wish.
    """
    while not wait([work], LOOK_S).done:
        progress.heed()
    return work.result()


def quiet() -> Progress:
    """A progress that nobody listens to."""
    return Progress()
