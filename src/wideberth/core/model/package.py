"""Packages that are zips: what is inside, and how large it may grow when unpacked."""

from __future__ import annotations

import io
import lzma
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import groupby
from operator import itemgetter
from pathlib import PurePosixPath

from wideberth.core.errors import BadModel
from wideberth.core.model.mesh import Mesh
from wideberth.core.progress import Progress

LARGEST_UNPACKED_BYTES = 2_000_000_000
MOST_MEMBERS = 500
MOST_TIMES_PACKED, WORTH_A_LOOK_BYTES = 200, 50_000_000
"""Text of triangles packs ten to thirty times."""
PIECE = 1 << 20


def check_package(where: str, data: bytes, progress: Progress | None = None) -> None:
    """Refuse what is no zip, is damaged, or unpacks to more than 2 GB, whatever its directory says.

    Raises
    ------
    BadModel : with what is wrong.
    """
    with _opened(where, data) as package:
        for _ in _pieces(where, package, package.infolist()):
            if progress is not None:
                progress.at(0.5, f"checking {where}")


def members_under(where: str, data: bytes, folder: str) -> Iterator[tuple[str, bytes]]:
    """Path and bytes of each member of a package that lies in a folder of it; the others are not unpacked.

    Raises
    ------
    BadModel : when it is no zip, is damaged, or these unpack to more than 2 GB.
    """
    with _opened(where, data) as package:
        inside = [i for i in package.infolist() if i.filename.startswith(folder)]
        for name, pieces in groupby(_pieces(where, package, inside), key=itemgetter(0)):
            yield name, b"".join(piece for _, piece in pieces)


@contextmanager
def _opened(where: str, data: bytes) -> Iterator[zipfile.ZipFile]:
    """A zip to read from; whatever is wrong with it comes out as one error."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as package:
            yield package
    # RuntimeError: a member is encrypted, or packed in a way that zipfile does not know
    except (zipfile.BadZipFile, zlib.error, lzma.LZMAError, RuntimeError, EOFError, OSError, ValueError) as error:
        raise BadModel(
            f"is damaged, or no zip package ({error}).",
            where=where,
            kept="Nothing was opened.",
            remedy="Copy or export it again.",
        ) from error


def _pieces(where: str, package: zipfile.ZipFile, infos: list[zipfile.ZipInfo]) -> Iterator[tuple[str, bytes]]:
    """Members piece by piece, each with its path, so that one that lies about its size is found out early."""
    whole, packed = sum(info.file_size for info in infos), sum(info.compress_size for info in infos)
    if whole > LARGEST_UNPACKED_BYTES:
        raise _bomb(where)
    if whole > WORTH_A_LOOK_BYTES and whole > MOST_TIMES_PACKED * packed:
        raise BadModel(f"unpacks to {whole / max(packed, 1):,.0f} times its size: no model does.", where=where)
    size = 0
    for info in infos:
        with package.open(info) as member:
            while piece := member.read(PIECE):
                size += len(piece)
                if size > LARGEST_UNPACKED_BYTES:
                    raise _bomb(where)
                yield info.filename, piece


def _bomb(where: str) -> BadModel:
    return BadModel(f"would unpack to more than {LARGEST_UNPACKED_BYTES / 1e9:g} GB and was not opened.", where=where)


def zip_members(where: str, data: bytes, suffixes: tuple[str, ...]) -> Iterator[tuple[str, str, bytes]]:
    """Name, suffix and bytes of each model in a zip; other files are passed over.

    Raises
    ------
    BadModel : when there are over 500 models, or none.
    """
    with zipfile.ZipFile(io.BytesIO(data)) as package:
        named = [(info, PurePosixPath(info.filename)) for info in package.infolist() if not info.is_dir()]
        wanted = [(info, n) for info, n in named if n.suffix.lower() in suffixes and not _is_hidden(n)]
        if not wanted:
            raise BadModel("holds no model that we read.", where=where, remedy=f"We read {', '.join(suffixes)}.")
        if len(wanted) > MOST_MEMBERS:
            raise BadModel(f"holds {len(wanted):,} models; {MOST_MEMBERS} is the most.", where=where)
        for info, name in wanted:
            yield name.stem, name.suffix.lower(), package.read(info)


def _is_hidden(name: PurePosixPath) -> bool:
    """Whether an operating system put it there for itself."""
    return any(p == "__MACOSX" or (p.startswith(".") and p != "..") for p in name.parts)


def packed_3mf(meshes: list[tuple[str, Mesh, str]], attachments: dict[str, bytes], corner_mm: tuple[float, float]) -> bytes:
    """A 3MF package of meshes and whatever is attached to it; see `threemf.written_3mf`."""
    from wideberth.core.model.threemf import written_3mf  # its library is slow to load: not at the start

    return written_3mf(meshes, attachments, corner_mm)
