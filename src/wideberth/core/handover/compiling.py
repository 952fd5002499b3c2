"""Every compiled loop once on a small part, in two processes, so that all are on disk before somebody waits for them.

Run as `python -m wideberth.core.handover.compiling`: before the first demo, beside lint before the tests, or by a window that
finds it undone.
"""

from __future__ import annotations

import multiprocessing
import os
from dataclasses import replace

import numpy as np

from wideberth.core.bench import load_bench
from wideberth.core.handover.pictures import front_view
from wideberth.core.handover.pixels import grey_layer, hard_layer
from wideberth.core.hollow import GYROID, Lattice, Shell
from wideberth.core.job import Job, Part, job_of, taken_in
from wideberth.core.layers import cast, grid_over
from wideberth.core.model import (
    Mend,
    Mesh,
    Source,
    as_mesh,
    as_solid,
    ball,
    binary_stl,
    mended,
    nearest_on,
    parse_model,
    prism,
    rod,
    stand_in,
)
from wideberth.core.plate import footprint_of
from wideberth.core.predict import Stages, fine, is_compiled, look_closer, note_compiled, predict, preview
from wideberth.core.propose.drilling import propose_drain
from wideberth.core.propose.everything import propose_support
from wideberth.core.propose.hollowing import propose_shell
from wideberth.core.propose.orienting import propose_orient
from wideberth.core.propose.rooming import room_around

SIDE_MM, NARROW_MM = 14.0, 0.4
FOLDED = Mesh(np.array([[0.0, 0, 0], [10, 0, 0], [5, 10, 0], [10, 1, 1]]), np.array([[0, 1, 2], [0, 2, 3]], np.int32))
"""Two faces whose rim crosses itself in any plane."""
LOWEST = 19
"""Priority: a window may be at work beside it."""


def compile_all() -> None:
    """A small hollow block from its mesh to what is written, with lattice, holes and supports. What two processes both need one
    of them mostly finds on disk: each begins with what the other ends with.

    Raises
    ------
    RuntimeError : where the process beside this one fails; it says why.
    """
    beside = multiprocessing.get_context("spawn").Process(target=_drained_and_written, daemon=True)
    beside.start()
    _posed_and_supported()
    beside.join()
    if beside.exitcode:
        raise RuntimeError("not all loops could be compiled")


def _posed_and_supported() -> None:
    stages, job = Stages(), _small_job()
    for propose in (propose_orient, propose_support):
        job = propose(job, job.parts[0].id, stages).job
    part = job.parts[0]
    predict(job, stages, preview(job.bench))
    assert part.shell is not None
    for lattice in (Lattice(), Lattice(GYROID)):
        predict(job.with_part(replace(part, shell=replace(part.shell, lattice=lattice))), stages, preview(job.bench))
    _look_over(part, job, stages)


def _drained_and_written() -> None:
    stages, job = Stages(), _small_job()
    _mend_and_measure(stages.cut(job.parts[0]))
    job = propose_drain(job, job.parts[0].id, stages).job
    own = taken_in(parse_model("block with a way of its own", ".stl", binary_stl(_narrow())))
    look_closer(predict(job_of("narrow", job.bench, (own,)), stages, fine()), stages)
    bumped = Part("block with a bump in its ceiling", Source("bumped", ".stl", b"", _bumped()), shell=Shell(1.0, passage_mm=1.0))
    stages.gussets(bumped)
    _write_down(job, stages)


def _small_job() -> Job:
    part = replace(taken_in(parse_model("block", ".stl", binary_stl(_block()))), shell=Shell(2.0, passage_mm=1.5))
    return job_of("small block", load_bench(), (part,))


def _narrow() -> Mesh:
    """A block with a void in it and a way there that is narrow."""
    middle = np.array([0.0, 0.0, 0.5 * SIDE_MM])
    void, way = ball(middle, 0.3 * SIDE_MM), rod(middle, middle + [SIDE_MM, 0, 0], NARROW_MM, NARROW_MM)
    return as_mesh(as_solid(_block()) - as_solid(void) - as_solid(way))


def _bumped() -> Mesh:
    """A block with a dent in its top: a bump in the ceiling of its chamber."""
    return as_mesh(as_solid(_block()) - as_solid(ball(np.array([1.0, 0.0, 1.1 * SIDE_MM]), 0.35 * SIDE_MM)))


def _block() -> Mesh:
    across, over, up = np.eye(3)
    square = 0.5 * SIDE_MM * np.array([[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]])
    return prism(np.zeros(3), SIDE_MM * up, across, over, square, square)


def _look_over(part: Part, job: Job, stages: Stages) -> None:
    """What the steps ask of a part beside its prediction."""
    stages.health(part)
    stages.thickness(part)
    stages.wall(part)
    nearest_on(stages.cut(part), np.zeros(3))
    propose_shell(job, part.id, stages)
    room_around(part, stages, job.bench).clearance.line_is_clear(np.zeros(3), np.ones(3))
    footprint_of(stages.cut(part), None)


def _mend_and_measure(mesh: Mesh) -> None:
    """What is asked of a mesh by itself."""
    fine_ball = ball(np.zeros(3), SIDE_MM, 60)
    stand_in(fine_ball, fine_ball.triangles // 20)
    half = Mesh(mesh.points, mesh.faces[: mesh.triangles // 2])
    for torn in (half, FOLDED):
        for kind in ("weld", "orient", "fill"):
            torn, _ = mended(torn, Mend(kind))
    cast(fine_ball.points, fine_ball.faces[::3], grid_over(fine_ball.low, fine_ball.high, 0.2, 0.2))


def _write_down(job: Job, stages: Stages) -> None:
    """A layer each way, and a picture."""
    seen = predict(job, stages, fine())
    part, printer = seen.printed.part, job.bench.printer
    layer = part.grid.layers // 2
    hard_layer(part, layer, 0, printer)
    grey_layer(part, layer, 0, printer, 16)
    front_view(seen)


if __name__ == "__main__":
    if not is_compiled():
        os.nice(LOWEST)
        compile_all()
        note_compiled()
