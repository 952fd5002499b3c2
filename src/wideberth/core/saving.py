"""Files out, whole or not at all."""

from __future__ import annotations

import fcntl
import os
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from wideberth.core.errors import CannotWrite

MASK = os.umask(0)
"""Of modes that new files do not get; it can only be asked for by setting it."""
os.umask(MASK)
NAME_KEPT = 40
"""Characters of the name that the temporary file bears."""


@contextmanager
def written_beside(path: Path) -> Iterator[Path]:
    """A temporary file in the same folder, to be written and looked at; it takes the place of `path` when all went well.

    It is flushed to disk before it is renamed. After any error it is deleted, and what stood at `path` is untouched. A link
    stays a link to the new file, the file keeps its mode, and what a killed program left half written under this name is
    cleared away.

    Raises
    ------
    CannotWrite : for whatever the disk refuses, and where something stands that is no plain file.
    """
    temporary, handle = "", -1
    try:
        path = path.resolve() if path.is_symlink() else path
        mode = mode_of(path)
        prefix = f".{path.name[:NAME_KEPT]}."
        folder = path.parent
        _clear_away(folder, prefix)
        handle, temporary = tempfile.mkstemp(prefix=prefix, suffix=".part", dir=folder)
        fcntl.flock(handle, fcntl.LOCK_EX)  # so that another program knows that it is being written
        yield Path(temporary)
        os.chmod(temporary, mode)
        with open(temporary, "rb") as file:
            os.fsync(file.fileno())
        os.replace(temporary, path)
        temporary = ""
        flush(folder)
    except OSError as error:
        raise CannotWrite(
            f"cannot be written ({error.strerror or error}).",
            where=str(path),
            kept="What stood there before is untouched.",
            remedy="Choose another folder or make room.",
        ) from error
    finally:
        if handle >= 0:
            os.close(handle)
        if temporary and os.path.exists(temporary):
            os.unlink(temporary)


def mode_of(path: Path) -> int:
    """The mode that a file is to have: its own, or the usual one for a new one.

    Raises
    ------
    CannotWrite : where something stands that is no plain file, or that is not to be written to.
    """
    if path.exists():
        found = path.stat().st_mode
        if not stat.S_ISREG(found):
            raise CannotWrite("is no plain file.", where=str(path), kept="Nothing was written.", remedy="Choose another name.")
        if not os.access(path, os.W_OK):
            raise CannotWrite("is read only.", where=str(path), kept="Nothing was written.", remedy="Choose another name.")
        return stat.S_IMODE(found)
    return 0o666 & ~MASK


def _clear_away(folder: Path, prefix: str) -> None:
    """Delete temporary files of this name that nobody writes any more."""
    with suppress(OSError):
        for left in [f for f in folder.iterdir() if f.name.startswith(prefix) and f.suffix == ".part"]:
            with suppress(OSError), open(left, "rb") as file:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                left.unlink()


def flush(folder: Path) -> None:
    """Let the folder's new entry reach the disk."""
    with suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def write_safely(path: Path, *content: bytes | memoryview) -> None:
    """Write a file, piece after piece, by way of a temporary one in the same folder, flushed to disk and then renamed.

    Raises
    ------
    CannotWrite : the old file, if any, is untouched and no temporary one stays behind.
    """
    with written_beside(path) as temporary, temporary.open("wb") as file:
        file.writelines(content)


def locked(path: Path) -> int:
    """A file that is locked as long as it is open, or the program lives; its handle.

    Raises
    ------
    BlockingIOError : when another program holds it. OSError : when it cannot be made.
    """
    handle = os.open(path, os.O_RDWR | os.O_CREAT, 0o600)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(handle)
        raise
    return handle
