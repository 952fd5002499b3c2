"""What should not have happened: one sentence for the user, and the whole of it in a file for whoever mends it."""

from __future__ import annotations

import os
import traceback
from contextlib import suppress
from datetime import datetime
from pathlib import Path

import platformdirs

MOST_BYTES = 1_000_000


def log_path() -> Path:
    """Where it is written to."""
    return Path(platformdirs.user_state_dir("wide-berth")) / "unexpected.log"


def noted(text: str) -> str:
    """A sentence that says where a text was noted, or nothing if it could not be; never raises."""
    with suppress(Exception):
        path = log_path()
        path.parent.mkdir(parents=True, exist_ok=True)
        if path.exists() and path.stat().st_size > MOST_BYTES:
            os.replace(path, path.with_suffix(".old.log"))
        with open(path, "a", encoding="utf-8", errors="backslashreplace") as log:
            log.write(f"{datetime.now():%Y-%m-%d %H:%M:%S}\n{text}\n")
        return f" What happened is noted in {path}."
    return ""


def told(error: BaseException) -> str:
    """A sentence about an error of the program's own, after its traceback was written to the log; never raises."""
    text = type(error).__name__
    with suppress(Exception):
        text = "".join(traceback.format_exception(error))
    where = noted(text)
    if isinstance(error, MemoryError):
        return f"There is not enough memory for this. The job is as it was.{where}"
    return f"Something went wrong that should not have ({type(error).__name__}). The job is as it was.{where}"
