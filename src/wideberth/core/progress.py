"""Progress of long work, and the wish to stop it. One object serves every call that may last over half a second."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, wait
from functools import partial
from itertools import pairwise
from threading import Lock
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

    def stretches(self, *ends: float) -> list[Progress]:
        """Progresses of works that follow one another, each up to its end (0..1) from that of the one before.

        What each is likely to take of the whole; one that is remembered takes nothing, and the next begins farther on.
        """
        return [self.part(start, stop) for start, stop in pairwise((0.0, *ends))]

    def evenly(self, count: int) -> list[Progress]:
        """Progresses of so many works that follow one another and take about as long."""
        return self.stretches(*((number + 1) / count for number in range(count)))

    def rounds(self, most: int) -> list[Progress]:
        """Progresses of rounds that follow one another, of which few are usual: each takes half of what is left."""
        return self.stretches(*(1 - 0.5 ** (number + 1) for number in range(most)))

    def side_by_side(self, count: int) -> list[Progress]:
        """Progresses of so many works that go on at once, all as long: what is told is how much of all of them is done."""
        done, one_by_one = [0.0] * count, Lock()

        def report(number: int, fraction: float, phrase: str) -> None:
            with one_by_one:
                done[number] = fraction
                self.at(sum(done) / count, phrase)

        pieces = [Progress(partial(report, number)) for number in range(count)]
        for piece in pieces:
            piece._root = self._root
        return pieces

    def unheard(self) -> Progress:
        """A progress of what is done beside this: nobody listens, and it is cancelled with this one."""
        piece = Progress()
        piece._root = self._root
        return piece


REMEMBERED_SHARE, REMEMBERED_S = 0.04, 0.1
"""Work that gets on by so much in so short a time was done before."""
LEAST_SHARE = 0.02
"""Of the work, before its rest is estimated."""


class TimeLeft:
    """How long work still takes if it goes on as it did; what was done before and is only remembered tells nothing of that."""

    def __init__(self, began_s: float) -> None:
        self._began_s, self._last_s = began_s, began_s
        self._share = self._remembered = 0.0

    def after(self, now_s: float, share: float) -> float | None:
        """How long [s] it takes from now on, `share` (0..1) of it being done; None while too little is."""
        if share - self._share >= REMEMBERED_SHARE and now_s - self._last_s <= REMEMBERED_S:
            self._remembered += share - self._share
        self._share, self._last_s = share, now_s
        worked = share - self._remembered
        return (now_s - self._began_s) * (1 - share) / worked if worked > LEAST_SHARE else None


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
