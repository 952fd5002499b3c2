"""Exact booleans on closed meshes, and lighter stand-ins for drawing."""

from __future__ import annotations

import manifold3d
import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model._kernels.cluster import cells, gathered, sides
from wideberth.core.model.decimate import decimated
from wideberth.core.model.mesh import Mesh
from wideberth.core.progress import Progress

CLUSTERED_FROM, CLUSTERED_TO = 12, 3
MOST_CELLS = 100_000
SAMPLED = 16


def as_solid(mesh: Mesh, name: str = "mesh") -> manifold3d.Manifold:
    """The mesh as an exact solid.

    Raises
    ------
    BadModel : when the mesh is not a closed manifold.
    """
    if not is_closed(mesh):  # the library would crash on some open meshes instead of refusing them
        raise _refused(name, "it has open or one-sided edges")
    solid = manifold3d.Manifold(manifold3d.Mesh64(np.ascontiguousarray(mesh.points), mesh.faces.astype(np.uint64)))
    if solid.status() != manifold3d.Error.NoError or (solid.is_empty() and mesh.triangles):
        raise _refused(name, solid.status().name)
    return solid


def _refused(name: str, why: str) -> BadModel:
    return BadModel(
        f"is not a closed solid ({why}), so exact cutting refuses it.",
        where=name,
        kept="The part is unchanged.",
        remedy="Mend the mesh, or export it again as a closed solid.",
    )


def is_closed(mesh: Mesh) -> bool:
    """Whether each edge is walked as often one way as the other."""
    f = mesh.faces.astype(np.int64)
    start, end = f.reshape(-1), np.roll(f, -1, axis=1).reshape(-1)
    n = len(mesh.points)
    there, back = np.sort(start * n + end), np.sort(end * n + start)
    return bool((there == back).all())


def as_mesh(solid: manifold3d.Manifold) -> Mesh:
    """The mesh of an exact solid."""
    data = solid.to_mesh64()
    return Mesh(np.asarray(data.vert_properties)[:, :3].copy(), np.asarray(data.tri_verts).astype(np.int32))


def piece_of_faces(mesh: Mesh) -> NDArray[np.int32]:
    """For each face a number that all faces share which can be walked to over points, (m,)."""
    f, n = mesh.faces, len(mesh.points)
    pairs = np.concatenate((f[:, [0, 1]], f[:, [1, 2]]))
    graph = scipy.sparse.coo_matrix((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(n, n))
    return np.asarray(scipy.sparse.csgraph.connected_components(graph, directed=False)[1][f[:, 0]])


def pieces_of(mesh: Mesh) -> list[Mesh]:
    """The connected pieces of a mesh, without points that no face uses."""
    piece, pieces = piece_of_faces(mesh), []
    for which in np.unique(piece):
        faces = mesh.faces[piece == which]
        used, index = np.unique(faces, return_inverse=True)
        pieces.append(Mesh(mesh.points[used], index.reshape(-1, 3).astype(np.int32)))
    return pieces


def stand_in(mesh: Mesh, triangles: int, progress: Progress | None = None) -> Mesh:
    """A lighter mesh of about so many triangles; the mesh itself when it is light enough.

    By quadric decimation; very large meshes are first clustered in cells, which is coarser but quick, to three times as many.

    Raises
    ------
    Cancelled : when `progress` was cancelled meanwhile.
    """
    if mesh.triangles <= triangles:
        return mesh
    if mesh.triangles > CLUSTERED_FROM * triangles:
        mesh = _clustered(mesh, CLUSTERED_TO * triangles)
    return decimated(mesh, triangles, progress)


def _clustered(mesh: Mesh, triangles: int) -> Mesh:
    """The mesh with its points drawn together in cells that leave about so many triangles."""
    some = Mesh(mesh.points, mesh.faces[::SAMPLED])
    area = SAMPLED * float(some.face_area_mm2.sum())
    cell = max(float(np.sqrt(3.0 * area / triangles)), float(mesh.extents_mm.max()) / MOST_CELLS)
    wide, deep = (int(n) + 1 for n in mesh.extents_mm[:2] / cell)
    known, of = np.unique(cells(mesh.points, mesh.low, cell, wide, deep), return_inverse=True)
    known, of = np.unique(sides(mesh.points, mesh.faces, of, len(known)), return_inverse=True)
    return Mesh(*gathered(mesh.points, mesh.faces, of, len(known), cell))
