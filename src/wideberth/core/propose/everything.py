"""Proposals: what each step would do, why, and the job if it is accepted. And the whole chain in one go."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench
from wideberth.core.errors import BadModel
from wideberth.core.hollow import usual_shell, weigh_hollow
from wideberth.core.job import Job, Part, job_of
from wideberth.core.loads import Finish, Finishing, barred_by
from wideberth.core.model import Mesh
from wideberth.core.predict import Marked, Prediction, Stages, fine, predict
from wideberth.core.progress import Progress, quiet, waited
from wideberth.core.propose.drilling import propose_drain, with_tips_beside
from wideberth.core.propose.orienting import propose_orient
from wideberth.core.propose.places import propose_places
from wideberth.core.propose.proposal import Proposal, State, only
from wideberth.core.propose.rooming import room_around
from wideberth.core.propose.splitting import propose_split, stands_mating_up
from wideberth.core.split import Aim
from wideberth.core.support import (
    REFUSED_MM,
    Need,
    NeedKind,
    Room,
    SupportProposal,
    Supports,
    braced,
    fitting_mm,
    most_free_mm,
    propose_tips,
    steadying_mm,
    stouter_posts,
    with_company,
)
from wideberth.core.verdict import LOST, counted

QUICK_WAYS = 150
"""Ways up that are weighed where all steps are proposed in one go."""
TUNING_ROUNDS, JUDGED_ROUNDS, COMPANY_ROUNDS = 2, 6, 4
"""What gets company only grows after that, so that no tip is left as thin as it came."""
NAMED = 5
"""So many of what a proposal could not solve are told; all stand among the findings."""


def propose_hollow(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> Proposal:
    """Hollow a part when that saves enough."""
    part = job.part(id)
    shell = part.shell or usual_shell(job.bench)
    chambers = stages.chambers(replace(part, shell=shell), progress)
    advice = weigh_hollow(stages.cut(part), chambers, shell, job.bench)
    if not advice.pays:
        return only("hollow", "hollow", advice.why, job, needed=False)
    made = replace(part, shell=shell)
    gussets = stages.gussets(made, progress)
    if gussets is not None and len(gussets.uncarried_mm):
        why = f"{advice.why}, but in this pose its ceilings begin in mid-liquid where nothing can carry them: it stays solid"
        return only("hollow", "hollow", why, job, needed=False)
    why = advice.why
    if gussets is not None:
        why += f"; gussets of {gussets.volume_ml:.2f} mL carry what would begin in mid-liquid under its ceilings"
    return only("hollow", f"hollow {part.name}", why, job.with_part(made))


@dataclass(frozen=True)
class _Supporting:
    """outer : the surface of the part in its pose, around its own place; marked : its faces."""

    outer: Mesh
    marked: Marked
    bench: Bench
    pinned: Supports
    refused: tuple[tuple[float, ...], ...]
    room: Callable[[], Room] = field(compare=False)
    finish: Callable[[], Finish] = field(compare=False)
    """Those of the outer mesh, its marks and the bench, whatever else is asked; both may have to be waited for."""


def _supported(of: _Supporting, progress: Progress) -> SupportProposal:
    finishing = Finishing(barred_by(of.marked.mark, of.bench.house), of.finish)
    refused = np.array(of.refused).reshape(-1, 3)
    return propose_tips(of.outer, of.bench, progress, of.pinned, refused, finishing, of.room())


def propose_support(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> Proposal:
    """Tips, posts and base for a part in its pose; shell and holes make no difference to them. Pinned ones stay as they are, and
    none comes back to a spot that was refused."""
    part, progress = job.part(id), progress or quiet()
    plain = replace(part, shell=None, holes=()).unsupported()
    outer = stages.solids(plain, job.bench.supports).outer
    pinned = part.supports.without(c.id for c in part.supports.contacts if not c.pinned).without_outriggers()
    refused = tuple(tuple(float(v) for v in spot) for spot in part.refused_spots("support"))
    beside = ThreadPoolExecutor(2)
    try:
        room = beside.submit(room_around, part, stages, job.bench, progress.unheard())
        finish = beside.submit(_finish_of, part, stages, job.bench, progress.unheard())
        rest = partial(waited, room, progress), partial(waited, finish, progress)
        of = _Supporting(outer, stages.marked(part), job.bench, pinned, refused, *rest)
        made = stages.cache.run(_supported, of, progress.part(0.0, 0.9))
    finally:
        beside.shutdown(wait=False)
    why = made.why
    if made.unreached:
        why += f"; {len(made.unreached)} spots cannot be reached"
    supported, moved = with_tips_beside(replace(part, supports=made.supports), part.holes, stages, job.bench)
    why += f"; {moved} beside drain holes" if moved else ""
    after = (
        _as_judged(job.with_part(supported), id, stages, progress.part(0.9, 1.0)) if made.supports else job.with_part(supported)
    )
    return only("support", f"support {part.name}", why, after, needed=bool(made.supports))


def _finish_of(part: Part, stages: Stages, bench: Bench, progress: Progress) -> Finish:
    """What marks cost on each face, and what else their minutes are told from, so that a prediction has it at hand."""
    stages.closest(stages.cut(part))
    return stages.finish(part, bench.house, progress)


def _as_judged(job: Job, id: str, stages: Stages, progress: Progress) -> Job:
    """The job with tips and posts of a part grown to what the verdict asks for, and one more under each beginning that it alone
    sees, with the part alone on its plate, solid and whole: so it is the same whether it is hollowed before or after."""
    for number in range(JUDGED_ROUNDS):
        alone = replace(job.part(id), id="", shell=None, holes=())
        seen = predict(
            job_of(job.title, job.bench, (alone,)),
            stages,
            replace(fine(), brief=True),
            progress.part(number / JUDGED_ROUNDS, (number + 1) / JUDGED_ROUNDS),
        )
        grown = _thicker(seen, stages)
        refused = alone.refused_spots("support")
        supports = _under_beginnings(grown.job.parts[0], seen, stages, refused)
        if number < COMPANY_ROUNDS:
            supports = _beside_the_stoutest(supports, seen, stages, refused)
        if supports == job.part(id).supports:
            break
        job = job.with_part(replace(job.part(id), supports=supports))
    return job


def _under_beginnings(part: Part, seen: Prediction, stages: Stages, refused_mm: NDArray[np.float64]) -> Supports:
    """A part's supports, with a tip under each beginning in mid-liquid of a prediction of it alone that none holds and that is
    near no refused spot (n, 3)."""
    supports, room = part.supports, None
    for island in seen.verdict.islands:
        if island.supported or island.inside:
            continue
        room = room or room_around(part, stages, seen.job.bench)
        spot = np.array([island.x_mm, island.y_mm, island.z_mm]) - seen.solids[0].shift_mm
        if len(refused_mm) and np.linalg.norm(refused_mm - spot, axis=1).min() < REFUSED_MM:
            continue
        route = room.way_to(spot, supports)
        if route is not None:
            supports = supports.with_route(route, seen.job.bench.supports.smallest_tip_mm, Need(NeedKind.ISLAND))
    return supports


def _beside_the_stoutest(supports: Supports, seen: Prediction, stages: Stages, refused_mm: NDArray[np.float64]) -> Supports:
    """Supports with company for tips of a prediction of one part that hold too little although they are as thick as allowed, and
    for those on which a piece hangs unsteadily."""
    bench, unsteady = seen.job.bench, seen.loads.unsteady
    largest = bench.supports.largest_tip_mm
    stout = {n: tip for n, tip in enumerate(seen.verdict.tips) if tip.diameter_mm >= largest - 1e-6}
    by_mm = {n: np.inf for n, tip in stout.items() if tip.margin < bench.supports.wanted_margin}
    for layer in sorted(np.flatnonzero(unsteady > 1.0), key=lambda k: -unsteady[k]):  # where it hangs least steadily
        if (n := int(seen.loads.unsteady_tip[layer])) in stout:
            by_mm.setdefault(n, (layer + 1) * seen.layer_mm + 0.5 * largest)
    if not by_mm:
        return supports
    part = seen.job.parts[0]
    outer = stages.solids(replace(part, shell=None, holes=()).unsupported(), bench.supports).outer
    forbidden = barred_by(stages.marked(part).mark, bench.house)
    return with_company(supports, by_mm, room_around(part, stages, bench), bench, refused_mm, outer, forbidden)


def propose_thicker(job: Job, stages: Stages) -> Proposal:
    """Thicker tips and posts where the whole job's own prediction, cups and holes included, asks for them, and diagonals where
    the stoutest post would still bend aside; nothing gets thinner."""
    return _thicker(predict(job, stages), stages)


def _thicker(seen: Prediction, stages: Stages) -> Proposal:
    """Thicker tips and posts, and diagonals, where a prediction asks for them."""
    job, touches = seen.job, seen.printed.touches
    wanted: dict[str, dict[str, float]] = {}
    fitting = fitting_mm(seen.loads.tip_load_n, seen.loads.tips, job.bench, steadying_mm(seen.loads, job.bench))
    for touch, size in zip(touches, fitting, strict=True):
        part = seen.placed[touch.part].part
        contact = part.supports.contact[touch.contact]
        if size > contact.diameter_mm + 1e-6 and not contact.pinned:  # a further print's tip is the part's own
            sizes = wanted.setdefault(part.id, {})
            sizes[contact.id] = max(round(float(size), 3), sizes.get(contact.id, 0.0))
    stouter: dict[str, dict[str, float]] = {}
    for (number, post), size in stouter_posts(seen.loads.posts, job.bench).items():
        sizes = stouter.setdefault(seen.placed[number].part.id, {})
        sizes[post] = max(size, sizes.get(post, 0.0))
    free: dict[str, dict[str, float]] = {}
    for (number, post), most in most_free_mm(seen.loads.posts, job.bench).items():
        posts_of = free.setdefault(seen.placed[number].part.id, {})
        posts_of[post] = min(most, posts_of.get(post, most))
    diagonals = 0
    for id in wanted.keys() | stouter.keys() | free.keys():
        part = job.part(id)
        grown = part.supports.sized(wanted.get(id, {})).stouter(stouter.get(id, {}))
        if id in free:
            grown, _ = braced(grown, free[id], room_around(part, stages, job.bench).clearance, job.bench.supports)
            diagonals += len(grown.braces) - len(part.supports.braces)
        job = job.with_part(replace(part, supports=grown))
    tips, posts = (sum(len(s) for s in sizes.values()) for sizes in (wanted, stouter))
    grow = [counted(n, what) + (" grows" if n == 1 else " grow") for n, what in ((tips, "tip"), (posts, "post"))]
    told = [f"{grow[0]} to carry suction and the shell's own pull, or what hangs unsteadily"] if tips else []
    told += [f"{grow[1]} stouter against the push of the return"] if posts else []
    told += [f"{counted(diagonals, 'diagonal')} between posts that would bend aside"] if diagonals else []
    why = "; ".join(told) or "every tip and post is thick enough"
    return only("support", "thicker tips and posts", why, job, needed=bool(told))


def propose_all(job: Job, stages: Stages, progress: Progress | None = None) -> tuple[Job, list[Proposal]]:
    """The whole chain for every part: split if need be, orient, hollow if it pays, drain, support, place.

    Where what comes out would still be lost, the first proposal says so, refused, with what could not be solved.
    """
    progress = progress or quiet()
    taken: list[Proposal] = []

    def take(proposal: Proposal) -> Job:
        taken.append(proposal.in_state(State.ACCEPTED))
        return proposal.job

    index = 0
    while index < len(job.parts):
        split = propose_split(job, job.parts[index].id, stages, aims=(Aim.HIDDEN,), place=False)
        pieces = len(split.job.parts) - len(job.parts) + 1
        job = take(split)
        index += pieces
    ids = [part.id for part in job.parts]
    for number, id in enumerate(ids):
        piece = progress.part(number / len(ids), (number + 1) / len(ids))
        if not stands_mating_up(job.part(id)):
            job = take(propose_orient(job, id, stages, piece.part(0, 0.25), QUICK_WAYS))
        try:
            job = take(propose_hollow(job, id, stages, piece.part(0.25, 0.5)))
        except BadModel as error:
            taken.append(only("hollow", "hollow", error.text, job, needed=False, state=State.REFUSED))
        job = take(propose_drain(job, id, stages, piece.part(0.5, 0.6)))
        job = take(propose_support(job, id, stages, piece.part(0.6, 1.0)))
    job = take(propose_places(job, stages))
    seen = predict(job, stages)
    for round_number in range(TUNING_ROUNDS):
        progress.at(0.9 + 0.05 * round_number, "sizing tips for shells and holes")
        grown = _thicker(seen, stages)
        if not grown.needed:
            break
        job = take(grown)
        seen = predict(job, stages)
    unsolved = _unsolved(seen)
    return job, taken if unsolved is None else [unsolved, *taken]


def _unsolved(prediction: Prediction) -> Proposal | None:
    """What a proposed job is still lost by; None when it is not."""
    lost = [f for f in prediction.verdict.findings if f.severity == LOST]
    if not lost:
        return None
    why = "Not solved, it would be lost as it is: " + " ".join(f"{f.message} {f.remedy}" for f in lost[:NAMED])
    why += f" And {counted(len(lost) - NAMED, 'more finding')}." if len(lost) > NAMED else ""
    return only("predict", "not solved", why, prediction.job, needed=False, state=State.REFUSED)
