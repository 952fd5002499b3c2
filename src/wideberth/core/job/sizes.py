"""The size of parts: scale, stretch and mirroring, with all that lies in the material going along."""

from __future__ import annotations

from dataclasses import replace
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from wideberth.core.errors import BadJob
from wideberth.core.hollow import Level, Shell
from wideberth.core.job.job import Job
from wideberth.core.job.part import Part
from wideberth.core.split import Cut, Rebore, Step

Plane = TypeVar("Plane", Cut, Level)
SMALLEST_SCALE, LARGEST_SCALE = 1e-4, 1e4
SAME = 1e-9


def scaled(part: Part, scale: float) -> Part:
    """The part at another scale of its source; cuts and holes go along, supports are dropped.

    Raises
    ------
    BadJob : for a scale that is no size at all.
    """
    return resized(part, scale, part.stretch, part.mirrored)


def resized(part: Part, scale: float, stretch: tuple[float, float, float], mirrored: bool) -> Part:
    """The part at another size; cuts and holes go along with the material they lie in, supports are dropped.

    Raises
    ------
    BadJob : for a scale or a stretch that is no size at all.
    """
    for factor in (scale, *(scale * s for s in stretch)):
        if not (np.isfinite(factor) and SMALLEST_SCALE <= factor <= LARGEST_SCALE):
            raise BadJob(
                f"a scale of {factor:g} is not between {SMALLEST_SCALE:g} and {LARGEST_SCALE:g}.",
                where=part.name,
                kept="The part keeps its size.",
            )
    after = replace(part, scale=float(scale), stretch=stretch, mirrored=mirrored)
    by = after.factors / part.factors
    cuts = tuple(_cut_sized(cut, by) for cut in part.cuts)
    holes = tuple(
        replace(h, x_mm=h.x_mm * float(by[0]), y_mm=h.y_mm * float(by[1]), z_mm=h.z_mm * float(by[2])) for h in part.holes
    )
    shell = _shell_sized(part.shell, by) if part.shell is not None else None
    bores = tuple(_bore_sized(bore, by) for bore in part.rebores) if np.ptp(np.abs(by)) < SAME else ()
    return replace(after, cuts=cuts, holes=holes, shell=shell, rebores=bores).unsupported()


def _bore_sized(bore: Rebore, by: NDArray[np.float64]) -> Rebore:
    """A bore that was made anew, in a part that grows by the same factor along all axes, mirrored or not; where factors differ it
    is no bore any more."""
    times = float(np.abs(by[0]))
    axis = np.array(bore.axis) * np.sign(by)
    x, y, z = (float(v) for v in np.array([bore.x_mm, bore.y_mm, bore.z_mm]) * by)
    long, was, now = (times * v for v in (bore.length_mm, bore.was_mm, bore.diameter_mm))
    return Rebore((float(axis[0]), float(axis[1]), float(axis[2])), x, y, z, long, was, now)


def _shell_sized(shell: Shell, by: NDArray[np.float64]) -> Shell:
    """The shell in material that is stretched: its places and levels go along, its walls stay as thick as they were asked."""
    spread = float(np.abs(by.prod()) ** (1 / 3))
    thicker = []
    for t in shell.thicker:
        x, y, z = (float(v) for v in t.point_mm * by)
        thicker.append(replace(t, x_mm=x, y_mm=y, z_mm=z, reach_mm=t.reach_mm * spread))
    solid, opened = (None if level is None else _plane_sized(level, by) for level in (shell.solid_below, shell.open_below))
    return replace(shell, thicker=tuple(thicker), solid_below=solid, open_below=opened)


def _cut_sized(cut: Cut, by: NDArray[np.float64]) -> Cut:
    """A cut in material that is stretched: its keys go along with their places and stay as large as they were."""
    moved = _plane_sized(cut, by)
    keys = []
    for key in cut.keys:
        there = moved.frame @ (by * (cut.frame.T @ (key.across_mm, key.over_mm, cut.offset_mm)))
        keys.append(replace(key, across_mm=float(there[0]), over_mm=float(there[1])))
    return replace(moved, keys=tuple(keys), step=None if cut.step is None else _step_sized(cut, cut.step, moved, by))


def _step_sized(cut: Cut, step: Step, moved: Cut, by: NDArray[np.float64]) -> Step:
    """A step in material that is stretched: its line goes along, it still runs beyond on the same side of it."""
    way = cut.frame[:2].T @ step.way
    line, on_it = by * np.cross(cut.normal, way), by * (cut.frame.T @ (*(step.at_mm * step.way), cut.offset_mm))
    beyond = np.cross(line / np.linalg.norm(line), moved.normal)
    x, y = moved.frame[:2] @ (beyond if beyond @ (by * way) > 0 else -beyond)
    rise = step.rise_mm * float(np.array(moved.normal) @ (by * np.array(cut.normal)))
    return Step(float(np.degrees(np.arctan2(y, x))), float((x, y) @ (moved.frame[:2] @ on_it)), rise)


def _plane_sized(plane: Plane, by: NDArray[np.float64]) -> Plane:
    """The same plane in material that is stretched: its normal shrinks as its points grow."""
    normal = np.array(plane.normal) / by
    length = float(np.linalg.norm(normal))
    x, y, z = (float(v) for v in normal / length)
    return replace(plane, normal=(x, y, z), offset_mm=plane.offset_mm / length)


def job_scaled(job: Job, id: str, scale: float) -> Job:
    """The job with a part at another scale; in a linked kit every part grows by the same factor."""
    by = scale / job.part(id).scale
    if not job.linked:
        return job.with_part(scaled(job.part(id), scale))
    return replace(job, parts=tuple(scaled(part, part.scale * by) for part in job.parts))
