"""What a finding's button does: the remedy as a proposal, where one is known."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import facts_of
from wideberth.core.hollow import Lattice
from wideberth.core.job import Job
from wideberth.core.predict import Prediction, Stages
from wideberth.core.progress import Progress
from wideberth.core.propose.drilling import propose_drain
from wideberth.core.propose.everything import propose_support, propose_thicker
from wideberth.core.propose.orienting import propose_orient
from wideberth.core.propose.places import propose_places
from wideberth.core.propose.proposal import Proposal, only
from wideberth.core.propose.rooming import room_around
from wideberth.core.propose.turning import raised, stands_low
from wideberth.core.support import Need, NeedKind, Route, Supports, led_anew, started, through_part
from wideberth.core.verdict import Code, Finding, counted

TIP_CODES = (Code.ISLAND, Code.SAGS, Code.CURLS)
ALL_TIPS_CODES = (Code.TIP_MISSES, Code.NOTHING_HOLDS, Code.UNSTEADY, Code.NECK)
TILT_CODES = (Code.AREA_JUMP, Code.FACE_RAISED)
SAME_SPOT_MM = 0.2


@dataclass(frozen=True)
class Remedy:
    """What a button says, and the proposal that it makes."""

    label: str
    make: Callable[[Progress], Proposal]


def remedy_for(finding: Finding, prediction: Prediction, stages: Stages) -> Remedy | None:
    """The remedy of a finding of a prediction's job; None where only a person can tell what is meant."""
    job, code = prediction.job, finding.code
    if finding.change is not None:
        key, value = finding.change
        return Remedy("Set it so", lambda _: _set(job, key, value))
    if code in TIP_CODES and finding.x_mm is not None:
        label = "Add a tip" if finding.count == 1 else "Add tips"
        return Remedy(label, lambda p: _add_tips(prediction, finding, stages, p))
    if code in (Code.TIP_MARGIN, Code.POST_BUCKLES):
        label = "Make it stouter" if code == Code.TIP_MARGIN else "Stouter, or braced"
        return Remedy(label, lambda _: propose_thicker(job, stages))
    if code in (Code.OFF_PLATE, Code.IN_KEPT_FREE):
        return Remedy("Arrange anew", lambda _: propose_places(job, stages))
    part = _part_of(prediction, finding)
    if part is None:
        return None
    if code in ALL_TIPS_CODES or (code == Code.PLATE_MARGIN and stands_low(job.part(part), job.bench)):
        return Remedy("Propose tips", lambda p: propose_support(job, part, stages, p))
    if code in (Code.CUP_SEALED, Code.TRAP, Code.DRAINS_BADLY, Code.AIR_LOCKED):
        return Remedy("Drill it", lambda p: propose_drain(job, part, stages, p))
    if code == Code.CEILING_SAGS and _may_have_lattice(job, part):
        return Remedy("Add a lattice", lambda _: _with_lattice(job, part, stages))
    if code == Code.LIMB_IN_PART:
        return Remedy("Lead them clear", lambda _: _lead_clear(job, part, stages))
    if code in TILT_CODES:
        return Remedy("Turn it", lambda p: propose_orient(job, part, stages, p))
    if code == Code.FACE_ON_PLATE:
        return Remedy("Raise it", lambda _: _raise(job, part, stages))
    return None


def _add_tips(prediction: Prediction, finding: Finding, stages: Stages, progress: Progress) -> Proposal:
    """One more support at each of a finding's spots, led to the plate or to a footing on the part, clear of the part.

    A spot that a tip of this proposal already stands at gets no second one.
    """
    job, settings, barred, low = prediction.job, prediction.job.bench.supports, 0, False
    added: list[Route] = []
    need = Need(NeedKind.FINDING, finding=finding.code)
    for number, (x, y, z) in enumerate(finding.places):
        progress.at(number / finding.count, "leading posts to the plate")
        if x is None or y is None:
            continue
        at_print = np.array([x, y, z])
        solids = prediction.solids[_print_at(prediction, at_print)]
        part = job.part(solids.placed.part.id)
        home = stages.solids(part.unsupported(), job.bench.supports)
        # a further print's spot, as it lies on the part that it follows
        back = home.matrix @ np.linalg.inv(solids.matrix)
        spot = back[:3, :3] @ at_print + back[:3, 3]
        if any(np.linalg.norm(np.subtract(r.spot_mm, spot)) < 0.5 * settings.tip_mm + SAME_SPOT_MM for r in added):
            continue
        supports = started(part.supports, settings)
        room = room_around(part, stages, job.bench)
        if finding.code == Code.ISLAND:
            route, reaching = room.way_under(spot, supports) or (None, 0.0)
        else:
            route, reaching = room.way_to(spot, supports), 0.0
        if route is None:
            barred += 1
            low |= stands_low(part, job.bench)
            continue
        added.append(route)
        job = job.with_part(replace(part, supports=supports.with_route(route, max(settings.tip_mm, reaching), need)))
    label = "add a tip" if finding.count == 1 else "add tips"
    if not added:
        why = "no post finds a clear way to that spot" + ("; raise the part, there is little room under it" if low else "")
        return only("support", label, why, prediction.job, needed=False)
    first_way = added[0]
    why = f"a {settings.tip_mm:g} mm tip at {first_way.spot_mm[2]:.1f} mm, on a post of {first_way.length_mm:.0f} mm"
    if len(added) > 1:
        why = f"{len(added)} tips of {settings.tip_mm:g} mm"
    why += f"; {counted(barred, 'spot')} cannot be reached" if barred else ""
    return only("support", label, why, job)


