"""Tips by hand: added, moved, sized, pinned, taken away, and what each would carry before it is there."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob
from wideberth.core.job import Job, Part
from wideberth.core.layers import Touch
from wideberth.core.loads import Tug
from wideberth.core.orient import placing
from wideberth.core.predict import Prediction, Stages
from wideberth.core.propose.rooming import room_around
from wideberth.core.propose.turning import stands_low
from wideberth.core.support import Need, NeedKind, On, Supports, fitting_mm, started, touches, with_joint_at, with_post_moved

Values = NDArray[np.float64]
SIZING_ROUNDS = 3
LEAST_TIP_MM, MOST_TIP_MM = 0.1, 3.0


@dataclass(frozen=True)
class Tried:
    """What a change of tips would come to, on the pulls of a prediction.

    job : with the change. load_n, margin, printed_mm : of the tip that it is about, None where there is none. before, after : the
    weakest margin of all tips, None where nothing hangs.
    """

    job: Job
    load_n: float | None
    margin: float | None
    printed_mm: float | None
    before: float | None
    after: float | None


def with_tip(job: Job, id: str, stages: Stages, spot_mm: Values, diameter_mm: float | None = None) -> Job:
    """The job with one more tip on a part, by hand; its post is led clear of the part.

    Parameters
    ----------
    spot_mm : (3,) in the part's own frame, on its surface. diameter_mm : the usual one when left out.

    Raises
    ------
    BadJob : when no post finds a clear way to that spot, or the diameter is none.
    """
    part = job.part(id)
    size = _checked(job.bench.supports.tip_mm if diameter_mm is None else diameter_mm)
    supports = started(part.supports, job.bench.supports)
    route = room_around(part, stages, job.bench).way_to(_at_home(part, stages, spot_mm), supports)
    if route is None:
        raise _no_way(part, job.bench, "No tip was added.")
    return job.with_part(replace(part, supports=supports.with_route(route, size, Need(NeedKind.BY_HAND))))


def with_tip_moved(job: Job, id: str, stages: Stages, contact: str, spot_mm: Values) -> Job:
    """The job with a tip of a part moved to another spot, led anew; it keeps its size, its reason and its id.

    Raises
    ------
    BadJob : when no post finds a clear way there, or its post carries others.
    """
    part = job.part(id)
    old = part.supports.contact[contact]
    if part.supports.carries_others(contact) and not part.supports.routes[contact].shared:
        raise BadJob(
            "its post carries other tips.", where=part.name, kept="Nothing was moved.", remedy="Move or delete these first."
        )
    rest = part.supports.without((contact,))
    route = room_around(part, stages, job.bench).way_to(_at_home(part, stages, spot_mm), rest)
    if route is None:
        raise _no_way(part, job.bench, "Nothing was moved.")
    moved = part.supports.rerouted(contact, route, old.diameter_mm, old.need)
    kept = tuple(replace(c, pinned=old.pinned, depth_mm=old.depth_mm) if c.id == contact else c for c in moved.contacts)
    return job.with_part(replace(part, supports=replace(moved, contacts=kept)))


def with_foot_moved(job: Job, id: str, stages: Stages, post: str, spot_mm: Values) -> Job:
    """The job with a post of a part, and all that it carries, led to another place of the plate.

    Parameters
    ----------
    post : its id. spot_mm : (3,) in the part's own frame, where its foot is to stand; its height does not matter.

    Raises
    ------
    BadJob : when its foot stands on the part, or no way leads from its tips to a post there.
    """
    part = job.part(id)
    if part.supports.foot[part.supports.post[post].foot].on is On.PART:
        raise BadJob("that foot stands on the part.", where=part.name, kept="Nothing was moved.", remedy="Move its tip.")
    x, y, _ = (float(v) for v in _at_home(part, stages, spot_mm))
    moved = with_post_moved(part.supports, post, x, y, room_around(part, stages, job.bench).clearance, job.bench.supports)
    if moved is None:
        raise BadJob("no twig leads clear to a post there.", where=part.name, kept="Nothing was moved.")
    return job.with_part(replace(part, supports=moved))


def with_joint_moved(job: Job, id: str, stages: Stages, contact: str, spot_mm: Values) -> Job:
    """The job with the joint where a tip's twig meets its post moved up or down the post, as steep as twigs may be.

    Parameters
    ----------
    contact : its id. spot_mm : (3,) in the part's own frame, at the height at which it is to be; the rest does not matter.

    Raises
    ------
    BadJob : when the tip has no twig, or none leads clear to there.
    """
    part = job.part(id)
    height = float(_at_home(part, stages, spot_mm)[2])
    clearance = room_around(part, stages, job.bench).clearance
    moved = with_joint_at(part.supports, contact, height, clearance, job.bench.supports)
    if moved is None:
        raise BadJob("no twig leads clear to a joint there.", where=part.name, kept="Nothing was moved.")
    return job.with_part(replace(part, supports=moved))


def with_tips_sized(job: Job, id: str, diameter_mm: dict[str, float]) -> Job:
    """The job with other diameters of some tips of a part, by the ids of their contacts.

    Raises
    ------
    BadJob : for a diameter that is none.
    """
    part = job.part(id)
    sizes = {contact: _checked(size) for contact, size in diameter_mm.items()}
    return job.with_part(replace(part, supports=part.supports.sized(sizes)))


def without_tips(job: Job, id: str, contacts: Iterable[str]) -> Job:
    """The job less some tips of a part and whatever carries nothing without them."""
    part = job.part(id)
    return job.with_part(replace(part, supports=part.supports.without(contacts)))


def with_tips_pinned(job: Job, id: str, contacts: Iterable[str], pinned: bool) -> Job:
    """The job with some tips of a part pinned, so that no proposal touches them, or let go."""
    part, chosen = job.part(id), set(contacts)
    marked = tuple(replace(c, pinned=pinned) if c.id in chosen else c for c in part.supports.contacts)
    return job.with_part(replace(part, supports=replace(part.supports, contacts=marked)))


def tried(seen: Prediction, job: Job, id: str, stages: Stages, contact: str | None = None) -> Tried:
    """What a job whose tips differ from those of a prediction would come to, on the prediction's own pulls.

    Parameters
    ----------
    seen : of the same job but for tips, coarse or fine. contact : the tip that it is about; the last one when left out.
    """
    before = seen.loads.part_pulls.tug()
    held, about = _touches(seen, job, stages), contact or _last(job.part(id).supports)
    after = seen.loads.part_pulls.tug(held)
    first = next((n for n, t in enumerate(held) if t.contact == about and seen.placed[t.part].part.id == id), None)
    if first is None:
        return Tried(job, None, None, None, before.weakest, after.weakest)
    margin = float(after.tip_margin[:, first].min(initial=np.inf))
    load = float(after.tip_load_n[:, first].max(initial=0.0))
    return Tried(job, load, margin, float(after.tips.printed_mm[first]), before.weakest, after.weakest)


def sized_for_load(seen: Prediction, job: Job, id: str, stages: Stages, contact: str) -> Job:
    """The job with one tip of the diameter that its share asks for at the wanted margin, within the allowed sizes.

    A thicker tip is stiffer and draws more, so it is found in rounds.
    """
    for _ in range(SIZING_ROUNDS):
        held = _touches(seen, job, stages)
        tug: Tug = seen.loads.part_pulls.tug(held)
        at = [n for n, t in enumerate(held) if t.contact == contact and seen.placed[t.part].part.id == id]
        if not at:
            return job
        size = max(float(fitting_mm(tug.tip_load_n, tug.tips, job.bench)[n]) for n in at)
        if abs(size - job.part(id).supports.contact[contact].diameter_mm) < 1e-6:
            return job
        job = with_tips_sized(job, id, {contact: round(size, 3)})
    return job


def _touches(seen: Prediction, job: Job, stages: Stages) -> tuple[Touch, ...]:
    """Tips of every print of a prediction's plate, as another job has them."""
    held: list[Touch] = []
    for solids in seen.solids:
        part, placement = job.part(solids.placed.part.id), solids.placed.placement
        if part.supports == solids.placed.part.supports:
            held += solids.touches
        elif placement.mirrored or placement.turn_deg % 360:
            placed = replace(solids.placed, part=part)
            held += stages.print_solids(placed, solids.number, job.bench.supports).touches
        else:
            standing, _ = stages.supports(part)
            x, y, _ = (float(v) for v in solids.shift_mm)
            held += touches(standing, job.bench.supports, solids.number, x, y)
    return tuple(held)


