"""A part in another pose, with its tips brought along as far as the pose lets them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from wideberth.core.bench import Bench
from wideberth.core.job import Job, Part, posed
from wideberth.core.orient import Pose, placing
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress, quiet
from wideberth.core.propose.rooming import room_around
from wideberth.core.support import Carried, carried


def stands_low(part: Part, bench: Bench) -> bool:
    """Whether a part stands nearer to the plate than tips want room for."""
    return part.pose.gap_mm < bench.supports.gap_mm


def raised(job: Job, id: str, stages: Stages, progress: Progress | None = None) -> Job:
    """The job with a part lifted by the usual gap; the tips that it has come along.

    Raises
    ------
    As `in_pose`.
    """
    pose = replace(job.part(id).pose, gap_mm=job.bench.supports.gap_mm)
    return in_pose(job, id, pose, stages, progress)[0]


def in_pose(job: Job, id: str, pose: Pose, stages: Stages, progress: Progress | None = None) -> tuple[Job, Carried | None]:
    """The job with a part in another pose, and what became of its tips; None where there were none.

    Raises
    ------
    BadModel : as the part's stages. Cancelled : when the progress is cancelled.
    """
    part = job.part(id)
    if pose == part.pose:
        return job, None
    plain = posed(part, pose)
    if not part.supports and not part.supports.idle:
        return job.with_part(plain), None
    mesh = stages.cut(part)
    turn = placing(mesh, pose) @ np.linalg.inv(placing(mesh, part.pose))
    uprights = part.pose.rotation[2], pose.rotation[2]
    progress = progress or quiet()
    making, leading = progress.part(0.0, 0.4), progress.part(0.4, 1.0)
    came = carried(part.supports, turn, uprights, lambda: room_around(plain, stages, job.bench, making), job.bench, leading)
    return job.with_part(replace(plain, supports=came.supports)), came
