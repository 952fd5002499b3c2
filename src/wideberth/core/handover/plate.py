"""The prepared plate out, as 3MF or STL, read back and compared with the prediction."""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path

from wideberth.core.errors import BadJob
from wideberth.core.handover.compare import compare_plate
from wideberth.core.model import binary_stl, joined, packed_3mf
from wideberth.core.predict import Prediction, Stages, plate_meshes
from wideberth.core.progress import Progress, quiet
from wideberth.core.saving import written_beside


def write_plate(
    prediction: Prediction, path: Path, stages: Stages, progress: Progress | None = None, apart: bool = False
) -> list[str]:
    """Write the prepared meshes, supports included; the ending of `path` says which format.

    Returns notes about what the meshes could not hold exactly. x and y count from the plate's corner in 3MF, as that
    format wants, and from its centre in STL. apart : supports in an STL of their own, `<name>-supports.stl`; in 3MF they are
    objects of their own in any case.

    Notes
    -----
    What stands on disk is read by another library, and its box, volume and sections are compared with the prediction.
    Where a note says that a mesh could not hold everything, they cannot agree and are not compared.

    Raises
    ------
    BadJob : for another ending. CannotWrite : when the file cannot be written, or holds something else than was predicted.
    """
    progress = progress or quiet()
    job, kind = prediction.job, path.suffix.lower()
    if kind not in (".3mf", ".stl"):
        raise BadJob(f"`{path.suffix}` is no format for a plate.", where=str(path), remedy="Use .3mf or .stl.")
    meshes, notes = plate_meshes(job, stages, progress.part(0, 0.6), prediction.plate)
    printer = job.bench.printer
    corner = (printer.plate_x_mm / 2, printer.plate_y_mm / 2) if kind == ".3mf" else (0.0, 0.0)
    progress.at(0.6, "writing")
    files: dict[Path, bytes] = {}
    if kind == ".3mf":
        files[path] = packed_3mf(meshes, {}, corner)
    else:
        parts, supports = ([mesh for _, mesh, kind in meshes if (kind == "support") is own] for own in (False, True))
        files[path] = binary_stl(joined(parts if apart else parts + supports))
        if apart and supports:
            files[path.with_stem(f"{path.stem}-supports")] = binary_stl(joined(supports))
    with ExitStack() as written:
        temporaries = [written.enter_context(written_beside(file)) for file in files]
        for temporary, content in zip(temporaries, files.values(), strict=True):
            temporary.write_bytes(content)
        progress.at(0.75, "comparing with the prediction")
        if not notes:
            compare_plate(temporaries, corner, prediction, path)
    progress.at(1.0, "written and compared")
    return notes
