"""Mapped files, of arrays that rest in them and of libraries that compile: what is read takes memory until it is let go."""

from __future__ import annotations

import ctypes
import mmap
import re
import threading
from pathlib import Path
from weakref import WeakSet

MAPS = Path("/proc/self/maps")
COMPILES = re.compile(r"^([0-9a-f]+)-([0-9a-f]+) r-xp .*/lib(?:llvmlite|LLVM)[^/]*$", re.MULTILINE)
"""Code of libraries that compile, or load what was compiled: a tenth of a gigabyte is read of it at the start, and little later.
Nobody writes to it, so that it can be read again."""

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
        advise = ctypes.CDLL(None).madvise
        for begin, end in code_that_compiles():
            advise(ctypes.c_void_p(begin), ctypes.c_size_t(end - begin), mmap.MADV_DONTNEED)


def code_that_compiles() -> list[tuple[int, int]]:
    """Where the code of libraries that compile begins and ends in memory; none where the system does not tell."""
    try:
        return [(int(begin, 16), int(end, 16)) for begin, end in COMPILES.findall(MAPS.read_text(errors="replace"))]
    except OSError:
        return []
