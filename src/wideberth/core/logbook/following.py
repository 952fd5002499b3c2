"""Who follows a run: a lock beside the logbook that is free as soon as its program has ended, however it ended."""

from __future__ import annotations

import hashlib
import json
import os
import platform
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from wideberth.core.errors import BadLog, CannotWrite
from wideberth.core.logbook.logging import ended_entry
from wideberth.core.logbook.measured import Measured
from wideberth.core.logbook.record import Entry
from wideberth.core.saving import locked

if TYPE_CHECKING:
    from wideberth.core.logbook.store import Logbook

MOST_BYTES = 10_000


@contextmanager
def followed(log: Path, id: str) -> Iterator[None]:
    """Say that this program follows a run, for as long as it does; where the disk refuses it, nobody is told.

    Parameters
    ----------
    log : the logbook's file. id : of the run.
    """
    lock, handle = _folder(log) / f"{hashlib.sha256(id.encode()).hexdigest()}.run", -1
    with suppress(OSError):
        lock.parent.mkdir(exist_ok=True)
        handle = locked(lock)
        os.write(handle, json.dumps({"machine": platform.node(), "run": id}).encode())
    try:
        yield
    finally:
        if handle >= 0:
            with suppress(OSError):
                lock.unlink()
            os.close(handle)


def close_abandoned(book: Logbook) -> list[str]:
    """Write that runs which nobody follows any more are over, with what was measured until then; their ids.

    A run whose program was killed, or whose machine lost power, would otherwise seem to print for good. Runs that another machine
    follows in a shared folder, and those that came by a table or with a copied logbook, are left as they are; all of them are
    where the logbook cannot be written.
    """
    closed = []
    for lock in sorted(_folder(book.path).glob("*.run")):
        with suppress(OSError, CannotWrite):
            handle = locked(lock)
            try:
                told = _told(lock)
                if told.get("machine", platform.node()) != platform.node():
                    continue
                id = told.get("run", "")
                with suppress(BadLog):  # it was struck out, or never begun
                    if book.entry(id).ended == "printing":
                        book.finish(id, partial(_abandoned, book.measured(id)))
                        closed.append(id)
                lock.unlink()
            finally:
                os.close(handle)
    return closed


def _told(lock: Path) -> dict[str, str]:
    """On which machine which run is followed; nothing where the file does not say."""
    try:
        told = json.loads(lock.read_bytes()[:MOST_BYTES])
    except ValueError:
        return {}
    return {k: v for k, v in told.items() if isinstance(v, str)} if isinstance(told, dict) else {}


def _abandoned(measured: Measured | None, entry: Entry) -> Entry:
    return entry if entry.ended != "printing" else ended_entry(entry, "lost touch", measured)


def _folder(log: Path) -> Path:
    return log.with_name(f"{log.name}.followed")
