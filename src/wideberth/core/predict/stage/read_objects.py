"""Read objects: the meshes in a model file's bytes."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.model import Mesh, parse_models
from wideberth.core.progress import Progress


@dataclass(frozen=True)
class Reading:
    """name : for messages. suffix : of the file, with its dot."""

    name: str
    suffix: str
    data: bytes


@dataclass(frozen=True, eq=False)
class ReadObject:
    """One object of a file; see `Source`."""

    name: str
    mesh: Mesh
    notes: tuple[str, ...]
    item: int
    colour: str


def read_objects(of: Reading, progress: Progress) -> tuple[ReadObject, ...]:
    """Every object of the file.

    Raises
    ------
    BadModel : see `parse_models`.
    """
    sources = parse_models(of.name, of.suffix, of.data, progress)
    return tuple(ReadObject(s.name, s.mesh, s.notes, s.item, s.colour) for s in sources)
