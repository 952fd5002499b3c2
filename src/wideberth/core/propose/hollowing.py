"""Solid, shell, or shell with a lattice, side by side: whether it pays, in numbers."""

from __future__ import annotations

from dataclasses import replace

from wideberth.core.errors import BadModel
from wideberth.core.hollow import Lattice, Shell, usual_shell, wall_gives_mm
from wideberth.core.job import Job, Part, job_of
from wideberth.core.predict import Stages, drainage, predict, preview
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.drilling import propose_drain
from wideberth.core.propose.proposal import Candidate, Measure, Proposal, State, of_part
from wideberth.core.units import MM3_PER_ML

STEP = "hollow"
SOLID, SHELL, LATTICE = "solid", "shell", "shell with lattice"
RESIN, PRICE = "resin", "price"


@of_part
def propose_shell(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> Proposal:
    """The ways to print a part, with the wall and lattice that it has or the house's, and the holes that each would get.

    Measures, each of the part alone on the plate and predicted coarsely: resin with supports and what clings [mL], its price
    where it is known, weight of the part, cured [g], peaks of pull and of suction [N], what is shut in or stays in its best pose
    [mL], time [s], and how far the seal's pressure would bend the widest stretch of wall [µm]. What cannot be made is refused
    and has none.

    Raises
    ------
    BadJob : when there is no such part. BadModel : when it cannot be printed solid. Cancelled : when the progress is.
    """
    progress = progress or quiet()
    part = job.part(id)
    ways = _ways(part, part.shell or usual_shell(job.bench))
    candidates = []
    for (name, recipe), share in zip(ways, progress.evenly(len(ways)), strict=True):
        label = f"print {part.name} {name}"
        try:
            made, why, measures = _weighed(job_of(job.title, job.bench, (recipe,)), stages, share)
            candidates.append(Candidate(label, why, job.with_part(_as_made(part, made)), measures, name=name))
        except BadModel as error:
            if recipe.shell is None:
                raise
            candidates.append(Candidate(label, error.what, job, state=State.REFUSED, name=name))
    return _ranked(candidates, part, job)


def _ways(part: Part, shell: Shell) -> tuple[tuple[str, Part], ...]:
    lattice = shell.lattice or Lattice()
    return (
        (SOLID, replace(part, shell=None, holes=())),
        (SHELL, replace(part, shell=replace(shell, lattice=None))),
        (LATTICE, replace(part, shell=replace(shell, lattice=lattice))),
    )


def _as_made(part: Part, made: Part) -> Part:
    """The part with the shell of a candidate and its holes; a solid one keeps those that it has."""
    if made.shell is None:
        return replace(part, shell=None)
    return replace(part, shell=made.shell, holes=made.holes, last=made.last)


def _weighed(job: Job, stages: Stages, progress: Progress) -> tuple[Part, str, tuple[Measure, ...]]:
    """A part with the holes it would get, a word on it, and its measures."""
    part, bench = job.parts[0], job.bench
    if part.shell is not None and not part.holes:
        job = propose_drain(job, part.id, stages, progress.part(0, 0.5)).job
        part = job.parts[0]
    verdict = predict(job, stages, preview(bench), progress.part(0.5, 0.8)).verdict
    drained = drainage(job, part.id, stages, progress.part(0.8, 1.0))
    stays = max(drained.best.stays_ml if drained is not None else 0.0, verdict.trapped_ml)
    totals = verdict.totals
    grams = totals.part_ml * MM3_PER_ML * bench.resin.solid_density_kg_per_m3 * 1e-6
    kpa = bench.laws.seal_kpa if verdict.suction_n > bench.house.suction_limit_n else 1.0
    gives, why = _wall(part, job, stages, kpa)
    priced = (Measure(PRICE, totals.price, bench.resin.currency),) if totals.price is not None else ()
    return (
        part,
        why,
        (
            Measure(RESIN, totals.resin_ml, "mL"),
            Measure("weight", grams, "g"),
            *priced,
            Measure("peak pull", verdict.pull_n, "N"),
            Measure("suction", verdict.suction_n, "N"),
            Measure("trapped", stays, "mL"),
            Measure("time", totals.seconds, "s"),
            Measure("wall gives", gives, "µm"),
        ),
    )


def _wall(part: Part, job: Job, stages: Stages, kpa: float) -> tuple[float, str]:
    """How far a pressure bends the widest stretch of wall [µm], 0 when solid; and a word on what stands inside."""
    if part.shell is None:
        return 0.0, ""
    chambers, bars = stages.chambers(part), stages.bars(part)
    if not chambers:
        return 0.0, "the wall leaves no chamber"
    span = min(float(chambers[0].extents_mm.min()), bars.cell_mm if bars is not None else float("inf"))
    gives = 1000 * wall_gives_mm(kpa, span, part.shell.wall_mm, job.bench.resin.green_modulus_mpa)
    if bars is None:
        return gives, ""
    return gives, f"bars of {bars.bar_mm:.1f} mm, {bars.share:.1%} of the chambers, {bars.cell_mm:.0f} mm apart"


def _ranked(candidates: list[Candidate], part: Part, job: Job) -> Proposal:
    """The shell first where it pays, else the solid; the advice is the best one's reason."""
    solid, shell, _ = candidates
    pays, advice = _advice(solid, shell, job.bench.house.hollow_pays_ml)
    best = shell if pays else solid
    ranked = [replace(best, why=advice), *(c for c in candidates if c is not best)]
    present = SOLID if part.shell is None else SHELL if part.shell.lattice is None else LATTICE
    now = next(c.measures for c in candidates if c.name == present)
    return Proposal(STEP, tuple(ranked), needed=best.name != present, now=now)


def _advice(solid: Candidate, shell: Candidate, least_ml: float) -> tuple[bool, str]:
    """Whether hollowing pays, and that in a sentence."""
    if shell.state is State.REFUSED:
        return False, f"Solid: {shell.why}"
    gained = {d.name: d for d in solid.differences(shell.measures)}
    saved = gained[RESIN].by if RESIN in gained else 0.0
    whole = next(m.value for m in solid.measures if m.name == RESIN)
    share = saved / whole if whole > 0 else 0.0
    money = f", {gained[PRICE].by:.2f} {gained[PRICE].unit}" if PRICE in gained else ""
    if saved < least_ml:
        return (
            False,
            f"Not worth it: a shell saves {saved:.1f} mL ({share:.0%}){money}, for the holes, the washing and the plugs.",
        )
    return True, f"It pays: a shell saves {saved:.1f} mL ({share:.0%}){money}."
