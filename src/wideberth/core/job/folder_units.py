"""Which unit a folder's models were in, asked once and remembered."""

from __future__ import annotations

import tomllib
from pathlib import Path

import platformdirs
import tomli_w

from wideberth.core.saving import write_safely

MOST = 200


def _file() -> Path:
    return Path(platformdirs.user_data_dir("wide-berth")) / "units.toml"


def _known() -> dict[str, float]:
    try:
        entries = tomllib.loads(_file().read_text(encoding="utf-8")).get("folders", {})
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError):
        return {}  # a memory that cannot be read is asked for again
    return {k: float(v) for k, v in entries.items() if isinstance(v, int | float) and v > 0}


def remembered_factor(folder: Path) -> float | None:
    """The factor to millimetres that was told for a folder's models; 1 when they are meant as they are, None when not told."""
    return _known().get(str(folder.resolve()))


def remember_factor(folder: Path, factor: float) -> None:
    """Keep a folder's factor. The oldest of many are forgotten.

    Raises
    ------
    CannotWrite : when it cannot be kept; nothing else depends on it.
    """
    known = _known()
    known.pop(str(folder.resolve()), None)
    known[str(folder.resolve())] = factor
    path = _file()
    path.parent.mkdir(parents=True, exist_ok=True)
    write_safely(path, tomli_w.dumps({"folders": dict(list(known.items())[-MOST:])}).encode())
