"""Whether a part fits a printer: as it stands, in its best turn, scaled, or in how many pieces."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from wideberth.core.bench import Printer
from wideberth.core.model import Mesh, frame_along, outermost
from wideberth.core.model.outermost import AT_ONCE

UPS, TURNS = 400, 24
"""Ways up, and turns about the upright over half a circle, that are tried."""
LOOKED_AT, REFINED, FINER = 40, 6, 4
"""So many that seem best are looked at by all corners; the best of these more closely, so often by half the step."""
GOLDEN = math.pi * (3 - math.sqrt(5))
FEW, DIRECTIONS = 4_000, 1_500
"""Of more corners than this only those farthest along so many directions, and against them, are looked at in a first look."""


@dataclass(frozen=True)
class Space:
    """What a printer leaves for a part. size_mm : (x, y, z), with the part's supports and base taken off."""

    size_mm: tuple[float, float, float]

    def margin(self, extents_mm: NDArray[np.float64]) -> NDArray[np.float64]:
        """The least of what is left on the three sides [mm], for boxes (..., 3); below zero where they do not fit. Boxes lie
        with their longer side along the plate's longer one."""
        level = np.sort(extents_mm[..., :2], axis=-1)
        plate = sorted(self.size_mm[:2])
        left = np.concatenate((np.array(plate) - level, self.size_mm[2] - extents_mm[..., 2:]), axis=-1)
        return np.asarray(left.min(axis=-1))


def space_of(printer: Printer, gap_mm: float = 0.0, beside_mm: float = 0.0) -> Space:
    """A printer's room less the gap under a part and what its base reaches out on each side."""
    return Space((printer.plate_x_mm - 2 * beside_mm, printer.plate_y_mm - 2 * beside_mm, printer.height_mm - gap_mm))


@dataclass(frozen=True)
class Turned:
    """A part in a turn: rows of `rotation` (3, 3) are the plate's axes in the part's frame; margin_mm : the least that is
    left."""

    rotation: NDArray[np.float64]
    extents_mm: tuple[float, float, float]
    margin_mm: float


@dataclass(frozen=True)
class Fit:
    """How a part fits. as_is_mm : the least that is left as it stands. turned : in the best turn found. scale : of that turn, at
    which nothing is left; over 1 where it fits. pieces : the least number that its box in any turn needs."""

    as_is_mm: float
    turned: Turned
    scale: float
    pieces: int


def fit_of(mesh: Mesh, space: Space) -> Fit:
    """How a mesh, set down as it stands, fits a space."""
    few = _few(mesh.points)
    best = best_turn(mesh.points, space, few)
    extents = np.array(best.extents_mm)
    level, plate = np.sort(extents[:2]), np.array(sorted(space.size_mm[:2]))
    scale = float(min((plate / np.maximum(level, 1e-9)).min(), space.size_mm[2] / max(extents[2], 1e-9)))
    return Fit(float(space.margin(mesh.extents_mm)), best, scale, pieces_needed(mesh.points, space, few))


def hull_points(points_mm: NDArray[np.float64]) -> NDArray[np.float64]:
    """Corners of the convex hull of points (n, 3); the points themselves where they are flat."""
    try:
        return np.asarray(points_mm[ConvexHull(points_mm).vertices])
    except (QhullError, ValueError):
        return points_mm


def _few(points_mm: NDArray[np.float64]) -> NDArray[np.float64]:
    """Corners by which turns are looked for: of many only the outermost. The box of a smooth body is smaller by 0.2 % then, that
    of a shallow lens by some of its height: what seems best is looked at by all corners."""
    return hull_points(points_mm) if len(points_mm) <= FEW else outermost(points_mm, ways(DIRECTIONS))


def ways(count: int = UPS) -> NDArray[np.float64]:
    """Directions evenly over half the sphere, with the axes among them, (n, 3): a golden spiral."""
    n = np.arange(count)
    z = 1 - (n + 0.5) / count
    level = np.sqrt(1 - z**2)
    spiral = np.column_stack((level * np.cos(GOLDEN * n), level * np.sin(GOLDEN * n), z))
    return np.concatenate((np.eye(3), spiral))


def frames_about(ups: Sequence[NDArray[np.float64]]) -> NDArray[np.float64]:
    """Frames that stand on some directions, in an even choice of turns about each, (frames, 3, 3)."""
    return _frames(np.stack(ups), np.pi * np.arange(TURNS) / TURNS)


