"""A model as it came: its file's bytes, which of the file's objects it is, and its mesh."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from wideberth.core.errors import BadModel
from wideberth.core.model.mesh import Mesh
from wideberth.core.model.topology import welded
from wideberth.core.progress import Progress, quiet

LARGEST_MM = 1e5
MOST_TRIANGLES = 50_000_000


@dataclass(frozen=True, eq=False)
class Source:
    """A model as it came: the file's own bytes are kept, so that a job can give them back unchanged.

    item : which of the file's objects, from 0. colour : `#rrggbb` that the file gives it, or "".
    """

    name: str
    suffix: str
    data: bytes
    mesh: Mesh
    notes: tuple[str, ...] = ()
    item: int = 0
    colour: str = ""

    @cached_property
    def file_key(self) -> str:
        """A hash of the file's bytes and kind."""
        return hashlib.blake2b(self.suffix.encode() + self.data, digest_size=16).hexdigest()

    @property
    def key(self) -> str:
        """A hash of the file and the object in it."""
        return f"{self.file_key}.{self.item}"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Source) and self.key == other.key

    def __hash__(self) -> int:
        return hash(self.key)

    def named(self, name: str) -> Source:
        return replace(self, name=name)


@dataclass(frozen=True, eq=False)
class RawMesh:
    """What a reader hands over: corners in millimetres, faces, and what it had to say."""

    name: str
    points: np.ndarray
    faces: np.ndarray
    notes: tuple[str, ...] = ()
    colour: str = ""


def checked_mesh(where: str, raw: RawMesh, notes: list[str], progress: Progress | None = None) -> Mesh:
    """A mesh with equal corners welded, without what cannot be a triangle; both are noted.

    Raises
    ------
    BadModel : when nothing is left, corners are missing, or it reaches over 100 m.
    """
    progress = progress or quiet()
    points, faces = raw.points, raw.faces
    if len(faces) == 0:
        raise BadModel("holds no triangle.", where=where, remedy="Export it as a mesh, not as points or lines.")
    if len(faces) > MOST_TRIANGLES:
        raise BadModel(
            f"holds {len(faces):,} triangles; {MOST_TRIANGLES:,} is the most.", where=where, remedy="Decimate it first."
        )
    if points.shape[1:] != (3,) or faces.shape[1:] != (3,):
        raise BadModel("has corners that are not three numbers each.", where=where, remedy="Export it again.")
    if faces.min() < 0 or faces.max() >= len(points):
        raise BadModel("names corners that are not in the file.", where=where, remedy="Export it again.")
    finite_points = np.isfinite(points).all(axis=1)
    if not finite_points.all():
        finite = finite_points[faces].all(axis=1)
        notes.append(f"{(~finite).sum():,} triangles with corners at no finite place were left out")
        faces = faces[finite]
        if len(faces) == 0:
            raise BadModel("has no triangle at a finite place.", where=where)
    used = np.zeros(len(points), bool)
    used[faces] = True
    taken = points if used.all() else points[used]
    reach = float(max(taken.max(), -taken.min()))
    if reach > LARGEST_MM:
        raise BadModel(
            f"reaches {reach:.3g} mm from its origin, over {LARGEST_MM / 1000:.0f} m.",
            where=where,
            remedy="Check the unit it was exported in and move it to the origin.",
        )
    distinct, index = welded(points, faces, progress)
    whole = (index[:, 0] != index[:, 1]) & (index[:, 1] != index[:, 2]) & (index[:, 2] != index[:, 0])
    if not whole.all():
        notes.append(f"{(~whole).sum():,} triangles without area were left out")
        index = index[whole]
    if len(index) == 0:
        raise BadModel("holds no triangle with an area.", where=where)
    mesh = Mesh(distinct, np.ascontiguousarray(index))
    if not (mesh.extents_mm > 0).sum() >= 2:
        raise BadModel("holds no triangle with an area.", where=where)
    progress.at(0.9, "looking at edges")
    _ = mesh.topology, mesh.volume_mm3  # wanted at once by whoever opens it, and better found here than in the window
    progress.at(1.0, "joining corners")
    return mesh
