"""What rests lies in a file: large arrays of results that nobody works on are mapped from it, and take no memory until they are
read again.

The file has no name and is gone with the program. What cannot be written stays in memory.
"""

from __future__ import annotations

import ctypes
import errno
import mmap
import os
import shutil
import threading
from collections.abc import Iterable, Iterator
from contextlib import suppress
from pathlib import Path
from tempfile import TemporaryFile
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wideberth.core import mapped
from wideberth.core.predict.kept import SIMPLE
from wideberth.core.predict.program import cache_folder

LARGE_BYTES, WORTH_BYTES = 1 << 17, 1 << 25
"""Of an array that is worth a place in a file, and of all such arrays, before one is written."""
LEFT_FREE_BYTES = 2_000_000_000
"""Of the disk, for what the user wants to keep."""
Array = NDArray[Any]


def give_memory_back() -> None:
    """Let the system have what was freed: a prediction's passing arrays are some hundred megabytes."""
    with suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(0)


class Rest:
    """Lays results to rest, in files of a folder (the user's cache)."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder
        self._lock = threading.Lock()

    def lay(self, results: Iterable[object]) -> int:
        """Lay the large arrays of some results, and of all that these hold, into a file; returns their bytes.

        Every holder of an array gets one of the same type, shape and numbers; whoever reads the former one meanwhile goes on with
        it. What was laid before and read since is let go again.
        """
        mapped.let_go()
        with self._lock:
            return self._laid(list(results))

    def _laid(self, results: list[object]) -> int:
        awake = {id(array): array for _, _, array in _held(results) if _is_awake(array)}
        total = sum(array.nbytes for array in awake.values())
        if total < WORTH_BYTES:
            return 0
        with suppress(OSError):  # a disk that is full or not writable is no one's trouble
            laid = self._written(awake)
            for holder, name, array in _held(results):
                if id(array) in laid and holder is not None:
                    holder[name] = laid[id(array)]
            return total
        return 0

    def _written(self, awake: dict[int, Array]) -> dict[int, Array]:
        """The same arrays, mapped from a new file, by what they were known by."""
        folder = cache_folder() if self._folder is None else self._folder
        folder.mkdir(parents=True, exist_ok=True)
        begin, end = {}, 0
        for key, array in awake.items():
            begin[key] = end
            end += -(-array.nbytes // mmap.PAGESIZE) * mmap.PAGESIZE
        if shutil.disk_usage(folder).free < end + LEFT_FREE_BYTES:
            raise OSError(errno.ENOSPC, "no room to spare", str(folder))
        with TemporaryFile(dir=folder) as file:
            os.posix_fallocate(file.fileno(), 0, end)  # its room is its own before anything relies on it
            for key, array in awake.items():
                file.seek(begin[key])
                file.write(array.data)
            file.flush()
            map = mmap.mmap(file.fileno(), end)
        mapped.note(map)
        return {key: _mapped(map, begin[key], array) for key, array in awake.items()}


def _mapped(map: mmap.mmap, begin: int, like: Array) -> Array:
    array = np.frombuffer(map, like.dtype, like.size, begin).reshape(like.shape)
    array.flags.writeable = like.flags.writeable  # compiled loops tell one kind from the other
    return array


def _is_awake(array: Array) -> bool:
    """Whether an array is worth a place in a file, and has none."""
    if array.nbytes < LARGE_BYTES or not array.flags.c_contiguous or array.dtype.hasobject:
        return False
    owner: Any = array
    while isinstance(owner, (np.ndarray, memoryview)):
        owner = owner.base if isinstance(owner, np.ndarray) else owner.obj
    return not isinstance(owner, mmap.mmap)


def _held(values: Iterable[object]) -> Iterator[tuple[Any, Any, Array]]:
    """Every array that some values hold, with its holder and the name or place by which that has it."""
    seen: set[int] = set()
    todo: list[tuple[Any, Any, Any]] = [(None, None, value) for value in values]
    while todo:
        holder, name, one = todo.pop()
        if isinstance(one, np.ndarray):
            yield holder, name, one
        elif isinstance(one, tuple):  # it may be held twice, and is put anew in both
            todo += [(_Within(holder, name), place, value) for place, value in enumerate(one)]
        elif isinstance(one, SIMPLE) or callable(one) or id(one) in seen:
            continue
        else:
            seen.add(id(one))
            if isinstance(one, dict):
                todo += [(None, None, key) for key in list(one)]
                todo += [(one, key, value) for key, value in list(one.items())]
            elif isinstance(one, list):
                todo += [(one, place, value) for place, value in enumerate(one)]
            elif isinstance(one, (set, frozenset)):
                todo += [(None, None, value) for value in one]
            elif hasattr(one, "__dict__"):
                todo += [(one.__dict__, field, value) for field, value in list(one.__dict__.items())]


class _Within:
    """A tuple that a holder has: to change what is in it, it is put anew."""

    def __init__(self, holder: Any, name: Any) -> None:
        self._holder, self._name = holder, name

    def __getitem__(self, place: Any) -> Any:
        return self._holder[self._name][place]

    def __setitem__(self, place: int, value: Any) -> None:
        if self._holder is None:
            return  # who holds it is not known
        old = self._holder[self._name]
        values = [*old[:place], value, *old[place + 1 :]]
        self._holder[self._name] = type(old)(*values) if hasattr(old, "_fields") else tuple(values)
