"""Simulated memory sticks: a sound one, one that drops bytes, one that is smaller than it says, one that is pulled out."""

from __future__ import annotations

import errno
import os
from enum import StrEnum
from pathlib import Path

from wideberth.core.handover import Drive

SMALL_BYTES = 3 << 20
"""What a stick holds that says it has room for anything."""
DROPS_AT = 1_500_000
"""Place of the byte that is dropped."""


class Stick(StrEnum):
    """What a stick is like."""

    SOUND = "sound"
    DROPS = "drops"
    SMALL = "small"
    PULLED = "pulled"


class Dropping(Drive):
    """Loses one byte of what is written, at a place of the file, so many times; -1 for each time."""

    def __init__(self, at: int, times: int) -> None:
        self.at, self.left = at, times

    def write(self, path: Path, at: int, block: bytes) -> None:
        """All but that byte: the rest moves up."""
        n = self.at - at
        if 0 <= n < len(block) and self.left:
            self.left -= 1
            block = block[:n] + block[n + 1 :] + b"\0"
        super().write(path, at, block)


class Small(Drive):
    """Says that it has room for anything, and writes round in a ring of so many bytes."""

    def __init__(self, room: int) -> None:
        self.room = room

    def write(self, path: Path, at: int, block: bytes) -> None:
        """In the place of what was written a ring before."""
        super().write(path, at % self.room, block)

    def read(self, path: Path, at: int, size: int) -> bytes:
        """What is there now."""
        return super().read(path, at % self.room, size)


class Pulled(Drive):
    """Goes away after some blocks.

    Raises
    ------
    OSError : for each block after these.
    """

    def __init__(self, after: int) -> None:
        self.left = after
        self.written = 0

    def write(self, path: Path, at: int, block: bytes) -> None:
        """As long as it is there."""
        if not self.left:
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        self.left -= 1
        self.written += 1
        super().write(path, at, block)


def drive_of(stick: Stick) -> Drive:
    """A stick to carry to."""
    if stick == Stick.DROPS:
        return Dropping(DROPS_AT, -1)
    if stick == Stick.SMALL:
        return Small(SMALL_BYTES)
    return Pulled(2) if stick == Stick.PULLED else Drive()
