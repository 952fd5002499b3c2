"""The prepared plate out, as 3MF or STL."""

from __future__ import annotations

from pathlib import Path

from wideberth.core.errors import BadJob
from wideberth.core.job import Job, Stages, plate_meshes, write_package
from wideberth.core.model import binary_stl, joined
from wideberth.core.progress import Progress
from wideberth.core.saving import write_safely


def write_plate(job: Job, path: Path, stages: Stages, progress: Progress | None = None) -> list[str]:
    """Write the prepared meshes, supports included; the ending of `path` says which format.

    Returns notes about what the meshes could not hold exactly. x and y count from the plate's corner in 3MF, as that
    format wants, and from its centre in STL.

    Raises
    ------
    BadJob : for another ending. CannotWrite : when the file cannot be written.
    """
    meshes, notes = plate_meshes(job, stages, progress)
    if path.suffix.lower() == ".3mf":
        printer = job.bench.printer
        write_package(path, meshes, {}, (printer.plate_x_mm / 2, printer.plate_y_mm / 2))
    elif path.suffix.lower() == ".stl":
        write_safely(path, binary_stl(joined([mesh for _, mesh, _ in meshes])))
    else:
        raise BadJob(f"`{path.suffix}` is no format for a plate.", where=str(path), remedy="Use .3mf or .stl.")
    return notes
