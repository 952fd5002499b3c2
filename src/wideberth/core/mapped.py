"""Files that arrays rest in, mapped: what is read of them takes memory until it is let go."""

from __future__ import annotations

import mmap
import threading
from weakref import WeakSet

_maps: WeakSet[mmap.mmap] = WeakSet()
_lock = threading.Lock()


def note(map: mmap.mmap) -> None:
    """Have a map let go with all others, as long as there is anyone who reads it."""
    with _lock:
        _maps.add(map)


def let_go() -> None:
    """Let the system have what was read of all maps; it comes back when it is read again."""
    with _lock:
        for map in _maps:
            map.madvise(mmap.MADV_DONTNEED)
