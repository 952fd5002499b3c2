"""The cache's twin on disk: results that take long, kept between sessions, so that what was computed once opens at once.

A cache in the user's own cache folder: it may be deleted any time. Each file holds arrays and JSON, no code, with a checksum over
all of it; one that does not match, or was kept by another version of the program, counts as not there.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import fields, is_dataclass
from enum import Enum
from pathlib import Path
from typing import Any

from wideberth.core.errors import CannotWrite
from wideberth.core.model import Mesh, Source
from wideberth.core.predict.packing import packed, unpacked
from wideberth.core.predict.program import cache_folder, program_hash
from wideberth.core.saving import write_safely

SLOW = ("read_objects", "sound", "hollowed", "surfaces")
"""Stages whose results are worth a file each, kept as soon as they are there."""
MOST_FILES = 160
MOST_BYTES = 600_000_000
NOTHING = object()
"""What `find` gives for a result that is not kept: a result may be None."""


class Disk:
    """A folder of results, each under a hash of its stage, its input and the program; the oldest of many are thrown away."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or cache_folder() / "stages"

    def find(self, stage: str, of: Any, known: Sequence[Any] = ()) -> Any:
        """The result of a stage as it was kept; `NOTHING` when it was not, or cannot be read. `known` : see `packed`."""
        path = self._file(stage, of)
        if path is None:
            return NOTHING
        with suppress(OSError, ValueError):
            result = unpacked(path.read_bytes(), known)
            path.touch()
            return result
        return NOTHING

    def keep(self, stage: str, of: Any, result: Any, known: Sequence[Any] = ()) -> None:
        """Keep the result of a stage that is worth it. A disk that is full or not writable is no one's trouble."""
        path = self._file(stage, of)
        if path is None or path.exists():
            return
        with suppress(OSError, CannotWrite, TypeError):
            pieces = packed(result, known)
            self._folder.mkdir(parents=True, exist_ok=True)
            write_safely(path, *pieces)
            self._tidy()

    def _tidy(self) -> None:
        """Throw away the longest unused files beyond what is allowed."""
        with suppress(OSError):
            files = sorted(((f, f.stat()) for f in self._folder.glob("*.bin")), key=lambda f: -f[1].st_mtime)
            total = 0
            for number, (file, stat) in enumerate(files):
                total += stat.st_size
                if number and (number >= MOST_FILES or total > MOST_BYTES):
                    file.unlink(missing_ok=True)

    def _file(self, stage: str, of: Any) -> Path | None:
        """Where a result is kept, or would be; None for what has no lasting name."""
        with suppress(TypeError):
            digest = hashlib.blake2b(f"{program_hash()} {stage} ".encode(), digest_size=16)
            _name(of, digest.update)
            return self._folder / f"{stage}-{digest.hexdigest()}.bin"
        return None


def _name(value: Any, told: Callable[[bytes], None]) -> None:
    """Tell a value's content to a hash, the same in every session.

    Raises
    ------
    TypeError : for a value that has no lasting content.
    """
    if isinstance(value, Mesh):
        told(value.fingerprint.encode())
    elif isinstance(value, Source):
        told(f"{value.key} {value.name};".encode())
    elif is_dataclass(value) and not isinstance(value, type):
        told(type(value).__name__.encode())
        for field in fields(value):
            _name(getattr(value, field.name), told)
    elif isinstance(value, tuple):
        told(f"({len(value)}".encode())
        for item in value:
            _name(item, told)
    elif isinstance(value, bytes):
        told(hashlib.blake2b(value, digest_size=16).digest())
    elif value is None or isinstance(value, (str, int, float, bool, Enum)):
        told(f"{value!r};".encode())
    else:
        raise TypeError(f"{type(value).__name__} has no lasting name")
