"""Results kept by how lately they were asked for, as many as fit into so many bytes."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable, Iterable, Iterator
from typing import Any

import numpy as np

RECOUNT_SHARE = 0.2
"""What is kept is counted anew whenever this share of the room was added: what was kept may have grown since."""
LEFT_FREE = 0.1
"""Share of the room that is free once something was forgotten, so that not every result makes another count."""
SMALL_BYTES = 64
SIMPLE = (str, bytes, int, float, bool, complex, type(None), np.generic)


class Kept:
    """A mapping from keys to results that forgets the longest unused ones beyond its room.

    Parameters
    ----------
    room_bytes : of arrays and small objects in all results and keys together; what several results share counts once.

    Notes
    -----
    Results are walked through, since arrays hide in fields, tuples and what was computed later and kept in an object. The
    newest keep their room; of the older ones those go that do not fit any more with all that is newer.
    """

    def __init__(self, room_bytes: int) -> None:
        self.room_bytes = room_bytes
        self._results: OrderedDict[Hashable, Any] = OrderedDict()
        self._counted = self._added = 0

    def __contains__(self, key: Hashable) -> bool:
        return key in self._results

    def __iter__(self) -> Iterator[Hashable]:
        return iter(self._results)

    def __len__(self) -> int:
        return len(self._results)

    def __getitem__(self, key: Hashable) -> Any:
        self._results.move_to_end(key)
        return self._results[key]

    def __setitem__(self, key: Hashable, result: Any) -> None:
        self._results[key] = result
        self._results.move_to_end(key)
        self._added += size_of(result, set())
        if self._added > RECOUNT_SHARE * self.room_bytes or self._counted + self._added > self.room_bytes:
            self.tidy()

    def update(self, results: Iterable[tuple[Hashable, Any]]) -> None:
        """Keep many at once."""
        self._results.update(results)
        self.tidy()

    def __delitem__(self, key: Hashable) -> None:
        del self._results[key]

    def items(self) -> list[tuple[Hashable, Any]]:
        return list(self._results.items())

    def tidy(self) -> int:
        """Forget what does not fit; returns the bytes that are kept."""
        total, over = self._counted_to(self.room_bytes)
        if over:
            total, over = self._counted_to((1 - LEFT_FREE) * self.room_bytes)
            for key in over:
                del self._results[key]
        self._counted, self._added = total, 0
        return total

    def _counted_to(self, room_bytes: float) -> tuple[int, list[Hashable]]:
        """Bytes of what fits, the newest in any case, and what does not; its arrays are counted where something newer shares
        them."""
        seen: set[int] = set()
        total, over = 0, []
        for number, key in enumerate(reversed(self._results)):
            more = self._bytes(key, seen)
            if total + more > room_bytes and number:
                over.append(key)
            else:
                total += more
        return total, over

    def _bytes(self, key: Hashable, seen: set[int]) -> int:
        """Of a result and of what its key holds on to."""
        return size_of(key, seen) + size_of(self._results[key], seen)


def size_of(value: Any, seen: set[int]) -> int:
    """Bytes of a value and all that it holds, but for what was seen before; what is met is added to `seen`."""
    total, todo = 0, [value]
    while todo:
        one = todo.pop()
        if isinstance(one, SIMPLE) or callable(one):
            continue
        if isinstance(one, np.ndarray):
            owner = one
            while isinstance(owner.base, np.ndarray):
                owner = owner.base
            if id(owner) not in seen:
                seen.add(id(owner))
                total += owner.nbytes
            continue
        if id(one) in seen:
            continue
        seen.add(id(one))
        total += SMALL_BYTES
        if isinstance(one, dict):
            todo += [*one.keys(), *one.values()]
        elif isinstance(one, (list, tuple, set, frozenset)):
            todo += one
        elif hasattr(one, "__dict__"):
            todo += one.__dict__.values()
    return total
