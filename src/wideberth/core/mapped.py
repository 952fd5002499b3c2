"""Mapped files, of arrays that rest in them and of libraries that compile: what is read takes memory until it is let go."""

from __future__ import annotations

import ctypes
import mmap
import os
import re
import threading
import time
from functools import lru_cache
from pathlib import Path
from weakref import WeakSet

MAPS = Path("/proc/self/maps")
COMPILES = re.compile(r"^([0-9a-f]+)-([0-9a-f]+) r-xp [^/\n]*(/.*/lib(?:llvmlite|LLVM)[^/\n]*)$", re.MULTILINE)
"""Code of libraries that compile, or load what was compiled: a tenth of a gigabyte is read of it at the start, and little later.
Nobody writes to it, so that it can be read again."""
LOOK_AGAIN_S = 10.0

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
        for begin, end in _code_known(int(time.monotonic() / LOOK_AGAIN_S)):
            advise(ctypes.c_void_p(begin), ctypes.c_size_t(end - begin), mmap.MADV_DONTNEED)


@lru_cache(1)
def _code_known(_lately: int) -> list[tuple[int, int]]:
    """As `code_that_compiles`: libraries come while a window opens, and those that were found stay."""
    return code_that_compiles()


def code_that_compiles() -> list[tuple[int, int]]:
    """Where the code of libraries that compile begins and ends in memory; none where the system does not tell. They are kept from
    being unloaded before that is looked up, or something else might be there."""
    stays = {path for path in {path for _, _, path in _code()} if _kept(path)}
    return [(begin, end) for begin, end, path in _code() if path in stays]


def _code() -> list[tuple[int, int, str]]:
    try:
        told = MAPS.read_text(errors="surrogateescape")
    except OSError:
        return []
    return [(int(begin, 16), int(end, 16), path) for begin, end, path in COMPILES.findall(told)]


def _kept(path: str) -> bool:
    """Have a library that is loaded stay so; whether it does."""
    try:
        ctypes.CDLL(path, mode=os.RTLD_NOLOAD | os.RTLD_NODELETE | os.RTLD_LAZY)
    except (OSError, UnicodeError):
        return False
    return True
