"""Signed distance fields on a grid, enough of them to model what a harbour museum shows. Negative is inside."""

from __future__ import annotations

from dataclasses import dataclass

import fast_simplification
import numpy as np
from numpy.typing import NDArray
from skimage.measure import marching_cubes

from wideberth.core.model import Mesh

Field = NDArray[np.float32]
Vector = tuple[float, float, float]


@dataclass(frozen=True)
class Space:
    """A box of grid nodes: lower corner, step and coordinates."""

    low: Vector
    high: Vector
    step: float

    @property
    def axes(self) -> list[NDArray[np.float32]]:
        return [np.arange(a, b + self.step, self.step, dtype=np.float32) for a, b in zip(self.low, self.high, strict=True)]

    def nodes(self) -> tuple[Field, Field, Field]:
        x, y, z = np.meshgrid(*self.axes, indexing="ij", sparse=True)
        return x, y, z

    def empty(self) -> Field:
        return np.full([len(a) for a in self.axes], 1e3, np.float32)


def add_ball(field: Field, space: Space, centre: NDArray[np.float64], radius: float, squash: Vector = (1, 1, 1)) -> None:
    """Union with an ellipsoid, in place, touching only the nodes near it."""
    reach = radius * max(squash) + 4 * space.step
    window, nodes = [], []
    for axis, c in zip(space.axes, centre, strict=True):
        lo, hi = np.searchsorted(axis, [c - reach, c + reach])
        window.append(slice(lo, hi))
        nodes.append(axis[lo:hi])
    x, y, z = np.meshgrid(*nodes, indexing="ij", sparse=True)
    d = np.sqrt(((x - centre[0]) / squash[0]) ** 2 + ((y - centre[1]) / squash[1]) ** 2 + ((z - centre[2]) / squash[2]) ** 2)
    part = field[tuple(window)]
    np.minimum(part, (d - radius) * min(squash), out=part)


def add_chain(field: Field, space: Space, points: NDArray[np.float64], radii: NDArray[np.float64], per_mm: float = 3) -> None:
    """Union with a round chain through points with changing radius, in place."""
    for (a, b), (r, s) in zip(zip(points[:-1], points[1:], strict=True), zip(radii[:-1], radii[1:], strict=True), strict=True):
        count = max(2, int(np.linalg.norm(b - a) * per_mm))
        for t in np.linspace(0, 1, count):
            add_ball(field, space, a + t * (b - a), float(r + t * (s - r)))


def smooth_union(a: Field, b: Field, blend: float) -> Field:
    """Union with a fillet of about `blend`."""
    h = np.clip(0.5 + 0.5 * (b - a) / blend, 0, 1)
    return b + (a - b) * h - blend * h * (1 - h)


def box(space: Space, centre: Vector, half: Vector, rounding: float = 0.0) -> Field:
    """A box with rounded edges."""
    x, y, z = space.nodes()
    q = [np.abs(n - c) - (h - rounding) for n, c, h in zip((x, y, z), centre, half, strict=True)]
    outside = np.sqrt(sum(np.maximum(v, 0) ** 2 for v in q))
    inside = np.minimum(np.maximum(np.maximum(q[0], q[1]), q[2]), 0)
    return (outside + inside - rounding).astype(np.float32)


def tube(space: Space, centre: tuple[float, float], radius: float, z_low: float, z_high: float) -> Field:
    """An upright cylinder."""
    x, y, z = space.nodes()
    side = np.hypot(x - centre[0], y - centre[1]) - radius
    return np.maximum(side, np.maximum(z_low - z, z - z_high)).astype(np.float32)


def turned(space: Space, heights: list[float], radii: list[float]) -> Field:
    """A solid turned on the z axis: radius at each height, straight between."""
    x, y, z = space.nodes()
    r = np.hypot(x, y)
    at = np.interp(z, heights, radii)
    slope = np.gradient(np.interp(np.arange(heights[0], heights[-1], 0.25), heights, radii), 0.25)
    steep = float(np.sqrt(1 + np.percentile(np.abs(slope), 90) ** 2))
    return np.maximum((r - at) / min(steep, 2.0), np.maximum(heights[0] - z, z - heights[-1])).astype(np.float32)


def to_mesh(field: Field, space: Space, triangles: int) -> Mesh:
    """The zero surface of a field as a closed mesh of about so many triangles."""
    padded = np.pad(field, 1, constant_values=1e3)
    padded = np.clip(padded, -4 * space.step, 4 * space.step)
    points, faces, _, _ = marching_cubes(padded, 0.0)
    points = (points - 1) * space.step + np.array(space.low)
    if len(faces) > triangles:
        points, faces = fast_simplification.simplify(points.astype(np.float32), faces, target_count=triangles, agg=3)
    mesh = Mesh(points.astype(np.float64), faces.astype(np.int32))
    return mesh if mesh.volume_mm3 > 0 else Mesh(mesh.points, mesh.faces[:, ::-1].copy())
