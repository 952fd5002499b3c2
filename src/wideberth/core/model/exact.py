"""Exact cutting of closed meshes. The library holds the interpreter at work: what is heavy is put down step by step and done by
another process, all at once."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import reduce
from operator import sub
from pathlib import Path

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray

from wideberth.core.errors import BadModel
from wideberth.core.model.apart import APART_FROM, made_apart
from wideberth.core.model.exactly import worked
from wideberth.core.model.mesh import Mesh, joined
from wideberth.core.model.solid import as_mesh, as_solid, is_closed, piece_of_faces, pieces_of
from wideberth.core.progress import Progress, quiet

PROGRAM, PER_S = Path(__file__).with_name("exactly.py"), 200_000


@dataclass(frozen=True, eq=False)
class Exact:
    """A solid that is made of others once it is asked for: a mesh, or a step (see `exactly.worked`) with what it is made of."""

    how: str
    of: tuple[Exact, ...] = ()
    numbers: tuple[float, ...] = ()
    mesh: Mesh | None = None

    @classmethod
    def solid(cls, shape: Mesh | Manifold) -> Exact:
        """A closed mesh, or a solid at hand."""
        return cls("mesh", mesh=shape if isinstance(shape, Mesh) else as_mesh(shape))

    @classmethod
    def all_of(cls, shapes: Sequence[Exact]) -> Exact:
        """The union of any number."""
        return cls("all", tuple(shapes))

    def __sub__(self, other: Exact) -> Exact:
        return Exact("less", (self, other))

    def __add__(self, other: Exact) -> Exact:
        return Exact("with", (self, other))

    def __xor__(self, other: Exact) -> Exact:
        """What lies in both."""
        return Exact("within", (self, other))

    def halves(self, normal: Sequence[float], offset_mm: float) -> tuple[Exact, Exact]:
        """What lies over a plane, and what under it."""
        plane = (*(float(n) for n in normal), float(offset_mm))
        return Exact("over", (self,), plane), Exact("under", (self,), plane)

    def resolved(self) -> Exact:
        """Its outer surface, where it is several shells that overlap; those that face inward are cut out of the others."""
        return Exact("resolved", (self,))

    def simplified(self, within_mm: float) -> Exact:
        """With needless triangles taken out, nothing moved by more than so much."""
        return Exact("simplified", (self,), (within_mm,))


def meshes_of(
    wanted: Sequence[Exact],
    name: str = "mesh",
    some: Sequence[Exact] = (),
    what: str = "cutting exactly",
    progress: Progress | None = None,
) -> list[Mesh]:
    """The meshes of some solids; none at all where one of `some` is empty. The same whichever process did it.

    Parameters
    ----------
    name : that errors tell. what : told as progress meanwhile.

    Raises
    ------
    BadModel : when a mesh is no closed manifold. Cancelled : when `progress` was cancelled meanwhile.
    """
    leaves, steps, place = _in_order([*wanted, *some])
    count = sum(leaf.triangles for leaf in leaves)
    if count >= APART_FROM and all(map(is_closed, leaves)):
        told = {
            "counts": [(len(leaf.points), leaf.triangles) for leaf in leaves],
            "steps": steps,
            "wanted": [place[one] for one in wanted],
            "some": [place[one] for one in some],
        }
        all_of, asked = joined(leaves), np.frombuffer(json.dumps(told).encode(), np.uint8)
        made = made_apart(PROGRAM, (), (asked, all_of.points, all_of.faces), 3, count / PER_S, what, progress or quiet())
        if made is not None:
            return _taken_apart(*made)
    known = worked(steps, [as_solid(leaf, name) for leaf in leaves])
    if any(known[place[one]].is_empty() for one in some):
        return []
    return [as_mesh(known[place[one]]) for one in wanted]


def _in_order(wanted: Sequence[Exact]) -> tuple[list[Mesh], list[tuple[str, list[int], list[float]]], dict[Exact, int]]:
    """Meshes, each once, and after them the steps that lead to what is wanted, what it needs first; and places of all."""
    order, left = dict[Exact, None](), list(wanted)
    while left:  # a thousand chambers are a thousand steps deep
        waiting = [other for other in left[-1].of if other not in order]
        if waiting:
            left += waiting
        else:
            order[left.pop()] = None
    leaves = {id(one.mesh): one.mesh for one in order if one.mesh is not None}
    made = [one for one in order if one.mesh is None]
    at = {key: n for n, key in enumerate(leaves)}
    place = {one: at[id(one.mesh)] for one in order if one.mesh is not None}
    place |= {one: len(leaves) + n for n, one in enumerate(made)}
    steps = [(one.how, [place[other] for other in one.of], list(one.numbers)) for one in made]
    return list(leaves.values()), steps, place


def _taken_apart(counts: NDArray[np.integer], points: NDArray[np.floating], faces: NDArray[np.integer]) -> list[Mesh]:
    """Meshes of so many points and faces each, (n, 2), which stand one after the other."""
    last = np.cumsum(counts, axis=0)[:-1]
    at, of = np.split(points.astype(np.float64), last[:, 0]), np.split(faces.astype(np.int32), last[:, 1])
    return [Mesh(p, f) for p, f, _ in zip(at, of, counts, strict=False)]


def resolved(mesh: Mesh, progress: Progress | None = None) -> Mesh:
    """The outer surface of a mesh of several overlapping shells; the mesh itself when it is one shell, or no solid.

    Shells that face inward are cut out of the others.

    Raises
    ------
    Cancelled : when `progress` was cancelled meanwhile.
    """
    piece = piece_of_faces(mesh)
    if (piece == piece[0]).all():
        return mesh
    try:
        return meshes_of([Exact.solid(mesh).resolved()], what="joining shells", progress=progress)[0]
    except BadModel:
        return mesh


def simplified(mesh: Mesh, within_mm: float, progress: Progress | None = None) -> Mesh:
    """A closed mesh with needless triangles taken out, nowhere moved by more than so much; as it is where nothing would be left.

    Raises
    ------
    BadModel : when the mesh is not a closed manifold. Cancelled : when `progress` was cancelled meanwhile.
    """
    what = "taking out needless triangles"
    simpler = meshes_of([Exact.solid(mesh).simplified(within_mm)], what=what, progress=progress)[0]
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
    is moved farther than `within_mm`.

    Raises
    ------
    BadModel : when one of them is no closed manifold. Cancelled : when `progress` was cancelled meanwhile.
    """
    stands = [Exact.solid(mesh) for mesh in standing]
    away = [reduce(sub, stands, Exact.solid(chamber)) for chamber in chambers]
    holes = [] if drills is None else [Exact.solid(drills)]
    left = Exact.solid(outer) - Exact.all_of([*away, *holes])  # one by one takes ever longer
    return meshes_of([left.simplified(within_mm)], what="cutting out chambers", progress=progress)[0]


def pieces_cut(mesh: Mesh, near_mm: NDArray[np.float64], cut: Callable[[list[Exact]], list[Exact]]) -> Mesh:
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
    left = cut([Exact.solid(one) for one in pieces_of(mesh.only(touched))])
    return joined([mesh.only(~touched), *meshes_of(left)])
