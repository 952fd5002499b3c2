"""The health of a mesh in plain words: what is wrong with it, how much of it, and where."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model._kernels.columns import columns, deepest
from wideberth.core.model._kernels.topology import measure_shells
from wideberth.core.model.mesh import Mesh
from wideberth.core.model.rays import hits
from wideberth.core.model.topology import to_turn
from wideberth.core.progress import Progress, quiet

BROKEN, SERIOUS, NOTE = "broken", "serious", "note"
MOST_PLACES = 24
DEBRIS_SHARE = 1e-3
DEBRIS_MM = 1.0
SPECK_MM3 = 1e-3
FLAT_MM2 = 1e-9
MOST_NESTED = 60
COLUMNS = 160
OVERLAP_MM = 0.01


@dataclass(frozen=True, eq=False)
class Flaw:
    """One thing about a mesh.

    kind : which, see `docs/findings.md`. severity : broken (it is no solid), serious (it prints otherwise than it looks), note.
    message : in plain words, with numbers. places_mm : (p, 3) where to look, the worst first. mend : the kind of repair that
    helps, or "".
    """

    kind: str
    severity: str
    count: int
    message: str
    places_mm: NDArray[np.float64]
    mend: str = ""


@dataclass(frozen=True, eq=False)
class Shells:
    """The pieces of a mesh that hang together by edges; arrays of (shells,), largest box first.

    of_face : (m,) shell of each face. depth : how many other closed shells it lies in. debris : tiny beside the largest.
    """

    of_face: NDArray[np.int64]
    faces: NDArray[np.int64]
    volume_mm3: NDArray[np.float64]
    area_mm2: NDArray[np.float64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]
    closed: NDArray[np.bool_]
    depth: NDArray[np.int64]

    @property
    def count(self) -> int:
        return len(self.faces)

    @cached_property
    def size_mm(self) -> NDArray[np.float64]:
        """Longest side of each shell's box."""
        return (self.high - self.low).max(axis=1)

    @cached_property
    def debris(self) -> NDArray[np.bool_]:
        """Shells that are tiny beside the largest one: under a thousandth of its area, and under 1 mm or a fiftieth of it."""
        small = self.size_mm < max(DEBRIS_MM, 0.02 * float(self.size_mm.max()))
        stray = small & (self.area_mm2 < DEBRIS_SHARE * float(self.area_mm2.max()))
        return stray & (self.depth == 0)

    @cached_property
    def specks(self) -> NDArray[np.bool_]:
        """Closed shells inside others, or folded flat, with no volume to speak of."""
        return self.closed & (np.abs(self.volume_mm3) < SPECK_MM3) & (self.count > 1) & ~self.debris


@dataclass(frozen=True, eq=False)
class Health:
    """What was found of a mesh. `solid`: closed, and every face agrees with its neighbours which side is outside."""

    flaws: tuple[Flaw, ...]
    shells: Shells
    open_edges: int
    solid: bool

    def flaw(self, kind: str) -> Flaw | None:
        return next((f for f in self.flaws if f.kind == kind), None)

    @property
    def worst(self) -> str:
        """The worst severity found, or "sound"."""
        for severity in (BROKEN, SERIOUS, NOTE):
            if any(f.severity == severity for f in self.flaws):
                return severity
        return "sound"


def examine(mesh: Mesh, progress: Progress | None = None) -> Health:
    """Look a mesh over.

    Parameters
    ----------
    mesh : welded triangles [mm].

    Notes
    -----
    Overlaps are told by the winding number along a grid of lines, so that a cut of two shells into each other is seen without
    testing every pair of triangles; overlaps smaller than the grid are missed.
    """
    progress = progress or quiet()
    progress.at(0.0, "looking at edges")
    topology = mesh.topology
    flaws: list[Flaw] = []
    open_at = topology.uses == 1
    middle = _edge_middles(mesh)
    if open_at.any():
        flaws.append(
            _flaw(
                "open_edges",
                BROKEN,
                int(open_at.sum()),
                "{n open edge|open edges}: the surface has holes.",
                middle(open_at),
                "fill",
            )
        )
    crowded = topology.uses > 2
    if crowded.any():
        flaws.append(
            _flaw(
                "crowded_edges",
                SERIOUS,
                int(crowded.sum()),
                "{n edge has|edges have} more than two faces: walls of no thickness, or bodies that touch along a line.",
                middle(crowded),
                "rebuild",
            )
        )
    progress.at(0.3, "looking at corners")
    pinched = topology.fans > 1
    if pinched.any():
        flaws.append(
            _flaw(
                "pinched_corners",
                NOTE,
                int(pinched.sum()),
                "{n corner|corners} where the surface meets itself in a point.",
                mesh.points[pinched],
                "rebuild",
            )
        )
    progress.at(0.45, "looking at shells")
    shells = shells_of(mesh)
    flaws += _turned(mesh, shells)
    progress.at(0.7, "looking at faces")
    flaws += _poor_faces(mesh)
    flaws += _stray_shells(mesh, shells)
    progress.at(0.8, "looking for overlaps")
    flaws += _overlaps(mesh)
    solid = bool((topology.uses % 2 == 0).all() and (topology.net == 0).all())
    progress.at(1.0, "looked over")
    rank = {BROKEN: 0, SERIOUS: 1, NOTE: 2}
    return Health(tuple(sorted(flaws, key=lambda f: rank[f.severity])), shells, int(open_at.sum()), solid)


