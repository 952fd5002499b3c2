"""Exact booleans on closed meshes, and lighter stand-ins for drawing."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import manifold3d
import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model._kernels.cluster import cells, gathered, sides
from wideberth.core.model.apart import APART_FROM, made_apart
from wideberth.core.model.cutter import left_of
from wideberth.core.model.decimate import decimated
from wideberth.core.model.mesh import Mesh, joined
from wideberth.core.progress import Progress, quiet

SIMPLIFIER, SIMPLIFIED_PER_S = Path(__file__).with_name("simplifier.py"), 400_000
CUTTER, CUT_PER_S = Path(__file__).with_name("cutter.py"), 200_000
CLUSTERED_FROM, CLUSTERED_TO = 12, 3
MOST_CELLS = 100_000
SAMPLED = 16
Solids = list[manifold3d.Manifold]


def as_solid(mesh: Mesh, name: str = "mesh") -> manifold3d.Manifold:
    """The mesh as an exact solid.

    Raises
    ------
    BadModel : when the mesh is not a closed manifold.
    """
    if not _closed(mesh):  # the library would crash on some open meshes instead of refusing them
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


def _closed(mesh: Mesh) -> bool:
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


def resolved(mesh: Mesh) -> Mesh:
    """The outer surface of a mesh of several overlapping shells; the mesh itself when it is one shell, or no solid.

    Shells that face inward are cut out of the others.
    """
    piece = piece_of_faces(mesh)
    if (piece == piece[0]).all():
        return mesh
    try:
        pieces = as_solid(mesh).decompose()
        if len(pieces) < 2:
            return mesh
        whole, inner = manifold3d.Manifold(), manifold3d.Manifold()
        for piece in pieces:
            if piece.volume() > 0:
                whole = whole + piece
            else:
                turned = as_mesh(piece)
                inner = inner + as_solid(Mesh(turned.points, turned.faces[:, ::-1].copy()))
        return as_mesh(whole - inner)
    except BadModel:
        return mesh


def piece_of_faces(mesh: Mesh) -> NDArray[np.int32]:
    """For each face a number that all faces share which can be walked to over points, (m,)."""
    f, n = mesh.faces, len(mesh.points)
    pairs = np.concatenate((f[:, [0, 1]], f[:, [1, 2]]))
    graph = scipy.sparse.coo_matrix((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(n, n))
    return np.asarray(scipy.sparse.csgraph.connected_components(graph, directed=False)[1][f[:, 0]])


def pieces_cut(mesh: Mesh, near_mm: NDArray[np.float64], cut: Callable[[Solids], Solids]) -> Mesh:
    """A mesh of closed pieces that overlap, with those cut that reach to where something is cut away; the others stay as they
    are. To unite all of them first takes far longer, and holds the interpreter.

    Parameters
    ----------
    near_mm : (boxes, 2, 3) low and high corners of where something is. cut : what is left of some pieces.

    Raises
    ------
    BadModel : when a piece that is cut is not a closed manifold.
    """
    _, piece = np.unique(piece_of_faces(mesh), return_inverse=True)
    low, high = np.full((piece.max(initial=-1) + 1, 3), np.inf), np.full((piece.max(initial=-1) + 1, 3), -np.inf)
    np.minimum.at(low, piece, mesh.corners.min(axis=1))
    np.maximum.at(high, piece, mesh.corners.max(axis=1))
    meets = np.all((low[:, None] <= near_mm[:, 1]) & (high[:, None] >= near_mm[:, 0]), axis=2)
    touched = np.any(meets, axis=1)[piece]
    if not touched.any():
        return mesh
    left = cut([as_solid(one) for one in pieces_of(mesh.only(touched))])
    return joined([mesh.only(~touched), *map(as_mesh, left)])


def simplified(mesh: Mesh, within_mm: float, progress: Progress | None = None) -> Mesh:
    """A closed mesh with needless triangles taken out, nowhere moved by more than so much; as it is where nothing would be left.
    The same whichever process did it: the library holds the interpreter at work.

    Raises
    ------
    BadModel : when the mesh is not a closed manifold. Cancelled : when `progress` was cancelled meanwhile.
    """
    made = None
    if mesh.triangles >= APART_FROM and _closed(mesh):
        expected_s, what = mesh.triangles / SIMPLIFIED_PER_S, "taking out needless triangles"
        made = made_apart(SIMPLIFIER, (within_mm,), (mesh.points, mesh.faces), expected_s, what, progress or quiet())
    simpler = (
        as_mesh(as_solid(mesh).simplify(within_mm))
        if made is None
        else Mesh(made[0].astype(np.float64), made[1].astype(np.int32))
    )
    return simpler if simpler.triangles else mesh


def hollowed(
    outer: Mesh,
    chambers: Sequence[Mesh],
    standing: Sequence[Mesh],
    drills: Mesh | None,
    within_mm: float,
    progress: Progress | None = None,
) -> Mesh:
    """A solid less its chambers, but for what stands in them, and less drilled holes, with needless triangles taken out: nothing
    is moved farther than `within_mm`. Heavy ones are cut in another process, which gives the same.

    Raises
    ------
    BadModel : when one of them is no closed manifold. Cancelled : when `progress` was cancelled meanwhile.
    """
    meshes, made = [outer, *chambers, *standing, *([] if drills is None else [drills])], None
    count = sum(mesh.triangles for mesh in meshes)
    if count >= APART_FROM and all(map(_closed, meshes)):
        counts = [number for mesh in meshes for number in (len(mesh.points), mesh.triangles)]
        asked, all_of = (within_mm, len(chambers), len(standing), *counts), joined(meshes)
        what = "cutting out chambers"
        made = made_apart(CUTTER, asked, (all_of.points, all_of.faces), count / CUT_PER_S, what, progress or quiet())
    if made is not None:
        return Mesh(made[0].astype(np.float64), made[1].astype(np.int32))
    return as_mesh(left_of([as_solid(mesh) for mesh in meshes], len(chambers), len(standing), within_mm))


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
