"""Drilling: holes proposed or set by hand, tips moved out of their way, and what they change."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.drain import ROUND, Hole, Probe, Spot, propose_for_chamber, propose_for_cups
from wideberth.core.errors import BadJob
from wideberth.core.job import Job, PartRecipe
from wideberth.core.layers import PREVIEW_SQUEEZE, SEALED
from wideberth.core.model import Mesh, points_inside
from wideberth.core.orient import placing
from wideberth.core.predict import Fineness, PartSolids, Stages, drainage, plate_grid, predict, preview, put_together
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.proposal import Proposal
from wideberth.core.support import tip_at

CUP_FINENESS = Fineness(0.3, 2, PREVIEW_SQUEEZE, True)
BESIDE_MM = 0.4
"""A tip that stood in a hole goes so far beyond its rim."""
WAYS_ASIDE = 8


def propose_drain(job: Job, index: int, stages: Stages, progress: Progress | None = None) -> Proposal:
    """Holes for every chamber without one, and for cups that suck."""
    progress = progress or quiet()
    part = job.part(index)
    bench = job.bench
    spots: list[Spot] = []
    bare = replace(part, tips=())
    solid = stages.solids(bare, bench.supports, progress.part(0, 0.4))
    at = np.array([part.pose.x_mm, part.pose.y_mm, 0.0])
    tips = np.array([tip.spot_mm + at for tip in part.tips] + _beginnings(solid, bench, stages)).reshape(-1, 3)
    for number, chamber in enumerate(solid.chambers):
        if _served(solid, chamber):
            continue
        share = 0.4 + 0.4 * number / len(solid.chambers)
        spots += propose_for_chamber(
            solid.outer, _cavity(solid), chamber, bench, tips, progress.part(share, share + 0.1)
        )
    progress.at(0.8, "looking for cups")
    drafted = [_hole(spot, solid) for spot in spots]
    with_chambers_drained = replace(bare, holes=part.holes + tuple(drafted))
    drained = stages.solids(with_chambers_drained, bench.supports)
    printed = put_together(
        (drained,), stages, plate_grid((drained,), bench, CUP_FINENESS), True, progress.part(0.8, 0.95)
    )
    spots_for_cups = propose_for_cups(solid.outer, solid.cavity, printed, bench)
    drafted += [_hole(spot, solid) for spot in spots_for_cups]
    if not drafted:
        why = "no chamber and no cup without a hole" if not solid.chambers else "every chamber has its holes"
        return Proposal("drain", "drain", why, job, needed=False)
    drilled, moved = with_holes(part, tuple(drafted), stages, bench)
    after = job.with_part(index, drilled)
    why = "; ".join(f"{h.diameter_mm:g} mm: {h.why}" for h in drafted)
    why += ". " + what_changes(job, after, index, stages, progress.part(0.95, 1.0)) + moved
    return Proposal("drain", f"drill {len(drafted)} drain hole{'s' if len(drafted) > 1 else ''}", why, after)


def _beginnings(solid: PartSolids, bench: Bench, stages: Stages) -> list[NDArray[np.float64]]:
    """Where the outer mesh begins in mid-liquid: there it wants tips, not holes."""
    outer = replace(solid, own_cavity=None, own_chambers=(), drills=None, bores=(), supports=None, touches=())
    printed = put_together((outer,), stages, plate_grid((outer,), bench, CUP_FINENESS), True)
    found = printed.part_sections
    z = np.asarray(printed.part.grid.z_of(found.layer))
    return [np.array([found.x_mm[c], found.y_mm[c], z[c]]) for c in printed.islands]


def _cavity(solid: PartSolids) -> Mesh:
    if solid.cavity is None:
        raise BadJob("there is no shell to drain.", remedy="Hollow the part first.")
    return solid.cavity


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


def hole_on_plate(job: Job, index: int, stages: Stages, point_mm: np.ndarray, diameter_mm: float,
                  why: str = "set by hand", outline: str = ROUND, taper_deg: float = 0.0,
                  margin_mm: float | None = None, instead_of: int = -1) -> Job:  # fmt: skip
    """The job with one more hole at a point of the plate's frame, or one moved; drilled at once, so that a bad place is refused.

    Parameters
    ----------
    instead_of : number of the hole that is moved there, -1 for none.

    Raises
    ------
    BadModel : when the point lies off the surface. BadJob : for a diameter that is none.
    """
    if not 0.2 <= diameter_mm <= 50:
        raise BadJob(f"a hole of {diameter_mm:g} mm is not between 0.2 and 50 mm.", kept="No hole was added.")
    part = job.part(index)
    solid = stages.solids(replace(part, tips=()), job.bench.supports)
    x, y, z = (float(v) for v in point_mm)
    hole = _hole(Spot((x, y, z), None, 0.0, diameter_mm, why), solid)
    hole = replace(hole, outline=outline, taper_deg=taper_deg, margin_mm=margin_mm)
    before = part.holes if instead_of < 0 else part.holes[:instead_of] + part.holes[instead_of + 1 :]
    drilled, _ = with_holes(replace(part, holes=before), (hole,), stages, job.bench)
    if instead_of >= 0:  # it keeps its number
        drilled = replace(drilled, holes=(*before[:instead_of], drilled.holes[-1], *before[instead_of:]))
    return job.with_part(index, drilled)


def with_holes(part: PartRecipe, holes: tuple[Hole, ...], stages: Stages, bench: Bench) -> tuple[PartRecipe, str]:
    """The part with more holes, drilled at once so that a bad place is refused; tips that would stand in them go beside their
    rims.

    Returns also a sentence on the tips, or "".

    Raises
    ------
    BadModel : when a hole lies off the surface.
    """
    drilled = replace(part, holes=part.holes + holes)
    stages.drilled(drilled)
    moved, count = with_tips_beside(drilled, holes, stages, bench)
    return moved, f"; {count} tip{'s' if count > 1 else ''} moved out of the way" if count else ""


def with_tips_beside(part: PartRecipe, holes: tuple[Hole, ...], stages: Stages, bench: Bench) -> tuple[PartRecipe, int]:
    """The part with every tip that would stand in one of the holes moved beside its rim, where a post finds a way; how many."""
    if not part.tips or not holes:
        return part, 0
    at_home = replace(part, tips=(), holes=(), shell=None, copies=(), pose=replace(part.pose, x_mm=0.0, y_mm=0.0))
    outer, matrix = stages.solids(at_home, bench.supports).outer, placing(stages.cut(part), at_home.pose)
    tips, count = list(part.tips), 0
    for hole in holes:
        mouth, radius = matrix[:3, :3] @ hole.point_mm + matrix[:3, 3], 0.5 * hole.diameter_mm
        for number, tip in enumerate(tips):
            if np.linalg.norm(tip.spot_mm - mouth) > radius + 0.5 * tip.diameter_mm or tip.diameter_mm == 0:
                continue
            others = tuple(t for t in tips if t is not tip)
            if any(t.foot == "post" and (t.post_x_mm, t.post_y_mm) == (tip.post_x_mm, tip.post_y_mm) for t in others):
                continue  # its post carries others: it stays, without a tip of its own
            for spot in _beside(mouth, tip.spot_mm, radius + tip.diameter_mm + BESIDE_MM):
                found = tip_at(outer, spot, others, bench, f"{tip.why}, moved out of a drain hole")
                if found is not None and np.linalg.norm(found.spot_mm - mouth) > radius + 0.5 * found.diameter_mm:
                    tips[number] = replace(found, diameter_mm=tip.diameter_mm)
                    count += 1
                    break
    return replace(part, tips=tuple(tips)), count


def _beside(mouth: NDArray[np.float64], spot: NDArray[np.float64], away_mm: float) -> list[NDArray[np.float64]]:
    """Points round a mouth, level with it, those on the tip's own side first."""
    own = float(np.arctan2(*(spot - mouth)[1::-1])) if np.linalg.norm((spot - mouth)[:2]) > 1e-6 else 0.0
    turns = sorted((2 * np.pi * n / WAYS_ASIDE for n in range(WAYS_ASIDE)), key=lambda t: min(t, 2 * np.pi - t))
    return [mouth + away_mm * np.array([np.cos(own + t), np.sin(own + t), 0.0]) for t in turns]


