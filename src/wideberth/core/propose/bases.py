"""Bases side by side: what each kind costs in resin, grips with, and takes to come off."""

from __future__ import annotations

from dataclasses import replace

from wideberth.core.job import Job, job_of
from wideberth.core.loads import DAMAGE
from wideberth.core.predict import Prediction, Stages, predict
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.proposal import Better, Candidate, Measure, Proposal, of_part
from wideberth.core.support import BaseKind

BASE_NAMES = {
    BaseKind.PADS: "pads, tied by ribs",
    BaseKind.ALONE: "pads alone",
    BaseKind.SLAB: "one slab",
    BaseKind.FRAME: "a frame",
}


def with_base(job: Job, id: str, kind: BaseKind) -> Job:
    """The job with another kind of base under a part; proposals take it from now on."""
    part = job.part(id)
    bench = job.bench.with_value("supports.base", str(kind), "set by hand")
    return replace(job, bench=bench).with_part(replace(part, supports=replace(part.supports, base=kind)))


@of_part
def propose_base(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> Proposal:
    """All kinds of base under a part that stands alone on its plate: the one that grips, comes off unharmed and takes least resin
    first."""
    progress, part = progress or quiet(), job.part(id)
    known: dict[BaseKind, tuple[Measure, ...]] = {}
    ranked: list[tuple[tuple[object, ...], Candidate]] = []
    for number, (kind, share) in enumerate(zip(BaseKind, progress.evenly(len(BaseKind)), strict=True)):
        share.at(0.0, f"weighing {BASE_NAMES[kind]}")
        alone = replace(part, holes=(), supports=replace(part.supports, base=kind))
        seen = predict(job_of(job.title, job.bench, (alone,)), stages, None, share)
        known[kind] = _measures(seen)
        margin = seen.verdict.plate_margin or 0.0
        harmed = any(r.effort == DAMAGE for r in seen.verdict.removals)
        grips = margin >= job.bench.house.margin_note
        order = (not (grips and not harmed), 0.0 if grips else -margin, round(seen.verdict.totals.support_ml, 4), number)
        why = f"plate ×{margin:.1f}, {seen.verdict.totals.support_ml:.2f} mL in all, {_effort(seen)}"
        made = with_base(job, id, kind)
        ranked.append((order, Candidate(f"base: {BASE_NAMES[kind]}", why, made, known[kind], name=BASE_NAMES[kind])))
    ranked.sort(key=lambda pair: pair[0])
    candidates = tuple(candidate for _, candidate in ranked)
    changes = candidates[0].job.part(id).supports.base is not part.supports.base
    return Proposal("base", candidates, changes, known[part.supports.base])


def _measures(seen: Prediction) -> tuple[Measure, ...]:
    v = seen.verdict
    return (
        Measure("supports", v.totals.support_ml, "mL"),
        Measure("plate", v.plate_margin or 0.0, "×", Better.MORE),
        Measure("coming off", max((r.effort_n for r in v.removals), default=0.0), "N"),
    )


def _effort(seen: Prediction) -> str:
    if not seen.verdict.removals:
        return "nothing to come off"
    hardest = seen.verdict.removals[0]
    return f"off {hardest.effort} with {hardest.effort_n:.0f} N"
