"""Jobs that were opened or saved last, so that they are at hand again."""

from __future__ import annotations

import json
from contextlib import suppress
from pathlib import Path

import platformdirs

from wideberth.core.errors import CannotWrite
from wideberth.core.saving import write_safely

MOST = 10


def _file() -> Path:
    return Path(platformdirs.user_state_dir("wide-berth")) / "recent.json"


def recent_jobs() -> list[Path]:
    """Files of the last jobs that are still there, the latest first."""
    try:
        paths = json.loads(_file().read_text(encoding="utf-8"))
    except (OSError, ValueError, RecursionError):
        return []  # a memory that cannot be read is begun anew
    if not isinstance(paths, list):
        return []
    with suppress(OSError, ValueError):
        return [Path(p) for p in paths if isinstance(p, str) and Path(p).is_file()][:MOST]
    return []


def note_recent(path: Path) -> None:
    """Put a job's file first among the recent ones. Where that cannot be kept, nothing depends on it."""
    with suppress(OSError, CannotWrite):
        path = path.resolve()
        paths = [path, *(p for p in recent_jobs() if p != path)]
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_safely(_file(), json.dumps([str(p) for p in paths[:MOST]]).encode())
