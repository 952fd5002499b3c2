"""Where a field on nodes is at a level, as a mesh."""

from __future__ import annotations

import itertools

import numpy as np
from numpy.typing import NDArray
from skimage.measure import marching_cubes

from wideberth.core.model.mesh import Mesh

AT_A_TIME = 400_000
"""So many nodes are looked at in one go: the library holds the interpreter meanwhile, and the window would stand still."""
SEAM, BESIDE = 4e-7, 1e-4
"""Of its number, so near to a layer of nodes a point lies on it; and no node of a layer at which two lots meet is so near to the
level, in steps, or points on several of its edges would all be the node."""

Points = NDArray[np.float32]
Faces = NDArray[np.int64]


def at_level(field: NDArray[np.float32], level: float, step_mm: float, low_mm: NDArray[np.float64]) -> Mesh:
    """The surface on which a field is at a level, its faces as the library turns them; no faces where it is nowhere.

    Parameters
    ----------
    field : (z, y, x) values on nodes, distances [mm]. step_mm : between nodes. low_mm : (3,) where the first node is.

    Notes
    -----
    Layers are taken some at a time. What lies on the layer of nodes between two lots is found in both, by the same arithmetic,
    and is made one.
    """
    lots = _in_lots(field, level, _cuts(field, level, BESIDE * step_mm))
    points, faces = _of_lot(field, level) if lots is None else lots
    return Mesh(points[:, ::-1].astype(np.float64) * step_mm + low_mm, faces.astype(np.int32))


def _cuts(field: NDArray[np.float32], level: float, beside: float) -> list[int]:
    """Layers at which lots end, from the first to the last: no node of one in between is near the level."""
    most, last = max(1, AT_A_TIME // max(field[0].size, 1)), len(field) - 1
    clear = [n for n in range(1, last) if np.abs(field[n] - level).min() > beside]
    cuts = [0]
    while last - cuts[-1] > most:
        near, far = ([n for n in clear if cuts[-1] < n <= cuts[-1] + most], [n for n in clear if n > cuts[-1] + most])
        if not near and not far:
            break
        cuts.append(near[-1] if near else far[0])
    return [*cuts, last]


def _in_lots(field: NDArray[np.float32], level: float, cuts: list[int]) -> tuple[NDArray[np.float64], Faces] | None:
    """Points (n, 3) as layer, row and column, and faces (f, 3) of a level; None where two lots do not meet."""
    points, faces, count = [np.zeros((0, 3))], [np.zeros((0, 3), np.int64)], 0
    seam = np.zeros(0, np.int64)  # numbers of the points on the last layer of the lot before, in order of row and column
    for first, last in itertools.pairwise(cuts):
        own, of_own = _of_lot(field[first : last + 1], level)
        again = _on_layer(own, 0) if first else seam[:0]
        if len(again) != len(seam):
            return None
        new = np.ones(len(own), bool)
        new[again] = False
        number = np.empty(len(own), np.int64)
        number[new] = count + np.arange(new.sum())
        number[again] = seam
        points.append(own[new].astype(np.float64) + [first, 0, 0])
        faces.append(number[of_own])
        count, seam = count + int(new.sum()), number[_on_layer(own, last - first)] if last < cuts[-1] else seam[:0]
    return np.concatenate(points), np.concatenate(faces)


def _of_lot(lot: NDArray[np.float32], level: float) -> tuple[Points, Faces]:
    if not lot.min() < level < lot.max():
        return np.zeros((0, 3), np.float32), np.zeros((0, 3), np.int64)
    points, faces, _, _ = marching_cubes(lot, level=level)
    return points, faces.astype(np.int64)


def _on_layer(points: Points, layer: int) -> NDArray[np.int64]:
    """Numbers of the points (n, 3) that lie on a layer of nodes, in order of row and column."""
    on = np.flatnonzero(np.abs(points[:, 0] - layer) < SEAM * max(layer, 1))
    return on[np.lexsort(points[on, :0:-1].T)]
