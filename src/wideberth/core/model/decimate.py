"""The same surface with fewer triangles. The library holds the interpreter at work: heavy meshes go to another process."""

from __future__ import annotations

import subprocess
import sys
import threading
import time
from pathlib import Path
from tempfile import TemporaryFile

import fast_simplification
import numpy as np
from numpy.lib import format as npy
from numpy.typing import NDArray

from wideberth.core.model.mesh import Mesh
from wideberth.core.progress import Progress, quiet

HASTE = 5.0
"""How readily edges fall: the library's `agg`."""
APART_FROM = 60_000
"""Triangles from which a process of its own (a quarter of a second to start) is less to bear than a held interpreter."""
LOOK_S, SLOWEST_PER_S = 0.02, 150_000
PROGRAM = Path(__file__).with_name("decimator.py")
_one_at_a_time = threading.Lock()
"""The library keeps its mesh in one place: two meshes at once would mix."""


def decimated(mesh: Mesh, triangles: int, progress: Progress | None = None) -> Mesh:
    """A mesh of about so many triangles, by quadric decimation; the same whichever process did it.

    Raises
    ------
    Cancelled : when `progress` was cancelled meanwhile; the other process is ended then.
    """
    points, faces = mesh.points.astype(np.float32), mesh.faces
    found = _apart(points, faces, triangles, progress or quiet()) if mesh.triangles >= APART_FROM else None
    if found is None:
        with _one_at_a_time:
            found = fast_simplification.simplify(points, faces, target_count=triangles, agg=HASTE)
    return Mesh(found[0].astype(np.float64), found[1].astype(np.int32))


def _apart(
    points: NDArray[np.float32], faces: NDArray[np.int32], triangles: int, progress: Progress
) -> tuple[NDArray[np.float32], NDArray[np.int32]] | None:
    """What another process makes of a mesh, points (n, 3) and faces (m, 3); None where none can be had."""
    command = [sys.executable, "-P", str(PROGRAM), str(triangles), str(HASTE)]
    try:
        with TemporaryFile() as handed, TemporaryFile() as given:
            for array in (points, faces):
                npy.write_array(handed, np.ascontiguousarray(array), allow_pickle=False)
            handed.seek(0)
            running = subprocess.Popen(command, stdin=handed, stdout=given, stderr=subprocess.DEVNULL)
            try:
                _wait(running, len(faces) / SLOWEST_PER_S, progress)
            finally:
                running.kill()
                running.wait()
            given.seek(0)
            return npy.read_array(given, allow_pickle=False), npy.read_array(given, allow_pickle=False)
    except (OSError, ValueError):  # no room for files, no process to be had, or nothing whole from it
        return None


def _wait(running: subprocess.Popen[bytes], expected_s: float, progress: Progress) -> None:
    """Wait until a process ends, and tell how far it should be."""
    begun = time.monotonic()
    while running.poll() is None:
        progress.at(min((time.monotonic() - begun) / expected_s, 0.99), "making a lighter stand-in")
        time.sleep(LOOK_S)
