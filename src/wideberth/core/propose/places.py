"""Places on plates: packed by true outlines, on one plate or on as few as are needed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from wideberth.core.errors import BadJob
from wideberth.core.job import MOST_PRINTS, Job, Placement, with_print
from wideberth.core.plate import Goal, Item, Packed, pack
from wideberth.core.predict import PrintSolids, Stages
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.proposal import Proposal, only
from wideberth.core.verdict import counted

PLACE_STEP_MM = 0.1
"""Parts are placed on whole rows, so that what was seen of a part by itself holds on the plate too."""
MOST_PLATES = 60
BY_BOX = 2.0
"""Times as many prints as boxes of theirs would fill the plate are tried at most."""


def propose_places(
    job: Job, stages: Stages, plate: str = "", goal: Goal = Goal.FEWEST, progress: Progress | None = None
) -> Proposal:
    """Places for all prints of a plate, "" for the first one, by their true outlines, supports and bases included, the house's
    gap between them; turned about the upright only where they would not fit otherwise, since a turn lays other rows through a
    part. Pinned ones stay.

    Raises
    ------
    BadJob : when they do not fit side by side.
    """
    making, packing = (progress or quiet()).stretches(0.5, 1.0)
    prints, printer = stages.whole_solids_on(job, plate, making), job.bench.printer
    size = (printer.plate_x_mm, printer.plate_y_mm)
    moved = job
    for solids, place in zip(prints, _packed(prints, [0] * len(prints), job, goal, 1, packing), strict=True):
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
    Pinned ones stay on their plate.

    Raises
    ------
    BadJob : when a print is larger than a plate.
    """
    making, packing = (progress or quiet()).stretches(0.5, 1.0)
    taken = [(n, plate) for n, plate in enumerate(job.plates) if plate.placements]
    shares = zip(taken, making.evenly(len(taken)), strict=True)
    prints = [solids for (_, plate), share in shares for solids in stages.whole_solids_on(job, plate.id, share)]
    numbers = [n for n, plate in taken for _ in plate.placements]
    places = _packed(prints, numbers, job, goal, MOST_PLATES, packing)
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
    while len(job.plates) <= max(on, default=0):
        job = job.with_plate(f"Plate {len(job.plates) + 1}")
    plates = [replace(plate, placements=tuple(on[n])) for n, plate in enumerate(job.plates) if n in on]
    why = f"{counted(len(prints), 'part')} on {counted(len(plates), 'plate')}: " + ", ".join(
        str(len(p.placements)) for p in plates
    )
    return only("plate", "spread over plates", why, replace(job, plates=tuple(plates)))


def propose_more(
    job: Job, stages: Stages, parts: Sequence[str], plate: str = "", most: int = MOST_PRINTS, progress: Progress | None = None
) -> Proposal:
    """Further prints of parts, by their ids, on what is left of a plate: of the first one as many as there is room for, up to
    `most`, then of the next. Nothing that stands there is moved.

    Raises
    ------
    BadJob : when there is room for none.
    """
    progress, printer = progress or quiet(), job.bench.printer
    size, id, more = (printer.plate_x_mm, printer.plate_y_mm), job.plate(plate).id, job
    for part, share in zip(parts, progress.evenly(len(parts)), strict=True):
        making, packing = share.stretches(0.5, 1.0)
        stand = [_pinned(solids) for solids in stages.whole_solids_on(more, id, making)]
        home = stages.solids(job.part(part), job.bench.supports)
        meshes = (home.outer,) if home.supports is None else (home.outer, home.supports)
        each = Item(meshes, f"one more {part}", home.outer.volume_mm3)
        room = MOST_PRINTS - len(more.placements_of(part))
        wide, deep = (home.high - home.low)[:2]
        tried = min(most, room, int(BY_BOX * size[0] * size[1] / max(float(wide * deep), 1.0)) + 1)
        goal = Goal.MIDDLE if tried == 1 else Goal.FEWEST
        places = pack([*stand, *[each] * tried], size, job.bench.house.apart_mm, goal, 1, PLACE_STEP_MM, packing, printer.zones)
        for place in places[len(stand) :]:
            if place is not None:
                more = with_print(more, part, id, round(place.x_mm, 6) + 0.0, round(place.y_mm, 6) + 0.0, place.turn_deg)
    made = sum(len(more.placements_of(p)) - len(job.placements_of(p)) for p in dict.fromkeys(parts))
    if made == 0:
        raise BadJob(
            "there is no room left on the plate.",
            where=job.plate(plate).name,
            kept="Nothing was changed.",
            remedy="Arrange the plate first, or put it on another one.",
        )
    return only("plate", f"{counted(made, 'more print')} on the plate", f"{counted(made, 'print')} more", more)


def _pinned(solids: PrintSolids) -> Item:
    """A print that stays where it stands."""
    item, placement = _item(solids, False, 0), solids.placed.placement
    return replace(item, pinned=Packed(0, placement.x_mm, placement.y_mm, 0.0))


def _packed(
    prints: Sequence[PrintSolids], on: Sequence[int], job: Job, goal: Goal, most_plates: int, progress: Progress
) -> Sequence[Packed | None]:
    """Places on as few plates, for prints on the plates numbered `on`; they are turned only where that saves one."""
    printer, found = job.bench.printer, []
    size = (printer.plate_x_mm, printer.plate_y_mm)
    for turns, share in ((False, progress.part(0.0, 0.4)), (True, progress.part(0.4, 1.0))):
        items = [_item(solids, turns, plate) for solids, plate in zip(prints, on, strict=True)]
        places = pack(items, size, job.bench.house.apart_mm, goal, most_plates, PLACE_STEP_MM, share, printer.zones)
        plates = max((p.plate + 1 for p in places if p is not None), default=0)
        found.append(((places.count(None), plates, turns), places))
        if places.count(None) == 0 and plates <= 1:
            break
    return min(found, key=lambda f: f[0])[1]


def _stands(placement: Placement, place: Packed) -> Placement:
    """A print where it was packed."""
    turn = (placement.turn_deg + place.turn_deg) % 360
    return replace(placement, x_mm=round(place.x_mm, 6) + 0.0, y_mm=round(place.y_mm, 6) + 0.0, turn_deg=turn)


def _item(solids: PrintSolids, turns: bool, plate: int) -> Item:
    """A print as it stands, round its own place, whether it may be turned, and the number of its plate."""
    home, placement = solids.at_home, solids.placed.placement
    meshes = (home.outer,) if home.supports is None else (home.outer, home.supports)
    alike = f"{solids.placed.part.id} {placement.mirrored} {placement.turn_deg}"
    pinned = Packed(plate, placement.x_mm, placement.y_mm, 0.0) if placement.pinned else None
    return Item(meshes, alike, home.outer.volume_mm3, turns, pinned)


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
