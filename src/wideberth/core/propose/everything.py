"""Proposals: what each step would do, why, and the job if it is accepted. And the whole chain in one go."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from wideberth.core.errors import BadJob, BadModel
from wideberth.core.hollow import can_be_open, usual_shell, weigh_hollow
from wideberth.core.job import Job, cut_in_two, posed
from wideberth.core.orient import propose_pose
from wideberth.core.plate import arrange
from wideberth.core.predict import Prediction, Stages, predict
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.drilling import propose_drain, with_tips_beside
from wideberth.core.propose.proposal import ACCEPTED, REFUSED, Proposal
from wideberth.core.split import Cut, propose_cut
from wideberth.core.support import Tip, fitting_mm, propose_tips, stouter_posts
from wideberth.core.verdict import LOST, counted

PLACE_STEP_MM = 0.1
"""Parts are placed on whole rows, so that what was seen of a part by itself holds on the plate too."""
TUNING_ROUNDS = 2
NAMED = 5
"""So many of what a proposal could not solve are told; all stand among the findings."""


def propose_split(job: Job, index: int, stages: Stages) -> Proposal:
    """Cut a part in two when it fits the printer in no pose along the axes."""
    part = job.part(index)
    mesh = stages.cut(part)
    found = propose_cut(mesh, job.bench.printer)
    if found is None:
        return Proposal("split", "split", "fits the printer", job, needed=False)
    cut, why = found
    return Proposal("split", f"cut {part.name} in two", why, with_pieces(job, index, cut, stages))


def with_pieces(job: Job, index: int, cut: Cut, stages: Stages) -> Job:
    """The job with a part cut in two. A floor that was left open stays so with the piece that has it; the other keeps its walls.

    Raises
    ------
    BadModel : when the cut leaves nothing on a side.
    """
    pieces = []
    for piece in cut_in_two(job.part(index), cut):
        mesh = stages.cut(piece)
        if piece.shell is not None and not can_be_open(mesh, piece.shell):
            piece = replace(piece, shell=replace(piece.shell, open_below=None))
        pieces.append(piece)
    return replace(job, parts=(*job.parts[:index], *pieces, *job.parts[index + 1 :]))


def propose_hollow(job: Job, index: int, stages: Stages, progress: Progress | None = None) -> Proposal:
    """Hollow a part when that saves enough."""
    part = job.part(index)
    shell = part.shell or usual_shell(job.bench)
    chambers = stages.chambers(replace(part, shell=shell), progress)
    advice = weigh_hollow(stages.cut(part), chambers, shell, job.bench)
    if not advice.pays:
        return Proposal("hollow", "hollow", advice.why, job, needed=False)
    made = replace(part, shell=shell)
    gussets = stages.gussets(made, progress)
    if gussets is not None and len(gussets.uncarried_mm):
        why = f"{advice.why}, but in this pose its ceilings begin in mid-liquid where nothing can carry them: it stays solid"
        return Proposal("hollow", "hollow", why, job, needed=False)
    why = advice.why
    if gussets is not None:
        why += f"; gussets of {gussets.volume_ml:.2f} mL carry what would begin in mid-liquid under its ceilings"
    return Proposal("hollow", f"hollow {part.name}", why, job.with_part(index, made))


def propose_orient(job: Job, index: int, stages: Stages, progress: Progress | None = None) -> Proposal:
    """Turn a part the way that pulls least on young layers."""
    part = job.part(index)
    best, now = propose_pose(stages.cut(part), job.bench, progress)
    pose = replace(best.pose, x_mm=part.pose.x_mm, y_mm=part.pose.y_mm)
    why = f"{best.why}; as it came: {now.young_n:.1f} N, peak {now.peak_n:.1f} N"
    return Proposal("orient", f"turn {part.name}", why, job.with_part(index, posed(part, pose)))


def propose_support(job: Job, index: int, stages: Stages, progress: Progress | None = None) -> Proposal:
    """Tips, posts and base for a part in its pose; shell and holes make no difference to them."""
    part = job.part(index)
    plain = replace(part, shell=None, holes=(), tips=(), pose=replace(part.pose, x_mm=0.0, y_mm=0.0))
    outer = stages.solids(plain, job.bench.supports).outer
    found = stages.recall(
        "propose tips", (replace(plain, name=""), job.bench), lambda: propose_tips(outer, job.bench, progress)
    )
    why = found.why
    if found.unreached:
        why += f"; {len(found.unreached)} spots cannot be reached"
    made, moved = with_tips_beside(replace(part, tips=found.tips), part.holes, stages, job.bench)
    why += f"; {moved} beside drain holes" if moved else ""
    return Proposal("support", f"support {part.name}", why, job.with_part(index, made), needed=bool(found.tips))


def propose_thicker(job: Job, stages: Stages) -> Proposal:
    """Thicker tips where the whole job's own prediction, cups and holes included, asks for them; none gets thinner."""
    return _thicker(predict(job, stages))


