"""Layer images as PNGs and back, by their lit box alone: of a screen of many million pixels only a part is ever lit.

Greyscale of one or eight bits, no filter, no interlacing: Portable Network Graphics, W3C recommendation, third edition.
"""

from __future__ import annotations

import struct
import zlib
from dataclasses import dataclass

import numpy as np
from isal import isal_zlib
from numpy.typing import NDArray

SIGNATURE = b"\x89PNG\r\n\x1a\n"
EFFORT = 1
"""Of the compression; more makes layers hardly smaller and takes twenty times as long."""
BITS = 8


@dataclass(frozen=True, eq=False)
class Lit:
    """The pixels within a box of an image of (rows, columns) `shape`, bool or grey uint8; all others are dark. top, left : of the
    box, from the image's upper left corner."""

    pixels: NDArray[np.generic]
    top: int
    left: int
    shape: tuple[int, int]

    @property
    def image(self) -> NDArray[np.generic]:
        """All pixels, of `shape`."""
        whole = np.zeros(self.shape, self.pixels.dtype)
        high, wide = self.pixels.shape
        whole[self.top : self.top + high, self.left : self.left + wide] = self.pixels
        return whole


def dark(shape: tuple[int, int], kind: type = bool) -> Lit:
    """An image with nothing lit."""
    return Lit(np.zeros((0, 0), kind), 0, 0, shape)


def cropped(image: NDArray[np.generic]) -> Lit:
    """An image, (rows, columns), by the box of what is lit."""
    rows, columns = np.flatnonzero(image.any(axis=1)), np.flatnonzero(image.any(axis=0))
    if len(rows) == 0:
        return Lit(image[:0, :0], 0, 0, (image.shape[0], image.shape[1]))
    top, left = int(rows[0]), int(columns[0])
    return Lit(image[top : rows[-1] + 1, left : columns[-1] + 1], top, left, (image.shape[0], image.shape[1]))


def png_of(lit: Lit) -> bytes:
    """An image as a PNG."""
    high, wide = lit.shape
    by_bit = lit.pixels.dtype == np.bool_
    raw = np.zeros((high, 1 + (-(-wide // BITS) if by_bit else wide)), np.uint8)  # each row begins with its filter, none
    if lit.pixels.size:
        first, over = divmod(lit.left, BITS) if by_bit else (lit.left, 0)
        packed = np.packbits(np.pad(lit.pixels, ((0, 0), (over, 0))), axis=1) if by_bit else lit.pixels
        raw[lit.top : lit.top + len(packed), 1 + first : 1 + first + packed.shape[1]] = packed
    head = struct.pack(">IIBBBBB", wide, high, 1 if by_bit else BITS, 0, 0, 0, 0)
    data = isal_zlib.compress(raw.data, EFFORT)
    return SIGNATURE + _chunk(b"IHDR", head) + _chunk(b"IDAT", data) + _chunk(b"IEND", b"")


def _chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(data, zlib.crc32(kind)))


def lit_of(png: bytes) -> Lit:
    """What a PNG that `png_of` made shows, by the box of what is lit.

    Raises
    ------
    ValueError : when it is damaged, or of another kind.
    """
    chunks = _chunks(png)
    if b"IHDR" not in chunks or b"IDAT" not in chunks:
        raise ValueError("chunks are missing")
    wide, high, depth, *rest = struct.unpack(">IIBBBBB", chunks[b"IHDR"])
    row = 1 + (-(-wide // BITS) if depth == 1 else wide)
    if depth not in (1, BITS) or any(rest):
        raise ValueError("another kind of image")
    try:
        raw = np.frombuffer(isal_zlib.decompress(chunks[b"IDAT"], bufsize=high * row), np.uint8)
    except isal_zlib.IsalError as error:  # type: ignore[misc]
        raise ValueError(str(error)) from error
    if len(raw) != high * row:
        raise ValueError("rows are missing")
    rows = raw.reshape(high, row)
    if rows[:, 0].any():
        raise ValueError("filtered rows")
    box = cropped(rows[:, 1:])
    if depth != 1:
        return box
    bits = np.unpackbits(box.pixels, axis=1).astype(bool)  # type: ignore[arg-type]
    lit = cropped(bits)
    return Lit(lit.pixels, box.top + lit.top, BITS * box.left + lit.left, (high, wide))


def _chunks(png: bytes) -> dict[bytes, bytes]:
    """The chunks of a PNG by their kind, each with its sum checked."""
    if not png.startswith(SIGNATURE):
        raise ValueError("no PNG")
    found: dict[bytes, bytes] = {}
    at = len(SIGNATURE)
    while at + 12 <= len(png):
        (size,) = struct.unpack_from(">I", png, at)
        kind, data = png[at + 4 : at + 8], png[at + 8 : at + 8 + size]
        if len(data) < size or png[at + 8 + size : at + 12 + size] != struct.pack(">I", zlib.crc32(data, zlib.crc32(kind))):
            raise ValueError("a chunk is damaged")
        found[kind] = found.get(kind, b"") + data
        at += 12 + size
    return found
