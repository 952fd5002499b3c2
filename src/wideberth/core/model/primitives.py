"""Round rods and spheres as closed meshes, with the volume of the true shape."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model.frames import ring_about
from wideberth.core.model.mesh import Mesh


def rod(
    start_mm: NDArray[np.float64], end_mm: NDArray[np.float64], start_radius_mm: float, end_radius_mm: float, sides: int = 12
) -> Mesh:
    """A tapered round rod with flat ends between two points (3,).

    Its corners lie a little outside the circle, so that the polygon has the circle's area.
    """
    ends = np.asarray(start_mm, float)[None], np.asarray(end_mm, float)[None]
    return rods(*ends, np.array([start_radius_mm]), np.array([end_radius_mm]), sides)


def rods(
    start_mm: NDArray[np.float64],
    end_mm: NDArray[np.float64],
    start_radius_mm: NDArray[np.float64],
    end_radius_mm: NDArray[np.float64],
    sides: int = 12,
) -> Mesh:
    """Many rods (see `rod`) as one mesh, in their order. start_mm, end_mm : (n, 3). start_radius_mm, end_radius_mm : (n,)."""
    swell = np.sqrt(2 * np.pi / (sides * np.sin(2 * np.pi / sides)))
    circle = swell * ring_about(end_mm - start_mm, sides)
    start, end = start_mm[:, None], end_mm[:, None]
    rims = start + start_radius_mm[:, None, None] * circle, end + end_radius_mm[:, None, None] * circle
    points = np.concatenate((*rims, start, end), axis=1)
    a = np.arange(sides)
    b = (a + 1) % sides
    low, high = np.full(sides, 2 * sides), np.full(sides, 2 * sides + 1)
    faces = np.concatenate(
        (
            np.stack([a, b, b + sides], 1),
            np.stack([a, b + sides, a + sides], 1),
            np.stack([b, a, low], 1),
            np.stack([a + sides, b + sides, high], 1),
        )
    )
    return _repeated(points, faces)


def _repeated(points: NDArray[np.float64], faces: NDArray[np.int64]) -> Mesh:
    """Alike solids as one mesh. points : (n, m, 3) of each. faces : of one of them."""
    n, m, _ = points.shape
    shifted = faces + m * np.arange(n)[:, None, None]
    return Mesh(points.reshape(-1, 3), shifted.reshape(-1, 3).astype(np.int32))


def prism(
    start_mm: NDArray[np.float64],
    end_mm: NDArray[np.float64],
    across: NDArray[np.float64],
    over: NDArray[np.float64],
    start_outline: NDArray[np.float64],
    end_outline: NDArray[np.float64],
) -> Mesh:
    """An outline drawn out along an axis to another outline, with flat ends; faces outward.

    Parameters
    ----------
    start_mm, end_mm : (3,). across, over : (3,) unit vectors of the outlines' two axes. start_outline, end_outline : (n, 2)
    corners, star-shaped round the axis.
    """
    n = len(start_outline)
    frame = np.stack([across, over])
    points = np.concatenate((start_mm + start_outline @ frame, end_mm + end_outline @ frame, [start_mm, end_mm]))
    a = np.arange(n)
    b = (a + 1) % n
    low, high = np.full(n, 2 * n), np.full(n, 2 * n + 1)
    faces = np.concatenate(
        (np.stack([a, b, b + n], 1), np.stack([a, b + n, a + n], 1), np.stack([b, a, low], 1), np.stack([a + n, b + n, high], 1))
    ).astype(np.int32)
    mesh = Mesh(points, faces)
    return mesh if mesh.volume_mm3 > 0 else Mesh(points, np.ascontiguousarray(faces[:, ::-1]))


def ball(centre_mm: NDArray[np.float64], radius_mm: float, sides: int = 10) -> Mesh:
    """A sphere of rings about a point (3,)."""
    return balls(np.asarray(centre_mm, float)[None], np.array([radius_mm]), sides)


def balls(centre_mm: NDArray[np.float64], radius_mm: NDArray[np.float64], sides: int = 10) -> Mesh:
    """Many spheres (see `ball`) as one mesh, in their order. centre_mm : (n, 3). radius_mm : (n,)."""
    rings = max(3, sides // 2)
    polar = np.pi * np.arange(1, rings) / rings
    angle = 2 * np.pi * np.arange(sides) / sides
    ring = np.stack(
        [
            np.outer(np.sin(polar), np.cos(angle)),
            np.outer(np.sin(polar), np.sin(angle)),
            np.outer(-np.cos(polar), np.ones(sides)),
        ],
        axis=2,
    ).reshape(-1, 3)
    points = np.concatenate((ring, [[0, 0, -1.0], [0, 0, 1.0]])) * (1.03 * radius_mm[:, None, None]) + centre_mm[:, None]
    bottom, top = len(ring), len(ring) + 1
    faces = []
    for r in range(rings - 2):
        for s in range(sides):
            a, b = r * sides + s, r * sides + (s + 1) % sides
            faces += [[a, b, b + sides], [a, b + sides, a + sides]]
    for s in range(sides):
        t = (s + 1) % sides
        faces.append([bottom, t, s])
        faces.append([top, (rings - 2) * sides + s, (rings - 2) * sides + t])
    return _repeated(points, np.array(faces))
