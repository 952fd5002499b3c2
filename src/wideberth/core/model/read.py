"""Mesh files in: STL (binary, ASCII), OBJ, PLY and 3MF, in millimetres whatever the file says."""

from __future__ import annotations

import hashlib
import io
import struct
import zipfile
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np
import trimesh

from wideberth.core.errors import BadModel
from wideberth.core.model.mesh import Mesh
from wideberth.core.units import LENGTH_UNITS_MM, MM_PER_INCH

SUFFIXES = (".stl", ".obj", ".ply", ".3mf")
LARGEST_MM = 1e5
LARGEST_UNPACKED_BYTES = 2_000_000_000
UNIT_NAMES = {
    "millimeter": "mm", "millimeters": "mm", "millimetre": "mm", "micron": "µm", "centimeter": "cm", "inch": "in",
    "inches": "in", "foot": "ft", "feet": "ft", "meter": "m", "meters": "m",
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class Source:
    """A model as it came: the file's own bytes are kept, so that a job can give them back unchanged."""

    name: str
    suffix: str
    data: bytes
    mesh: Mesh
    notes: tuple[str, ...] = ()

    @cached_property
    def key(self) -> str:
        """A hash of the file's bytes and kind."""
        return hashlib.blake2b(self.suffix.encode() + self.data, digest_size=16).hexdigest()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Source) and self.key == other.key

    def __hash__(self) -> int:
        return hash(self.key)


def read_model(path: Path | str) -> Source:
    """Read a mesh file.

    Raises
    ------
    BadModel : when the file cannot be read, is no mesh, or holds no triangle with finite corners.
    """
    path = Path(path)
    if path.suffix.lower() not in SUFFIXES:
        raise BadModel(
            f"`{path.suffix or 'no ending'}` is not a mesh format we read.", where=str(path),
            remedy=f"Use one of {', '.join(SUFFIXES)}.",
        )  # fmt: skip
    try:
        data = path.read_bytes()
    except OSError as error:
        raise BadModel(f"cannot be opened ({error.strerror or error}).", where=str(path)) from error
    return parse_model(path.stem, path.suffix.lower(), data)


def parse_model(name: str, suffix: str, data: bytes) -> Source:
    """A `Source` from the bytes of a mesh file; see `read_model`."""
    where = name + suffix
    if not data.strip():
        raise BadModel("the file is empty.", where=where, remedy="Export the model again.")
    notes: list[str] = []
    if suffix == ".stl":
        notes += _check_stl(where, data)
    if suffix == ".3mf":
        _check_zip(where, data)
    try:
        scene = trimesh.load_scene(io.BytesIO(data), file_type=suffix[1:], process=False)
        loaded = scene.to_mesh()
        points, faces = np.asarray(loaded.vertices, np.float64), np.asarray(loaded.faces, np.int64)
    except Exception as error:
        raise BadModel(
            f"cannot be read as {suffix[1:].upper()} ({_brief(error)}).", where=where,
            remedy="The file may be cut short or damaged: copy or export it again.",
        ) from error  # fmt: skip
    if suffix == ".3mf":
        points = points * _unit_factor(scene.units, notes)
    return Source(name, suffix, data, _checked(where, points, faces, notes), tuple(notes))


def _brief(error: Exception) -> str:
    text = str(error).splitlines()[0] if str(error) else type(error).__name__
    return text[:120]


def _check_stl(where: str, data: bytes) -> list[str]:
    """Notes on a binary STL whose header does not match its length; error when it is cut short."""
    looks_ascii = data[:512].lstrip().lower().startswith(b"solid") and b"facet" in data[:2048].lower()
    if looks_ascii:
        return []
    if len(data) < 84:
        raise BadModel("is too short for an STL.", where=where, remedy="Copy or export it again.")
    count = struct.unpack("<I", data[80:84])[0]
    whole = (len(data) - 84) // 50
    if count > whole:
        raise BadModel(
            f"promises {count:,} triangles but holds {whole:,}: it is cut short, or no STL.", where=where,
            kept="Nothing was opened.", remedy="Copy or export it again.",
        )  # fmt: skip
    return [f"{whole - count:,} triangles more than its header says were left out"] if count < whole else []


