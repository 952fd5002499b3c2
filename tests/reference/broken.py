"""Broken meshes with a known fault and, where there is one, the volume of the whole solid they came from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import trimesh

from wideberth.core.model import Mesh, joined


@dataclass(frozen=True)
class Broken:
    """A mesh, the kinds of flaw that must be found, and the volume that a repair should come back to [mm³]."""

    mesh: Mesh
    flaws: frozenset[str]
    volume_mm3: float | None = None


def plain(t: trimesh.Trimesh) -> Mesh:
    return Mesh(np.asarray(t.vertices, float), np.asarray(t.faces, np.int32))


def moved(mesh: Mesh, x: float = 0.0, y: float = 0.0, z: float = 0.0) -> Mesh:
    return mesh.moved(np.array([x, y, z]))


BALL = plain(trimesh.creation.icosphere(4, 15))
BOX = plain(trimesh.creation.box((10, 10, 10)).subdivide().subdivide())
BALL_MM3 = float(trimesh.creation.icosphere(4, 15).volume)


def _centres(mesh: Mesh) -> np.ndarray:
    return mesh.corners.mean(axis=1)


def ball_with_a_curved_hole() -> Broken:
    """A cap of 60° across is missing."""
    keep = _centres(BALL)[:, 2] < 13.0
    return Broken(Mesh(BALL.points, BALL.faces[keep]), frozenset({"open_edges"}), BALL_MM3)


def box_without_lid() -> Broken:
    keep = _centres(BOX)[:, 2] < 4.99
    return Broken(Mesh(BOX.points, BOX.faces[keep]), frozenset({"open_edges"}), 1000.0)


def unwelded_halves() -> Broken:
    """Two halves of a ball that meet within 2 µm but share no corner."""
    upper = _centres(BALL)[:, 2] > 0
    halves = [Mesh(BALL.points, BALL.faces[upper]), moved(Mesh(BALL.points, BALL.faces[~upper]), z=-0.002)]
    whole = joined(halves)
    points, faces = np.unique(whole.points[whole.faces].reshape(-1, 3), axis=0, return_inverse=True)
    return Broken(Mesh(points, faces.reshape(-1, 3).astype(np.int32)), frozenset({"open_edges"}), BALL_MM3)


def some_faces_turned() -> Broken:
    faces = BALL.faces.copy()
    turn = _centres(BALL)[:, 0] > 9
    faces[turn] = faces[turn][:, ::-1]
    return Broken(Mesh(BALL.points, faces), frozenset({"turned_faces"}), BALL_MM3)


def inside_out() -> Broken:
    return Broken(Mesh(BALL.points, BALL.faces[:, ::-1].copy()), frozenset({"inside_out"}), BALL_MM3)


def faces_twice() -> Broken:
    again = np.concatenate((BALL.faces, BALL.faces[:40]))
    return Broken(Mesh(BALL.points, again), frozenset({"duplicate_faces", "crowded_edges"}), BALL_MM3)


def debris_around() -> Broken:
    bits = [moved(plain(trimesh.creation.icosphere(1, 0.05)), 20 + i, i, 3) for i in range(5)]
    return Broken(joined([BALL, *bits]), frozenset({"debris"}), BALL_MM3)


def overlapping_balls() -> Broken:
    """Two balls 20 mm apart: the union's volume by hand is two balls less the lens they share."""
    d, r = 20.0, 15.0
    lens = np.pi * (2 * r - d) ** 2 * (d * d + 4 * d * r) / (12 * d)
    whole = 2 * 4 / 3 * np.pi * r**3 - lens
    return Broken(joined([BALL, moved(BALL, x=d)]), frozenset({"overlaps", "several_shells"}), float(whole))


def ball_in_a_ball() -> Broken:
    """A smaller ball, facing outward as well, inside: one solid."""
    inner = plain(trimesh.creation.icosphere(3, 7))
    return Broken(joined([BALL, inner]), frozenset({"nested_shells", "overlaps"}), BALL_MM3)


def hollow_ball() -> Broken:
    """A cavity: no fault, but worth knowing."""
    inner = plain(trimesh.creation.icosphere(3, 7))
    turned = Mesh(inner.points, inner.faces[:, ::-1].copy())
    return Broken(joined([BALL, turned]), frozenset({"cavities"}), BALL_MM3 - inner.volume_mm3)


def boxes_on_one_edge() -> Broken:
    """Two boxes that share one edge: four faces meet there."""
    a, b = plain(trimesh.creation.box((10, 10, 10))), moved(plain(trimesh.creation.box((10, 10, 10))), 10, 10)
    whole = joined([a, b])
    points, faces = np.unique(np.round(whole.points, 9)[whole.faces].reshape(-1, 3), axis=0, return_inverse=True)
    return Broken(Mesh(points, faces.reshape(-1, 3).astype(np.int32)), frozenset({"crowded_edges"}), 2000.0)


def cones_tip_to_tip() -> Broken:
    """Two cones that touch in one corner."""
    cone = plain(trimesh.creation.cone(5, 10, sections=48))
    other = cone.transformed(np.diag([1.0, 1, -1, 1]))
    other = moved(other, z=20.0)
    whole = joined([cone, other])
    points, faces = np.unique(np.round(whole.points, 9)[whole.faces].reshape(-1, 3), axis=0, return_inverse=True)
    return Broken(Mesh(points, faces.reshape(-1, 3).astype(np.int32)), frozenset({"pinched_corners"}), 2 * cone.volume_mm3)


def flat_faces() -> Broken:
    """A corner put onto the middle of an edge, so that a face has no area."""
    t = trimesh.creation.box((10, 10, 10))
    points = np.vstack([t.vertices, (t.vertices[t.faces[0][0]] + t.vertices[t.faces[0][1]]) / 2])
    a, b, c = t.faces[0]
    faces = np.vstack([t.faces[1:], [[a, 8, c], [8, b, c], [a, b, 8]]])
    return Broken(Mesh(points, faces.astype(np.int32)), frozenset({"flat_faces"}), 1000.0)


def torn_sieve() -> Broken:
    """Every twentieth face is missing."""
    keep = np.arange(BALL.triangles) % 20 != 0
    return Broken(Mesh(BALL.points, BALL.faces[keep]), frozenset({"open_edges"}), BALL_MM3)


ALL: dict[str, Callable[[], Broken]] = {
    make.__name__.replace("_", " "): make
    for make in (
        ball_with_a_curved_hole, box_without_lid, unwelded_halves, some_faces_turned, inside_out, faces_twice, debris_around,
        overlapping_balls, ball_in_a_ball, hollow_ball, boxes_on_one_edge, cones_tip_to_tip, flat_faces, torn_sieve,
    )
}  # fmt: skip
