"""Proposals: what each step would do, why, and the job if it is accepted. And the whole chain in one go."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.errors import BadModel
from wideberth.core.hollow import usual_shell, weigh_hollow
from wideberth.core.job import Job, Part
from wideberth.core.loads import Finish, Finishing, barred_by
from wideberth.core.model import Mesh
from wideberth.core.predict import Marked, Prediction, Stages, predict
from wideberth.core.progress import Progress, quiet, waited
from wideberth.core.propose.drilling import propose_drain, with_tips_beside
from wideberth.core.propose.judged import as_judged, falls_short, lost_by, thicker
from wideberth.core.propose.lighting import counts_on, in_own_light, lit
from wideberth.core.propose.orienting import propose_orient
from wideberth.core.propose.places import propose_places
from wideberth.core.propose.proposal import Proposal, State, of_part, only
from wideberth.core.propose.rooming import relief_of, room_around
from wideberth.core.propose.splitting import propose_split, stands_mating_up
from wideberth.core.propose.turning import raised, stands_low
from wideberth.core.split import Aim
from wideberth.core.support import Relief, Room, SupportProposal, Supports, counted_tips, propose_tips
from wideberth.core.verdict import LOST, counted

QUICK_WAYS = 150
"""Ways up that are weighed where all steps are proposed in one go."""
TUNING_ROUNDS = 2
NAMED = 5
"""So many of what a proposal could not solve are told; all stand among the findings."""


@of_part
def propose_hollow(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> Proposal:
    """Hollow a part when that saves enough."""
    part = job.part(id)
    shell = part.shell or usual_shell(job.bench)
    hollowing, carrying = (progress or quiet()).stretches(0.9, 1.0)
    chambers = stages.chambers(replace(part, shell=shell), hollowing)
    advice = weigh_hollow(stages.cut(part), chambers, shell, job.bench)
    if not advice.pays:
        return only("hollow", "hollow", advice.why, job, needed=False)
    made = replace(part, shell=shell)
    gussets = stages.gussets(made, carrying)
    if gussets is not None and len(gussets.uncarried_mm):
        why = f"{advice.why}, but in this pose its ceilings begin in mid-liquid where nothing can carry them: it stays solid"
        return only("hollow", "hollow", why, job, needed=False)
    why = advice.why
    if gussets is not None:
        why += f"; gussets of {gussets.volume_ml:.2f} mL carry what would begin in mid-liquid under its ceilings"
    return only("hollow", f"hollow {part.name}", why, job.with_part(made))


@dataclass(frozen=True)
class _Supporting:
    """outer : the surface of the part in its pose, around its own place; marked : its faces; relief : its holes."""

    outer: Mesh
    marked: Marked
    bench: Bench
    pinned: Supports
    refused: tuple[tuple[float, ...], ...]
    relief: Relief | None
    room: Callable[[], Room] = field(compare=False)
    finish: Callable[[], Finish] = field(compare=False)
    """Those of the outer mesh, its marks and the bench, whatever else is asked; both may have to be waited for."""


def _supported(of: _Supporting, progress: Progress) -> SupportProposal:
    finishing = Finishing(barred_by(of.marked.mark, of.bench.house), of.finish)
    refused = np.array(of.refused).reshape(-1, 3)
    return propose_tips(of.outer, of.bench, progress, of.pinned, refused, finishing, of.room(), of.relief)


@of_part
def propose_support(job: Job, id: str, stages: Stages, progress: Progress | None = None, may_raise: bool = True) -> Proposal:
    """Tips, posts and base for a part in its pose; its shell makes no difference to them, its holes do where they are set and
    where its own cups breathe by them. Pinned ones stay as they are, and none comes back to a spot that was refused. Where the
    light sets no layer they are for as much as is advised.

    may_raise : whether a part that would be lost where it stands, since tips have no room under it, may be raised by the usual
    gap, where that holds it and its pose is not pinned.
    """
    part, progress = job.part(id), progress or quiet()
    if not stands_low(part, job.bench):
        return _held(job, id, stages, progress)[0]
    standing, raising, raised_above = progress.stretches(0.5, 0.55, 1.0)
    here, seen = _held(job, id, stages, standing)
    if not (lost := lost_by(seen)):
        return here
    if part.pose_pinned or not may_raise:
        why = f"{here.why}. It stands where tips have little room: raise it"
        return only("support", here.label, why, here.job, needed=here.needed)
    higher = raised(job.with_part(replace(part, supports=_pinned(part))), id, stages, raising)
    above, seen = _held(higher, id, stages, raised_above)
    stood, stands = part.pose.gap_mm, higher.part(id).pose.gap_mm
    if lost_above := lost_by(seen):
        why = f"{here.why}. Raised to {stands:.3g} mm it would be lost too: {lost_above}"
        return only("support", here.label, why, here.job, needed=here.needed)
    why = f"{above.why}. Raised to {stands:.3g} mm above the plate: at {stood:.3g} mm {lost}"
    return only("support", above.label, why, above.job, needed=above.needed)


def _held(job: Job, id: str, stages: Stages, progress: Progress) -> tuple[Proposal, Prediction]:
    """A part on proposed tips, as it stands, and what it is predicted as alone on its plate."""
    asked, job = job, lit(job)
    part = job.part(id)
    plain = replace(part, shell=None, holes=()).unsupported()
    outer = stages.solids(plain, job.bench.supports).outer
    refused = tuple(tuple(float(v) for v in spot) for spot in part.refused_spots("support"))
    hollowing, rooming, supporting, judging = progress.stretches(0.15, 0.25, 0.85, 1.0)
    beside = ThreadPoolExecutor(2)
    try:
        finish = beside.submit(_finish_of, part, stages, job.bench, progress.unheard())
        relief = relief_of(part, stages, job.bench, hollowing)
        room = beside.submit(room_around, part, stages, job.bench, rooming)
        rest = partial(waited, room, progress), partial(waited, finish, progress)
        of = _Supporting(outer, stages.marked(part), job.bench, _pinned(part), refused, relief, *rest)
        made = stages.cache.run(_supported, of, supporting)
    finally:
        beside.shutdown(wait=False)
    supported, moved = with_tips_beside(replace(part, supports=made.supports), part.holes, stages, job.bench)
    after, seen = as_judged(job.with_part(supported), id, stages, judging)
    supports, short = after.part(id).supports, falls_short(seen)
    told = [counted_tips(supports) if supports or not short else "no tip"]
    told += [f"{made.idled} more would have idled"] if made.idled else []
    told += [f"{counted(len(made.unreached), 'spot')} cannot be reached"] if made.unreached else []
    told += [f"{moved} beside drain holes"] if moved else []
    why = ". ".join(
        ("; ".join(told), *(f"{text[:1].upper()}{text[1:]}" for text in (*counts_on(job.bench, asked.bench), *short)))
    )
    return only("support", f"support {part.name}", why, in_own_light(after, asked), needed=bool(supports)), seen


def _pinned(part: Part) -> Supports:
    """The tips of a part that no proposal touches."""
    return part.supports.without(c.id for c in part.supports.contacts if not c.pinned).without_outriggers()


def _finish_of(part: Part, stages: Stages, bench: Bench, progress: Progress) -> Finish:
    """What marks cost on each face, and what else their minutes are told from, so that a prediction has it at hand."""
    stages.closest(stages.cut(part))
    return stages.finish(part, bench.house, progress)


def propose_thicker(job: Job, stages: Stages) -> Proposal:
    """Thicker tips and posts where the whole job's own prediction, cups and holes included, asks for them, and diagonals where
    the stoutest post would still bend aside; nothing gets thinner."""
    return _thicker(job, predict(lit(job), stages), stages)


def _thicker(job: Job, seen: Prediction, stages: Stages) -> Proposal:
    grown = thicker(seen, stages)
    return only(grown.step, grown.label, grown.why, in_own_light(grown.job, job), grown.needed)


def propose_all(job: Job, stages: Stages, progress: Progress | None = None) -> tuple[Job, list[Proposal]]:
    """The whole chain for every part: split if need be, orient, hollow if it pays, drain, support, place.

    Where what comes out would still be lost, the first proposal says so, refused, with what could not be solved.
    """
    progress = progress or quiet()
    taken: list[Proposal] = []

    def take(proposal: Proposal) -> Job:
        taken.append(proposal.in_state(State.ACCEPTED))
        return proposal.job

    splitting, preparing, placing, tuning = progress.stretches(0.05, 0.85, 0.9, 1.0)
    index = 0
    while index < len(job.parts):
        share = splitting.part(index / len(job.parts), (index + 1) / len(job.parts))
        split = propose_split(job, job.parts[index].id, stages, progress=share, aims=(Aim.HIDDEN,), place=False)
        pieces = len(split.job.parts) - len(job.parts) + 1
        job = take(split)
        index += pieces
    ids = [part.id for part in job.parts]
    for id, piece in zip(ids, preparing.evenly(len(ids)), strict=True):
        orienting, hollowing, draining, supporting = piece.stretches(0.3, 0.4, 0.5, 1.0)
        if not stands_mating_up(job.part(id)):
            job = take(propose_orient(job, id, stages, orienting, QUICK_WAYS))
        try:
            job = take(propose_hollow(job, id, stages, hollowing))
        except BadModel as error:
            taken.append(only("hollow", "hollow", error.text, job, needed=False, state=State.REFUSED))
        job = take(propose_drain(job, id, stages, draining))
        job = take(propose_support(job, id, stages, supporting))
    job = take(propose_places(job, stages, progress=placing))
    looking, *again = tuning.evenly(1 + TUNING_ROUNDS)
    seen = predict(lit(job), stages, progress=looking)
    for share in again:
        share.at(0.0, "sizing tips for shells and holes")
        grown = _thicker(job, seen, stages)
        if not grown.needed:
            break
        job = take(grown)
        seen = predict(lit(job), stages, progress=share)
    unsolved = _unsolved(seen if seen.job.bench == job.bench else predict(job, stages))
    return job, taken if unsolved is None else [unsolved, *taken]


def _unsolved(prediction: Prediction) -> Proposal | None:
    """What a proposed job is still lost by; None when it is not."""
    lost = [f for f in prediction.verdict.findings if f.severity == LOST]
    if not lost:
        return None
    why = "Not solved, it would be lost as it is: " + " ".join(f"{f.message} {f.remedy}" for f in lost[:NAMED])
    why += f" And {counted(len(lost) - NAMED, 'more finding')}." if len(lost) > NAMED else ""
    return only("predict", "not solved", why, prediction.job, needed=False, state=State.REFUSED)
