"""Which way up: the search's answer as a proposal with its picks."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cache

from wideberth.core.bench import Bench, load_bench
from wideberth.core.drain import VoidCells, pools
from wideberth.core.job import Job, posed
from wideberth.core.layers import Bore
from wideberth.core.loads import Finish
from wideberth.core.model import Bored, Mesh
from wideberth.core.orient import Inside, Light, Pose, PoseCost, Poses, light_of, search_poses, weigh_pose
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.proposal import Candidate, Measure, Proposal, of_part, only
from wideberth.core.propose.turning import in_pose

SAME_LEAN = 0.9998
"""Cosine of about a degree."""
WIDEST_ROUND_MM = 25.0
"""Of bores and pegs whose print-out is weighed: what is wider is a body."""


@dataclass(frozen=True)
class _Searching:
    """A part in its own frame, on a bench. most : see `search_poses`."""

    of: _Weighing
    bench: Bench
    most: int | None


def _searched(of: _Searching, progress: Progress) -> Poses:
    part = of.of
    return search_poses(part.mesh, of.bench, progress, None, of.most, part.finish, part.inside)


def ways_up(job: Job, id: str, stages: Stages, progress: Progress | None = None, most: int | None = None) -> Poses:
    """All ways up of a part that a search weighs, with its picks; remembered as long as the part and its bench are the same.

    Raises
    ------
    BadModel : as the part's stages. Cancelled : when the progress is cancelled.
    """
    looking, weighing = (progress or quiet()).stretches(0.2, 1.0)
    of = _Searching(_weighing(job, id, stages, looking), _for_poses(job.bench), most)
    return stages.cache.run(_searched, of, weighing)


@cache
def _plain() -> Bench:
    return load_bench()


def _for_poses(bench: Bench) -> Bench:
    """A bench that is the same whatever its prices, hours and ranges are: no pose asks for these."""
    plain = _plain()
    return replace(bench, trade=plain.trade, hours=plain.hours, ranges=plain.ranges, sources=())


@dataclass(frozen=True)
class _Weighing:
    """A part in its own frame: its surface and how its faces are finished, its chambers and drain holes, bores and pegs of its
    shape, and the void in and round it, if there is any worth it."""

    mesh: Mesh
    finish: Finish
    cavity: Mesh | None
    bores: tuple[Bore, ...]
    rounds: tuple[Bored, ...]
    voids: VoidCells | None

    @property
    def inside(self) -> Inside:
        voids = self.voids
        return Inside(self.cavity, self.bores, self.rounds, None if voids is None else lambda up: pools(voids, up).stays_ml)


def _weighing(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> _Weighing:
    part = job.part(id)
    looking, hollowing = (progress or quiet()).stretches(0.3, 1.0)
    finish, cavity = stages.finish(part, job.bench.house, looking), stages.cavity(part, hollowing)
    rounds = tuple(r for r in stages.rounds(part) if r.diameter_mm <= WIDEST_ROUND_MM)
    return _Weighing(stages.cut(part), finish, cavity, stages.own_bores(part), rounds, stages.rough_voids(part))


def _made_light(of: _Weighing, _: Progress) -> Light:
    return light_of(of.mesh, of.finish, of.inside)


def cost_of(job: Job, id: str, stages: Stages, pose: Pose | None = None) -> PoseCost:
    """What a pose of a part costs, as a search weighs it: the present one, or another. The first time takes a moment longer.

    Raises
    ------
    BadModel : as the part's stages.
    """
    light = stages.cache.run(_made_light, _weighing(job, id, stages))
    return weigh_pose(light, pose or job.part(id).pose, job.bench)


@of_part
def propose_orient(job: Job, id: str, stages: Stages, progress: Progress | None = None, most: int | None = None) -> Proposal:
    """Turn a part: the best pose by the house's weights, its tips brought along, and one for each thing that may matter and for
    each school, without; none that was refused. `most` : weigh no more ways up than so many, and refine none."""
    part = job.part(id)
    if part.pose_pinned:
        return only("orient", f"turn {part.name}", f"the pose of {part.name} is pinned", job, needed=False)
    progress = progress or quiet()
    found = ways_up(job, id, stages, progress.part(0.0, 0.9), most)
    refused = [r.pose for r in part.refused if r.step == "orient" and r.pose is not None]
    wanted = [cost for cost in found.costs if not any(_leans_alike(cost.pose, pose) for pose in refused)]
    if not wanted:
        return only("orient", f"turn {part.name}", "every pose that was weighed has been refused", job, needed=False)
    names = {cost.pose: name for name, cost in reversed(found.picks.items())}
    chosen = [wanted[0], *(c for c in found.picks.values() if c in wanted and c is not wanted[0])]
    chosen = list({c.pose: c for c in chosen}.values())
    now = found.now
    best, came = in_pose(job, id, chosen[0].pose, stages, progress.part(0.9, 1.0))
    candidates = [
        Candidate(
            f"turn {part.name}",
            f"{cost.why}; as it came: {now.young_n:.1f} N, peak {now.peak_n:.1f} N"
            + (f"; {came.words}" if came is not None and number == 0 else ""),
            best if number == 0 else job.with_part(posed(part, cost.pose)),
            pose_measures(cost),
            name=names.get(cost.pose, "balanced"),
        )
        for number, cost in enumerate(chosen)
    ]
    return Proposal("orient", tuple(candidates), now=pose_measures(now))


def pose_measures(cost: PoseCost) -> tuple[Measure, ...]:
    """What a pose costs, by name."""
    return (
        Measure("peak pull", cost.peak_n, "N"),
        Measure("pull on fresh undersides", cost.young_n, "N"),
        Measure("pull on each tip", cost.tip_load_n, "N"),
        Measure("suction", cost.suction_n, "N"),
        Measure("leverage", cost.lever_n, "N"),
        Measure("area to support", cost.support_mm2, "mm²"),
        Measure("finishing", cost.mark_min, "min"),
        Measure("supports", cost.support_ml, "mL"),
        Measure("time", cost.hours, "h"),
        Measure("height", cost.height_mm, "mm"),
        Measure("resin left in hollows", cost.stays_ml, "mL"),
        Measure("bores and pegs out of round", cost.out_of_round_mm, "mm"),
    )


def _leans_alike(one: Pose, other: Pose) -> bool:
    """Whether the same way is up in two poses, whatever their turn about the plate's upright."""
    return bool(one.rotation[2] @ other.rotation[2] > SAME_LEAN)
