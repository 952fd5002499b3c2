"""STL: binary in one sweep over the bytes, since such files get large; ASCII through the general library.

What the header says is checked, not believed: binary files may begin with `solid`, and counts may lie.
"""

from __future__ import annotations

import io
import struct

import numpy as np

from wideberth.core.errors import BadModel
from wideberth.core.model.mesh import Mesh
from wideberth.core.model.single import in_single
from wideberth.core.model.source import RawMesh
from wideberth.core.progress import Progress

HEADER = 84
RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
CHUNK = 200_000


def is_ascii(data: bytes) -> bool:
    """Whether an STL is text: it begins with `solid`, its length is not what a binary header says, and it has facets."""
    if not data[:512].lstrip().lower().startswith(b"solid"):
        return False
    if len(data) >= HEADER and len(data) == HEADER + RECORD.itemsize * struct.unpack("<I", data[80:84])[0]:
        return False
    return b"facet" in data[:4096].lower() or b"endsolid" in data[-512:].lower()


def read_stl(name: str, where: str, data: bytes, progress: Progress) -> RawMesh:
    """The triangles of an STL file.

    Raises
    ------
    BadModel : when it is cut short, or no STL.
    """
    if is_ascii(data):
        return _ascii(name, where, data)
    if len(data) < HEADER:
        raise BadModel("is too short for an STL.", where=where, remedy="Copy or export it again.")
    count = struct.unpack("<I", data[80:84])[0]
    whole = (len(data) - HEADER) // RECORD.itemsize
    if count > whole:
        raise BadModel(
            f"promises {count:,} triangles but holds {whole:,}: it is cut short, or no STL.",
            where=where,
            kept="Nothing was opened.",
            remedy="Copy or export it again.",
        )
    notes = (f"{whole - count:,} triangles more than its header says were left out",) if count < whole else ()
    records = np.frombuffer(data, RECORD, count, HEADER)
    points = np.empty((3 * count, 3), np.float32)
    for start in range(0, count, CHUNK):
        progress.at(start / count, f"reading {where}")
        piece = records["corners"][start : start + CHUNK]
        points[3 * start : 3 * (start + len(piece))] = piece.reshape(-1, 3)
    return RawMesh(name, points, np.arange(3 * count, dtype=np.int32).reshape(-1, 3), notes)


def _ascii(name: str, where: str, data: bytes) -> RawMesh:
    text = data.lower()
    if b"endsolid" not in text[-4096:]:
        raise BadModel(
            "ends in the middle: `endsolid` is missing, so it was cut short.",
            where=where,
            kept="Nothing was opened.",
            remedy="Copy or export it again.",
        )
    if text.count(b"vertex") % 3:
        raise BadModel("has a facet without three corners.", where=where, remedy="Export it again.")
    solids = text.count(b"endsolid")
    notes = (f"{solids} solids in one file were taken as one part",) if solids > 1 else ()
    from wideberth.core.model.general import read_generally

    return read_generally(name, data, "stl_ascii", notes)


def binary_stl(mesh: Mesh) -> bytes:
    """A mesh as binary STL: 80 bytes of header, a count, 50 bytes a triangle."""
    mesh = in_single(mesh)
    record = np.zeros(mesh.triangles, dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
    record["normal"] = mesh.normals
    record["corners"] = mesh.corners
    out = io.BytesIO()
    out.write(b"Wide Berth plate, millimetres".ljust(80, b" "))
    out.write(np.uint32(mesh.triangles).astype("<u4").tobytes())
    out.write(record.tobytes())
    return out.getvalue()
