"""What tells this very program from any other version of it: whatever is kept on disk between sessions depends on it."""

from __future__ import annotations

import hashlib
from contextlib import suppress
from functools import cache
from pathlib import Path

import platformdirs

CORE = Path(__file__).parents[1]
MOST_PROGRAMS = 8
"""Checkouts beside each other are programs of their own: one must not make another compile again."""


@cache
def program_hash() -> str:
    """A hash over path, size and date of each of the core's files."""
    files = sorted((str(f), s.st_size, s.st_mtime_ns) for f in CORE.rglob("*.py") for s in [f.stat()])
    return hashlib.blake2b(repr(files).encode(), digest_size=16).hexdigest()


def cache_folder() -> Path:
    """The user's folder for what may be deleted any time."""
    return Path(platformdirs.user_cache_dir("wide-berth"))


def is_compiled() -> bool:
    """Whether the loops of this very program were compiled; see `handover.compiling`."""
    return _mark().exists()


def note_compiled() -> None:
    """Remember that they were. Where that cannot be written they are gone through once more the next time."""
    with suppress(OSError):
        cache_folder().mkdir(parents=True, exist_ok=True)
        _mark().touch()
        for older in sorted(cache_folder().glob("warmed *"), key=lambda f: f.stat().st_mtime)[:-MOST_PROGRAMS]:
            older.unlink(missing_ok=True)


def _mark() -> Path:
    return cache_folder() / f"warmed {program_hash()}"
