"""Results as bytes: arrays and JSON, with a checksum; no code is kept and none is carried out.

What is packed are dataclasses of this package, arrays, tuples, lists, dictionaries, enums, texts and numbers. What several share
stays shared. What a dataclass worked out late and kept (its cached properties) goes along, where that can be packed.
"""

from __future__ import annotations

import importlib
import json
import math
import struct
import zlib
from collections.abc import Sequence
from dataclasses import fields, is_dataclass
from enum import Enum
from typing import Any

import numpy as np

FORMAT = b"WBR1"
HEAD, SIZE = struct.Struct("<4sI"), struct.Struct("<Q")
"""Format and checksum; length of the structure."""
OURS = "wideberth.core."
Piece = bytes | memoryview
PLAIN = (str, int, float, bool, type(None))


def packed(value: Any, known: Sequence[Any] = ()) -> list[Piece]:
    """A value as bytes, in pieces to be written one after the other: the format and a checksum over all that follows, the
    structure, then its arrays as they are, not copied.

    Parameters
    ----------
    known : objects that are not packed, only referred to; the same ones are given to `unpacked`.

    Raises
    ------
    TypeError : for what cannot be packed.
    """
    packing = _Packing(known)
    coded = packing.coded(value)
    arrays = [np.ascontiguousarray(a) for a in packing.arrays]
    told = [[a.dtype.str, list(a.shape)] for a in arrays]
    structure = json.dumps([coded, told]).encode()
    content: list[Piece] = [SIZE.pack(len(structure)), structure, *(a.reshape(-1).view(np.uint8).data for a in arrays)]
    checksum = 0
    for piece in content:
        checksum = zlib.crc32(piece, checksum)
    return [HEAD.pack(FORMAT, checksum), *content]


def unpacked(data: bytes, known: Sequence[Any] = ()) -> Any:
    """A value from its bytes.

    Raises
    ------
    ValueError : when they are damaged, of another format, or hold something else.
    """
    try:
        return _unpacked(data, known)
    except (LookupError, TypeError, AttributeError, ArithmeticError, RecursionError, MemoryError) as error:
        raise ValueError(f"it is not what was packed ({type(error).__name__})") from error


def _unpacked(data: bytes, known: Sequence[Any]) -> Any:
    if len(data) < HEAD.size + SIZE.size:
        raise ValueError("it is cut short")
    form, checksum = HEAD.unpack_from(data)
    content = memoryview(data)[HEAD.size :]
    if form != FORMAT or checksum != zlib.crc32(content):
        raise ValueError("it is damaged or of another format")
    (length,) = SIZE.unpack_from(content)
    at = SIZE.size + length
    coded, told = json.loads(bytes(content[SIZE.size : at]))
    arrays = []
    for kind, shape in told:
        dtype = np.dtype(kind)
        if dtype.hasobject:
            raise ValueError("it holds objects")
        count = math.prod(shape)
        arrays.append(np.frombuffer(content, dtype, count, at).reshape(shape).copy())  # its own memory, and writable
        at += count * dtype.itemsize
    return _Unpacking(arrays, known).value(coded)


class _Packing:
    """Codes values; each object is coded once and referred to from then on."""

    def __init__(self, known: Sequence[Any]) -> None:
        self.arrays: list[np.ndarray] = []
        self._seen: dict[int, Any] = {id(k): ["known", n] for n, k in enumerate(known)}
        self._held: list[Any] = list(known)

    def coded(self, value: Any) -> Any:
        """A value as JSON can hold it."""
        if isinstance(value, np.generic):
            value = value.item()
        if type(value) in PLAIN:
            return value
        if id(value) in self._seen:
            return self._seen[id(value)]
        if isinstance(value, np.ndarray):
            self.arrays.append(value)
            return self._note(value, ["array", len(self.arrays) - 1])
        if isinstance(value, Enum):
            return ["enum", _kind(type(value)), value.value]
        if type(value) in (tuple, list):
            return self._object(value, "tuple" if type(value) is tuple else "list", [self.coded(v) for v in value])
        if type(value) is dict:
            return self._object(value, "dict", [[self.coded(k), self.coded(v)] for k, v in value.items()])
        if is_dataclass(value) and not isinstance(value, type) and type(value).__module__.startswith(OURS):
            return self._object(value, _kind(type(value)), self._attributes(value))
        raise TypeError(f"{type(value).__name__} cannot be packed")

    def _attributes(self, value: Any) -> dict[str, Any]:
        """Fields of a dataclass, and what else it keeps as far as that can be packed."""
        own = {f.name for f in fields(value)}
        coded = {name: self.coded(getattr(value, name)) for name in own}
        for name, kept in vars(value).items():
            if name not in own:
                try:
                    coded[name] = self.coded(kept)
                except TypeError:
                    continue
        return coded

    def _object(self, value: Any, kind: str, content: Any) -> Any:
        number = len(self._held)
        self._note(value, ["same", number])
        return [kind, number, content]

    def _note(self, value: Any, reference: Any) -> Any:
        self._held.append(value)  # so that no other object gets its id meanwhile
        self._seen[id(value)] = reference
        return reference


class _Unpacking:
    """Makes values from what `_Packing` coded."""

    def __init__(self, arrays: list[np.ndarray], known: Sequence[Any]) -> None:
        self._arrays, self._known = arrays, known
        self._made: dict[int, Any] = {}

    def value(self, coded: Any) -> Any:
        if not isinstance(coded, list):
            return coded
        kind = coded[0]
        if kind == "known":
            return self._known[coded[1]]
        if kind == "array":
            return self._arrays[coded[1]]
        if kind == "same":
            return self._made[coded[1]]
        if kind == "enum":
            return _class_of(coded[1], Enum)(coded[2])
        made = self._object(kind, coded[2])
        self._made[coded[1]] = made
        return made

    def _object(self, kind: str, content: Any) -> Any:
        if kind == "tuple":
            return tuple(self.value(v) for v in content)
        if kind == "list":
            return [self.value(v) for v in content]
        if kind == "dict":
            return {self.value(k): self.value(v) for k, v in content}
        made_of = _class_of(kind, None)
        if not is_dataclass(made_of):
            raise ValueError(f"it holds a {kind}")
        made: Any = object.__new__(made_of)  # type: ignore[arg-type]
        made.__dict__.update({name: self.value(v) for name, v in content.items()})
        return made


def _kind(of: type) -> str:
    return f"{of.__module__}:{of.__qualname__}"


def _class_of(kind: str, base: type | None) -> Any:
    """A class of this package by its module and name.

    Raises
    ------
    ValueError : for anything else.
    """
    module, _, name = kind.partition(":")
    if module.startswith(OURS):
        known = getattr(importlib.import_module(module), name, None)
        if isinstance(known, type) and (base is None or issubclass(known, base)):
            return known
    raise ValueError(f"it holds a {kind}")
