"""The cache's twin on disk: results that take long, kept between sessions, so that what was computed once opens at once.

A cache in the user's own cache folder: it may be deleted any time. Each file holds arrays and JSON, no code, with a checksum over
all of it; one that does not match, or was kept by another version of the program, counts as not there.
"""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from contextlib import suppress
from dataclasses import fields, is_dataclass
from enum import Enum
from pathlib import Path
from typing import Any

import numpy as np

from wideberth.core.errors import CannotWrite
from wideberth.core.hollow import Bars, Gussets, Hollowed
from wideberth.core.model import Mesh, Sound
from wideberth.core.predict.program import cache_folder, program_hash
from wideberth.core.saving import write_safely

FORMAT = 1
KEPT_STAGES = ("sound", "hollowed", "gussets", "lattice", "lightened")
"""Stages that are worth a file."""
MOST_FILES = 160
MOST_BYTES = 400_000_000
CODED: dict[str, type] = {c.__name__: c for c in (Mesh, Sound, Hollowed, Gussets, Bars)}
"""What a result may be made of, beside arrays, tuples, texts and numbers."""
NOTHING = object()
"""What `find` gives for a result that is not kept: a result may be None."""


class Disk:
    """A folder of results, each under a hash of its stage, its input and the program; the oldest of many are thrown away."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or cache_folder() / "stages"

    def find(self, stage: str, of: Any) -> Any:
        """The result of a stage as it was kept; `NOTHING` when it was not, or cannot be read."""
        path = self._file(stage, of)
        if path is None:
            return NOTHING
        with suppress(OSError, ValueError, KeyError, TypeError, EOFError, zipfile.BadZipFile):
            result = unpacked(path.read_bytes())
            path.touch()
            return result
        return NOTHING

    def keep(self, stage: str, of: Any, result: Any) -> None:
        """Keep the result of a stage that is worth it. A disk that is full or not writable is no one's trouble."""
        path = self._file(stage, of)
        if path is None:
            return
        with suppress(OSError, CannotWrite, TypeError):
            content = packed(result)
            self._folder.mkdir(parents=True, exist_ok=True)
            write_safely(path, content)
            self._tidy()

    def _file(self, stage: str, of: Any) -> Path | None:
        """Where a result is kept, or would be; None for what is not worth it or has no lasting name."""
        if stage not in KEPT_STAGES:
            return None
        with suppress(TypeError):
            digest = hashlib.blake2b(f"{FORMAT} {program_hash()} {stage} ".encode(), digest_size=16)
            _name(of, digest.update)
            return self._folder / f"{stage}-{digest.hexdigest()}.bin"
        return None

    def _tidy(self) -> None:
        """Throw away the longest unused files beyond what is allowed."""
        files = sorted(((f, f.stat()) for f in self._folder.glob("*.bin")), key=lambda f: -f[1].st_mtime)
        total = 0
        for number, (file, stat) in enumerate(files):
            total += stat.st_size
            if number and (number >= MOST_FILES or total > MOST_BYTES):
                file.unlink(missing_ok=True)


def _name(value: Any, told: Callable[[bytes], None]) -> None:
    """Tell a value's content to a hash, the same in every session.

    Raises
    ------
    TypeError : for a value that has no lasting content.
    """
    if isinstance(value, Mesh):
        told(value.fingerprint.encode())
    elif is_dataclass(value) and not isinstance(value, type):
        told(type(value).__name__.encode())
        for field in fields(value):
            _name(getattr(value, field.name), told)
    elif isinstance(value, tuple):
        told(f"({len(value)}".encode())
        for item in value:
            _name(item, told)
    elif value is None or isinstance(value, (str, int, float, bool, Enum)):
        told(f"{value!r};".encode())
    else:
        raise TypeError(f"{type(value).__name__} has no lasting name")


# results as bytes


def packed(result: Any) -> bytes:
    """A result as bytes: a line with the format and a checksum, then its arrays and its structure.

    Raises
    ------
    TypeError : for what cannot be kept.
    """
    arrays: list[np.ndarray] = []
    structure = json.dumps(_coded(result, arrays)).encode()
    out = io.BytesIO()
    named: dict[str, Any] = {f"a{n}": a for n, a in enumerate(arrays)}
    np.savez(out, structure=np.frombuffer(structure, np.uint8), **named)
    content = out.getvalue()
    head = {"format": FORMAT, "digest": hashlib.blake2b(content, digest_size=16).hexdigest()}
    return json.dumps(head).encode() + b"\n" + content


def unpacked(data: bytes) -> Any:
    """A result from its bytes.

    Raises
    ------
    ValueError : when they are damaged or of another format. KeyError, TypeError : when they hold something else.
    """
    line, _, content = data.partition(b"\n")
    head = json.loads(line)
    if head != {"format": FORMAT, "digest": hashlib.blake2b(content, digest_size=16).hexdigest()}:
        raise ValueError("a kept result is damaged or of another format")
    with np.load(io.BytesIO(content), allow_pickle=False) as kept:
        arrays = {name: kept[name] for name in kept.files}
    return _decoded(json.loads(arrays["structure"].tobytes()), arrays)


def _coded(value: Any, arrays: list[np.ndarray]) -> Any:
    if isinstance(value, np.ndarray):
        arrays.append(value)
        return {"array": f"a{len(arrays) - 1}"}
    if isinstance(value, tuple):
        return {"tuple": [_coded(item, arrays) for item in value]}
    if type(value) in CODED.values() and is_dataclass(value):
        return {type(value).__name__: {f.name: _coded(getattr(value, f.name), arrays) for f in fields(value)}}
    if isinstance(value, np.generic):
        return value.item()
    if value is None or isinstance(value, (str, int, float, bool)):
        return value
    raise TypeError(f"{type(value).__name__} cannot be kept")


def _decoded(coded: Any, arrays: dict[str, np.ndarray]) -> Any:
    if not isinstance(coded, dict):
        return coded
    ((kind, content),) = coded.items()
    if kind == "array":
        return arrays[content]
    if kind == "tuple":
        return tuple(_decoded(item, arrays) for item in content)
    return CODED[kind](**{name: _decoded(item, arrays) for name, item in content.items()})