def _thicker(found: Prediction) -> Proposal:
    """Thicker tips where a prediction asks for them."""
    job = found.job
    worst = found.loads.tip_load_n.max(axis=0) if found.printed.touches else np.empty(0)
    size = fitting_mm(worst, job.bench)
    parts = [list(part.tips) for part in job.parts]
    count = 0
    for touch, wanted in zip(found.printed.touches, size, strict=True):
        tips = parts[job.placed[touch.part].part]  # a copy's tip is the part's own
        tip = tips[touch.number]
        if wanted > tip.diameter_mm + 1e-6:
            tips[touch.number] = replace(tip, diameter_mm=round(float(wanted), 3))
            count += 1
    stouter = _stouter(job, found, parts)
    together = tuple(replace(part, tips=tuple(tips)) for part, tips in zip(job.parts, parts, strict=True))
    grown = [f"{count} tips grow to carry suction and the shell's own pull"] if count else []
    grown += [f"{stouter} posts grow stouter against the push of the return"] if stouter else []
    why = "; ".join(grown) or "every tip and post is thick enough"
    return Proposal(
        "support", "thicker tips and posts", why, replace(job, parts=together) if grown else job, needed=bool(grown)
    )


def _stouter(job: Job, found: Prediction, parts: list[list[Tip]]) -> int:
    """Make the posts stouter that are pressed hard, in the tips of each part; how many grew."""
    touches = found.printed.touches
    owners = [(job.placed[t.part].part, t.number) for t in touches]
    grown = stouter_posts([parts[p][n] for p, n in owners], found.loads.posts, job.bench)
    for i, size in grown.items():
        part, number = owners[i]
        before = parts[part][number].post_mm or 0.0
        parts[part][number] = replace(parts[part][number], post_mm=max(size, before))
    return len(grown)


def propose_places(job: Job, stages: Stages) -> Proposal:
    """Places for all parts, supports and bases included, apart from each other.

    Raises
    ------
    BadJob : when they do not fit side by side.
    """
    solids = stages.all_solids(job)
    sizes = [(float(s.high[0] - s.low[0]), float(s.high[1] - s.low[1])) for s in solids]
    centres = arrange(sizes, job.bench.printer, job.bench.house.apart_mm)
    if centres is None:
        raise BadJob(
            "the parts do not fit on one plate side by side.", where=job.title, kept="Nothing was moved.",
            remedy="Take one off, or turn them upright.",
        )  # fmt: skip
    parts = list(job.parts)
    for placed, solid, centre in zip(job.placed, solids, centres, strict=True):
        part = parts[placed.part]
        shift = np.array(centre) - 0.5 * (solid.low + solid.high)[:2]
        if placed.copy == 0:
            x, y = _on_rows(part.pose.x_mm + shift[0]), _on_rows(part.pose.y_mm + shift[1])
            parts[placed.part] = replace(part, pose=replace(part.pose, x_mm=x, y_mm=y))
        else:
            copies = list(part.copies)
            copy = copies[placed.copy - 1]
            copies[placed.copy - 1] = replace(
                copy, x_mm=_on_rows(copy.x_mm + shift[0]), y_mm=_on_rows(copy.y_mm + shift[1])
            )
            parts[placed.part] = replace(part, copies=tuple(copies))
    used = sum(a * b for a, b in sizes) / (job.bench.printer.plate_x_mm * job.bench.printer.plate_y_mm)
    count = len(solids)
    why = f"{count} part{'s' if count != 1 else ''}, {used:.0%} of the plate"
    return Proposal("plate", "arrange the plate", why, replace(job, parts=tuple(parts)))


def _on_rows(mm: float) -> float:
    """A place rounded to whole rows."""
    return round(float(mm) / PLACE_STEP_MM) * PLACE_STEP_MM


def propose_all(job: Job, stages: Stages, progress: Progress | None = None) -> tuple[Job, list[Proposal]]:
    """The whole chain for every part: split if need be, orient, hollow if it pays, drain, support, place.

    Where what comes out would still be lost, the first proposal says so, refused, with what could not be solved.
    """
    progress = progress or quiet()
    taken: list[Proposal] = []

    def take(proposal: Proposal) -> Job:
        taken.append(replace(proposal, state=ACCEPTED))
        return proposal.job

    index = 0
    while index < len(job.parts):
        split = propose_split(job, index, stages)
        job = take(split)
        if not split.needed:
            index += 1
    count = len(job.parts)
    for index in range(count):
        piece = progress.part(index / count, (index + 1) / count)
        job = take(propose_orient(job, index, stages, piece.part(0, 0.25)))
        try:
            job = take(propose_hollow(job, index, stages, piece.part(0.25, 0.5)))
        except BadModel as error:
            taken.append(Proposal("hollow", "hollow", error.text, job, needed=False, state=REFUSED))
        job = take(propose_drain(job, index, stages, piece.part(0.5, 0.6)))
        job = take(propose_support(job, index, stages, piece.part(0.6, 1.0)))
    job = take(propose_places(job, stages))
    found = predict(job, stages)
    for round_number in range(TUNING_ROUNDS):
        progress.at(0.9 + 0.05 * round_number, "sizing tips for shells and holes")
        grown = _thicker(found)
        if not grown.needed:
            break
        job = take(grown)
        found = predict(job, stages)
    unsolved = _unsolved(found)
    return job, taken if unsolved is None else [unsolved, *taken]


def _unsolved(found: Prediction) -> Proposal | None:
    """What a proposed job is still lost by; None when it is not."""
    lost = [f for f in found.verdict.findings if f.severity == LOST]
    if not lost:
        return None
    why = "Not solved, it would be lost as it is: " + " ".join(f"{f.message} {f.remedy}" for f in lost[:NAMED])
    why += f" And {counted(len(lost) - NAMED, 'more finding')}." if len(lost) > NAMED else ""
    return Proposal("predict", "not solved", why, found.job, needed=False, state=REFUSED)
