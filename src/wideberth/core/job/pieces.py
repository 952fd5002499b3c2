"""Pieces: a part cut by a plane becomes two parts that know each other."""

from __future__ import annotations

from dataclasses import replace

from wideberth.core.job.job import Job
from wideberth.core.job.part import Part, Piece
from wideberth.core.job.plate import Placement
from wideberth.core.split import Cut


def cut_in_two(part: Part, cut: Cut) -> tuple[Part, Part]:
    """Both pieces of a part, each a part of its own yet without an id; holes go with the side they lie on."""
    pieces = []
    for side, mark in ((cut, "A"), (cut.other_side, "B")):
        holes = tuple(h for h in part.holes if float(cut.over_mm(h.point_mm[None])[0]) * side.keep > 0)
        name = f"{part.name} {mark}" if part.piece is None else f"{part.name}{mark}"
        made = replace(part, id="", name=name, cuts=(*part.cuts, side), holes=holes)
        pieces.append(made.unsupported())
    return pieces[0], pieces[1]


def pieces_beside(job: Job, id: str) -> tuple[Part, ...]:
    """All pieces of the whole that a part, by its id, was cut from; of the first that was cut, where it is no piece."""
    pieces = [part for part in job.parts if part.piece is not None]
    own = [part for part in pieces if part.id == id] or pieces[:1]
    return tuple(part for part in pieces if part.shape == own[0].shape)


def with_both(job: Job, id: str, pieces: tuple[Part, Part]) -> Job:
    """The job with a part's two pieces in its place, each where every print of it stood; they know each other by id.

    The first keeps the part's place in the list, the other follows it.
    """
    whole, last = job.part(id), job.last
    first, second = f"part-{last + 1}", f"part-{last + 2}"
    last += 2
    cut = len(pieces[0].cuts) - 1
    a = replace(pieces[0], id=first, piece=Piece(id, (second,), cut))
    b = replace(pieces[1], id=second, piece=Piece(id, (first,), cut))
    at = job.parts.index(whole)
    plates = []
    for plate in job.plates:
        placements: list[Placement] = []
        for p in plate.placements:
            if p.part != id:
                placements.append(p)
                continue
            placements += [replace(p, part=first), replace(p, id=f"print-{last + 1}", part=second)]
            last += 1
        plates.append(replace(plate, placements=tuple(placements)))
    return replace(job, parts=(*job.parts[:at], a, b, *job.parts[at + 1 :]), plates=tuple(plates), last=last)
