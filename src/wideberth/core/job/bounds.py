"""What the numbers of a job may be at most: a file may hold anything, and a hole of a thousand kilometres asks for all memory."""

from __future__ import annotations

import math
from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob
from wideberth.core.job.job import Job
from wideberth.core.job.part import Part
from wideberth.core.job.sizes import LARGEST_SCALE, SMALLEST_SCALE
from wideberth.core.model import LARGEST_MM, Mesh, Source
from wideberth.core.split import MOST_DIGITS

MOST_MM = 1e6
MOST_DEG = 3_600.0
FARTHEST_MM = LARGEST_MM * LARGEST_SCALE
"""As far from its origin as a place in a part can be that was read and brought to size."""
PLACES = ("x_mm", "y_mm", "z_mm", "offset_mm", "spot_mm", "foot_mm")
MOST_LONG = 400_000
"""Entries of a list: tips of a large plate are thousands."""
MOST_TEXT = 20_000
MOST_BORES = 200
MOST_KEYS, LEAST_KEY_MM, WIDEST_KEY_MM, LEAST_RISE_MM = 16, 0.2, 500.0, 1e-6
SQUARE = 1e-6
"""How far a turn's matrix may be from one."""
ANY_NUMBER = ("last", "version", "item", "seed")


def check_bounds(job: Job, where: str) -> None:
    """Raise for a job whose numbers cannot be meant.

    Raises
    ------
    BadJob : it names the value and its place.
    """
    for part in (*job.parts, *(p for v in job.variants for p in v.parts)):
        _check_part(part, where)
    for plate in (*job.plates, *(p for v in job.variants for p in v.plates)):
        _walk(plate, plate.name, where)


def _check_part(part: Part, where: str) -> None:
    for times in (part.scale, *(part.scale * s for s in part.stretch)):
        if not SMALLEST_SCALE <= times <= LARGEST_SCALE:
            raise _beyond(f"{part.name}, scale", times, where)
    turn: NDArray[np.float64] = np.asarray(part.pose.rotation, np.float64)
    if not np.isfinite(turn).all() or np.abs(turn @ turn.T - np.eye(3)).max() > SQUARE or np.linalg.det(turn) < 0:
        raise BadJob(f"the pose of {part.name} is no turn.", where=where, kept="Nothing was opened.")
    faces = part.source.mesh.triangles
    for mark in part.marks:
        if any(first < 0 or count < 1 or first + count > faces for first, count in mark.stretches):
            raise BadJob(f"a mark of {part.name} lies on faces that its source has not.", where=where, kept="Nothing was opened.")
    for bore in part.rebores:
        lengths = (bore.length_mm, bore.was_mm, bore.diameter_mm)
        if not all(0 < mm <= MOST_MM for mm in lengths) or abs(math.hypot(*bore.axis) - 1) > SQUARE:
            raise BadJob(f"a bore of {part.name} is made what cannot be meant.", where=where, kept="Nothing was opened.")
    if len(part.rebores) > MOST_BORES:
        raise BadJob(f"{part.name} has {len(part.rebores)} bores made anew.", where=where, kept="Nothing was opened.")
    if part.engraved and not (part.engraved.isascii() and part.engraved.isdigit() and len(part.engraved) <= MOST_DIGITS):
        raise BadJob(f"{part.name} is engraved with what is no number.", where=where, kept="Nothing was opened.")
    for cut in part.cuts:
        if len(cut.keys) > MOST_KEYS or not 0 <= cut.clearance_mm <= WIDEST_KEY_MM:
            raise BadJob(f"a cut of {part.name} has keys that cannot be meant.", where=where, kept="Nothing was opened.")
        if cut.step is not None and abs(cut.step.rise_mm) < LEAST_RISE_MM:
            raise BadJob(f"a cut of {part.name} has a step of no height.", where=where, kept="Nothing was opened.")
        for key in cut.keys:
            sizes = (key.size_mm, key.depth_mm)
            if not all(LEAST_KEY_MM <= mm <= WIDEST_KEY_MM for mm in sizes) or not 0 <= key.wall_mm < 0.5 * key.size_mm:
                raise BadJob(f"a key of {part.name} is of no size that can be meant.", where=where, kept="Nothing was opened.")
            if abs(key.peg_on) != 1 or not 0 <= key.long_mm <= FARTHEST_MM:
                raise BadJob(f"a key of {part.name} stands on no side.", where=where, kept="Nothing was opened.")
    for field in fields(part):
        if field.name not in ("source", "scale", "stretch", "marks"):
            _walk(getattr(part, field.name), f"{part.name}, {field.name}", where, field.name)


def _walk(value: Any, what: str, where: str, name: str = "") -> None:
    """Go through all that a value holds; `name` : of the field that it stands in."""
    if value is None or isinstance(value, (bool, Bench, Source, Mesh, np.ndarray)):
        return
    if isinstance(value, (int, float)):
        if not math.isfinite(value) or (name not in ANY_NUMBER and abs(value) > _most(name)):
            raise _beyond(what, value, where)
    elif isinstance(value, str):
        if len(value) > MOST_TEXT:
            raise BadJob(f"{what} is a text of {len(value):,} characters.", where=where, kept="Nothing was opened.")
    elif isinstance(value, (tuple, list, frozenset)):
        if len(value) > MOST_LONG:
            raise BadJob(f"{what} has {len(value):,} entries.", where=where, kept="Nothing was opened.")
        for one in value:
            _walk(one, what, where, name)
    elif is_dataclass(value):
        for field in fields(value):
            _walk(getattr(value, field.name), f"{what}, {field.name}", where, field.name)


def _most(name: str) -> float:
    return MOST_DEG if name.endswith("_deg") else FARTHEST_MM if name in PLACES else MOST_MM


def _beyond(what: str, value: float, where: str) -> BadJob:
    return BadJob(f"{what} is {value:g}, which cannot be meant.", where=where, kept="Nothing was opened.")
