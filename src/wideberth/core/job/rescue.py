"""Unsaved work, kept beside what was saved: what a program that was killed leaves behind can be taken up again.

Each open window has a folder of its own under the user's state folder, with a lock that dies with the program. Files that are
open in a window are noted in the same way, so that two windows on one file know of each other.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import shutil
import threading
import time
import uuid
import zipfile
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from wideberth.core.errors import CannotWrite
from wideberth.core.job.file import attachments_of
from wideberth.core.job.job import Job
from wideberth.core.saving import locked, write_safely

BEGUN_S = 60.0
"""As long a window may take from its folder to what is kept in it."""
WORK, ABOUT, LOCK = "work.3mf", "about.json", "lock"


@dataclass(frozen=True)
class LeftBehind:
    """Unsaved work of a program that ended without asking. work : the job file to open. of : the file it belongs to, if it was
    ever saved. when : seconds since 1970."""

    folder: Path
    title: str
    of: Path | None
    when: float

    @property
    def work(self) -> Path:
        return self.folder / WORK

    def throw_away(self) -> None:
        """Delete it."""
        shutil.rmtree(self.folder, ignore_errors=True)


class Rescue:
    """The folder of one window. Where it cannot be written, nothing is kept and nobody is told: saving is another matter."""

    def __init__(self, state: Path | None = None) -> None:
        self._state = state or Path(platformdirs.user_state_dir("wide-berth"))
        self._folder = self._state / "unsaved" / uuid.uuid4().hex[:12]
        self._lock, self._one_at_a_time, self._ended = -1, threading.Lock(), False
        self._open: tuple[Path, int] | None = None

    def keep(self, job: Job, path: Path | None) -> bool:
        """Keep a job as it is now, and the file it belongs to; whether that went well. Safe beside the other acts."""
        with self._one_at_a_time, suppress(OSError, ValueError, CannotWrite):
            if self._ended:
                return False
            self._folder.mkdir(parents=True, exist_ok=True)
            if self._lock < 0:
                self._lock = locked(self._folder / LOCK)
            packed = io.BytesIO()
            with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as package:
                for name, data in attachments_of(job).items():
                    package.writestr(name.lstrip("/"), data)
            about = {"title": job.title, "of": None if path is None else str(path), "when": time.time()}
            write_safely(self._folder / WORK, packed.getvalue())
            write_safely(self._folder / ABOUT, json.dumps(about).encode())
            return True
        return False

    def clear(self) -> None:
        """There is nothing unsaved any more."""
        with self._one_at_a_time:
            shutil.rmtree(self._folder, ignore_errors=True)
            if self._lock >= 0:
                os.close(self._lock)
                self._lock = -1

    def end(self) -> None:
        """The window is closed, and whoever closed it was asked."""
        self._ended = True
        self.clear()
        self.give_back()

    def left_behind(self) -> list[LeftBehind]:
        """What programs that are not alive any more did not save, the newest first."""
        left = []
        for folder in sorted((self._state / "unsaved").glob("*")):
            if folder == self._folder or _is_alive(folder / LOCK):
                continue
            try:
                about = json.loads((folder / ABOUT).read_text(encoding="utf-8"))
                of = Path(about["of"]) if about["of"] is not None else None
                if not (folder / WORK).is_file():
                    raise ValueError
                left.append(LeftBehind(folder, str(about["title"]), of, float(about["when"])))
            except (OSError, ValueError, KeyError, TypeError):
                with suppress(OSError):
                    if time.time() - folder.stat().st_mtime > BEGUN_S:
                        shutil.rmtree(folder, ignore_errors=True)  # begun, and killed before anything was in it
        return sorted(left, key=lambda one: -one.when)

    # files that are open

    def take(self, path: Path) -> bool:
        """Note that this window has a file open; False when another one has it open already."""
        self.give_back()
        note = self._state / "open" / hashlib.blake2b(str(path.resolve()).encode(), digest_size=12).hexdigest()
        try:
            note.parent.mkdir(parents=True, exist_ok=True)
            self._open = note, locked(note)
        except BlockingIOError:
            return False
        except OSError:
            return True  # nothing can be noted here
        return True

    def give_back(self) -> None:
        """The file that this window had open is so no more."""
        if self._open is not None:
            note, handle = self._open
            with suppress(OSError):
                note.unlink()
            os.close(handle)
            self._open = None


def _is_alive(lock: Path) -> bool:
    """Whether the program that made a lock still runs."""
    try:
        os.close(locked(lock))
    except BlockingIOError:
        return True
    except OSError:
        return False
    return False
