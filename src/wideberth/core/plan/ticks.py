"""What of a checklist is ticked, kept beside the job while its run lasts: ticks are of one run and never of the next."""

from __future__ import annotations

import hashlib
import json
from contextlib import suppress
from dataclasses import field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Annotated, Any

import platformdirs
from pydantic import AwareDatetime, Field, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from wideberth.core.bench import STRICT
from wideberth.core.saving import write_safely

FORMAT, VERSION = "wide-berth checklist", 1
MOST_LINES, MOST_BYTES = 500, 500_000
AFTERWARDS = timedelta(hours=12)
"""From when a run should be over until nobody goes on with its list any more."""
FORGOTTEN = timedelta(days=30)
"""Files that are older are cleared away."""
Times = Annotated[dict[Annotated[str, Field(max_length=600)], AwareDatetime], Field(max_length=MOST_LINES)]


@dataclass(frozen=True, config=STRICT)
class Ticks:
    """Of one list: when each line was ticked, and when each timer that runs will ring or has rung, by `key_of`; UTC."""

    at: Times = field(default_factory=dict)
    rings: Times = field(default_factory=dict)

    @property
    def began(self) -> datetime | None:
        """The first tick."""
        return min(self.at.values(), default=None)

    @property
    def latest(self) -> datetime | None:
        """When a hand was last at it."""
        return max(self.at.values(), default=None)

    def ticked(self, key: str, when: datetime) -> Ticks:
        """With a line ticked; its timer is no longer wanted."""
        return Ticks(self.at | {key: when}, {k: v for k, v in self.rings.items() if k != key})

    def unticked(self, key: str) -> Ticks:
        """With a tick taken back."""
        return Ticks({k: v for k, v in self.at.items() if k != key}, self.rings)

    def timed(self, key: str, rings: datetime) -> Ticks:
        """With a timer that will ring."""
        return Ticks(self.at, self.rings | {key: rings})


NO_TICKS = Ticks()
TICKS = TypeAdapter(Ticks)


def key_of(phase: str, item: str) -> str:
    """The name of a line among all lists of a plate."""
    return f"{phase}/{item}"


class TickFile:
    """The ticks of a plate of a saved job, in a file of the program's own.

    Parameters
    ----------
    job : the saved job's file. plate : its plate's id. folder : where it is kept; the user's own state otherwise.
    """

    def __init__(self, job: Path, plate: str, folder: Path | None = None) -> None:
        of = f"{job.resolve()}\n{plate}"
        self._folder = folder or Path(platformdirs.user_state_dir("wide-berth")) / "checklists"
        self.path = self._folder / f"{hashlib.sha256(of.encode('utf-8', 'surrogateescape')).hexdigest()}.json"

    def read(self, now: datetime, lasts: timedelta) -> Ticks:
        """What is ticked of the run that is under way; nothing where none is, and where the file says nothing sound.

        Parameters
        ----------
        lasts : how long the run takes at most: that long after the last tick, and `AFTERWARDS` more, its list is over.
        """
        with suppress(OSError, ValueError, RecursionError, ValidationError):
            if self.path.stat().st_size <= MOST_BYTES:
                known: Any = json.loads(self.path.read_bytes())
                if isinstance(known, dict) and known.get("format") == FORMAT and known.get("version") == VERSION:
                    kept = TICKS.validate_python(known.get("ticks"))
                    if kept.latest is not None and timedelta(0) <= now - kept.latest <= lasts + AFTERWARDS:
                        return kept
        return NO_TICKS

    def write(self, ticks: Ticks) -> None:
        """Keep what is ticked; nothing ticked leaves no file.

        Raises
        ------
        CannotWrite
        """
        if not ticks.at and not ticks.rings:
            self.path.unlink(missing_ok=True)
            return
        with suppress(OSError):
            self._folder.mkdir(parents=True, exist_ok=True)
            self._clear_away()
        content = {"format": FORMAT, "version": VERSION, "ticks": TICKS.dump_python(ticks, mode="json")}
        write_safely(self.path, json.dumps(content, ensure_ascii=False, indent=1).encode())

    def _clear_away(self) -> None:
        old = datetime.now(UTC) - FORGOTTEN
        for file in self._folder.glob("*.json"):
            with suppress(OSError):
                if file.stat().st_mtime < old.timestamp():
                    file.unlink()
