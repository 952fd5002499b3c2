"""The prepared plate out, as 3MF or STL."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np

from wideberth.core.errors import BadJob
from wideberth.core.job import Job, Stages, plate_meshes, write_package
from wideberth.core.model import Mesh, joined
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


def binary_stl(mesh: Mesh) -> bytes:
    """A mesh as binary STL: 80 bytes of header, a count, 50 bytes a triangle."""
    record = np.zeros(mesh.triangles, dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
    record["normal"] = mesh.normals
    record["corners"] = mesh.corners
    out = io.BytesIO()
    out.write(b"Wide Berth plate, millimetres".ljust(80, b" "))
    out.write(np.uint32(mesh.triangles).astype("<u4").tobytes())
    out.write(record.tobytes())
    return out.getvalue()
