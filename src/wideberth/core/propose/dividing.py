"""A full plate or several: what each way to divide the prints comes to, in hours, pull, and what is at stake in one run."""

from __future__ import annotations

import math
from dataclasses import replace

from wideberth.core.job import Job, on_other_plate
from wideberth.core.plate import Goal
from wideberth.core.predict import Prediction, Stages, predict, preview
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.places import propose_places
from wideberth.core.propose.proposal import Better, Candidate, Measure, Proposal
from wideberth.core.verdict import counted

MOST_ALONE = 8
"""More prints than this are not put each on a plate of its own."""


def propose_division(job: Job, stages: Stages, plate: str = "", progress: Progress | None = None) -> Proposal:
    """The prints of a plate, "" for the first one, together, in two runs by their heights, and each alone: predicted coarsely,
    the present way first.

    Raises
    ------
    BadJob, BadModel, Cancelled : as `predict`.
    """
    progress = progress or quiet()
    stands = job.plate(plate)
    prints = stages.whole_solids_on(job, stands.id)
    by_height = [s.placed.placement.id for s in sorted(prints, key=lambda s: (-float(s.high[2]), s.placed.placement.id))]
    ways = {"all in one run": [by_height]}
    if len(prints) > 1:
        half = math.ceil(len(by_height) / 2)
        ways["two runs, tall and low"] = [by_height[:half], by_height[half:]]
    if 2 < len(prints) <= MOST_ALONE:
        ways["each in a run of its own"] = [[id] for id in by_height]
    candidates = []
    for (name, groups), share in zip(ways.items(), progress.evenly(len(ways)), strict=True):
        share.at(0.0, f"weighing: {name}")
        made = job if len(groups) == 1 else _divided(job, stands.id, groups, stages)
        plates = [stands.id] if len(groups) == 1 else [stands.id, *(p.id for p in made.plates[-(len(groups) - 1) :])]
        seen = [
            predict(made, stages, preview(made.bench), run, id) for id, run in zip(plates, share.evenly(len(plates)), strict=True)
        ]
        measures = _measures(seen)
        why = f"{counted(len(groups), 'run')}: " + ", ".join(f"{m.name} {m.value:.1f} {m.unit}".strip() for m in measures[1:])
        candidates.append(Candidate(f"divide the plate: {name}", why, made, measures, name=name))
    return Proposal("divide", tuple(candidates), needed=False, now=candidates[0].measures)


def _divided(job: Job, plate: str, groups: list[list[str]], stages: Stages) -> Job:
    """The job with all groups but the first moved to plates of their own, each plate packed anew."""
    ids = [plate]
    for group in groups[1:]:
        job = job.with_plate(f"Plate {len(job.plates) + 1}")
        ids.append(job.plates[-1].id)
        job = on_other_plate(job, group, ids[-1])
    for id in ids:
        free = replace(job.plate(id), placements=tuple(replace(p, pinned=False) for p in job.plate(id).placements))
        job = propose_places(job.replated(free), stages, id, Goal.FEWEST).job
    return job


def _measures(seen: list[Prediction]) -> tuple[Measure, ...]:
    """Of all runs together; margins of the weakest, pull and stake of the greatest."""
    holds = [p.verdict.hold_margin for p in seen if p.verdict.hold_margin is not None]
    grips = [p.verdict.plate_margin for p in seen if p.verdict.plate_margin is not None]
    told = [
        Measure("runs", float(len(seen)), ""),
        Measure("time", sum(p.verdict.totals.seconds for p in seen) / 3600, "h"),
        Measure("resin", sum(p.verdict.totals.resin_ml for p in seen), "mL"),
        Measure("pull", max(float(p.loads.pull_n.max(initial=0.0)) for p in seen), "N"),
        Measure("at stake in a run", max(p.verdict.totals.part_ml + p.verdict.totals.support_ml for p in seen), "mL"),
    ]
    told += [Measure("hold", min(holds), "×", Better.MORE)] if holds else []
    told += [Measure("plate", min(grips), "×", Better.MORE)] if grips else []
    prices = [p.verdict.totals.price for p in seen]
    if all(price is not None for price in prices):
        told.append(Measure("price", sum(price for price in prices if price is not None), seen[0].verdict.totals.currency))
    return tuple(told)
