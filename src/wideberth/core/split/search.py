"""Where to cut what is too big: planes at any angle, weighed by how few pieces they leave, how long and how seen their seams are,
and how broad the joint is."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model import Mesh, frame_along, stand_in
from wideberth.core.progress import Progress, quiet
from wideberth.core.split.creases import Creases
from wideberth.core.split.cut import Cut
from wideberth.core.split.room import Space, boxes_needed, extents_in, frames_about, hull_points
from wideberth.core.split.seam import Slicer

Values = NDArray[np.float64]
LOOKED_AT = 12_000
"""Triangles of the stand-in that planes are tried on."""
POINTS = 500
"""Points that tell how large the pieces are."""
TILTS_DEG = (12.0, 25.0)
OFFSETS = 30
EDGE_SHARE = 0.06
"""No plane nearer to an end than this share of the length: it would leave a sliver."""
SLIVER_SHARE = 0.08
"""Of the volume that is cut: no side is smaller, where it can be helped."""
CAP_POINTS = 40
MANY = 3
"""From so many pieces on, planes are square to each other."""


class Aim(StrEnum):
    """What a set of cuts is for."""

    SHORT = "shortest seam"
    HIDDEN = "seam out of sight"
    BROAD = "broadest joint"


@dataclass(frozen=True, eq=False)
class Surface:
    """What a mark takes on each face of a mesh, (faces,), and which may carry none."""

    times: Values
    barred: NDArray[np.bool_]


@dataclass(frozen=True)
class Plane:
    """A plane tried.

    pieces : that both sides need at least. seam_mm : its length; finish_mm : the same, weighed by what faces take to finish;
    barred_mm : of it, on faces that may carry no mark. area_mm2 : of the section. evenness : the shorter side's share of the
    length, at most a half; smaller : the smaller side's of the volume.
    """

    normal: tuple[float, float, float]
    offset_mm: float
    pieces: int
    seam_mm: float
    finish_mm: float
    barred_mm: float
    area_mm2: float
    evenness: float
    smaller: float

    @property
    def cut(self) -> Cut:
        return Cut(self.normal, self.offset_mm, 1)

    def rank(self, aim: Aim) -> tuple[float, ...]:
        """The less, the better: fewest pieces and nothing on barred faces first; a cut near the end counts as up to half
        dearer."""
        of = {Aim.SHORT: self.seam_mm, Aim.HIDDEN: self.finish_mm, Aim.BROAD: 1e6 / max(self.area_mm2, 1e-9)}
        dear = of[aim] * (1.5 - self.evenness)
        return (self.pieces, round(self.barred_mm, 3), round(dear, 6), *self.normal, self.offset_mm)


def planes_through(
    mesh: Mesh, space: Space, surface: Callable[[Mesh], Surface] | None = None, progress: Progress | None = None
) -> list[Plane]:
    """The planes through a mesh that leave the fewest pieces, of all that were tried; none where it fits the space as it is.

    Parameters
    ----------
    surface : tells what a mark takes on the faces of a stand-in of the mesh; without it every face takes the same.
    """
    progress = progress or quiet()
    if stands_in(mesh, space):
        return []
    light = stand_in(mesh, LOOKED_AT)
    faces = surface(light) if surface is not None else Surface(np.ones(light.triangles), np.zeros(light.triangles, bool))
    some = light.points[:: max(1, len(light.points) // POINTS)]
    some = np.concatenate((some, hull_points(light.points)))
    tried: list[Plane] = []
    folds = Creases.of(light)
    normals, standing = _normals(light), frames_about(list(np.eye(3)))
    frames = frames_about([*np.eye(3), *_principal(light)])
    needed = boxes_needed(extents_in(some, frames), space)
    if needed.min() >= MANY:  # square to one frame: wedges left by cuts aslant fit badly
        best = frames[int(needed.argmin())]
        normals, standing = [_upward(axis) for axis in best], np.stack([np.roll(best, n, axis=0) for n in range(3)])
    for number, normal in enumerate(normals):
        progress.at(number / len(normals), "trying planes")
        tried += _along(light, normal, some, space, faces, standing, folds)
    tried = [plane for plane in tried if plane.smaller >= SLIVER_SHARE] or tried
    if not tried:
        return []
    fewest = min(plane.pieces for plane in tried)
    return [plane for plane in tried if plane.pieces == fewest]


def stands_in(mesh: Mesh, space: Space, normals: Sequence[Values] = ()) -> bool:
    """Whether a mesh fits a space on an axis of its own, or on one of some normals, turned about the upright as need be."""
    extents = extents_in(mesh.points, frames_about([*np.eye(3), *normals]))
    return bool((space.margin(extents) >= -1e-9).any())


def _normals(mesh: Mesh) -> list[Values]:
    """Axes of the part, its principal axes, and both tilted about the two axes square to them."""
    straight = [*np.eye(3), *_principal(mesh)]
    made: list[Values] = []
    for axis in straight:
        across, over, along = frame_along(axis)
        for tilt in np.radians([0.0, *TILTS_DEG]):
            for aside in (across, -across, over, -over) if tilt else (across,):
                normal = np.cos(tilt) * along + np.sin(tilt) * aside
                normal = _upward(normal)
                if not any(abs(float(normal @ other)) > 0.9995 for other in made):
                    made.append(normal)
    return made


def _principal(mesh: Mesh) -> Values:
    """Principal axes of a mesh's points, the longest first, (3, 3)."""
    return np.asarray(np.linalg.svd(mesh.points - mesh.points.mean(axis=0), full_matrices=False)[2])


