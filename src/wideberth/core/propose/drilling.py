"""Drilling: holes proposed or set by hand, tips moved out of their way, and what they change."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.drain import (
    ROUND,
    Drilled,
    Hole,
    Probe,
    Spot,
    is_clear_of,
    near_refused,
    propose_for_chamber,
    propose_for_cups,
)
from wideberth.core.errors import BadJob
from wideberth.core.job import Job, Part, Placed, Placement, job_of
from wideberth.core.layers import PREVIEW_SQUEEZE, SEALED, Printed
from wideberth.core.loads import MARKS
from wideberth.core.model import Closest, MarkKind, Mesh, joined, points_inside, voids_of
from wideberth.core.predict import Fineness, PartSolids, Stages, drainage, plate_grid, predict, preview, put_together
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.proposal import Proposal, of_part, only
from wideberth.core.propose.rooming import mouths_around, room_around
from wideberth.core.support import BESIDE_MM, Contact, NeedKind, Room, Route, Supports

NO_HOLES = (MarkKind.KEEP_CLEAN, MarkKind.MATING)
CUP_FINENESS = Fineness(0.3, 2, PREVIEW_SQUEEZE, True)
WAYS_ASIDE = 8


@of_part
def propose_drain(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> Proposal:
    """Holes for every chamber without one, and for cups that suck."""
    making, drilling, looking, comparing = (progress or quiet()).stretches(0.5, 0.8, 0.9, 1.0)
    part = job.part(id)
    bench = job.bench
    spots: list[Spot] = []
    bare = part.unsupported()
    solid = stages.solids(bare, bench.supports, making)
    refused = part.refused_spots("drain")
    refused_there = refused @ solid.matrix[:3, :3].T + solid.matrix[:3, 3]
    spots_held = [c.spot_mm for c in part.supports.contacts]
    tips = np.array(spots_held + _beginnings(bare, bench, stages)).reshape(-1, 3)
    kept = _kept_from_holes(part, solid, stages)
    outer, voids = voids_of(solid.outer, bench.house.smallest_chamber_ml * 1000)  # which it came with
    chambers = [*solid.chambers, *voids]
    cavity = joined(chambers)
    for chamber, share in zip(chambers, drilling.evenly(len(chambers)), strict=True):
        if not _served(solid, chamber):
            spots += propose_for_chamber(outer, cavity, chamber, bench, tips, share, refused_there, kept)
    looking.at(0.0, "looking for cups")
    drafted = [_hole(spot, solid) for spot in spots]
    printed = _printed_alone(bare.with_holes(part.holes + tuple(drafted)), bench, stages, looking)
    spots_for_cups = propose_for_cups(solid.outer, solid.cavity, printed, bench)
    spots_for_cups = [s for s in spots_for_cups if is_clear_of(kept, np.array(s.point_mm), s.diameter_mm)]
    drafted += [_hole(spot, solid) for spot in spots_for_cups]
    drafted = [hole for hole in drafted if not near_refused(hole.point_mm, refused)]
    if not drafted:
        why = "no chamber and no cup without a hole" if not chambers else "every chamber has its holes"
        return only("drain", "drain", why, job, needed=False)
    drilled, moved = with_holes(part, tuple(drafted), stages, bench)
    after = job.with_part(drilled)
    why = "; ".join(f"{h.diameter_mm:g} mm: {h.why}" for h in drafted)
    why += ". " + what_changes(job, after, id, stages, comparing) + moved
    return only("drain", f"drill {len(drafted)} drain hole{'s' if len(drafted) > 1 else ''}", why, after)


def _kept_from_holes(part: Part, solid: PartSolids, stages: Stages) -> Closest | None:
    """Faces of a part, where it stands, that are marked to be kept clean or to mate; None where none are."""
    faces = np.flatnonzero(np.isin(stages.marked(part).mark, [MARKS.index(kind) for kind in NO_HOLES]))
    return Closest(Mesh(solid.outer.points, solid.outer.faces[faces])) if len(faces) else None


def _printed_alone(part: Part, bench: Bench, stages: Stages, progress: Progress | None = None) -> Printed:
    """What is printed of a part by itself around its own place, roughly."""
    alone = (stages.print_solids(Placed(Placement("", part.id), part, part.name), 0, bench.supports),)
    return put_together(alone, stages, plate_grid(alone, bench, CUP_FINENESS), CUP_FINENESS.stand_ins, progress)


def _beginnings(part: Part, bench: Bench, stages: Stages) -> list[NDArray[np.float64]]:
    """Where the outer mesh begins in mid-liquid: there it wants tips, not holes."""
    printed = _printed_alone(replace(part, shell=None, holes=()), bench, stages)
    sections = printed.part_sections
    z = np.asarray(printed.part.grid.z_of(sections.layer))
    return [np.array([sections.x_mm[c], sections.y_mm[c], z[c]]) for c in printed.islands]


def _served(solid: PartSolids, chamber: Mesh) -> bool:
    """Whether a hole's inner mouth already lies in a chamber itself, not just in its box: a ring chamber goes round another."""
    mouths = np.array([b.inner_mm for b in solid.bores]).reshape(-1, 3)
    near = ((mouths > chamber.low) & (mouths < chamber.high)).all(axis=1)
    return bool(near.any()) and bool(points_inside(chamber, mouths[near]).any())


