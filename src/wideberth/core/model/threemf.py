"""3MF by the format's own library: each object on the plate in, a plate with its supports and attachments out.

Loading that library takes some tenths of a second, so this file is only imported when a 3MF mesh is read or written.
"""

from __future__ import annotations

import ctypes
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any

import lib3mf
import numpy as np
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model.mesh import Mesh
from wideberth.core.model.package import members_under
from wideberth.core.model.single import in_single
from wideberth.core.model.source import MOST_TRIANGLES, RawMesh
from wideberth.core.progress import Progress

DEEPEST = 16
MOST_COMPONENTS = 20_000
NAMED = re.compile(rb"""<(?:[\w.-]+:)?(object|component)\s(?:[^>]*?\s)?(?:id|objectid)\s*=\s*["'](\d+)["']""")
DECIMALS = 5
RELATION = "http://schemas.wide-berth.invalid/2026/attachment"
UNIT_MM = {"MicroMeter": 1e-3, "MilliMeter": 1.0, "CentiMeter": 10.0, "Inch": 25.4, "Foot": 304.8, "Meter": 1000.0}
UNIT_WORDS = {"MicroMeter": "µm", "CentiMeter": "cm", "Inch": "in", "Foot": "ft", "Meter": "m"}


@cache
def _library() -> Any:
    """The format's library and its calls: one for all, since each takes its own 0.7 MB."""
    return lib3mf.get_wrapper()


def read_3mf(name: str, where: str, data: bytes, progress: Progress) -> list[RawMesh]:
    """Each build item of a 3MF package as a mesh in millimetres, its transforms and components worked in.

    Raises
    ------
    BadModel : when the package or its model is damaged, or nothing is on its plate.
    """
    progress.at(0.0, f"reading {where}")
    _check_components(where, data)
    try:
        model = _library().CreateModel()
        reader = model.QueryReader("3mf")
        _fill(reader, _library().lib.lib3mf_reader_readfrombuffer, data)
        unit = model.GetUnit().name
        items = []
        iterator = model.GetBuildItems()
        while iterator.MoveNext():
            items.append(iterator.GetCurrent())
        objects, supports = [], 0
        seen = _Seen()
        for number, item in enumerate(items):
            progress.at((number + 1) / (len(items) + 1), f"reading {where}")
            resource = item.GetObjectResource()
            pieces: list[tuple[NDArray[np.float64], NDArray[np.int64]]] = []
            supports += _gather(model, resource, _matrix(item.GetObjectTransform()), pieces, 0, where, seen)
            if pieces:
                objects.append(_raw(_name_of(resource) or name, pieces, UNIT_MM[unit], _colour(model, resource)))
    except lib3mf.ELib3MFException as error:
        raise BadModel(
            f"cannot be read as 3MF ({error}).", where=where, remedy="The file may be damaged: copy or export it again."
        ) from error
    if not objects:
        raise BadModel("holds no object on its plate.", where=where, remedy="Export it again as a mesh.")
    notes = []
    if unit in UNIT_WORDS:
        notes.append(f"converted from {UNIT_WORDS[unit]} to mm")
    if supports:
        notes.append(f"{supports} support mesh{'es' if supports > 1 else ''} left out")
    return [RawMesh(r.name, r.points, r.faces, (*notes, *r.notes), r.colour) for r in objects]


def _name_of(resource: Any) -> str:
    """What an object is called; nothing where that is no text, as from a program that writes another encoding than it says."""
    try:
        return str(resource.GetName())
    except UnicodeDecodeError:
        return ""


