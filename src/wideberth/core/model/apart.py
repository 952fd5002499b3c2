"""What holds the interpreter at work is done by a program of its own: arrays go in and come out in files."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path
from tempfile import TemporaryFile
from typing import Any

import numpy as np
from numpy.lib import format as npy
from numpy.typing import NDArray

from wideberth.core.progress import Progress

APART_FROM = 60_000
"""Triangles from which a process of its own (a quarter of a second to start) is less to bear than a held interpreter."""
LOOK_S = 0.02
Array = NDArray[Any]


def made_apart(
    program: Path, asked: tuple[float, ...], handed: Sequence[Array], count: int, expected_s: float, what: str, progress: Progress
) -> list[Array] | None:
    """So many arrays that a program makes of others; None where it makes fewer.

    Parameters
    ----------
    program : reads arrays, and writes others; `asked` are its arguments. expected_s, what : told as progress meanwhile.

    Raises
    ------
    Cancelled : when `progress` was cancelled meanwhile; the program is ended then.
    """
    command = [sys.executable, "-P", str(program), *(repr(number) for number in asked)]
    try:
        with TemporaryFile() as taken, TemporaryFile() as given:
            for array in handed:
                npy.write_array(taken, np.ascontiguousarray(array), allow_pickle=False)
            taken.seek(0)
            running = subprocess.Popen(command, stdin=taken, stdout=given, stderr=subprocess.DEVNULL)
            try:
                begun = time.monotonic()
                while running.poll() is None:
                    progress.at(min((time.monotonic() - begun) / expected_s, 0.99), what)
                    time.sleep(LOOK_S)
            finally:
                running.kill()
                running.wait()
            given.seek(0)
            return [npy.read_array(given, allow_pickle=False) for _ in range(count)]
    except (OSError, ValueError):  # no room for files, no process to be had, or nothing whole from it
        return None
