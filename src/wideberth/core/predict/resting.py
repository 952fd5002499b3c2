"""What rests lies in a file: large arrays of results that nobody works on are mapped from it, and take no memory until they are
read again.

The file has no name and is gone with the program. What cannot be written stays in memory.
"""

from __future__ import annotations

import mmap
import threading
from collections.abc import Iterable, Iterator
from contextlib import suppress
from pathlib import Path
from tempfile import TemporaryFile
from typing import Any
from weakref import WeakSet

import numpy as np
from numpy.typing import NDArray

from wideberth.core.predict.kept import SIMPLE
from wideberth.core.predict.program import cache_folder

LARGE_BYTES, WORTH_BYTES = 1 << 17, 1 << 25
"""Of an array that is worth a place in a file, and of all such arrays, before one is written."""
Array = NDArray[Any]


class Rest:
    """Lays results to rest, in files of a folder (the user's cache)."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder
        self._maps: WeakSet[mmap.mmap] = WeakSet()
        self._lock = threading.Lock()

    def lay(self, results: Iterable[object]) -> int:
        """Lay the large arrays of some results, and of all that these hold, into a file; returns their bytes.

        Every holder of an array gets one of the same type, shape and numbers; whoever reads the former one meanwhile goes on with
        it. What was laid before and read since is let go again.
        """
        with self._lock:
            for map in self._maps:
                map.madvise(mmap.MADV_DONTNEED)
            results = list(results)
            awake = {id(array): array for _, _, array in _held(results) if _is_awake(array)}
            total = sum(array.nbytes for array in awake.values())
            if total < WORTH_BYTES:
                return 0
            with suppress(OSError):  # a disk that is full or not writable is no one's trouble
                laid = self._written(awake)
                for holder, name, array in _held(results):
                    if id(array) in laid:
                        _put(holder, name, laid[id(array)])
                return total
        return 0

    def _written(self, awake: dict[int, Array]) -> dict[int, Array]:
        """The same arrays, mapped from a new file, by what they were known by."""
        folder = cache_folder() if self._folder is None else self._folder
        folder.mkdir(parents=True, exist_ok=True)
        begin, end = {}, 0
        with TemporaryFile(dir=folder) as file:
            for key, array in awake.items():
                begin[key] = end
                file.seek(end)
                file.write(array.data)
                end += -(-array.nbytes // mmap.PAGESIZE) * mmap.PAGESIZE
            file.truncate(end)
            file.flush()
            map = mmap.mmap(file.fileno(), end)
        self._maps.add(map)
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
    todo = list(values)
    while todo:
        one = todo.pop()
        if isinstance(one, (*SIMPLE, np.ndarray)) or callable(one) or id(one) in seen:
            continue
        seen.add(id(one))
        held: Iterable[tuple[Any, Any]] = ()
        if isinstance(one, dict):
            todo += one.keys()
            held = list(one.items())
        elif isinstance(one, (list, tuple, set, frozenset)):
            held = list(enumerate(one))
        elif hasattr(one, "__dict__"):
            held = list(one.__dict__.items())
            one = one.__dict__
        for name, value in held:
            if isinstance(value, np.ndarray):
                yield one, name, value
            elif isinstance(value, tuple) and any(isinstance(v, np.ndarray) for v in value):
                for place, array in enumerate(value):
                    if isinstance(array, np.ndarray):
                        yield _Within(one, name), place, array
                todo += [v for v in value if not isinstance(v, np.ndarray)]
            else:
                todo.append(value)


class _Within:
    """A tuple that a holder has: to change what is in it, it is put anew."""

    def __init__(self, holder: Any, name: Any) -> None:
        self.holder, self.name = holder, name


def _put(holder: Any, name: Any, array: Array) -> None:
    """Give a holder another array by the same name, if it can be given one."""
    if isinstance(holder, _Within):
        old = holder.holder[holder.name]
        values = [*old[:name], array, *old[name + 1 :]]
        new = type(old)(*values) if hasattr(old, "_fields") else tuple(values)
        _put(holder.holder, holder.name, new)  # type: ignore[arg-type]
    elif isinstance(holder, (dict, list)):
        holder[name] = array
