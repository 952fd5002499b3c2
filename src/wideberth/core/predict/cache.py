"""The cache of the stages: results under the stage and its input, the most recently used ones kept, as many as fit."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

from wideberth.core.predict.disk import NOTHING, SLOW, Disk
from wideberth.core.predict.kept import Kept
from wideberth.core.predict.resting import Rest, give_memory_back
from wideberth.core.progress import Progress, quiet

Input = TypeVar("Input", bound=Hashable)
Result = TypeVar("Result")
Watched = tuple[tuple[tuple[str, Any], Any], ...]
"""Results under their stage and input."""
ROOM_BYTES = 600_000_000
"""For all results together: some five hollow parts on supports. What the shown prediction holds is among it."""


class Cache:
    """Results of stages. Safe to use from several threads; equal work is done once.

    A stage is a pure function of one frozen dataclass and a progress; its key is that dataclass.
    """

    def __init__(self, room_bytes: int = ROOM_BYTES, disk: Disk | None = None) -> None:
        self._disk = disk
        self._watched: list[tuple[str, Any]] | None = None
        self._kept = Kept(room_bytes)
        self._rest = Rest()
        self._lock = threading.Lock()
        self._busy: dict[Hashable, threading.Lock] = {}
        self.computed: list[str] = []
        """Names of the stages that were carried out so far, in order."""

    def run(self, stage: Callable[[Input, Progress], Result], of: Input, progress: Progress | None = None) -> Result:
        """The result of a stage for an input, made if it is not remembered.

        Raises
        ------
        Cancelled : when the progress is cancelled, and whatever the stage raises; nothing is remembered then.
        """
        key = (stage.__name__, of)
        with self._lock:
            if self._watched is not None:
                self._watched.append(key)
            if key in self._kept:
                return self._kept[key]
            busy = self._busy.setdefault(key, threading.Lock())
        with busy:
            with self._lock:
                if key in self._kept:
                    return self._kept[key]
            slow = stage.__name__ in SLOW and self._disk is not None
            result: Any = self._disk.find(stage.__name__, of) if slow and self._disk is not None else NOTHING
            fresh = result is NOTHING
            if fresh:
                result = stage(of, progress or quiet())
            with self._lock:
                if fresh:
                    self.computed.append(stage.__name__)
                self._kept[key] = result
                self._busy.pop(key, None)
            if fresh and slow and self._disk is not None:
                self._disk.keep(stage.__name__, of, result)
        return result

    def at_hand(self, stage: Callable[[Input, Progress], Result], of: Input) -> Result:
        """The result of a stage for an input if it is remembered; nothing is computed or waited for.

        Raises
        ------
        LookupError : when it is not.
        """
        with self._lock:
            key = (stage.__name__, of)
            if key not in self._kept:
                raise LookupError(stage.__name__)
            return self._kept[key]

    def watch(self) -> None:
        """Begin to note which results are asked for."""
        with self._lock:
            self._watched = []

    def watched(self) -> Watched:
        """What was asked for since `watch`, and stop noting."""
        with self._lock:
            noted, self._watched = self._watched or [], None
            return tuple((key, self._kept[key]) for key in dict.fromkeys(noted) if key in self._kept)

    def take_over(self, watched: Watched) -> None:
        """Remember what was watched in another session."""
        with self._lock:
            self._kept.update(watched)

    def lay_to_rest(self, *also: object) -> int:
        """Lay the large arrays of all that is remembered, and of some other results, into a file (see `Rest`), and let
        the system have all memory that was freed; returns bytes."""
        with self._lock:
            kept = self._kept.items()
        return self.lay_aside(*kept, *also, or_free=True)

    def lay_aside(self, *results: object, or_free: bool = False) -> int:
        """Lay the large arrays of some results into a file (see `Rest`), and let the system have all memory that was freed,
        or_free : even where nothing was worth it; returns bytes."""
        laid = self._rest.lay(results)
        if laid or or_free:
            give_memory_back()
        return laid

    def run_latest(self, stage: Callable[[Input, Progress], Result], of: Input, progress: Progress | None = None) -> Result:
        """As `run`, for what is large: only the newest result of such a stage is remembered."""
        result = self.run(stage, of, progress)
        with self._lock:
            for key in [key for key in self._kept if key[0] == stage.__name__ and key[1] != of]:  # type: ignore[index]
                del self._kept[key]
        return result