def _flaw(kind: str, severity: str, count: int, message: str, places: NDArray[np.float64], mend: str = "") -> Flaw:
    """A flaw; `{n edge|edges}` in its message becomes the count with the word that goes with it."""
    some = places[np.linspace(0, len(places) - 1, min(len(places), MOST_PLACES)).astype(int)] if len(places) else places
    counted = re.sub(r"\{n ([^|}]*)\|([^}]*)\}", lambda m: f"{count:,} {m[1] if count == 1 else m[2]}", message)
    return Flaw(kind, severity, count, counted, some.reshape(-1, 3), mend)


def _edge_middles(mesh: Mesh):  # type: ignore[no-untyped-def]
    """A function from chosen edges to their middles."""
    ends = mesh.topology.ends

    def middles(chosen: NDArray[np.bool_]) -> NDArray[np.float64]:
        return mesh.points[ends[chosen]].mean(axis=1)

    return middles


def shells_of(mesh: Mesh) -> Shells:
    """The shells of a mesh and how they lie in each other."""
    topology = mesh.topology
    label, count = topology.shells
    centre = 0.5 * (mesh.low + mesh.high)
    volume, area, low, high, closed = measure_shells(
        mesh.points, mesh.faces, label, count, topology.edge_of, topology.uses, *(float(c) for c in centre)
    )
    order = np.argsort(-np.prod(np.maximum(high - low, 1e-9), axis=1), kind="stable")
    rank = np.empty(count, np.int64)
    rank[order] = np.arange(count)
    of_face = rank[label]
    made = Shells(
        of_face,
        np.bincount(of_face, minlength=count),
        volume[order],
        area[order],
        low[order],
        high[order],
        closed[order],
        np.zeros(count, np.int64),
    )
    return replace(made, depth=_depths(mesh, made))


def _depths(mesh: Mesh, shells: Shells) -> NDArray[np.int64]:
    """In how many other closed shells each one lies, by a ray from a corner of it."""
    depth = np.zeros(shells.count, np.int64)
    first = np.full(shells.count, -1, np.int64)
    seen, at = np.unique(shells.of_face, return_index=True)
    first[seen] = at
    for inner in range(1, min(shells.count, MOST_NESTED)):
        start = mesh.points[mesh.faces[first[inner], 0]]
        for outer in range(min(inner, MOST_NESTED)):
            around = (shells.low[outer] <= start).all() and (start <= shells.high[outer]).all()
            if not (shells.closed[outer] and around):
                continue
            other = Mesh(mesh.points, mesh.faces[shells.of_face == outer])
            far, _, _ = hits(other, start, np.array([0.0137, 0.0291, 1.0]))
            depth[inner] += int((far > 0).sum() % 2)
    return depth


def _turned(mesh: Mesh, shells: Shells) -> list[Flaw]:
    """Faces that disagree with their neighbours, and whole shells that are inside out."""
    flaws = []
    topology = mesh.topology
    if ((topology.uses == 2) & (topology.net != 0)).any():
        turned = to_turn(topology, mesh.face_area_mm2)
        count = int(turned.sum())
        places = mesh.points[mesh.faces[turned]].mean(axis=1)
        flaws.append(
            _flaw(
                "turned_faces",
                SERIOUS,
                count,
                "{n face looks|faces look} inward while the neighbours look outward.",
                places,
                "orient",
            )
        )
    inside_out = inside_out_shells(shells)
    if inside_out.any():
        places = 0.5 * (shells.low + shells.high)[inside_out]
        many = int(inside_out.sum())
        what = "The surface is inside out." if shells.count == 1 else "{n shell is|shells are} inside out."
        flaws.append(_flaw("inside_out", SERIOUS, many, what, places, "orient"))
    return flaws


def inside_out_shells(shells: Shells) -> NDArray[np.bool_]:
    """Closed shells of negative volume that are no cavity of another."""
    return shells.closed & (shells.volume_mm3 < -1e-9) & (shells.depth % 2 == 0)


def cavity_shells(shells: Shells) -> NDArray[np.bool_]:
    """Shells that face inward in another."""
    return (shells.depth % 2 == 1) & (shells.volume_mm3 < 0)


