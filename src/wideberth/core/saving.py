"""Files out, whole or not at all."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from wideberth.core.errors import CannotWrite


def write_safely(path: Path, content: bytes) -> None:
    """Write a file by way of a temporary one in the same folder, flushed to disk and then renamed.

    Raises
    ------
    CannotWrite : the old file, if any, is untouched and no temporary one stays behind.
    """
    temporary = ""
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name[:40]}.", suffix=".part", dir=path.parent or Path("."))
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
    except OSError as error:
        if temporary and os.path.exists(temporary):
            os.unlink(temporary)
        raise CannotWrite(
            f"cannot be written ({error.strerror or error}).", where=str(path), kept="What stood there before is untouched.",
            remedy="Choose another folder or make room.",
        ) from error  # fmt: skip
