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
    first = np.cumsum([0] + [len(mesh.vertices) for mesh in meshes])
    vertices = [np.zeros((0, 3)), *(np.asarray(mesh.vertices, np.float64) for mesh in meshes)]
    faces = [np.zeros((0, 3), np.int64), *(mesh.faces + at for mesh, at in zip(meshes, first, strict=False))]
    return RawMesh(name, np.concatenate(vertices), np.concatenate(faces), notes)