def _hole(spot: Spot, solid: PartSolids) -> Hole:
    """A spot on the plate as a hole in the part's own frame."""
    inverse = np.linalg.inv(solid.matrix)
    x, y, z = (float(v) for v in inverse[:3, :3] @ np.asarray(spot.point_mm) + inverse[:3, 3])
    along = None
    if spot.along is not None:
        a, b, c = (float(v) for v in inverse[:3, :3] @ np.asarray(spot.along))
        along = (a, b, c)
    return Hole(x, y, z, spot.diameter_mm, spot.why, along)


def hole_at(
    job: Job,
    id: str,
    stages: Stages,
    point_mm: np.ndarray,
    diameter_mm: float,
    why: str = "set by hand",
    outline: str = ROUND,
    taper_deg: float = 0.0,
    margin_mm: float | None = None,
    instead_of: str = "",
) -> Job:
    """The job with one more hole in a part, or one moved; drilled at once, so that a bad place is refused.

    Parameters
    ----------
    point_mm : (3,) in the part's own frame. instead_of : id of the hole that is moved there, "" for none.

    Raises
    ------
    BadModel : when the point lies off the surface. BadJob : for a diameter that is none.
    """
    if not 0.2 <= diameter_mm <= 50:
        raise BadJob(f"a hole of {diameter_mm:g} mm is not between 0.2 and 50 mm.", kept="No hole was added.")
    part = job.part(id)
    x, y, z = (float(v) for v in point_mm)
    hole = Hole(x, y, z, diameter_mm, why, None, outline, taper_deg, margin_mm, instead_of)
    others = tuple(h for h in part.holes if h.id != instead_of)
    drilled, _ = with_holes(replace(part, holes=others), (hole,), stages, job.bench)
    if instead_of:  # it keeps its place among the others
        made = drilled.holes[-1]
        drilled = replace(drilled, holes=tuple(made if h.id == instead_of else h for h in part.holes))
    return job.with_part(drilled)


def hole_on_plate(
    job: Job,
    id: str,
    stages: Stages,
    point_mm: np.ndarray,
    diameter_mm: float,
    why: str = "set by hand",
    outline: str = ROUND,
    taper_deg: float = 0.0,
    margin_mm: float | None = None,
    instead_of: str = "",
) -> Job:
    """As `hole_at`, for a point (3,) on the plate, where the first print of the part stands."""
    part, placement = job.part(id), job.placements_of(id)[0]
    solids = stages.print_solids(Placed(placement, part.unsupported(), part.name), 0, job.bench.supports)
    return hole_at(job, id, stages, solids.own_spot(point_mm), diameter_mm, why, outline, taper_deg, margin_mm, instead_of)


def with_holes(part: Part, holes: tuple[Hole, ...], stages: Stages, bench: Bench) -> tuple[Part, str]:
    """The part with more holes, drilled at once so that a bad place is refused; tips that would stand in them go beside their
    rims.

    Returns also a sentence on the tips, or "".

    Raises
    ------
    BadModel : when a hole lies off the surface.
    """
    drilled = part.with_holes(part.holes + holes)
    stages.drilled(drilled)
    moved, count = with_tips_beside(drilled, holes, stages, bench)
    return moved, f"; {count} tip{'s' if count > 1 else ''} moved out of the way" if count else ""


def with_tips_beside(part: Part, holes: tuple[Hole, ...], stages: Stages, bench: Bench) -> tuple[Part, int]:
    """The part with every tip that would stand in one of the holes moved beside its rim, where a post finds a way; how many."""
    if not part.supports or not holes:
        return part, 0
    drilled, supports, count = replace(part, holes=holes), part.supports, 0
    for mouth in mouths_around(drilled, stages):
        for contact in supports.contacts:
            if np.linalg.norm(contact.spot_mm - mouth[:3]) > mouth[3] + 0.5 * contact.diameter_mm:
                continue
            if not supports.routes[contact.id].shared and supports.carries_others(contact.id):
                continue  # its post carries others: it stays, without a tip of its own
            way = _way_beside(contact, mouth, supports.without((contact.id,)), room_around(drilled, stages, bench))
            if way is not None:
                supports = supports.rerouted(contact.id, *way, replace(contact.need, moved_aside=True))
                count += 1
    return replace(part, supports=supports), count