def _no_way(part: Part, bench: Bench, kept: str) -> BadJob:
    remedy = "Raise the part: there is little room under it." if stands_low(part, bench) else ""
    return BadJob("no post finds a clear way to that spot.", where=part.name, kept=kept, remedy=remedy)


def _last(supports: Supports) -> str:
    return supports.contacts[-1].id if supports.contacts else ""


def _at_home(part: Part, stages: Stages, spot_mm: Values) -> Values:
    matrix = placing(stages.cut(part), part.pose)
    return np.asarray(matrix[:3, :3] @ spot_mm + matrix[:3, 3])


def _checked(diameter_mm: float) -> float:
    if not LEAST_TIP_MM <= diameter_mm <= MOST_TIP_MM:
        raise BadJob(
            f"a tip of {diameter_mm:g} mm is not between {LEAST_TIP_MM:g} and {MOST_TIP_MM:g} mm.", kept="Nothing was changed."
        )
    return float(diameter_mm)


def least_held(seen: Prediction, bench: Bench, most: int = 12) -> tuple[tuple[int, float], ...]:
    """Numbers and margins of the least held tips of a prediction's verdict, the weakest first; only those under the wanted
    margin."""
    weak = [(n, t.margin) for n, t in enumerate(seen.verdict.tips) if t.margin < bench.supports.wanted_margin]
    return tuple(sorted(weak, key=lambda pair: pair[1])[:most])
