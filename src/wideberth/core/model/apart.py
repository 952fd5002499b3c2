"""What holds the interpreter at work is done by a program of its own: arrays go in and come out in files."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path
from tempfile import TemporaryFile

import numpy as np
from numpy.lib import format as npy
from numpy.typing import NDArray

from wideberth.core.progress import Progress

APART_FROM = 60_000
"""Triangles from which a process of its own (a quarter of a second to start) is less to bear than a held interpreter."""
LOOK_S = 0.02


def made_apart(
    program: Path,
    asked: tuple[float, ...],
    mesh: tuple[NDArray[np.floating], NDArray[np.integer]],
    expected_s: float,
    what: str,
    progress: Progress,
) -> tuple[NDArray[np.floating], NDArray[np.integer]] | None:
    """Points (n, 3) and faces (m, 3) that a program makes of those of a mesh; None where it makes none.

    Parameters
    ----------
    program : reads points and faces, and writes others; `asked` are its arguments. expected_s, what : told as progress meanwhile.

    Raises
    ------
    Cancelled : when `progress` was cancelled meanwhile; the program is ended then.
    """
    command = [sys.executable, "-P", str(program), *(repr(number) for number in asked)]
    try:
        with TemporaryFile() as handed, TemporaryFile() as given:
            for array in mesh:
                npy.write_array(handed, np.ascontiguousarray(array), allow_pickle=False)
            handed.seek(0)
            running = subprocess.Popen(command, stdin=handed, stdout=given, stderr=subprocess.DEVNULL)
            try:
                begun = time.monotonic()
                while running.poll() is None:
                    progress.at(min((time.monotonic() - begun) / expected_s, 0.99), what)
                    time.sleep(LOOK_S)
            finally:
                running.kill()
                running.wait()
            given.seek(0)
            return npy.read_array(given, allow_pickle=False), npy.read_array(given, allow_pickle=False)
    except (OSError, ValueError):  # no room for files, no process to be had, or nothing whole from it
        return None
