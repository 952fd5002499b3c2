"""A job as it is opened, with its coarse prediction and all that led to it; kept on disk, so that a file seen before shows its
figures at once.

What is kept is a cache in the user's own cache folder, as that of compiled kernels is: Python's pickles, written and read by
this very program only. It is found by the file's bytes and by the program's own source, and may be deleted any time.
"""

from __future__ import annotations

import hashlib
import pickle
from contextlib import suppress
from pathlib import Path

from wideberth.core.errors import CannotWrite, WideBerthError
from wideberth.core.job import Job, open_job
from wideberth.core.predict.fineness import preview
from wideberth.core.predict.prediction import Prediction, predict
from wideberth.core.predict.program import cache_folder, program_hash
from wideberth.core.predict.stages import Memory, Stages
from wideberth.core.progress import Progress, quiet
from wideberth.core.saving import write_safely

MOST_FILES = 8
MOST_BYTES = 400_000_000


class FirstLooks:
    """A folder of jobs with their coarse predictions, the eight looked at last."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or cache_folder() / "first looks"

    def open(
        self, path: Path, stages: Stages, progress: Progress | None = None
    ) -> tuple[Job, Prediction | None, WideBerthError | None]:
        """A job file's job, its coarse prediction, and what stopped that if there is none.

        Raises
        ------
        BadJob, BadBench, BadModel : see `open_job`. Cancelled : when the progress is cancelled.
        """
        progress = progress or quiet()
        kept = self._file(path)
        if kept is not None and (known := _read(kept)) is not None:
            seen, memory = known
            stages.take_over(memory)
            return seen.job, seen, None
        job = open_job(path)
        if not job.parts:
            return job, None, None
        own = Stages(shelf=stages.shelf)  # so that only what belongs to this job is kept
        try:
            seen = predict(job, own, preview(job.bench), progress.part(0.4, 1.0))
        except WideBerthError as error:
            return job, None, error
        memory = own.memory()
        stages.take_over(memory)
        if kept is not None:
            self._keep(kept, seen, memory)
        return job, seen, None

    def _file(self, path: Path) -> Path | None:
        """Where the look at a job file is kept, or would be; None when the file cannot be read."""
        with suppress(OSError):
            told = hashlib.blake2b(path.read_bytes(), digest_size=16)
            told.update(f"{path.name} {program_hash()}".encode())
            return self._folder / f"{told.hexdigest()}.pickle"
        return None

    def _keep(self, path: Path, seen: Prediction, memory: Memory) -> None:
        """Keep a look and throw away the oldest. What cannot be kept, for whatever reason, is no one's trouble."""
        with suppress(OSError, CannotWrite, pickle.PicklingError, TypeError, AttributeError):
            content = pickle.dumps((seen, memory), protocol=pickle.HIGHEST_PROTOCOL)
            if len(content) > MOST_BYTES:
                return
            self._folder.mkdir(parents=True, exist_ok=True)
            write_safely(path, content)
            for old in sorted(self._folder.glob("*.pickle"), key=lambda f: f.stat().st_mtime)[:-MOST_FILES]:
                old.unlink(missing_ok=True)


def _read(path: Path) -> tuple[Prediction, Memory] | None:
    """A kept look and what its stages found; None when there is none, or it is damaged in whatever way."""
    with suppress(Exception):
        with path.open("rb") as file:
            seen, memory = pickle.load(file)
        if isinstance(seen, Prediction):
            path.touch()
            return seen, memory
    return None
