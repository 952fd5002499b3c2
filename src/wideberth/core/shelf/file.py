"""The shelf's file: JSON of its own, read anew before each change, written whole or not at all."""

from __future__ import annotations

import fcntl
import json
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import platformdirs
from pydantic import TypeAdapter, ValidationError

from wideberth.core.errors import BadShelf, CannotWrite
from wideberth.core.saving import write_safely
from wideberth.core.shelf.shelf import EMPTY, Shelf

FORMAT, VERSION = "wide-berth shelf", 1
MOST_BYTES = 2_000_000
SHELF = TypeAdapter(Shelf)


def shelf_path() -> Path:
    """Where the user's own shelf is kept."""
    return Path(platformdirs.user_data_dir("wide-berth")) / "shelf.json"


def as_json(shelf: Shelf) -> str:
    """A shelf as its file has it."""
    content = {"format": FORMAT, "version": VERSION, "shelf": SHELF.dump_python(shelf, mode="json")}
    return json.dumps(content, ensure_ascii=False, indent=1)


class ShelfFile:
    """One shelf on disk. Several windows may change it: each change is made on what is there."""

    def __init__(self, path: Path | None = None) -> None:
        self.path = path or shelf_path()

    def read(self) -> Shelf:
        """What is on the shelf; nothing where there is no file yet.

        Raises
        ------
        BadShelf : when the file is no shelf, is damaged, or was written by a newer program.
        """
        try:
            if self.path.stat().st_size > MOST_BYTES:
                raise BadShelf("is too large for a shelf.", where=str(self.path))
            known = json.loads(self.path.read_bytes())
        except FileNotFoundError:
            return EMPTY
        except (OSError, ValueError, RecursionError) as error:
            raise BadShelf("cannot be read.", where=str(self.path), remedy="Move it away to begin a new one.") from error
        if not isinstance(known, dict) or known.get("format") != FORMAT or not isinstance(known.get("version"), int):
            raise BadShelf("is no shelf of this program.", where=str(self.path))
        if known["version"] > VERSION:
            raise BadShelf("was written by a newer program.", where=str(self.path))
        try:
            return SHELF.validate_python(known.get("shelf"))
        except ValidationError as error:
            first: Any = error.errors()[0]
            place = ".".join(str(p) for p in first["loc"])
            raise BadShelf(f"has a value that cannot be: {place}: {first['msg']}.", where=str(self.path)) from error

    def change(self, act: Callable[[Shelf], Shelf]) -> Shelf:
        """Do something on what is there now, and keep it; returns the new shelf.

        Raises
        ------
        BadShelf : as `read`, and whatever the act says. CannotWrite : nothing was changed then.
        """
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            lock = os.open(self.path.with_suffix(".lock"), os.O_RDWR | os.O_CREAT, 0o600)
        except OSError as error:
            raise CannotWrite(f"cannot be written ({error.strerror}).", where=str(self.path)) from error
        try:
            fcntl.flock(lock, fcntl.LOCK_EX)
            shelf = act(self.read())
            write_safely(self.path, as_json(shelf).encode())
        finally:
            os.close(lock)
        return shelf
