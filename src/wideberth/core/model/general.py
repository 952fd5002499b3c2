"""OBJ, PLY and text STL through the general mesh library. It is slow to load, so this file is only imported when one is read."""

from __future__ import annotations

import io

import numpy as np
import trimesh

from wideberth.core.model.source import RawMesh


def read_generally(name: str, data: bytes, kind: str, notes: tuple[str, ...] = ()) -> RawMesh:
    """All triangles of a file as the library reads them; whatever it raises is the caller's to tell."""
    loaded = trimesh.load_scene(io.BytesIO(data), file_type=kind, process=False).to_mesh()
    return RawMesh(name, np.asarray(loaded.vertices, np.float64), np.asarray(loaded.faces, np.int64), notes)
