"""Files out, whole or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from wideberth.core.errors import CannotWrite


@contextmanager
def written_beside(path: Path) -> Iterator[Path]:
    """A temporary file in the same folder, to be written and looked at; it takes the place of `path` when all went well.

    It is flushed to disk before it is renamed. After any error it is deleted, and what stood at `path` is untouched.

    Raises
    ------
    CannotWrite : for whatever the disk refuses.
    """
    temporary = ""
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name[:40]}.", suffix=".part", dir=path.parent or Path("."))
        os.close(handle)
        yield Path(temporary)
        os.chmod(temporary, 0o644)
        with open(temporary, "rb") as file:
            os.fsync(file.fileno())
        os.replace(temporary, path)
        temporary = ""
    except OSError as error:
        raise CannotWrite(
            f"cannot be written ({error.strerror or error}).",
            where=str(path),
            kept="What stood there before is untouched.",
            remedy="Choose another folder or make room.",
        ) from error
    finally:
        if temporary and os.path.exists(temporary):
            os.unlink(temporary)


def write_safely(path: Path, content: bytes) -> None:
    """Write a file by way of a temporary one in the same folder, flushed to disk and then renamed.

    Raises
    ------
    CannotWrite : the old file, if any, is untouched and no temporary one stays behind.
    """
    with written_beside(path) as temporary:
        temporary.write_bytes(content)
