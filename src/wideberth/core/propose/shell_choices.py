"""Solid, shell, or shell with a lattice, side by side: whether it pays, in numbers."""

from __future__ import annotations

from dataclasses import dataclass, replace

from wideberth.core.errors import BadModel
from wideberth.core.hollow import Lattice, usual_shell, wall_gives_mm
from wideberth.core.job import Job, Part, job_of
from wideberth.core.predict import Stages, drainage, predict, preview
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.drilling import propose_drain
from wideberth.core.units import MM3_PER_ML

SOLID, SHELL, LATTICE = "solid", "shell", "shell with lattice"


@dataclass(frozen=True)
class ShellChoice:
    """One way to print a part, alone on the plate and with the holes that it would get.

    resin_ml, price : with supports and what clings; price None where it is not known. weight_g : of the part, cured. pull_n :
    peak of peel and suction. trapped_ml : in the finished part, shut in or kept in its best pose. wall_gives_um : how far the
    seal's pressure would bend the widest stretch of wall, 0 when solid.
    """

    name: str
    part: Part
    resin_ml: float
    weight_g: float
    price: float | None
    pull_n: float
    suction_n: float
    trapped_ml: float
    seconds: float
    wall_gives_um: float
    note: str = ""


def shell_choices(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> tuple[ShellChoice, ...]:
    """The ways to print a part, with the wall and lattice that it has or the house's; coarse predictions of each.

    Raises
    ------
    Cancelled : when the progress is.
    """
    progress = progress or quiet()
    part = job.part(id)
    shell = part.shell or usual_shell(job.bench)
    plain = replace(shell, lattice=None)
    wanted = (
        (SOLID, replace(part, shell=None, holes=())),
        (SHELL, replace(part, shell=plain)),
        (LATTICE, replace(part, shell=replace(shell, lattice=shell.lattice or Lattice()))),
    )
    found = []
    for number, (name, recipe) in enumerate(wanted):
        share = progress.part(number / 3, (number + 1) / 3)
        try:
            found.append(_choice(name, job_of(job.title, job.bench, (recipe,)), stages, share))
        except BadModel as error:
            solid = found[0]
            found.append(replace(solid, name=name, part=recipe, note=error.what))
    return tuple(found)


def _choice(name: str, job: Job, stages: Stages, progress: Progress) -> ShellChoice:
    part, bench = job.parts[0], job.bench
    if part.shell is not None and not part.holes:
        job = propose_drain(job, part.id, stages, progress.part(0, 0.5)).job
        part = job.parts[0]
    seen = predict(job, stages, preview(bench), progress.part(0.5, 0.8))
    v, t = seen.verdict, seen.verdict.totals
    drained = drainage(job, part.id, stages, progress.part(0.8, 1.0))
    stays = max(drained.best.stays_ml if drained is not None else 0.0, v.trapped_ml)
    chambers = stages.chambers(part)
    gives, note = 0.0, ""
    if part.shell is not None and chambers:
        bars = stages.bars(part)
        span = min(float(chambers[0].extents_mm.min()), bars.cell_mm if bars is not None else float("inf"))
        kpa = bench.laws.seal_kpa if v.suction_n > bench.house.suction_limit_n else 1.0
        gives = 1000 * wall_gives_mm(kpa, span, part.shell.wall_mm, bench.resin.green_modulus_mpa)
        note = (
            f"bars of {bars.bar_mm:.1f} mm, {bars.share:.1%} of the chambers, {bars.cell_mm:.0f} mm apart"
            if bars
            else ""
        )
    elif part.shell is not None:
        note = "the wall leaves no chamber"
    grams = t.part_ml * MM3_PER_ML * bench.resin.solid_density_kg_per_m3 * 1e-6
    return ShellChoice(name, part, t.resin_ml, grams, t.price, v.pull_n, v.suction_n, stays, t.seconds, gives, note)


def advice(choices: tuple[ShellChoice, ...], least_ml: float) -> str:
    """Whether hollowing pays, in a sentence."""
    solid, shell = choices[0], choices[1]
    saved = solid.resin_ml - shell.resin_ml
    share = saved / solid.resin_ml if solid.resin_ml > 0 else 0.0
    money = ""
    if solid.price is not None and shell.price is not None:
        money = f", {solid.price - shell.price:.2f} in price"
    if saved < least_ml:
        return f"Not worth it: a shell saves {saved:.1f} mL ({share:.0%}){money}, for the holes, the washing and the plugs."
    return f"It pays: a shell saves {saved:.1f} mL ({share:.0%}){money}."