def _way_beside(contact: Contact, mouth: NDArray[np.float64], others: Supports, room: Room) -> tuple[Route, float] | None:
    """A way beside the mouth of a hole (4,) for a tip that would stand in it, and how thick it is there; None where none is. What
    began in mid-liquid where the hole is now begins at its rim."""
    size = contact.diameter_mm
    if contact.need.kind is NeedKind.ISLAND and (way := room.way_under(room.lowest_at_rim(mouth), others)) is not None:
        return way[0], max(size, way[1])
    beside = _beside(mouth[:3], contact.spot_mm, mouth[3] + size + BESIDE_MM)
    for spot in sorted(beside, key=lambda spot: _is_taken(spot, size, others)):
        route = room.way_to(spot, others)
        if route is not None and np.linalg.norm(np.subtract(route.spot_mm, mouth[:3])) > mouth[3] + 0.5 * size:
            return route, size
    return None


def _is_taken(spot: NDArray[np.float64], diameter_mm: float, others: Supports) -> bool:
    """Whether a tip at a spot would leave one mark with another."""
    return any(np.linalg.norm(c.spot_mm - spot) < 0.5 * (c.diameter_mm + diameter_mm) + BESIDE_MM for c in others.contacts)


def _beside(mouth: NDArray[np.float64], spot: NDArray[np.float64], away_mm: float) -> list[NDArray[np.float64]]:
    """Points round a mouth, level with it, those on the tip's own side first."""
    own = float(np.arctan2(*(spot - mouth)[1::-1])) if np.linalg.norm((spot - mouth)[:2]) > 1e-6 else 0.0
    turns = sorted((2 * np.pi * n / WAYS_ASIDE for n in range(WAYS_ASIDE)), key=lambda t: min(t, 2 * np.pi - t))
    return [mouth + away_mm * np.array([np.cos(own + t), np.sin(own + t), 0.0]) for t in turns]


def what_changes(before: Job, after: Job, id: str, stages: Stages, progress: Progress | None = None) -> str:
    """What holes change for a part by itself: suction, how much prints sealed, how it drains."""
    *sides, draining = (progress or quiet()).stretches(0.4, 0.8, 1.0)
    told = []
    for job, share in zip((before, after), sides, strict=True):
        alone = job_of(job.title, job.bench, (job.part(id),))
        prediction = predict(alone, stages, preview(job.bench), share)
        o = prediction.printed.openings
        loud = o.state == SEALED
        loud &= prediction.loads.suction.force_n > job.bench.house.quiet_suction_n
        told.append((prediction.verdict.suction_n, len(np.unique(o.layer[loud])) * prediction.layer_mm))
    (was, sealed), (now, still) = told
    words = f"Suction {was:.1f} N before, {now:.1f} N after; {sealed:.1f} mm printed sealed before, {still:.1f} mm after"
    drained = drainage(after, id, stages, draining)
    if drained is not None and drained.seconds > 0:
        words += f"; runs out in {minutes(drained.seconds)}, {drained.best.stays_ml:.1f} mL stay"
    return words


def minutes(seconds: float) -> str:
    """A stretch of time as one says it: 40 s, 3 min, 2.5 h."""
    if seconds < 90:
        return f"{seconds:.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"


@dataclass(frozen=True)
class _Probing:
    """What a probe needs to know of a part, in its own frame."""

    outer: Mesh
    cavity: Mesh | None
    chambers: tuple[Mesh, ...]
    drilled: tuple[Drilled, ...]
    edge_mm: float
    wall_mm: float


def _probe(of: _Probing, _: Progress) -> Probe:
    return Probe(of.outer, of.cavity, of.chambers, of.drilled, of.edge_mm, of.wall_mm)


def probe_of(job: Job, id: str, stages: Stages) -> Probe:
    """A part made ready to be asked where a hole would work, in its own frame."""
    part, house = job.part(id), job.bench.house
    wall = part.shell.wall_mm if part.shell is not None else house.wall_mm
    cavity, chambers = stages.cavity(part), stages.chambers(part)
    of = _Probing(stages.cut(part), cavity, chambers, stages.drilled(part), house.hole_edge_mm, wall)
    return stages.cache.run(_probe, of)
