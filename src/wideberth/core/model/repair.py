"""Mending a mesh, never silently: each repair says what it changed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model.health import FLAT_MM2, duplicate_faces, inside_out_shells, shells_of
from wideberth.core.model.mesh import Mesh
from wideberth.core.model.patch import fill, open_loops
from wideberth.core.model.surface import Closest, spread_over
from wideberth.core.model.topology import to_turn
from wideberth.core.progress import Progress, quiet

WELD_MM = 0.01
SAMPLES = 60_000


@dataclass(frozen=True)
class Mend:
    """One repair as the recipe holds it.

    kind : weld, orient, fill, debris, tidy or rebuild. value : weld: reach [mm]; rebuild: spacing of its rows [mm], 0 for one
    that fits the part; else unused.
    """

    kind: str
    value: float = 0.0


@dataclass(frozen=True)
class Mended:
    """What a repair changed. deviation_mm : largest distance of the new surface from the old, or of a moved corner."""

    kind: str
    what: str
    volume_before_mm3: float
    volume_after_mm3: float
    deviation_mm: float

    @property
    def text(self) -> str:
        """The whole in one sentence."""
        before, after = self.volume_before_mm3, self.volume_after_mm3
        change = after - before
        far = f"{self.deviation_mm:.3f} mm"
        moved = "nothing moved"
        if self.deviation_mm > 5e-4:
            moved = f"new surface at most {far} from the old" if self.kind in ("fill", "rebuild") else f"moved by at most {far}"
        volume = "volume unchanged" if abs(change) < 1e-6 * max(1.0, abs(before)) else f"volume {change / 1000:+.3f} mL"
        return f"{self.what}; {volume}, {moved}"


def mended(mesh: Mesh, mend: Mend, progress: Progress | None = None) -> tuple[Mesh, Mended]:
    """Carry out one repair (all but `rebuild`, which needs the layers).

    Raises
    ------
    BadModel : for a repair that is not known, or that would leave nothing.
    """
    progress = progress or quiet()
    repairs: dict[str, Callable[[Mesh, Mend, Progress], tuple[Mesh, str, float]]] = {
        "weld": _weld,
        "orient": _orient,
        "fill": _fill,
        "debris": _debris,
        "tidy": _tidy,
    }
    if mend.kind not in repairs:
        raise BadModel(f"`{mend.kind}` is no repair.", where="repair", remedy=f"Use {', '.join(repairs)}.")
    result, what, deviation = repairs[mend.kind](mesh, mend, progress)
    if result.triangles == 0:
        raise BadModel("nothing would be left of it.", where="repair", kept="The mesh is as it was.")
    progress.at(1.0, "mended")
    return result, Mended(mend.kind, what, mesh.volume_mm3, result.volume_mm3, deviation)


def _weld(mesh: Mesh, mend: Mend, progress: Progress) -> tuple[Mesh, str, float]:
    """Corners on open edges that lie within reach of each other become one, at their mean."""
    reach = mend.value or WELD_MM
    topology = mesh.topology
    rim = np.unique(topology.ends[topology.uses == 1])
    progress.at(0.2, "joining corners")
    pairs = (
        scipy.spatial.cKDTree(mesh.points[rim]).query_pairs(reach, output_type="ndarray") if len(rim) else np.empty((0, 2), int)
    )
    if len(pairs) == 0:
        return mesh, f"no open edges lie within {reach:g} mm of each other", 0.0
    graph = scipy.sparse.coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), (len(rim), len(rim)))
    count, group = scipy.sparse.csgraph.connected_components(graph, directed=False)
    size = np.bincount(group, minlength=count)
    mean = np.column_stack([np.bincount(group, mesh.points[rim, axis], count) / size for axis in range(3)])
    moved = float(np.linalg.norm(mesh.points[rim] - mean[group], axis=1).max())
    points = mesh.points.copy()
    points[rim] = mean[group]
    name = np.arange(len(points))
    keeper = np.full(count, -1, np.int64)
    keeper[group[::-1]] = rim[::-1]
    name[rim] = keeper[group]
    faces = name[mesh.faces].astype(np.int32)
    whole = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    result = Mesh(points, faces).only(whole)
    closed = int((topology.uses == 1).sum()) - int((result.topology.uses == 1).sum())
    return result, f"{len(rim) - count:,} corners joined, {closed:,} open edges closed", moved


def _orient(mesh: Mesh, mend: Mend, progress: Progress) -> tuple[Mesh, str, float]:
    """Neighbours made to agree, then every outer shell turned outward and every cavity inward."""
    progress.at(0.2, "turning faces")
    turn = to_turn(mesh.topology, mesh.face_area_mm2)
    made = _turned(mesh, turn)
    shells = shells_of(made)
    wrong = inside_out_shells(shells)
    # a shell in a shell that looks outward may be meant; only what is inside out by itself is turned
    whole = wrong[shells.of_face]
    result = _turned(made, whole)
    return result, f"{int((turn ^ whole).sum()):,} faces turned round", 0.0


def _turned(mesh: Mesh, turn: NDArray[np.bool_]) -> Mesh:
    if not turn.any():
        return mesh
    faces = mesh.faces.copy()
    faces[turn] = faces[turn][:, ::-1]
    return Mesh(mesh.points, faces)


def _fill(mesh: Mesh, mend: Mend, progress: Progress) -> tuple[Mesh, str, float]:
    """Every hole gets a patch, flat or curved."""
    loops = open_loops(mesh.topology)
    if not loops:
        return mesh, "there is no hole to fill", 0.0
    points, faces = [mesh.points], [mesh.faces.astype(np.int64)]
    added = len(mesh.points)
    how: dict[str, int] = {}
    patches = []
    for number, loop in enumerate(loops):
        progress.at(number / len(loops), "filling holes")
        new, patch, kind = fill(mesh, loop)
        how[kind] = how.get(kind, 0) + 1
        if len(patch) == 0:
            continue
        patch = np.where(patch >= len(mesh.points), patch - len(mesh.points) + added, patch)
        points.append(new)
        faces.append(patch)
        patches.append(patch)
        added += len(new)
    result = Mesh(np.concatenate(points), np.concatenate(faces).astype(np.int32))
    words = {
        "flat": "flat",
        "curved": "along the surface's curve",
        "straight": "with the least area",
        "too long": "too long to fill: rebuild instead",
    }
    what = f"{len(loops):,} hole{'s' if len(loops) > 1 else ''}: " + ", ".join(f"{n} {words[k]}" for k, n in how.items())
    deviation = _off(mesh, Mesh(result.points, np.concatenate(patches).astype(np.int32))) if patches else 0.0
    return result, what, deviation


def _off(mesh: Mesh, added: Mesh) -> float:
    """Largest distance of added surface from what was there [mm]."""
    spacing = float(np.sqrt(mesh.face_area_mm2.sum() / SAMPLES))
    _, spots = spread_over(added, max(spacing, 1e-6))
    spots = np.concatenate((spots, added.corners.mean(axis=1)))
    return Closest(mesh).farthest(spots)


def _debris(mesh: Mesh, mend: Mend, progress: Progress) -> tuple[Mesh, str, float]:
    """Stray bits dropped."""
    shells = shells_of(mesh)
    stray = shells.debris | shells.specks
    if not stray.any():
        return mesh, "there is no debris", 0.0
    keep = ~stray[shells.of_face]
    if not keep.any():
        return mesh, "all of it is as small as debris: nothing was dropped", 0.0
    size = float(shells.size_mm[stray].max())
    return (mesh.only(keep), f"{int(stray.sum()):,} stray bits of up to {size:.2f} mm dropped", 0.0)


def _tidy(mesh: Mesh, mend: Mend, progress: Progress) -> tuple[Mesh, str, float]:
    """Faces that lie on others dropped, and flat ones collapsed: their shortest edge is drawn together.

    Of two faces on each other that look opposite ways both go, since together they are a wall of no thickness.
    """
    twice = duplicate_faces(mesh)
    drop = twice.copy()
    if twice.any():
        corners = np.sort(mesh.faces, axis=1)
        order = np.lexsort(corners.T)
        same = (corners[order][1:] == corners[order][:-1]).all(axis=1)
        for k in np.flatnonzero(same):
            a, b = order[k], order[k + 1]
            if _upright(mesh.faces[a]) != _upright(mesh.faces[b]):
                drop[a] = drop[b] = True
    kept = Mesh(mesh.points, mesh.faces[~drop])
    if kept.triangles == 0:
        raise BadModel("nothing would be left of it.", where="repair", kept="The mesh is as it was.")
    result, collapsed, moved = _collapsed(kept)
    return result, f"{int(drop.sum()):,} faces dropped, {collapsed:,} flat ones drawn together", moved


def _upright(face: NDArray[np.int32]) -> bool:
    """Which of the two ways round three corners are walked."""
    at = int(face.argmin())
    return bool(face[(at + 1) % 3] < face[(at + 2) % 3])


def _collapsed(mesh: Mesh) -> tuple[Mesh, int, float]:
    """Flat faces drawn together along their shortest edge; long slivers have their far corner put onto the opposite edge."""
    flat = np.flatnonzero(mesh.face_area_mm2 < FLAT_MM2)
    name = np.arange(len(mesh.points))
    moved, count = 0.0, 0
    for f in flat:
        corners = mesh.points[mesh.faces[f]]
        sides = np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)
        i = int(sides.argmin())
        if sides[i] > WELD_MM:
            continue  # a sliver between far corners: drawing it together would move the surface
        a, b = int(mesh.faces[f, i]), int(mesh.faces[f, (i + 1) % 3])
        while name[a] != a:
            a = int(name[a])
        while name[b] != b:
            b = int(name[b])
        name[max(a, b)] = min(a, b)
        moved, count = max(moved, float(sides[i])), count + 1
    if count == 0:
        return mesh.only(np.ones(mesh.triangles, bool)), 0, 0.0
    for _ in range(len(name)):
        again = name[name]
        if (again == name).all():
            break
        name = again
    faces = name[mesh.faces].astype(np.int32)
    whole = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    return Mesh(mesh.points, faces).only(whole), count, moved
