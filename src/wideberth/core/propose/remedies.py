"""What a finding's button does: the remedy as a proposal, where one is known."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import facts_of
from wideberth.core.hollow import Lattice
from wideberth.core.job import Job, posed
from wideberth.core.predict import Prediction, Stages
from wideberth.core.progress import Progress
from wideberth.core.propose.drilling import propose_drain
from wideberth.core.propose.everything import (
    propose_orient,
    propose_places,
    propose_support,
    propose_thicker,
)
from wideberth.core.propose.proposal import Proposal
from wideberth.core.support import Tip, tip_at
from wideberth.core.verdict import Finding, counted

TIP_CODES = ("island", "sags", "curls")
ALL_TIPS_CODES = ("tip_misses", "nothing_holds", "unsteady")
TILT_CODES = ("area_jump",)
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
        return Remedy(label, lambda p: _add_tips(prediction, finding, p))
    if code in ("tip_margin", "post_buckles"):
        return Remedy("Make it stouter", lambda _: propose_thicker(job, stages))
    if code == "off_plate":
        return Remedy("Arrange anew", lambda _: propose_places(job, stages))
    index = _part_of(prediction, finding)
    if index is None:
        return None
    if code in ALL_TIPS_CODES:
        return Remedy("Propose tips", lambda p: propose_support(job, index, stages, p))
    if code in ("cup_sealed", "trap", "drains_badly", "air_locked"):
        return Remedy("Drill it", lambda p: propose_drain(job, index, stages, p))
    if code == "ceiling_sags" and _may_have_lattice(job, index):
        return Remedy("Add a lattice", lambda _: _with_lattice(job, index, stages))
    if code in TILT_CODES:
        return Remedy("Turn it", lambda p: propose_orient(job, index, stages, p))
    if code == "face_on_plate":
        return Remedy("Raise it", lambda _: _raise(job, index))
    return None


def _add_tips(prediction: Prediction, finding: Finding, progress: Progress) -> Proposal:
    """One more support at each of a finding's spots, led to the plate or to a footing on the part, clear of the part.

    A spot that a tip of this proposal already stands at gets no second one.
    """
    job, barred = prediction.job, 0
    added: list[Tip] = []
    for number, (x, y, z) in enumerate(finding.places):
        progress.at(number / finding.count, "leading posts to the plate")
        if x is None or y is None:
            continue
        at_print = np.array([x, y, z])
        which = _print_at(prediction, at_print)
        index = job.placed[which].part
        part, own = job.part(index), prediction.solids_of(index)
        # a copy's spot, as it lies on the part it follows
        back = own.matrix @ np.linalg.inv(prediction.solids[which].matrix)
        shift = np.array([part.pose.x_mm, part.pose.y_mm, 0.0])
        spot = back[:3, :3] @ at_print + back[:3, 3] - shift
        if any(np.linalg.norm(tip.spot_mm - spot) < 0.5 * tip.diameter_mm + SAME_SPOT_MM for tip in added):
            continue
        tip = tip_at(own.outer.moved(-shift), spot, part.tips, job.bench, f"asked for by: {finding.code}")
        if tip is None:
            barred += 1
            continue
        added.append(tip)
        job = job.with_part(index, replace(part, tips=(*part.tips, tip)))
    label = "add a tip" if finding.count == 1 else "add tips"
    if not added:
        return Proposal("support", label, "no post finds a clear way to that spot", prediction.job, needed=False)
    first = added[0]
    why = f"a {first.diameter_mm:g} mm tip at {first.z_mm:.1f} mm, on a post of {first.length_mm:.0f} mm"
    if len(added) > 1:
        why = f"{len(added)} tips of {first.diameter_mm:g} mm"
    why += f"; {counted(barred, 'spot')} cannot be reached" if barred else ""
    return Proposal("support", label, why, job)


def _part_of(prediction: Prediction, finding: Finding) -> int | None:
    """Index of the part in the recipe that a finding means; None when it is at no spot and there are several."""
    if finding.x_mm is not None and finding.y_mm is not None:
        return prediction.job.placed[_print_of(prediction, finding)].part
    return 0 if len(prediction.job.parts) == 1 else None


def _print_of(prediction: Prediction, finding: Finding) -> int:
    """Number of the print on the plate, copies counted, whose box is nearest to a finding's spot."""
    return _print_at(prediction, np.array([finding.x_mm, finding.y_mm, finding.z_mm], float))


def _print_at(prediction: Prediction, at_mm: NDArray[np.float64]) -> int:
    away = [
        np.linalg.norm(np.maximum(np.maximum(s.box_mm[0] - at_mm, at_mm - s.box_mm[1]), 0)) for s in prediction.solids
    ]
    return int(np.argmin(away))


def _set(job: Job, key: str, value: float) -> Proposal:
    """A bench value as the finding asks for."""
    section, _, name = key.partition(".")
    facts = next(f for f in facts_of(section) if f.key == name)
    label = f"set {facts.words} to {value:g} {facts.unit}".rstrip()
    return Proposal(
        "bench", label, label, replace(job, bench=job.bench.with_value(key, value, "asked for by a finding"))
    )


def _may_have_lattice(job: Job, index: int) -> bool:
    shell = job.part(index).shell
    return shell is not None and shell.lattice is None


def _with_lattice(job: Job, index: int, stages: Stages) -> Proposal:
    """Bars in the chambers, whose ceilings then reach no farther than from bar to bar."""
    part, lattice = job.part(index), Lattice()
    assert part.shell is not None
    made = replace(part, shell=replace(part.shell, lattice=lattice))
    bars = stages.bars(made)
    why = f"{lattice.kind} of {lattice.share:.0%}"
    if bars is not None:
        why = f"bars of {bars.bar_mm:.1f} mm, {bars.cell_mm:.0f} mm apart, {bars.share:.1%} of the chambers"
    return Proposal("hollow", f"{lattice.kind} in {part.name}", why, job.with_part(index, made))


def _raise(job: Job, index: int) -> Proposal:
    """The part lifted off the plate by the usual gap; its tips are for proposing anew."""
    part, gap = job.part(index), job.bench.supports.gap_mm
    raised = posed(part, replace(part.pose, gap_mm=gap))
    return Proposal("orient", f"raise {part.name} by {gap:g} mm", f"{gap:g} mm above the plate; it wants tips now",
                    job.with_part(index, raised))  # fmt: skip
