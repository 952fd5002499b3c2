"""A file carried to a stick: block by block, read back from it, and only what differs written again."""

from __future__ import annotations

import fcntl
import os
import shutil
from contextlib import suppress
from pathlib import Path

from wideberth.core.errors import Cancelled, CannotWrite
from wideberth.core.progress import Progress, quiet
from wideberth.core.saving import flush, mode_of

BLOCK = 1 << 20
ROUNDS = 3
"""How often what differs is written before a stick is given up."""
BYTES_PER_MB = 1e6


class Drive:
    """What a stick or disk does; a simulated one may do it badly."""

    def free(self, folder: Path) -> int:
        """Bytes that it says are free."""
        return shutil.disk_usage(folder).free

    def write(self, path: Path, at: int, block: bytes) -> None:
        """Write a block of a file, and have it flushed."""
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_NOFOLLOW, 0o666)
        try:
            left = memoryview(block)
            while left:
                done = os.pwrite(handle, left, at + len(block) - len(left))
                left = left[done:]
            os.fsync(handle)
            os.posix_fadvise(handle, at, len(block), os.POSIX_FADV_DONTNEED)
        finally:
            os.close(handle)

    def read(self, path: Path, at: int, size: int) -> bytes:
        """A block of a file as it stands on the medium, not as it is remembered; fewer bytes beyond the end."""
        handle = os.open(path, os.O_RDONLY)
        try:
            os.posix_fadvise(handle, at, size, os.POSIX_FADV_DONTNEED)
            return os.pread(handle, size, at)
        finally:
            os.close(handle)


def carry(source: Path, target: Path, progress: Progress | None = None, drive: Drive | None = None) -> None:
    """Copy a file so that what the target's medium gives back is what was sent, or say that it does not.

    Parameters
    ----------
    drive : what the target lies on.

    Raises
    ------
    CannotWrite : when there is no room, another program carries to the same place, the medium gives back something else each
        time, or it goes away. Cancelled : at a block;
        nothing of it stays then.

    Notes
    -----
    The copy lies beside the target until it is whole. What was broken off stays there, and is gone on with the next time: blocks
    that read back rightly are not written again. All is read once more after the last block, since a medium that is smaller than
    it says lets later blocks take the place of earlier ones.
    """
    progress, drive = progress or quiet(), drive or Drive()
    target = target.resolve() if target.is_symlink() else target  # a link stays a link
    part = target.parent / f".{target.name}.carried"
    size, handle = source.stat().st_size, -1
    try:
        mode = mode_of(target)
        handle = _held(part, target)
        done = os.fstat(handle).st_size
        free = drive.free(target.parent) + done
        if free < size:
            if not done:
                part.unlink()
            raise CannotWrite(
                f"needs {size / BYTES_PER_MB:.1f} MB, and {free / BYTES_PER_MB:.1f} are free.",
                where=str(target),
                kept="What stood there before is untouched.",
                remedy="Make room, or take another stick.",
            )
        bad = _written(source, part, size, drive, progress)
        if bad:
            part.unlink(missing_ok=True)
            raise CannotWrite(
                f"reads back differently from what was written, {ROUNDS} times, from {bad[0] * BLOCK / BYTES_PER_MB:.1f} MB on: "
                "the stick drops bytes, or is smaller than it says.",
                where=str(target),
                kept="What stood there before is untouched.",
                remedy="Take another stick.",
            )
        os.chmod(part, mode)
        os.replace(part, target)
        flush(target.parent)
    except Cancelled:
        part.unlink(missing_ok=True)
        raise
    except OSError as error:
        raise CannotWrite(
            f"cannot be written ({error.strerror or error}).",
            where=str(target),
            kept="What was carried so far stays beside it, and is gone on with the next time.",
            remedy="Put the stick back in, or choose another folder.",
        ) from error
    finally:
        if handle >= 0:
            with suppress(OSError):  # a stick that is gone
                os.close(handle)


def _held(part: Path, target: Path) -> int:
    """The growing copy, opened and held so that no other program carries to the same place.

    Raises
    ------
    CannotWrite : when another one does. OSError.
    """
    handle = os.open(part, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW, 0o666)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError as error:
        os.close(handle)
        raise CannotWrite(
            "is being carried there by another program.",
            where=str(target),
            kept="It goes on with it.",
            remedy="Wait for it, or choose another name.",
        ) from error
    except OSError:  # a medium that knows no locks
        pass
    return handle


def _written(source: Path, part: Path, size: int, drive: Drive, progress: Progress) -> list[int]:
    """Write the blocks that differ until none does; the numbers of those that still do."""
    blocks = range(-(-size // BLOCK))
    with open(source, "rb") as file:

        def sent(n: int) -> bytes:
            file.seek(n * BLOCK)
            return file.read(BLOCK)

        def differs(n: int) -> bool:
            return not part.is_file() or drive.read(part, n * BLOCK, min(BLOCK, size - n * BLOCK)) != sent(n)

        bad = [n for n in blocks if differs(n)]
        for turn in range(ROUNDS):
            if not bad:
                break
            share = progress.part(turn / ROUNDS, (turn + 1) / ROUNDS)
            for k, n in enumerate(bad):
                share.at(k / len(bad), f"carrying {(k + 1) * BLOCK / BYTES_PER_MB:.0f} MB")
                drive.write(part, n * BLOCK, sent(n))
            if part.stat().st_size > size:
                os.truncate(part, size)
            bad = [n for n in blocks if differs(n)]
    progress.at(1.0, "carried and read back")
    return bad
