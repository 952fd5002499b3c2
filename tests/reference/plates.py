"""Random prints for plates, where they stand after packing, and how near they come to each other by exact solids."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import trimesh

from conftest import as_mesh
from reference.shelf import arrange
from wideberth.core.bench import Printer
from wideberth.core.model import Mesh, as_solid, rotation_about
from wideberth.core.plate import Packed


def at(t: trimesh.Trimesh, *by: float) -> trimesh.Trimesh:
    t.apply_translation(by)
    return t


def random_prints(seed: int, count: int) -> list[Mesh]:
    """Cylinders, boxes, rings, cones, angles and mushrooms, each set down round its own place."""
    r, made = np.random.default_rng(seed), []
    for _ in range(count):
        kind, s = r.integers(0, 6), float(r.uniform(8, 30))
        if kind == 0:
            t = trimesh.creation.cylinder(s / 2, r.uniform(5, 60), sections=32)
        elif kind == 1:
            t = trimesh.creation.box((s, r.uniform(4, 40), r.uniform(5, 50)))
        elif kind == 2:
            t = trimesh.creation.torus(s / 2, s / 8, 24, 12)
        elif kind == 3:
            t = trimesh.creation.cone(s / 2, r.uniform(8, 50), sections=24)
        elif kind == 4:
            bars = [trimesh.creation.box(bounds=[[0, 0, 0], size]) for size in ([s, s / 3, 8], [s / 3, s, 8])]
            t = trimesh.boolean.union(bars, engine="manifold")
        else:
            t = mushroom(s / 2, 1.2 * s)
        middle = t.bounds.mean(axis=0)
        made.append(as_mesh(at(t, -middle[0], -middle[1], -t.bounds[0][2])))
    return made


def mushroom(radius: float, height: float) -> trimesh.Trimesh:
    """A cap of 4 mm on a stem of 2 mm radius."""
    stem = at(trimesh.creation.cylinder(2, height, sections=16), 0, 0, height / 2)
    cap = at(trimesh.creation.cylinder(radius, 4, sections=32), 0, 0, height + 1.9)
    return trimesh.boolean.union([stem, cap], engine="manifold")


def stands(mesh: Mesh, place: Packed) -> Mesh:
    """A print where it was placed."""
    return mesh.__class__(mesh.points @ rotation_about(2, place.turn_deg).T + [place.x_mm, place.y_mm, 0.0], mesh.faces)


def least_gap(meshes: Sequence[Mesh], most_mm: float) -> float:
    """Least distance between any two closed meshes [mm], exactly, up to `most_mm`."""
    solids = [as_solid(mesh) for mesh in meshes]
    return min((solids[a].min_gap(solids[b], most_mm) for a in range(len(solids)) for b in range(a)), default=most_mm)


def box_mm2(meshes: Sequence[Mesh]) -> float:
    """Area of the box round all, seen from above."""
    low, high = np.min([m.low for m in meshes], axis=0), np.max([m.high for m in meshes], axis=0)
    return float((high - low)[:2].prod())


def shelf_mm2(meshes: Sequence[Mesh], printer: Printer, gap_mm: float) -> float:
    """The same of a shelf of their boxes."""
    sizes = [(float(m.extents_mm[0]), float(m.extents_mm[1])) for m in meshes]
    places = arrange(sizes, printer, gap_mm)
    assert places is not None
    corners = np.array([(x - w / 2, y - d / 2, x + w / 2, y + d / 2) for (x, y), (w, d) in zip(places, sizes, strict=True)])
    return float((corners[:, 2:].max(axis=0) - corners[:, :2].min(axis=0)).prod())
