"""Mesh files in: STL (binary, ASCII), OBJ, PLY and 3MF, one by one or in a zip; in millimetres whatever the file says."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from wideberth.core.errors import BadModel, Cancelled
from wideberth.core.model.package import check_package, zip_members
from wideberth.core.model.source import RawMesh, Source, checked_mesh
from wideberth.core.model.stl import read_stl
from wideberth.core.progress import Progress, quiet

SUFFIXES = (".stl", ".obj", ".ply", ".3mf")
PACKED = (*SUFFIXES, ".zip")
LARGEST_FILE_BYTES = 4_000_000_000
BLANK_BYTES = 1 << 16


def read_models(path: Path | str, progress: Progress | None = None) -> tuple[Source, ...]:
    """Every model in a file: one for most, several for a 3MF package with several objects or for a zip.

    Raises
    ------
    BadModel : when the file cannot be read, is no mesh, or holds no triangle with finite corners.
    Cancelled : when the progress is cancelled.
    """
    path = Path(path)
    progress = progress or quiet()
    if path.suffix.lower() not in PACKED:
        raise BadModel(
            f"`{path.suffix or 'no ending'}` is not a mesh format we read.",
            where=str(path),
            remedy=f"Use one of {', '.join(PACKED)}.",
        )
    try:
        if path.is_file() and path.stat().st_size > LARGEST_FILE_BYTES:
            raise BadModel(f"is larger than {LARGEST_FILE_BYTES / 1e9:g} GB.", where=str(path), remedy="Decimate it first.")
        data = path.read_bytes()
    except OSError as error:
        raise BadModel(f"cannot be opened ({error.strerror or error}).", where=str(path)) from error
    return parse_models(path.stem, path.suffix.lower(), data, progress)


def read_model(path: Path | str) -> Source:
    """The one model of a file, or the first of several; see `read_models`."""
    return read_models(path)[0]


def parse_models(name: str, suffix: str, data: bytes, progress: Progress | None = None) -> tuple[Source, ...]:
    """Every model in the bytes of a file; see `read_models`.

    Raises
    ------
    BadModel : when there is none that can be read. Cancelled : when the progress is cancelled.
    """
    progress = progress or quiet()
    where = name + suffix
    if suffix not in PACKED:
        raise BadModel(f"`{suffix}` is no mesh format that we read.", where=where, remedy=f"Use one of {', '.join(PACKED)}.")
    if not data[:BLANK_BYTES].strip(b" \t\r\n\0") and not data[BLANK_BYTES:].strip(b" \t\r\n\0"):
        raise BadModel("the file is empty.", where=where, remedy="Export the model again.")
    if suffix == ".zip":
        return _from_zip(where, data, progress)
    raws = _read(name, suffix, where, data, progress.part(0, 0.5))
    sources = []
    for item, raw in enumerate(raws):
        notes = list(raw.notes)
        mesh = checked_mesh(where, raw, notes, progress.part(0.5 + 0.5 * item / len(raws), 0.5 + 0.5 * (item + 1) / len(raws)))
        source = Source(raw.name, suffix, data, mesh, tuple(notes), item, raw.colour)
        _ = source.file_key
        sources.append(source)
    return tuple(sources)


def parse_model(name: str, suffix: str, data: bytes, item: int = 0) -> Source:
    """One model from the bytes of a file; see `read_models`.

    Raises
    ------
    BadModel : as `parse_models`, and for an object that the file does not hold.
    """
    sources = parse_models(name, suffix, data)
    if item >= len(sources):
        raise BadModel(f"holds {len(sources)} objects, not {item + 1}.", where=name + suffix)
    return sources[item] if len(sources) > 1 else sources[item].named(name)


def _from_zip(where: str, data: bytes, progress: Progress) -> tuple[Source, ...]:
    """All models of a zip. One that cannot be read refuses the whole, by its name."""
    check_package(where, data, progress.part(0, 0.1))
    sources: list[Source] = []
    for number, (name, suffix, content) in enumerate(zip_members(where, data, SUFFIXES)):
        share = progress.part(1 - 0.9 * 0.8**number, 1 - 0.9 * 0.8 ** (number + 1))  # how many come is not known
        try:
            read = parse_models(name, suffix, content, share)
        except BadModel as error:
            raise BadModel(
                error.what, where=f"{name}{suffix} in {where}", kept="Nothing was opened.", remedy=error.remedy
            ) from error
        sources += [replace(s, notes=(*s.notes, f"from {where}")) for s in read]
    return tuple(sources)


def _read(name: str, suffix: str, where: str, data: bytes, progress: Progress) -> list[RawMesh]:
    """What the file's own format gives."""
    if suffix == ".3mf":
        from wideberth.core.model.threemf import read_3mf  # its library is slow to load

        check_package(where, data, progress.part(0, 0.3))
        return read_3mf(name, where, data, progress.part(0.3, 1))
    try:
        if suffix == ".stl":
            return [read_stl(name, where, data, progress)]
        progress.at(0.1, f"reading {where}")
        from wideberth.core.model.general import read_generally

        return [read_generally(name, data, suffix[1:])]
    except (BadModel, Cancelled):
        raise
    except Exception as error:
        raise BadModel(
            f"cannot be read as {suffix[1:].upper()} ({_brief(error)}).",
            where=where,
            remedy="The file may be cut short or damaged: copy or export it again.",
        ) from error


def _brief(error: Exception) -> str:
    text = str(error).splitlines()[0] if str(error) else type(error).__name__
    return text[:120]
