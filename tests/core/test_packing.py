"""Results as bytes: the same again, shared where it was shared, and nothing but what was packed."""

from __future__ import annotations

import json
import zlib

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import as_mesh
from wideberth.core.hollow import Hollowed
from wideberth.core.model import MarkKind, Mesh
from wideberth.core.predict.packing import FORMAT, HEAD, SIZE, packed, unpacked

plain = st.recursive(
    st.none() | st.booleans() | st.integers(-(2**40), 2**40) | st.floats(allow_nan=False) | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=4) | st.tuples(inner, inner) | st.dictionaries(st.integers(), inner, max_size=3),
    max_leaves=12,
)


def written(value: object, known: tuple[object, ...] | list[object] = ()) -> bytes:
    return b"".join(packed(value, known))


@settings(max_examples=60, deadline=None)
@given(value=plain)
def test_plain_values_come_back_as_they_were(value: object) -> None:
    again = unpacked(written(value))
    assert again == value and type(again) is type(value)


def test_dataclasses_arrays_and_enums_come_back_and_what_was_shared_stays_shared() -> None:
    ball = as_mesh(trimesh.creation.icosphere(2, 3.0))
    ball.normals  # noqa: B018 - worked out late, and kept
    held = (Hollowed((ball, ball), 0.25), ball, MarkKind.KEEP_CLEAN, np.arange(6).reshape(2, 3), float("inf"))
    hollowed, mesh, kind, array, far = unpacked(written(held))
    assert hollowed.chambers[0] is hollowed.chambers[1] is mesh
    assert mesh == ball and "normals" in vars(mesh)
    assert (hollowed.step_mm, kind, far) == (0.25, MarkKind.KEEP_CLEAN, float("inf"))
    assert np.array_equal(array, np.arange(6).reshape(2, 3)) and array.dtype == np.arange(6).dtype


def test_arrays_of_any_kind_come_back_and_are_not_copied_to_be_written() -> None:
    square = np.arange(12.0).reshape(3, 4)
    kinds = (square, square.T, square[:, ::2], np.empty((0, 3)), np.array([True, False]), np.zeros((2, 0, 4), np.int32))
    for array, again in zip(kinds, unpacked(written(kinds)), strict=True):
        assert np.array_equal(again, array) and again.dtype == array.dtype and again.shape == array.shape
    assert any(np.shares_memory(np.frombuffer(piece, np.uint8), square) for piece in packed(square))


def test_what_the_reader_knows_is_only_referred_to() -> None:
    ball = as_mesh(trimesh.creation.icosphere(4, 3.0))
    data = written({"ball": ball}, [ball])
    assert len(data) < 2000
    other = as_mesh(trimesh.creation.box((1, 1, 1)))
    assert unpacked(data, [other])["ball"] is other


def test_damage_and_strangers_are_refused() -> None:
    data = written(as_mesh(trimesh.creation.box((1, 1, 1))))
    for bad in (data[:-9], b"WBR0" + data[4:], b"", data[:5], data[:200] + b"x" + data[201:]):
        with pytest.raises(ValueError):
            unpacked(bad)
    with pytest.raises(TypeError):
        written(object())
    with pytest.raises(TypeError):
        written(trimesh.creation.box((1, 1, 1)))


def test_only_dataclasses_of_this_package_are_made() -> None:
    """A file that names anything else is refused before that is touched."""
    for kind in ("os:system", "wideberth.core.saving:write_safely", "wideberth.core.model:Closest"):
        structure = json.dumps([[kind, 0, {}], []]).encode()
        content = SIZE.pack(len(structure)) + structure
        with pytest.raises(ValueError, match="holds a"):
            unpacked(HEAD.pack(FORMAT, zlib.crc32(content)) + content)
    assert isinstance(unpacked(written(Mesh(np.zeros((3, 3)), np.zeros((1, 3), np.int32)))), Mesh)


def test_arrays_come_back_writable_and_in_memory_of_their_own() -> None:
    """Compiled loops take read-only arrays for another kind, and a view would hold on to the whole file."""
    array = unpacked(written(np.arange(10.0)))
    array[0] = 5.0
    assert array.base is None or array.base.nbytes == array.nbytes
