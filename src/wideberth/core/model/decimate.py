"""The same surface with fewer triangles. The library holds the interpreter at work: heavy meshes go to another process."""

from __future__ import annotations

import threading
from pathlib import Path

import fast_simplification
import numpy as np

from wideberth.core.model.apart import APART_FROM, made_apart
from wideberth.core.model.mesh import Mesh
from wideberth.core.progress import Progress, quiet

HASTE = 5.0
"""How readily edges fall: the library's `agg`."""
SLOWEST_PER_S = 150_000
PROGRAM = Path(__file__).with_name("decimator.py")
_one_at_a_time = threading.Lock()
"""The library keeps its mesh in one place: two meshes at once would mix."""


def decimated(mesh: Mesh, triangles: int, progress: Progress | None = None) -> Mesh:
    """A mesh of about so many triangles, by quadric decimation; the same whichever process did it.

    Raises
    ------
    Cancelled : when `progress` was cancelled meanwhile; the other process is ended then.
    """
    points, faces, found = mesh.points.astype(np.float32), mesh.faces, None
    if mesh.triangles >= APART_FROM:
        expected_s, what = mesh.triangles / SLOWEST_PER_S, "making a lighter stand-in"
        found = made_apart(PROGRAM, (triangles, HASTE), (points, faces), 2, expected_s, what, progress or quiet())
    if found is None:
        with _one_at_a_time:
            found = fast_simplification.simplify(points, faces, target_count=triangles, agg=HASTE)
    return Mesh(found[0].astype(np.float64), found[1].astype(np.int32))
