"""Places on plates: packed by true outlines, on one plate or on as few as are needed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from wideberth.core.errors import BadJob
from wideberth.core.job import Job, Placement
from wideberth.core.plate import Goal, Item, Packed, pack
from wideberth.core.predict import PrintSolids, Stages
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.proposal import Proposal, only
from wideberth.core.verdict import counted

PLACE_STEP_MM = 0.1
"""Parts are placed on whole rows, so that what was seen of a part by itself holds on the plate too."""
MOST_PLATES = 60


def propose_places(
    job: Job, stages: Stages, plate: str = "", goal: Goal = Goal.FEWEST, progress: Progress | None = None
) -> Proposal:
    """Places for all prints of a plate, "" for the first one, by their true outlines, supports and bases included, the house's
    gap
    between them; turned about the upright only where they would not fit otherwise, since a turn lays other rows through a part.

    Raises
    ------
    BadJob : when they do not fit side by side.
    """
    prints, printer = stages.whole_solids_on(job, plate), job.bench.printer
    size = (printer.plate_x_mm, printer.plate_y_mm)
    moved = job
    for solids, place in zip(prints, _packed(prints, job, goal, 1, progress or quiet()), strict=True):
        if place is None:
            raise BadJob(
                "the parts do not fit on one plate side by side.",
                where=job.title,
                kept="Nothing was moved.",
                remedy="Take one off, turn them upright, or spread them over several plates.",
            )
        moved = moved.with_placement(_stands(solids.placed.placement, place))
    stand = stages.whole_solids_on(moved, plate)
    wide, deep = np.max([s.high[:2] for s in stand], axis=0) - np.min([s.low[:2] for s in stand], axis=0)
    why = f"{counted(len(prints), 'part')} on {wide:.0f} × {deep:.0f} mm of {size[0]:g} × {size[1]:g}"
    return only("plate", "arrange the plate", why, moved)


def propose_plates(job: Job, stages: Stages, goal: Goal = Goal.FEWEST, progress: Progress | None = None) -> Proposal:
    """All prints of a job on as few plates as they need, each plate packed as `propose_places` does; each has its own verdict.

    Raises
    ------
    BadJob : when a print is larger than a plate.
    """
    prints = [solids for plate in job.plates if plate.placements for solids in stages.whole_solids_on(job, plate.id)]
    places = _packed(prints, job, goal, MOST_PLATES, progress or quiet())
    on: dict[int, list[Placement]] = {}
    for solids, place in zip(prints, places, strict=True):
        if place is None:
            raise BadJob(
                f"{solids.placed.name} is larger than a plate.",
                where=job.title,
                kept="Nothing was moved.",
                remedy="Turn it, scale it or split it.",
            )
        on.setdefault(place.plate, []).append(_stands(solids.placed.placement, place))
    while len(job.plates) < len(on):
        job = job.with_plate(f"Plate {len(job.plates) + 1}")
    plates = [replace(plate, placements=tuple(on[n])) for n, plate in enumerate(job.plates[: max(len(on), 1)]) if n in on]
    why = f"{counted(len(prints), 'part')} on {counted(len(plates), 'plate')}: " + ", ".join(
        str(len(p.placements)) for p in plates
    )
    return only("plate", "spread over plates", why, replace(job, plates=tuple(plates)))


def _packed(prints: Sequence[PrintSolids], job: Job, goal: Goal, most_plates: int, progress: Progress) -> Sequence[Packed | None]:
    """Places on as few plates; prints are turned only where that saves one."""
    printer, found = job.bench.printer, []
    size = (printer.plate_x_mm, printer.plate_y_mm)
    for turns, share in ((False, progress.part(0.0, 0.4)), (True, progress.part(0.4, 1.0))):
        items = [_item(solids, turns) for solids in prints]
        places = pack(items, size, job.bench.house.apart_mm, goal, most_plates, PLACE_STEP_MM, share)
        plates = max((p.plate + 1 for p in places if p is not None), default=0)
        found.append(((places.count(None), plates, turns), places))
        if places.count(None) == 0 and plates <= 1:
            break
    return min(found, key=lambda f: f[0])[1]


def _stands(placement: Placement, place: Packed) -> Placement:
    """A print where it was packed."""
    turn = (placement.turn_deg + place.turn_deg) % 360
    return replace(placement, x_mm=round(place.x_mm, 6) + 0.0, y_mm=round(place.y_mm, 6) + 0.0, turn_deg=turn)


def _item(solids: PrintSolids, turns: bool) -> Item:
    """A print as it stands, round its own place, and whether it may be turned."""
    home, placement = solids.at_home, solids.placed.placement
    meshes = (home.outer,) if home.supports is None else (home.outer, home.supports)
    return Item(meshes, f"{solids.placed.part.id} {placement.mirrored} {placement.turn_deg}", home.outer.volume_mm3, turns)


def arranged(before: Job, job: Job, stages: Stages) -> tuple[Job, bool]:
    """A job with places for all prints of its first plate, and whether they fit: where they do not, those that were not there
    before stand beside the plate and print nothing yet."""
    try:
        return propose_places(job, stages).job, True
    except BadJob:
        known = {placement.id for plate in before.plates for placement in plate.placements}
        edge = 0.5 * job.bench.printer.plate_x_mm
        for solids in stages.whole_solids_on(job):
            placement = solids.placed.placement
            if placement.id not in known:
                left = edge + job.bench.house.apart_mm
                x = _on_rows(placement.x_mm + left - float(solids.low[0]))
                job = job.with_placement(replace(placement, x_mm=x, y_mm=0.0))
                edge = left + float(solids.high[0] - solids.low[0])
        return job, False


def _on_rows(mm: float) -> float:
    """A place rounded to whole rows."""
    return round(float(mm) / PLACE_STEP_MM) * PLACE_STEP_MM