def _check_components(where: str, data: bytes) -> None:
    """Refuse objects that name each other without end, before the library tries to follow them.

    Raises
    ------
    BadModel : when they are nested too deeply, or come to too many together.
    """
    for name, model in members_under(where, data, ""):
        if not name.lower().endswith(".model"):
            continue
        held: dict[bytes, list[bytes]] = {}
        of = b""
        for kind, number in NAMED.findall(model):
            if kind == b"object":
                of = number
                held[of] = []
            elif of:
                held[of].append(number)
        weight: dict[bytes, tuple[int, int]] = {}
        for _ in range(DEEPEST + 2):  # each round knows those that hold only what is known
            for number, parts in held.items():
                if number not in weight and all(p in weight or p not in held for p in parts):
                    known = [weight.get(p, (1, 0)) for p in parts]
                    weight[number] = 1 + sum(count for count, _ in known), 1 + max((deep for _, deep in known), default=0)
        if len(weight) < len(held) or any(deep > DEEPEST for _, deep in weight.values()):
            raise BadModel("nests its components too deeply.", where=where)
        if any(count > MOST_COMPONENTS for count, _ in weight.values()):
            raise BadModel(f"holds over {MOST_COMPONENTS:,} components.", where=where, remedy="Export it as plain meshes.")


def _matrix(transform: object) -> NDArray[np.float64]:
    """lib3mf's 4 x 3 transform as a 4 x 4 matrix for columns."""
    made = np.eye(4)
    made[:3, :] = np.array([[transform.Fields[r][c] for c in range(3)] for r in range(4)]).T  # type: ignore[attr-defined]
    return made


@dataclass
class _Seen:
    """How much of a package was gathered: each component names others, so that a small file may name very many."""

    components: int = 0
    triangles: int = 0


def _gather(model, resource, matrix, pieces, depth: int, where: str, seen: _Seen) -> int:  # type: ignore[no-untyped-def]
    """Collect the meshes of an object and its components; returns how many support meshes were passed over."""
    seen.components += 1
    if seen.components > MOST_COMPONENTS:
        raise BadModel(f"holds over {MOST_COMPONENTS:,} components.", where=where, remedy="Export it as plain meshes.")
    if depth > DEEPEST:
        raise BadModel("nests its components too deeply.", where=where)
    if resource.IsComponentsObject():
        holder = model.GetComponentsObjectByID(resource.GetResourceID())
        passed = 0
        for i in range(holder.GetComponentCount()):
            part = holder.GetComponent(i)
            own = _matrix(part.GetTransform()) if part.HasTransform() else np.eye(4)
            passed += _gather(model, part.GetObjectResource(), matrix @ own, pieces, depth + 1, where, seen)
        return passed
    mesh = model.GetMeshObjectByID(resource.GetResourceID())
    if mesh.GetType() in (lib3mf.ObjectType.Support, lib3mf.ObjectType.SolidSupport):
        return 1
    seen.triangles += mesh.GetTriangleCount()
    if seen.triangles > MOST_TRIANGLES:
        raise BadModel(f"holds over {MOST_TRIANGLES:,} triangles.", where=where, remedy="Decimate it first.")
    if mesh.GetTriangleCount():
        points = _buffer(mesh, "getvertices", mesh.GetVertexCount(), lib3mf.Position, np.float32).astype(np.float64)
        faces = _buffer(mesh, "gettriangleindices", mesh.GetTriangleCount(), lib3mf.Triangle, np.uint32).astype(np.int64)
        if np.linalg.det(matrix[:3, :3]) < 0:
            faces = faces[:, ::-1]
        pieces.append((points @ matrix[:3, :3].T + matrix[:3, 3], faces))
    return 0


def _buffer(mesh, call: str, count: int, record, kind) -> NDArray[np.generic]:  # type: ignore[no-untyped-def]
    """All corners or triangles of a mesh, (count, 3), in one call: the binding's own way makes an object of each."""
    held = (record * count)()
    call_of = getattr(mesh._wrapper.lib, f"lib3mf_meshobject_{call}")
    mesh._wrapper.checkError(mesh, call_of(mesh._handle, ctypes.c_uint64(count), ctypes.c_uint64(0), held))
    return np.frombuffer(held, kind).reshape(-1, 3)


def _raw(name: str, pieces: list[tuple[NDArray[np.float64], NDArray[np.int64]]], factor: float, colour: str) -> RawMesh:
    shift = np.cumsum([0] + [len(p) for p, _ in pieces[:-1]])
    faces = np.concatenate([f + s for (_, f), s in zip(pieces, shift, strict=True)])
    return RawMesh(name, np.concatenate([p for p, _ in pieces]) * factor, faces, (), colour)