def _check_zip(where: str, data: bytes) -> None:
    """Refuse a package that is no zip, or that would unpack to more than 2 GB."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as package:
            size = sum(info.file_size for info in package.infolist())
    except zipfile.BadZipFile as error:
        raise BadModel("is no 3MF package (a zip is expected).", where=where) from error
    if size > LARGEST_UNPACKED_BYTES:
        raise BadModel(f"would unpack to {size / 1e9:.1f} GB and was not opened.", where=where)


def _unit_factor(units: str | None, notes: list[str]) -> float:
    name = UNIT_NAMES.get(str(units or "millimeter").lower(), str(units))
    factor = LENGTH_UNITS_MM.get(name, 304.8 if name == "ft" else 0.0)
    if factor == 0.0:
        notes.append(f"unknown unit `{units}` taken as mm")
        return 1.0
    if factor != 1.0:
        notes.append(f"converted from {name} to mm")
    return factor


def _welded(points: np.ndarray, faces: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Corners at equal places as one; those that no triangle uses are left out."""
    corners = points[faces].reshape(-1, 3) + 0.0  # also turns -0.0 into 0.0
    bits = np.ascontiguousarray(corners).view(np.uint64)
    mixed = bits[:, 0] * np.uint64(0x9E3779B97F4A7C15)
    for axis, odd in ((1, np.uint64(0xC2B2AE3D27D4EB4F)), (2, np.uint64(0x165667B19E3779F9))):
        mixed = (mixed ^ (mixed >> np.uint64(29))) * odd + bits[:, axis]
    _, first, index = np.unique(mixed, return_index=True, return_inverse=True)
    distinct = corners[first]
    if not (distinct[index] == corners).all():  # two places with one hash: rare, so the slow way
        distinct, index = np.unique(corners, axis=0, return_inverse=True)
    return distinct, index.reshape(-1, 3)


def _checked(where: str, points: np.ndarray, faces: np.ndarray, notes: list[str]) -> Mesh:
    """Weld equal corners and drop what cannot be a triangle, noting both."""
    if len(faces) == 0:
        raise BadModel("holds no triangle.", where=where, remedy="Export it as a mesh, not as points or lines.")
    if faces.min() < 0 or faces.max() >= len(points):
        raise BadModel("names corners that are not in the file.", where=where, remedy="Export it again.")
    finite = np.isfinite(points).all(axis=1)[faces].all(axis=1)
    if not finite.all():
        notes.append(f"{(~finite).sum():,} triangles with corners at no finite place were left out")
        faces = faces[finite]
        if len(faces) == 0:
            raise BadModel("has no triangle at a finite place.", where=where)
    used = points[np.unique(faces)]
    if np.abs(used).max() > LARGEST_MM:
        raise BadModel(
            f"reaches {np.abs(used).max():.3g} mm from its origin, over {LARGEST_MM / 1000:.0f} m.", where=where,
            remedy="Check the unit it was exported in and move it to the origin.",
        )  # fmt: skip
    distinct, faces = _welded(points, faces)
    whole = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    if not whole.all():
        notes.append(f"{(~whole).sum():,} triangles without area were left out")
    if not whole.any():
        raise BadModel("holds no triangle with an area.", where=where)
    mesh = Mesh(np.ascontiguousarray(distinct), np.ascontiguousarray(faces[whole], dtype=np.int32))
    if not mesh.watertight:
        odd = int((mesh.edge_uses % 2 != 0).sum())
        notes.append(f"not watertight: {odd:,} open edges; rows that do not close are mended and counted")
    elif mesh.volume_mm3 < 0:
        notes.append("inside out: faces turned round")
        mesh = Mesh(mesh.points, mesh.faces[:, ::-1].copy())
    largest = float(mesh.extents_mm.max())
    if largest < 5:
        notes.append(f"only {largest:.2f} mm long: in inches it would be {largest * MM_PER_INCH:.1f} mm")
    return mesh
