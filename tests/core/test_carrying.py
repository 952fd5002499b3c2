"""Sticks that drop bytes, lie about their size, or are pulled out: simulated, and found."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from wideberth.core.errors import Cancelled, CannotWrite
from wideberth.core.handover.carrying import BLOCK, Drive, carry
from wideberth.core.progress import Progress
from wideberth.demo.simulated.stick import Dropping, Pulled, Small, Stick, drive_of


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


@pytest.mark.prove
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


def test_two_programs_do_not_carry_to_one_place(parcel: Path, tmp_path: Path) -> None:
    """The second is told, and the first one's copy is whole."""
    target, told = tmp_path / "layers.zip", []

    class Meanwhile(Drive):
        def write(self, path: Path, at: int, block: bytes) -> None:
            if not told:
                with pytest.raises(CannotWrite, match="another program") as refused:
                    carry(parcel, target)
                told.append(refused.value)
            super().write(path, at, block)

    carry(parcel, target, drive=Meanwhile())
    assert len(told) == 1 and target.read_bytes() == parcel.read_bytes()
    carry(parcel, target)
    assert [f.name for f in tmp_path.iterdir() if f.name.startswith(".")] == []


def test_what_lies_where_the_copy_would_grow_is_not_followed(parcel: Path, tmp_path: Path) -> None:
    """A link of that name, to something else of the user's."""
    other = tmp_path / "other"
    other.write_text("mine")
    (tmp_path / ".layers.zip.carried").symlink_to(other)
    with pytest.raises(CannotWrite):
        carry(parcel, tmp_path / "layers.zip")
    assert other.read_text() == "mine"


def test_each_simulated_stick_is_found_out_but_the_sound_one(parcel: Path, tmp_path: Path) -> None:
    for stick in Stick:
        target = tmp_path / f"{stick}.zip"
        if stick == Stick.SOUND:
            carry(parcel, target, drive=drive_of(stick))
            assert target.read_bytes() == parcel.read_bytes()
        else:
            with pytest.raises(CannotWrite, match=r"reads back differently|Input/output"):
                carry(parcel, target, drive=drive_of(stick))
            assert not target.exists()