def what_changes(before: Job, after: Job, index: int, stages: Stages, progress: Progress | None = None) -> str:
    """What holes change for a part by itself: suction, how much prints sealed, how it drains."""
    progress = progress or quiet()
    told = []
    for number, job in enumerate((before, after)):
        alone = replace(job, parts=(replace(job.parts[index], copies=()),))
        found = predict(alone, stages, preview(job.bench), progress.part(0.4 * number, 0.4 * number + 0.4))
        o = found.printed.openings
        loud = o.state == SEALED
        loud &= found.loads.suction.force_n > job.bench.house.quiet_suction_n
        told.append((found.verdict.suction_n, len(np.unique(o.layer[loud])) * found.layer_mm))
    (was, sealed), (now, still) = told
    words = (
        f"Suction {was:.1f} N before, {now:.1f} N after; {sealed:.1f} mm printed sealed before, {still:.1f} mm after"
    )
    drained = drainage(after, index, stages)
    if drained is not None and drained.seconds > 0:
        words += f"; runs out in {minutes(drained.seconds)}, {drained.best.stays_ml:.1f} mL stay"
    return words


def minutes(seconds: float) -> str:
    """A stretch of time as one says it: 40 s, 3 min, 2.5 h."""
    if seconds < 90:
        return f"{seconds:.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"


def probe_of(job: Job, index: int, stages: Stages) -> Probe:
    """A part made ready to be asked where a hole would work, in its own frame."""
    part = job.part(index)
    outer, chambers = stages.cut(part), stages.chambers(part)
    house = job.bench.house
    key = (part.shape, part.cuts, part.shell, part.holes, house.hole_edge_mm, house.wall_mm)
    wall = part.shell.wall_mm if part.shell is not None else house.wall_mm
    return stages.recall(
        "probe",
        key,
        lambda: Probe(outer, stages.cavity(part), chambers, stages.drilled(part), house.hole_edge_mm, wall),
    )
