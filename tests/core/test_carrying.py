"""Sticks that drop bytes, lie about their size, or are pulled out: simulated, and found."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from wideberth.core.errors import Cancelled, CannotWrite
from wideberth.core.handover.carrying import BLOCK, Drive, carry
from wideberth.core.progress import Progress


class Dropping(Drive):
    """Loses one byte of what is written, at a place of the file, so many times."""

    def __init__(self, at: int, times: int) -> None:
        self.at, self.left = at, times

    def write(self, path: Path, at: int, block: bytes) -> None:
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
        super().write(path, at % self.room, block)

    def read(self, path: Path, at: int, size: int) -> bytes:
        return super().read(path, at % self.room, size)


class Pulled(Drive):
    """Goes away after some blocks."""

    def __init__(self, after: int) -> None:
        self.left = after
        self.written = 0

    def write(self, path: Path, at: int, block: bytes) -> None:
        if not self.left:
            raise OSError(5, "Input/output error")
        self.left -= 1
        self.written += 1
        super().write(path, at, block)


@pytest.fixture
def parcel(tmp_path: Path) -> Path:
    """Five blocks and a bit of noise."""
    path = tmp_path / "parcel.zip"
    path.write_bytes(np.random.default_rng(3).integers(1, 256, 5 * BLOCK + 321, dtype=np.uint8).tobytes())
    return path


def test_what_is_carried_is_what_was_sent(parcel: Path, tmp_path: Path) -> None:
    target = tmp_path / "stick" / "parcel.zip"
    target.parent.mkdir()
    carry(parcel, target)
    assert target.read_bytes() == parcel.read_bytes() and [p.name for p in target.parent.iterdir()] == ["parcel.zip"]


def test_a_dropped_byte_is_found_and_written_again_a_hundred_times(parcel: Path, tmp_path: Path) -> None:
    size, rng = parcel.stat().st_size, np.random.default_rng(4)
    target = tmp_path / "stick.zip"
    for at in [0, size - 1, BLOCK - 1, BLOCK, *rng.integers(0, size, 96).tolist()]:
        carry(parcel, target, drive=Dropping(at, times=1))
        assert target.read_bytes() == parcel.read_bytes()
        target.unlink()


@pytest.mark.parametrize("drive", [Dropping(3 * BLOCK + 77, times=99), Small(2 * BLOCK), Small(5 * BLOCK)])
def test_a_stick_that_never_gives_back_what_it_got_is_refused(parcel: Path, tmp_path: Path, drive: Drive) -> None:
    target = tmp_path / "stick.zip"
    target.write_bytes(b"old")
    with pytest.raises(CannotWrite, match="reads back differently"):
        carry(parcel, target, drive=drive)
    assert target.read_bytes() == b"old" and sorted(p.name for p in tmp_path.iterdir()) == ["parcel.zip", "stick.zip"]


def test_a_copy_that_was_broken_off_is_gone_on_with(parcel: Path, tmp_path: Path) -> None:
    target, pulled = tmp_path / "stick.zip", Pulled(after=3)
    with pytest.raises(CannotWrite, match="Input/output error"):
        carry(parcel, target, drive=pulled)
    assert not target.exists()
    again = Pulled(after=99)
    carry(parcel, target, drive=again)
    assert target.read_bytes() == parcel.read_bytes() and again.written == 3  # of six blocks three were there


def test_a_link_stays_a_link_and_a_cancelled_copy_leaves_nothing(parcel: Path, tmp_path: Path) -> None:
    place = tmp_path / "stick"
    place.mkdir()
    (place / "real.zip").write_bytes(b"old")
    (place / "link.zip").symlink_to(place / "real.zip")
    progress = Progress(lambda _share, phrase: progress.cancel() if "2 MB" in phrase else None)
    with pytest.raises(Cancelled):
        carry(parcel, place / "link.zip", progress)
    assert (place / "real.zip").read_bytes() == b"old" and len(list(place.iterdir())) == 2
    carry(parcel, place / "link.zip")
    assert (place / "link.zip").is_symlink() and (place / "real.zip").read_bytes() == parcel.read_bytes()


def test_room_is_looked_at_first(parcel: Path, tmp_path: Path) -> None:
    class Full(Drive):
        def free(self, folder: Path) -> int:
            return 2 * BLOCK

    with pytest.raises(CannotWrite, match=r"needs 5\.2 MB, and 2\.1 are free"):
        carry(parcel, tmp_path / "stick.zip", drive=Full())
    assert [p.name for p in tmp_path.iterdir()] == ["parcel.zip"]
