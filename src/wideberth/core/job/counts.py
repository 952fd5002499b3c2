"""How many of each part are printed, and where further ones wait."""

from __future__ import annotations

from collections.abc import Iterable
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


def with_print(job: Job, id: str, plate: str, x_mm: float, y_mm: float, turn_deg: float = 0.0) -> Job:
    """The job with one more print of a part, on a plate.

    Raises
    ------
    BadJob : when there are as many as may be, or there is no such plate or part.
    """
    part = job.part(id)
    if len(job.placements_of(id)) >= MOST_PRINTS:
        raise BadJob(f"{MOST_PRINTS} prints of a part are the most.", where=part.name, kept="The count is as it was.")
    onto, number = job.plate(plate), job.last + 1
    made = Placement(f"print-{number}", id, x_mm, y_mm, turn_deg % 360)
    return replace(job.replated(replace(onto, placements=(*onto.placements, made))), last=number)


def without_prints(job: Job, prints: Iterable[str]) -> Job:
    """The job without some prints, by the ids of their placements.

    Raises
    ------
    BadJob : when it would leave a part without any print.
    """
    gone = set(prints)
    for part in job.parts:
        have = {p.id for p in job.placements_of(part.id)}
        if have and have <= gone:
            raise BadJob(
                f"{part.name} would be printed no more.",
                where=job.title,
                kept="It stays on its plate.",
                remedy="Take the part itself out of the job in Model, or move it to another plate.",
            )
    plates = (replace(plate, placements=tuple(p for p in plate.placements if p.id not in gone)) for plate in job.plates)
    return replace(job, plates=tuple(plates))


def on_other_plate(job: Job, prints: Iterable[str], plate: str) -> Job:
    """The job with some prints on another plate, each where it stood on its own.

    Raises
    ------
    BadJob : when there is no such plate.
    """
    moved, onto = set(prints), job.plate(plate)
    going = [p for each in job.plates if each.id != onto.id for p in each.placements if p.id in moved]
    plates = []
    for each in job.plates:
        if each.id == onto.id:
            plates.append(replace(each, placements=(*each.placements, *going)))
        else:
            plates.append(replace(each, placements=tuple(p for p in each.placements if p not in going)))
    return replace(job, plates=tuple(plates))


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