def _frames(ups: NDArray[np.float64], turns: NDArray[np.float64]) -> NDArray[np.float64]:
    """Frames whose third row is a way up, turned about it, (ups x turns, 3, 3)."""
    frames = frame_along(ups)
    c, s = np.cos(turns)[:, None, None], np.sin(turns)[:, None, None]
    across = c * frames[None, :, 0] + s * frames[None, :, 1]
    over = -s * frames[None, :, 0] + c * frames[None, :, 1]
    along = np.broadcast_to(frames[None, :, 2], across.shape)
    return np.stack((across, over, along), axis=2).reshape(-1, 3, 3)


def extents_in(points_mm: NDArray[np.float64], frames: NDArray[np.float64]) -> NDArray[np.float64]:
    """Sides of the box of points (n, 3) in each frame, (frames, 3)."""
    across, rows = np.ascontiguousarray(points_mm.T), frames.reshape(-1, 3)
    sides = [np.ptp(lot @ across, axis=1) for lot in np.array_split(rows, max(1, len(rows) * len(points_mm) // AT_ONCE))]
    return np.concatenate(sides).reshape(-1, 3)


def best_turn(points_mm: NDArray[np.float64], space: Space, few: NDArray[np.float64]) -> Turned:
    """The turn in which most is left on the tightest side of points (n, 3): an even choice of turns, the best of them refined.
    few : the outermost of them, by which it is looked for.
    """
    turns = np.pi * np.arange(TURNS) / TURNS
    frames = _frames(ways(), turns)
    best, step = _roomiest(points_mm, frames[_likely(few, frames, space)], space), math.pi / TURNS
    for _ in range(FINER):
        tried = np.concatenate([_near(frame, step) for frame in best])
        middles = np.arange(len(best)) * (len(tried) // len(best)) + len(tried) // len(best) // 2  # the turns themselves
        best = _roomiest(points_mm, tried[np.union1d(_likely(few, tried, space), middles)], space)
        step *= 0.5
    extents = extents_in(points_mm, best[:1])[0]
    x, y, z = (float(v) for v in extents)
    return Turned(best[0], (x, y, z), float(space.margin(extents)))


def _likely(few: NDArray[np.float64], frames: NDArray[np.float64], space: Space) -> NDArray[np.int64]:
    """Which of some frames seem to leave most room, in their order."""
    return np.sort(np.argsort(-space.margin(extents_in(few, frames)), kind="stable")[:LOOKED_AT])


def _roomiest(points_mm: NDArray[np.float64], frames: NDArray[np.float64], space: Space) -> NDArray[np.float64]:
    """Those of some frames that leave points most room on the tightest side, the best first."""
    return frames[np.argsort(-space.margin(extents_in(points_mm, frames)), kind="stable")[:REFINED]]


def _near(frame: NDArray[np.float64], step: float) -> NDArray[np.float64]:
    """A frame and those a step away about its own axes, (27, 3, 3)."""
    made = []
    for a in (-step, 0.0, step):
        for b in (-step, 0.0, step):
            for c in (-step, 0.0, step):
                made.append(_small_turn(a, b, c) @ frame)
    return np.stack(made)


def _small_turn(a: float, b: float, c: float) -> NDArray[np.float64]:
    """Rotation by a vector of three angles, by Rodrigues' formula."""
    angle = math.sqrt(a * a + b * b + c * c)
    if angle == 0:
        return np.eye(3)
    x, y, z = a / angle, b / angle, c / angle
    k = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    return np.asarray(np.eye(3) + math.sin(angle) * k + (1 - math.cos(angle)) * k @ k)


def pieces_needed(points_mm: NDArray[np.float64], space: Space, few: NDArray[np.float64]) -> int:
    """The least number of pieces that the box of points needs, cut square to its sides, in the best of an even choice of
    turns.

    few : the outermost of them. Their boxes are no larger than those of all: turns are looked at closely from where these need
    fewest, until one needs no more than the next of them would at least.
    """
    frames = _frames(ways(UPS // 2), np.pi * np.arange(TURNS // 2) / (TURNS // 2))
    at_least = boxes_needed(extents_in(few, frames), space)
    order, fewest = np.argsort(at_least, kind="stable"), np.iinfo(np.int64).max
    for lot in np.array_split(order, max(1, len(order) // TURNS)):
        if at_least[lot[0]] >= fewest:
            break
        fewest = min(fewest, int(boxes_needed(extents_in(points_mm, frames[lot]), space).min()))
    return fewest


def boxes_needed(extents_mm: NDArray[np.float64], space: Space) -> NDArray[np.int64]:
    """Into how many boxes that fit a space boxes (..., 3) have to be cut, (...)."""
    plate = np.array([*sorted(space.size_mm[:2]), space.size_mm[2]])
    boxes = np.concatenate((np.sort(extents_mm[..., :2], axis=-1), extents_mm[..., 2:]), axis=-1)
    return np.asarray(np.ceil(boxes / plate - 1e-6).clip(min=1).prod(axis=-1).astype(np.int64))
