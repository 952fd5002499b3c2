"""Chambers kept on disk between sessions, so that what was hollowed once opens at once. A cache: it may be deleted any time."""

from __future__ import annotations

import hashlib
import io
import zipfile
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np

from wideberth.core.errors import CannotWrite
from wideberth.core.hollow import Hollowed
from wideberth.core.job import PartRecipe
from wideberth.core.model import Mesh
from wideberth.core.predict.program import cache_folder
from wideberth.core.saving import write_safely

VERSION = 1
"""To be raised whenever hollowing comes to other chambers for the same recipe."""
MOST_FILES = 60


class Shelf:
    """A folder of chambers, each under a hash of the recipe that they follow from; the oldest of many are thrown away."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or cache_folder() / "chambers"

    def _file(self, part: PartRecipe) -> Path:
        told = (VERSION, part.source.key, part.mends, part.scale, part.stretch, part.mirrored, part.cuts, part.shell)
        return self._folder / (hashlib.blake2b(repr(told).encode(), digest_size=16).hexdigest() + ".npz")

    def find(self, part: PartRecipe) -> Hollowed | None:
        """The chambers of a part as they were kept; None when they were not, or cannot be read."""
        path = self._file(part)
        with suppress(OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile):
            with np.load(path, allow_pickle=False) as kept:
                count = int(kept["count"])
                chambers = tuple(Mesh(kept[f"points{n}"], kept[f"faces{n}"]) for n in range(count))
                found = Hollowed(chambers, float(kept["step_mm"]))
            path.touch()
            return found
        return None

    def keep(self, part: PartRecipe, found: Hollowed) -> None:
        """Keep the chambers of a part. A disk that is full or not writable is no one's trouble."""
        arrays: dict[str, Any] = {f"points{n}": c.points for n, c in enumerate(found.chambers)}
        arrays |= {f"faces{n}": c.faces for n, c in enumerate(found.chambers)}
        out = io.BytesIO()
        np.savez(out, count=np.array(len(found.chambers)), step_mm=np.array(found.step_mm), **arrays)
        with suppress(OSError, CannotWrite):
            self._folder.mkdir(parents=True, exist_ok=True)
            write_safely(self._file(part), out.getvalue())
            kept = sorted(self._folder.glob("*.npz"), key=lambda f: f.stat().st_mtime)
            for old in kept[:-MOST_FILES]:
                old.unlink(missing_ok=True)
