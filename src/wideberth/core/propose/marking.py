"""Marking faces: the region that is meant by a spot of a part, and marks that its shape proposes."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from wideberth.core.job import Job, Part, marked_as, with_marked
from wideberth.core.model import SURFACES, MarkKind, Surface
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.proposal import Proposal, of_part, only
from wideberth.core.verdict import counted

Values = NDArray[np.float64]
Faces = NDArray[np.int64]
SPECK_MM2 = 3.0
"""Patches that are smaller than this are not worth a mark."""
THICK_MM = 1.0
"""A box is at least so thick, however its corners lie."""
PROPOSED = {Surface.ENGRAVED: MarkKind.KEEP_CLEAN, Surface.INNER: MarkKind.HIDDEN}
"""What the shape alone tells: where a mark cannot be finished, and where nobody looks."""


class Way(StrEnum):
    """What is meant by a spot."""

    BRUSH = "brush"
    SMOOTH = "smooth region"
    FLAT = "flat face"
    FACING = "facing one way"
    SHELL = "whole shell"
    BOX = "box"


def region_at(part: Part, stages: Stages, spot_mm: Values, way: Way, amount: float, other_mm: Values | None = None) -> Faces:
    """Faces of a part's source that are meant by a spot of its surface, (n,) rising.

    Parameters
    ----------
    spot_mm : (3,) in the part's own frame. amount : radius of a brush [mm]; how many degrees a smooth region may bend at one
    edge, or faces may look aside. other_mm : the opposite corner of a box, (3,).
    """
    regions = stages.regions(part)
    face = int(stages.closest(regions.mesh).nearest(spot_mm[None])[1][0])
    if way is Way.BRUSH:
        return regions.around(face, spot_mm, amount)
    if way is Way.SMOOTH:
        return regions.smooth(face, amount)
    if way is Way.FLAT:
        return regions.flat(face)
    if way is Way.FACING:
        return regions.facing(face, regions.mesh.normals[face], amount)
    if way is Way.SHELL:
        return regions.shell(face)
    corners = np.stack([spot_mm, spot_mm if other_mm is None else other_mm])
    low, high = corners.min(axis=0), corners.max(axis=0)
    thin = np.maximum(0.0, 0.5 * (THICK_MM - (high - low)))
    return regions.within(low - thin, high + thin)


def facing_faces(part: Part, stages: Stages, towards: Values, most_deg: float) -> Faces:
    """All faces of a part's source that look within so many degrees of a direction (3,) of its own frame, (n,) rising."""
    return np.flatnonzero(stages.regions(part).looking(towards, most_deg))


def ring_more(part: Part, stages: Stages, kind: MarkKind) -> Part:
    """The part with what is marked as a kind grown by a ring of faces."""
    return with_marked(part, kind, stages.regions(part).grown(marked_as(part, kind)))


def ring_less(part: Part, stages: Stages, kind: MarkKind) -> Part:
    """The part with what is marked as a kind less its outermost faces."""
    marked = marked_as(part, kind)
    return with_marked(part, None, np.setdiff1d(marked, stages.regions(part).shrunk(marked)))


@of_part
def propose_marks(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> Proposal:
    """Marks that the shape tells: engraved faces stay clean, hollows are hidden; what is marked already stays as it is.

    Notes
    -----
    Smooth, busy and flat faces need no mark: the house's minutes are by kind.
    """
    part = job.part(id)
    progress = progress or quiet()
    kinds = stages.finish(part, job.bench.house, progress.part(0.0, 0.7)).surface
    mesh, regions = stages.cut(part), stages.regions(part)
    progress.at(0.7, "finding these faces on the source")
    on_part = stages.closest(mesh).nearest(regions.mesh.corners.mean(axis=1))[1]
    free = np.ones(part.source.mesh.triangles, bool)
    for mark in part.marks:
        free[mark.faces] = False
    marked, told = part, []
    for surface, kind in PROPOSED.items():
        faces = regions.without_specks(np.flatnonzero(free & (kinds[on_part] == SURFACES.index(surface))), SPECK_MM2)
        if len(faces):
            marked = with_marked(marked, kind, faces)
            area = float(regions.mesh.face_area_mm2[faces].sum())
            told.append(f"{area:,.0f} mm² {surface}: {kind}")
    shares = np.bincount(kinds, mesh.face_area_mm2, len(SURFACES)) / max(float(mesh.face_area_mm2.sum()), 1e-9)
    all_of_it = ", ".join(f"{share:.0%} {kind}" for kind, share in zip(SURFACES, shares, strict=True) if share >= 0.005)
    why = f"{'; '.join(told) or 'nothing is engraved, and nothing lies in a hollow'}. The surface is {all_of_it}"
    return only("orient", f"mark faces of {part.name}", why, job.with_part(marked), needed=bool(told))


def marks_text(part: Part, stages: Stages) -> str:
    """What is marked, with its area, from what is known already: "310 mm² keep clean, 90 mm² hidden"."""
    regions = stages.at_hand(lambda known: known.regions(part)) if part.marks else None
    area = None if regions is None else regions.mesh.face_area_mm2
    told = []
    for mark in part.marks:
        size = counted(len(mark.faces), "face") if area is None else f"{float(area[mark.faces].sum()):,.0f} mm²"
        told.append(f"{size} {mark.kind}")
    return ", ".join(told)