def _upward(axis: Values) -> Values:
    """A direction (3,) or its opposite, of which the greatest component is positive."""
    rounded = np.round(axis * (1 if axis[np.abs(axis).argmax()] > 0 else -1), 9)
    return np.asarray(rounded / np.linalg.norm(rounded))


def _along(
    mesh: Mesh, normal: Values, points: Values, space: Space, surface: Surface, standing: Values, folds: Creases
) -> list[Plane]:
    """Planes square to one direction, evenly spaced and in creases. Pieces are measured in some frames, (n, 3, 3), and with the
    cut level."""
    axes = np.ascontiguousarray(np.concatenate((standing, frames_about([normal]))).reshape(-1, 3).T)
    slicer = Slicer(mesh, normal)
    low, high = slicer.range_mm
    edge = EDGE_SHARE * (high - low)
    even_offsets = np.linspace(low + edge, high - edge, OFFSETS)
    in_folds = folds.offsets(normal)
    offsets = np.concatenate((even_offsets, in_folds[(in_folds > low + edge) & (in_folds < high - edge)]))
    height = points @ normal
    order = np.argsort(height, kind="stable")
    ranked, sorted_height = points[order] @ axes, height[order]
    up_max, up_min = np.maximum.accumulate(ranked), np.minimum.accumulate(ranked)
    down_max = np.maximum.accumulate(ranked[::-1])[::-1]
    down_min = np.minimum.accumulate(ranked[::-1])[::-1]
    x, y, z = (float(v) for v in normal)
    seams = [slicer.at(float(offset)) for offset in offsets]
    areas = [seam.area_mm2 for seam in seams[:OFFSETS]]
    below = np.interp(offsets, even_offsets, np.cumsum(areas) / max(sum(areas), 1e-9))
    made = []
    for offset, seam, lower in zip(offsets, seams, below.tolist(), strict=True):
        at = int(np.searchsorted(sorted_height, offset))
        if at == 0 or at == len(order):
            continue
        if len(seam.faces) == 0:
            continue
        cap = seam.segments_mm[:: max(1, len(seam.faces) // CAP_POINTS), 0] @ axes  # what the cut itself adds to both pieces
        sizes = [
            np.maximum(up_max[at - 1], cap.max(axis=0)) - np.minimum(up_min[at - 1], cap.min(axis=0)),
            np.maximum(down_max[at], cap.max(axis=0)) - np.minimum(down_min[at], cap.min(axis=0)),
        ]
        pieces = sum(int(boxes_needed(size.reshape(-1, 3), space).min()) for size in sizes)
        finish, barred = seam.finishing(surface.times, surface.barred, folds)
        even = min(float(offset) - low, high - float(offset)) / (high - low)
        made.append(
            Plane((x, y, z), float(offset), pieces, seam.length_mm, finish, barred, seam.area_mm2, even, min(lower, 1 - lower))
        )
    return made