def _lead_clear(job: Job, id: str, stages: Stages) -> Proposal:
    """Tips whose supports run through the part, led to the plate anew from where they touch it; braces that do go."""
    part, settings = job.part(id), job.bench.supports
    matrix, surface = stages.solids(part.unsupported(), settings).matrix, stages.closest(stages.cut(part))
    supports = part.supports

    def crossings(of: Supports) -> int:
        return len(through_part(of, surface, matrix, settings))

    ids = {c.id for c in supports.contacts}
    guilty = {own for own in ids if crossings(supports.without(ids - {own}))}
    anew = led_anew(supports, guilty, room_around(part, stages, job.bench).way_to)
    posts = replace(anew, braces=())
    clear = tuple(b for b in anew.braces if crossings(replace(anew, braces=(b,))) == crossings(posts))
    anew = replace(anew, braces=clear)
    left, aside, braces = crossings(anew), len(anew.idle) - len(supports.idle), len(supports.braces) - len(clear)
    label, told = "lead supports clear", []
    if len(guilty) > aside:
        told.append(f"{counted(len(guilty) - aside, 'tip')} led anew, each where it touches the part now")
    if braces:
        told.append(f"{counted(braces, 'brace')} taken away")
    if aside:
        told.append(f"{counted(aside, 'tip')} kept aside, since no clear way leads there")
    if left:
        told.append(f"{counted(left, 'piece')} still {'runs' if left == 1 else 'run'} through the part")
    if left >= crossings(supports):
        return only("support", label, "no clear way leads to the plate from where those tips are", job, needed=False)
    return only("support", label, "; ".join(told), job.with_part(replace(part, supports=anew)))


def _part_of(prediction: Prediction, finding: Finding) -> str | None:
    """Id of the part that a finding means; None when it is at no spot and there are several."""
    if finding.x_mm is not None and finding.y_mm is not None:
        return prediction.placed[_print_of(prediction, finding)].part.id
    parts = {p.part.id for p in prediction.placed}
    return parts.pop() if len(parts) == 1 else None


def _print_of(prediction: Prediction, finding: Finding) -> int:
    """Number of the print on the plate, copies counted, whose box is nearest to a finding's spot."""
    return _print_at(prediction, np.array([finding.x_mm, finding.y_mm, finding.z_mm], float))


def _print_at(prediction: Prediction, at_mm: NDArray[np.float64]) -> int:
    away = [np.linalg.norm(np.maximum(np.maximum(s.box_mm[0] - at_mm, at_mm - s.box_mm[1]), 0)) for s in prediction.solids]
    return int(np.argmin(away))


def _set(job: Job, key: str, value: float) -> Proposal:
    """A bench value as the finding asks for."""
    section, _, name = key.partition(".")
    facts = next(f for f in facts_of(section) if f.key == name)
    label = f"set {facts.words} to {value:g} {facts.unit}".rstrip()
    return only("bench", label, label, replace(job, bench=job.bench.with_value(key, value, "asked for by a finding")))


def _may_have_lattice(job: Job, id: str) -> bool:
    shell = job.part(id).shell
    return shell is not None and shell.lattice is None


def _with_lattice(job: Job, id: str, stages: Stages) -> Proposal:
    """Bars in the chambers, whose ceilings then reach no farther than from bar to bar."""
    part, lattice = job.part(id), Lattice()
    assert part.shell is not None
    made = replace(part, shell=replace(part.shell, lattice=lattice))
    bars = stages.bars(made)
    why = f"{lattice.kind} of {lattice.share:.0%}"
    if bars is not None:
        why = f"bars of {bars.bar_mm:.1f} mm, {bars.cell_mm:.0f} mm apart, {bars.share:.1%} of the chambers"
    return only("hollow", f"{lattice.kind} in {part.name}", why, job.with_part(made))


def _raise(job: Job, id: str, stages: Stages) -> Proposal:
    """The part lifted off the plate by the usual gap; the tips that it has come along."""
    label, gap = f"raise {job.part(id).name} by {job.bench.supports.gap_mm:.3g} mm", f"{job.bench.supports.gap_mm:.3g} mm"
    return only("orient", label, f"{gap} above the plate; it wants tips now", raised(job, id, stages))
