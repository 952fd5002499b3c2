"""OBJ, PLY and text STL through the general mesh library. It is slow to load, so this file is only imported when one is read."""

from __future__ import annotations

import io
import re

import numpy as np
import trimesh

from wideberth.core.model.source import RawMesh

GROUPS = re.compile(rb"^[ \t]*(?:g|o|s|usemtl|mtllib)\b[^\n]*$", re.MULTILINE)
"""Lines of an OBJ file that only group its faces: the library takes quadratic time for many, and we want one mesh."""


def read_generally(name: str, data: bytes, kind: str, notes: tuple[str, ...] = ()) -> RawMesh:
    """All triangles of a file as the library reads them; whatever it raises is the caller's to tell."""
    if kind == "obj":
        data = GROUPS.sub(b"", data)
    scene = trimesh.load_scene(io.BytesIO(data), file_type=kind, process=False)  # these formats place nothing in it
    meshes = [mesh for mesh in scene.geometry.values() if isinstance(mesh, trimesh.Trimesh)]
    vertices, faces = trimesh.util.append_faces(
        [np.zeros((0, 3)), *(np.asarray(mesh.vertices, np.float64) for mesh in meshes)],
        [np.zeros((0, 3), np.int64), *(np.asarray(mesh.faces, np.int64) for mesh in meshes)],
    )
    return RawMesh(name, vertices, faces, notes)
