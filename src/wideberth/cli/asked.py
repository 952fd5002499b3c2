"""What several commands share: bench values on the command line, a saved job or a model, a folder to write to, a bar."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import numpy as np
from rich.console import Console
from rich.progress import Progress as Bar

from wideberth.core.bench import Bench
from wideberth.core.errors import BadBench, BadJob, CannotWrite
from wideberth.core.job import Job, Part, is_job, open_job, with_marked
from wideberth.core.model import MarkKind
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress
from wideberth.core.propose import facing_faces


def with_values(bench: Bench, asked: list[str] | None) -> Bench:
    """A bench with values set as `section.key=value`.

    Raises
    ------
    BadBench : for what is no key, and for values out of range.
    """
    known = {b.key: b.value for b in bench.values()}
    for text in asked or []:
        key, sign, value = (piece.strip() for piece in text.partition("="))
        if not sign or key not in known:
            raise BadBench(f"`{text}` sets no key of a bench.", where="--set", remedy="Write it as print.exposure_s=3.")
        bench = bench.with_value(key, _value(value), "--set")
    return bench


def _value(text: str) -> object:
    """A number where it is one, nothing for `none`, true or false, else the text."""
    if text.lower() in ("none", "true", "false"):
        return {"none": None, "true": True, "false": False}[text.lower()]
    for kind in (int, float):
        try:
            return kind(text)
        except ValueError:
            continue
    return text


SIDES = {
    "right": (1.0, 0.0, 0.0),
    "left": (-1.0, 0.0, 0.0),
    "back": (0.0, 1.0, 0.0),
    "front": (0.0, -1.0, 0.0),
    "top": (0.0, 0.0, 1.0),
    "bottom": (0.0, 0.0, -1.0),
}
"""Where faces look, in the model's own frame."""
USUAL_DEG = 45.0


def with_marks(part: Part, stages: Stages, asked: dict[MarkKind, list[str] | None]) -> Part:
    """A part with faces marked by where they look: `front`, `front:60` for all within 60°, or `X,Y,Z:60`.

    Raises
    ------
    BadJob : for what is no side.
    """
    for kind, sides in asked.items():
        for text in sides or []:
            name, _, degrees = text.partition(":")
            try:
                towards = SIDES[name] if name in SIDES else tuple(float(v) for v in name.split(","))
                most = float(degrees) if degrees else USUAL_DEG
            except ValueError:
                towards, most = (), 0.0
            length = float(np.linalg.norm(towards)) if len(towards) == 3 else 0.0
            if not (np.isfinite(length) and length > 0 and 0 < most <= 180):
                known = ", ".join(SIDES)
                raise BadJob(
                    f"`{text}` is no side.",
                    where="--" + str(kind).split()[-1],
                    remedy=f"Write {known} or X,Y,Z, and :60 for 60°.",
                )
            part = with_marked(part, kind, facing_faces(part, stages, np.array(towards), most))
    return part


def saved_job(path: Path, asked: list[str] | None) -> Job | None:
    """The job that a file holds, with bench values set; None when it is a model.

    Raises
    ------
    BadJob, BadBench, BadModel : see `open_job` and `with_values`.
    """
    if path.suffix.lower() != ".3mf" or not path.is_file() or not is_job(path):
        return None
    job = open_job(path)
    return replace(job, bench=with_values(job.bench, asked))


def made_folder(path: Path) -> Path:
    """A folder, made where it is missing.

    Raises
    ------
    CannotWrite
    """
    try:
        path.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(f"cannot be made ({error.strerror}).", where=str(path)) from error
    return path


@contextmanager
def shown_progress() -> Iterator[Progress]:
    """A progress that is drawn as a bar beside what is printed, and gone when the work is over."""
    with Bar(console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task("", total=1.0)
        yield Progress(lambda share, phrase: bar.update(task, completed=share, description=phrase))


def plate_named(job: Job, name: str) -> str:
    """The id of a plate by its name, "" for the first.

    Raises
    ------
    BadJob : where none or several are called so.
    """
    named = [plate.id for plate in job.plates if plate.name == name]
    if name and len(named) != 1:
        known = ", ".join(plate.name for plate in job.plates)
        raise BadJob(f"{len(named) or 'none'} of its plates is called `{name}`.", where=job.title, remedy=f"There are {known}.")
    return named[0] if name else ""
