"""The job file: a 3MF package that any 3MF reader opens as the plate, with the recipe, bench and sources attached."""

from __future__ import annotations

from pathlib import Path

from wideberth.core.job import Job, attachments_of
from wideberth.core.model import Mesh, packed_3mf
from wideberth.core.predict import Stages, plate_meshes
from wideberth.core.progress import Progress, quiet
from wideberth.core.saving import write_safely


def write_package(
    path: Path, meshes: list[tuple[str, Mesh, str]], attachments: dict[str, bytes], corner_mm: tuple[float, float]
) -> None:
    """Write a 3MF package: first beside the target, then put in its place, so that a stop in the middle loses nothing.

    Parameters
    ----------
    meshes, attachments, corner_mm : see `packed_3mf`.

    Raises
    ------
    CannotWrite : when the folder cannot be written or the disk is full; what stood at `path` is untouched.
    """
    write_safely(path, packed_3mf(meshes, attachments, corner_mm))


def save_job(job: Job, path: Path, stages: Stages, progress: Progress | None = None) -> list[str]:
    """Save a job; returns notes about what the exported meshes could not hold exactly.

    Raises
    ------
    CannotWrite : see `write_package`. BadModel : when a mesh cannot be made. Cancelled : before the file was put in its place;
    once it is there nothing is cancelled any more.
    """
    progress = progress or quiet()
    meshes, notes = plate_meshes(job, stages, progress.part(0, 0.7))
    progress.at(0.75, "writing")
    printer = job.bench.printer
    write_package(path, meshes, attachments_of(job), (printer.plate_x_mm / 2, printer.plate_y_mm / 2))
    return notes
