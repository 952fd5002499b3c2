"""Twenty parts that fool finders of cavities, each with what is true of it, told by its making."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
import trimesh

from conftest import as_mesh, as_source, moved, tube_with_floor, turned
from wideberth.core.bench import load_bench
from wideberth.core.drain import Hole
from wideberth.core.hollow import STRUTS, Lattice, Shell
from wideberth.core.job import Job, Part, job_of
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.split import Cut

SPHERE = 4 / 3 * np.pi


@dataclass(frozen=True)
class Truth:
    """What is true of a part.

    trapped_ml : shut in for good. voids : how many of these. sealed : whether some layer pulls on a sealed cup of over 20 mm².
    vented : whether a hole relieves one. told, untold : codes of findings that must and must not be there.
    """

    trapped_ml: float
    voids: int
    sealed: bool
    vented: bool = False
    told: set[str] = field(default_factory=set)
    untold: set[str] = field(default_factory=set)


def ball(radius: float, *at: float) -> trimesh.Trimesh:
    return moved(trimesh.creation.icosphere(4, radius), *(at or (0, 0, 0)))


def box(x: float, y: float, z: float, *at: float) -> trimesh.Trimesh:
    return moved(trimesh.creation.box((x, y, z)), *(at or (0, 0, 0)))


def inward(solid: trimesh.Trimesh) -> trimesh.Trimesh:
    """The same surface looking inward: a void when it lies in a solid."""
    made = solid.copy()
    made.invert()
    return made


def joined(*solids: trimesh.Trimesh) -> trimesh.Trimesh:
    return trimesh.util.concatenate(solids)


def less(a: trimesh.Trimesh, *others: trimesh.Trimesh) -> trimesh.Trimesh:
    return trimesh.boolean.difference([a, *others], engine="manifold")


def job(solid: trimesh.Trimesh, gap: float = 3.0, turn: tuple[float, float, float] = (0, 0, 0), **recipe: object) -> Job:
    part = Part("Part", as_source(as_mesh(solid)), pose=Pose(turned_xyz(*turn), gap_mm=gap), **recipe)  # type: ignore[arg-type]
    return job_of("Torture", load_bench(), (part,))


def facets(radius: float) -> float:
    """Volume [mL] of a ball as its facets have it."""
    return float(ball(radius).volume) / 1000


LOW = Hole(0, 0, -15, 2.0)
TWO_ROOMS = joined(box(40, 22, 22), inward(box(16, 18, 18, -9.5, 0, 0)), inward(box(16, 18, 18, 9.5, 0, 0)))
ROOM_ML = 16 * 18 * 18 / 1000
DUMBBELL = joined(box(56, 24, 24), inward(trimesh.boolean.union([
    ball(9, -14, 0, 0), ball(9, 14, 0, 0), turned(trimesh.creation.cylinder(2, 20, sections=48), 90, (0, 1, 0))],
    engine="manifold")))  # fmt: skip


PARTS: dict[str, tuple[Callable[[], Job], Truth]] = {
    "a ball in a void in a ball": (
        lambda: job(joined(ball(15), inward(ball(10)), ball(6))), Truth(facets(10) - facets(6), 1, True, told={"trap"})),
    "two shells that touch along a face": (
        lambda: job(joined(box(20, 20, 20, -10, 0, 0), box(20, 20, 20, 10, 0, 0), inward(box(14, 14, 14, -10, 0, 0)),
                           inward(box(14, 14, 14, 10, 0, 0)))), Truth(2 * 2.744, 2, True, told={"trap"})),
    "two shells that overlap": (
        lambda: job(joined(ball(12, -8, 0, 0), ball(12, 8, 0, 0)), shell=Shell(2.0)), Truth(-1, 1, True, told={"trap"})),
    "an inner surface that looks outward is no void": (
        lambda: job(joined(ball(15), ball(10))), Truth(0, 0, False, untold={"trap", "cup_sealed"})),
    "a shell without a hole": (lambda: job(ball(15), shell=Shell(2.0)), Truth(facets(13), 1, True, told={"trap"})),
    "a shell with a hole at its lowest": (
        lambda: job(ball(15), shell=Shell(2.0), holes=(LOW,)), Truth(0, 0, False, True, untold={"trap", "hole_blind"})),
    "a shell with a hole at its top only": (
        lambda: job(ball(15), shell=Shell(2.0), holes=(Hole(0, 0, 15, 2.0),)),
        Truth(0, 0, True, told={"cup_sealed", "hole_idle"}, untold={"trap"})),
    "a hole that stops inside the wall, in a bubble": (
        lambda: job(joined(box(30, 30, 30), inward(box(14, 14, 14)), inward(box(3, 3, 3, 10.5, 0, 0))),
                    holes=(Hole(15, 0, 0, 2.0),)), Truth(2.744, 1, True, told={"trap"})),
    "a hole through the solid beside the void": (
        lambda: job(joined(box(30, 30, 30), inward(box(14, 14, 14, 0, 0, -5))), holes=(Hole(0, 15, 12, 2.0),)),
        Truth(2.744, 1, True, told={"trap", "hole_idle"})),
    "a hole from one chamber to another": (
        lambda: job(TWO_ROOMS, holes=(Hole(1.5, 0, 0, 2.0, along=(-1.0, 0.0, 0.0)),)),
        Truth(2 * ROOM_ML, 1, True, told={"trap"})),
    "a hole into one of two chambers": (
        lambda: job(TWO_ROOMS, holes=(Hole(-10, 0, -11, 2.0),)), Truth(ROOM_ML, 1, True, True, told={"trap"})),
    "two chambers joined by a neck, one hole": (
        lambda: job(DUMBBELL, holes=(Hole(14, 0, -12, 3.0),)), Truth(0, 0, True, True, untold={"trap"})),
    "a chamber opened by the cut of a split": (
        lambda: job(joined(box(30, 30, 30), inward(box(20, 20, 20))), cuts=(Cut((0.0, 0.0, 1.0), 0.0, -1),)),
        Truth(0, 0, True, untold={"trap"})),
    "the same piece with its mating face down": (
        lambda: job(joined(box(30, 30, 30), inward(box(20, 20, 20))), turn=(180, 0, 0), cuts=(Cut((0.0, 0.0, 1.0), 0.0, -1),)),
        Truth(0, 0, False, untold={"trap", "cup_sealed"})),
    "a vase that opens to the film": (
        lambda: job(tube_with_floor()), Truth(0, 0, True, told={"cup_sealed"}, untold={"trap"})),
    "a vase mouth down on the plate": (
        lambda: job(tube_with_floor(), gap=0.0, turn=(180, 0, 0)), Truth(0, 0, True, told={"cup_sealed"}, untold={"trap"})),
    "a vase mouth down on posts": (
        lambda: job(tube_with_floor(), gap=5.0, turn=(180, 0, 0)), Truth(0, 0, False, untold={"trap", "cup_sealed"})),
    "a dimple too shallow to speak of": (
        lambda: job(less(box(30, 30, 10), ball(6, 0, 0, 10.99))),
        Truth(0, 0, False, untold={"trap", "cup_sealed", "cup_vented"})),
    "a hole that the plate shuts": (
        lambda: job(joined(box(24, 24, 20), inward(box(18, 18, 14))), gap=0.0, holes=(Hole(0, 0, -10, 3.0),)),
        Truth(0, 0, True, told={"cup_sealed"}, untold={"trap"})),
    "a shell full of struts with a hole": (
        lambda: job(ball(15), shell=Shell(2.0, lattice=Lattice(STRUTS, 0.08)), holes=(LOW, Hole(15, 0, 0, 2.0))),
        Truth(0, 0, False, True, untold={"trap"})),
}  # fmt: skip