def _colour(model, resource) -> str:  # type: ignore[no-untyped-def]
    """The colour that an object has as a whole, as `#rrggbb`; empty when it has none."""
    if not resource.IsMeshObject():
        return ""
    group, which, known = model.GetMeshObjectByID(resource.GetResourceID()).GetObjectLevelProperty()
    if not known:
        return ""
    kind = model.GetPropertyTypeByID(group)
    if kind == lib3mf.PropertyType.Colors:
        colour = model.GetColorGroupByID(group).GetColor(which)
    elif kind == lib3mf.PropertyType.BaseMaterial:
        colour = model.GetBaseMaterialGroupByID(group).GetDisplayColor(which)
    else:
        return ""
    return f"#{colour.Red:02x}{colour.Green:02x}{colour.Blue:02x}"


def written_3mf(meshes: list[tuple[str, Mesh, str]], attachments: dict[str, bytes], corner_mm: tuple[float, float]) -> bytes:
    """A 3MF package of meshes and whatever is attached to it.

    Parameters
    ----------
    meshes : (name, mesh in the plate's frame, "model" or "support"). attachments : path in the package to content.
    corner_mm : added to x and y, since 3MF counts from the plate's corner and we from its centre.
    """
    wrapper = _library()
    model = wrapper.CreateModel()
    model.SetUnit(lib3mf.ModelUnit.MilliMeter)
    for name, mesh, kind in meshes:
        item = model.AddMeshObject()
        item.SetName(name)
        item.SetType(lib3mf.ObjectType.Support if kind == "support" else lib3mf.ObjectType.Model)
        item.SetGeometry(*_geometry(mesh))
        place = wrapper.GetIdentityTransform()
        place.Fields[3][0], place.Fields[3][1] = corner_mm
        if kind == "support":  # the format wants supports as components, never as items of their own
            holder = model.AddComponentsObject()
            holder.SetName(name)
            holder.AddComponent(item, wrapper.GetIdentityTransform())
            model.AddBuildItem(holder, place)
        else:
            model.AddBuildItem(item, place)
    for where, content in attachments.items():
        _fill(model.AddAttachment(where, RELATION), wrapper.lib.lib3mf_attachment_readfrombuffer, content)
    writer = model.QueryWriter("3mf")
    writer.SetDecimalPrecision(DECIMALS)
    return _written(writer)


def _fill(thing: Any, read: Callable[..., int], content: bytes) -> None:
    """Have a reader or an attachment read some content. The library's own method takes bytes one by one as Python's numbers, and
    keeps the interpreter from all others meanwhile: a second for a large job. Its way through files changes the locale."""
    taken = (ctypes.c_uint8 * len(content)).from_buffer_copy(content)
    _library().checkError(thing, read(thing._handle, ctypes.c_uint64(len(content)), taken))


def _written(writer: Any) -> bytes:
    """What a writer writes, as `_fill` reads."""
    wrapper, needed = _library(), ctypes.c_uint64(0)
    write = wrapper.lib.lib3mf_writer_writetobuffer
    wrapper.checkError(writer, write(writer._handle, ctypes.c_uint64(0), needed, (ctypes.c_uint8 * 0)()))
    given = (ctypes.c_uint8 * needed.value)()
    wrapper.checkError(writer, write(writer._handle, ctypes.c_uint64(needed.value), needed, given))
    return bytes(given)


def _geometry(mesh: Mesh) -> tuple[Any, Any]:
    """lib3mf's arrays of vertices and triangles."""
    mesh = in_single(mesh)
    points = np.ascontiguousarray(mesh.points, np.float32)
    faces = np.ascontiguousarray(mesh.faces, np.uint32)
    vertices = (lib3mf.Position * len(points)).from_buffer_copy(points.tobytes())
    triangles = (lib3mf.Triangle * len(faces)).from_buffer_copy(faces.tobytes())
    return vertices, triangles
