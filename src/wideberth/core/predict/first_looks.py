"""A job as it is opened, with its coarse prediction and all that led to it: kept on disk, so that a job seen before shows its
figures at once."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from wideberth.core import mapped
from wideberth.core.bench import Bench
from wideberth.core.errors import WideBerthError
from wideberth.core.job import Job, Part, Plate, open_job
from wideberth.core.predict.cache import Watched
from wideberth.core.predict.disk import NOTHING, Disk
from wideberth.core.predict.fineness import preview
from wideberth.core.predict.prediction import Prediction, predict
from wideberth.core.predict.stages import Stages
from wideberth.core.progress import Progress, quiet

LOOK = "first look"


@dataclass(frozen=True)
class _Opened:
    """What a first look follows from."""

    bench: Bench
    parts: tuple[Part, ...]
    plates: tuple[Plate, ...]


class FirstLooks:
    """Jobs with their coarse predictions, kept beside the stages' results."""

    def __init__(self, disk: Disk) -> None:
        self._disk = disk
        self._to_keep: tuple[Job, Prediction, Watched] | None = None

    def open(
        self, path: Path, stages: Stages, progress: Progress | None = None
    ) -> tuple[Job, Prediction | None, WideBerthError | None]:
        """A job file's job, its coarse prediction, and what stopped that if there is none.

        Raises
        ------
        BadJob, BadBench, BadModel : see `open_job`. Cancelled : when the progress is cancelled.
        """
        progress = progress or quiet()
        job = open_job(path, stages.parse)
        if not job.parts:
            return job, None, None
        kept = self._disk.find(LOOK, _key(job), _known(job))
        if kept is not NOTHING and isinstance(kept[0], Prediction):
            seen, watched = kept
            stages.lay_aside(kept)
            stages.cache.take_over(watched)
            return job, seen, None
        stages.cache.watch()
        try:
            seen = predict(job, stages, preview(job.bench), progress.part(0.4, 1.0))
        except WideBerthError as error:
            return job, None, error
        watched = stages.cache.watched()
        stages.lay_aside(seen, watched)
        self._to_keep = job, seen, watched
        return job, seen, None

    def keep(self) -> None:
        """Keep the last look that was taken anew; to be called when nobody waits."""
        if self._to_keep is not None:
            job, seen, watched = self._to_keep
            self._to_keep = None
            packable = tuple((key, result) for key, result in watched if key[0] not in NOT_KEPT)
            mapped.let_go()  # all of it rests, and is read for once
            self._disk.keep(LOOK, _key(job), (seen, packable), _known(job))
            mapped.let_go()

    @property
    def waits(self) -> bool:
        """Whether a look is to be kept."""
        return self._to_keep is not None


NOT_KEPT = ("read_objects", "mended_once")
"""Stages whose results the first prediction does not want again."""


def _key(job: Job) -> _Opened:
    return _Opened(job.bench, job.parts, job.plates)


def _known(job: Job) -> tuple[Any, ...]:
    """What a look refers to and the job holds already."""
    parts: list[Any] = [job, job.bench, *job.parts, *job.plates]
    for part in job.parts:
        parts += [part.source, part.source.mesh, part.pose, part.supports]
    return tuple(parts)