def voids_of(mesh: Mesh, least_mm3: float) -> tuple[Mesh, list[Mesh]]:
    """A mesh less its closed cavities, from a volume on; and these voids, faces outward as a chamber's."""
    shells = shells_of(mesh)
    shut = cavity_shells(shells) & shells.closed & (shells.volume_mm3 <= -least_mm3)
    if not shut.any():
        return mesh, []
    voids = [mesh.only(shells.of_face == number) for number in np.flatnonzero(shut)]
    return mesh.only(~shut[shells.of_face]), [Mesh(void.points, void.faces[:, ::-1].copy()) for void in voids]


def _poor_faces(mesh: Mesh) -> list[Flaw]:
    """Faces twice over, and faces without area."""
    flaws = []
    twice = duplicate_faces(mesh)
    if twice.any():
        flaws.append(
            _flaw(
                "duplicate_faces",
                SERIOUS,
                int(twice.sum()),
                "{n face lies|faces lie} exactly on others.",
                mesh.points[mesh.faces[twice]].mean(axis=1),
                "tidy",
            )
        )
    flat = mesh.face_area_mm2 < FLAT_MM2
    if flat.any():
        flaws.append(
            _flaw(
                "flat_faces",
                NOTE,
                int(flat.sum()),
                "{n face has|faces have} no area.",
                mesh.points[mesh.faces[flat]].mean(axis=1),
                "tidy",
            )
        )
    return flaws


def duplicate_faces(mesh: Mesh) -> NDArray[np.bool_]:
    """Faces with the same three corners as an earlier one, (m,)."""
    topology = mesh.topology
    odd = (topology.uses > 2) | (topology.net != 0)
    candidates = np.flatnonzero(odd[topology.edge_of].any(axis=1))
    result = np.zeros(mesh.triangles, bool)
    if len(candidates) > 1:
        corners = np.sort(mesh.faces[candidates], axis=1)
        _, first = np.unique(corners, axis=0, return_index=True)
        again = np.ones(len(candidates), bool)
        again[first] = False
        result[candidates[again]] = True
    return result


def _stray_shells(mesh: Mesh, shells: Shells) -> list[Flaw]:
    """Debris, cavities and shells within shells."""
    flaws = []
    centre = 0.5 * (shells.low + shells.high)
    debris = shells.debris
    if debris.any():
        largest = float(shells.size_mm[debris].max())
        flaws.append(
            _flaw(
                "debris",
                SERIOUS,
                int(debris.sum()),
                f"{{n stray bit|stray bits}}, the largest {largest:.2f} mm: they would float off in the vat.",
                centre[debris],
                "debris",
            )
        )
    if shells.specks.any():
        message = "{n speck|specks} of no volume inside the material: they do no harm."
        flaws.append(_flaw("specks", NOTE, int(shells.specks.sum()), message, centre[shells.specks], "debris"))
    cavity = cavity_shells(shells) & ~shells.specks
    if cavity.any():
        mm3 = -float(shells.volume_mm3[cavity].sum())
        amount = f"{mm3 / 1000:.2f} mL" if mm3 >= 50 else f"{mm3:.2g} mm³"
        flaws.append(
            _flaw(
                "cavities",
                NOTE,
                int(cavity.sum()),
                f"{{n closed cavity|closed cavities}} of {amount} in all: resin stays in them until they get a hole.",
                centre[cavity],
            )
        )
    nested = (shells.depth > 0) & (shells.volume_mm3 > 0) & ~debris & ~shells.specks & shells.closed
    if nested.any():
        flaws.append(
            _flaw(
                "nested_shells",
                NOTE,
                int(nested.sum()),
                "{n shell lies|shells lie} within others: they print as one solid.",
                centre[nested],
                "rebuild",
            )
        )
    several = int((~debris & (shells.depth == 0)).sum())
    if several > 1:
        flaws.append(
            _flaw(
                "several_shells",
                NOTE,
                several,
                "{n separate shell|separate shells} in one part.",
                centre[~debris & (shells.depth == 0)],
            )
        )
    return flaws


def _overlaps(mesh: Mesh) -> list[Flaw]:
    """Where the surface runs through itself: lines that are inside it twice, or inside a shell turned round."""
    size = np.maximum(mesh.extents_mm, 1e-6)
    n = COLUMNS
    # the grid is set off by odd fractions, so that its lines miss edges that lie on round figures
    dx, dy = size[0] / (n + 0.37), size[1] / (n + 0.53)
    x0, y0 = mesh.low[0] + 0.6137 * dx, mesh.low[1] + 0.5731 * dy
    start, z, step = columns(mesh.points, mesh.faces, x0, dx, n, y0, dy, n)
    most, _, at = deepest(start, z, step, OVERLAP_MM)
    deep = np.flatnonzero(most > 1)
    if len(deep) == 0:
        return []
    places = np.column_stack((x0 + deep % n * dx, y0 + deep // n * dy, at[deep]))
    share = len(deep) / max(1, int((most > 0).sum()))
    message = f"The surface runs through itself over {share:.0%} of its outline: the overlaps print as one solid."
    return [_flaw("overlaps", NOTE, len(deep), message, places, "rebuild")]
