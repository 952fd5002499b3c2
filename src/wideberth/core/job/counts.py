"""How many of each part are printed, and where further ones wait."""

from __future__ import annotations

from dataclasses import replace

from wideberth.core.errors import BadJob
from wideberth.core.job.job import Job
from wideberth.core.job.part import RIGHT
from wideberth.core.job.plate import Placement, Plate

MOST_PRINTS = 200


def with_count(job: Job, id: str, count: int, size_mm: tuple[float, float], apart_mm: float) -> Job:
    """The job with so many prints of a part in all; new ones stand in a row along x beside the last, to be arranged.

    Raises
    ------
    BadJob : for a count that is not 1 to 200.
    """
    part = job.part(id)
    if not 1 <= count <= MOST_PRINTS:
        raise BadJob(f"{count} is not between 1 and {MOST_PRINTS}.", where=part.name, kept="The count is as it was.")
    have = job.placements_of(id)
    gone = {p.id for p in have[count:]}
    plates = [replace(plate, placements=tuple(p for p in plate.placements if p.id not in gone)) for plate in job.plates]
    job = replace(job, plates=tuple(plates))
    for _ in range(count - len(have)):
        job = _with_one_more(job, id, size_mm[0] + apart_mm)
    return job


def _with_one_more(job: Job, id: str, beside_mm: float) -> Job:
    """One more print, beside the last one and after it in the order of its plate."""
    last, number = job.placements_of(id)[-1], job.last + 1
    plate = next(p for p in job.plates if last in p.placements)
    at = plate.placements.index(last) + 1
    made = Placement(f"print-{number}", id, last.x_mm + beside_mm, last.y_mm, last.turn_deg)
    placements = (*plate.placements[:at], made, *plate.placements[at:])
    return replace(job.replated(replace(plate, placements=placements)), last=number)


def with_twin(job: Job, id: str, size_mm: tuple[float, float], apart_mm: float) -> Job:
    """The job with one more print of a part, mirrored: the other of a left and a right."""
    part = job.part(id)
    grown = with_count(job, id, len(job.placements_of(id)) + 1, size_mm, apart_mm)
    twin = replace(grown.placements_of(id)[-1], mirrored=True)
    return grown.with_placement(twin).with_part(replace(part, side=part.side or RIGHT))


def plate_of(job: Job, placement: str) -> Plate:
    """The plate that a print stands on.

    Raises
    ------
    BadJob : when there is no such print.
    """
    for plate in job.plates:
        if any(p.id == placement for p in plate.placements):
            return plate
    raise BadJob("there is no such print.", where=job.title)
