"""How far long work is: told for all of it, never less than before, and how long it still takes."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise

import pytest
import trimesh

from conftest import as_mesh, as_source
from wideberth.core.bench import Bench
from wideberth.core.drain import Hole
from wideberth.core.errors import Cancelled
from wideberth.core.hollow import Lattice, Shell
from wideberth.core.job import Job, Part, job_of
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages, fine, look_closer, predict
from wideberth.core.progress import LEAST_SHARE, Progress, TimeLeft
from wideberth.core.propose import (
    advise,
    propose_all,
    propose_base,
    propose_division,
    propose_marks,
    propose_orient,
    propose_places,
    propose_plates,
    propose_shell,
)


def test_stretches_follow_one_another_to_the_end() -> None:
    seen: list[float] = []
    whole = Progress(lambda share, _: seen.append(round(share, 6))).part(0.5, 1.0)
    for piece in (*whole.part(0.0, 0.5).stretches(0.2, 1.0), *whole.part(0.5, 1.0).evenly(2)):
        piece.at(0.0, "posts")
        piece.at(1.0, "posts")
    assert seen == [0.5, 0.55, 0.55, 0.75, 0.75, 0.875, 0.875, 1.0]
    assert Progress().evenly(0) == []


def test_of_rounds_each_takes_half_of_what_is_left() -> None:
    seen: list[float] = []
    for share in Progress(lambda share, _: seen.append(share)).rounds(4):
        share.at(1.0, "round")
    assert seen == [0.5, 0.75, 0.875, 0.9375]


def test_works_side_by_side_tell_how_much_of_all_of_them_is_done() -> None:
    seen: list[float] = []
    one, other = Progress(lambda share, _: seen.append(round(share, 6))).part(0.5, 1.0).side_by_side(2)
    for piece, share in ((one, 0.2), (other, 0.4), (one, 0.6), (other, 1.0), (one, 1.0)):
        piece.at(share, "posts")
    assert seen == [0.55, 0.65, 0.75, 0.9, 1.0]
    one.cancel()
    with pytest.raises(Cancelled):
        other.at(1.0, "posts")


def test_works_on_many_threads_tell_what_is_done_of_all_of_them() -> None:
    seen: list[float] = []
    shares = Progress(lambda share, _: seen.append(share)).side_by_side(4)

    def work(share: Progress) -> None:
        for number in range(200):
            share.at((number + 1) / 200, "posts")

    with ThreadPoolExecutor(4) as side_by_side:
        list(side_by_side.map(work, shares))
    assert len(seen) == 800 and seen == sorted(seen) and seen[-1] == pytest.approx(1.0)


def test_what_goes_on_evenly_is_told_to_end_when_it_does() -> None:
    left = TimeLeft(10.0)
    told = [(at, left.after(10.0 + at, at / 20)) for at in (0.2, 1.0, 5.0, 19.0)]
    assert told[0][1] is None and LEAST_SHARE > 0.2 / 20
    assert [rest for _, rest in told[1:]] == pytest.approx([19.0, 15.0, 1.0])


def test_what_is_remembered_takes_no_time_and_hastens_nothing() -> None:
    """Half of the work comes at once; of the other half, of 10 s, a tenth is done after 1 s."""
    left = TimeLeft(0.0)
    assert left.after(0.05, 0.5) is None
    assert left.after(1.05, 0.55) == pytest.approx(1.05 * 9, rel=1e-9)
    assert left.after(1.1, 0.75) == pytest.approx(1.1 * 5, rel=1e-9)  # four tenths more were remembered


def capsule(bench: Bench) -> Part:
    return Part(
        "float",
        as_source(as_mesh(trimesh.creation.capsule(14.0, 7.0)), "float"),
        pose=Pose(turned_xyz(35.0, 20.0, 0.0), bench.supports.gap_mm),
        shell=Shell(1.5, lattice=Lattice()),
        holes=(Hole(0.0, 0.0, -14.0, 2.5, id="hole-1"),),
    )


def box() -> Part:
    return Part(
        "box", as_source(as_mesh(trimesh.creation.box((9.0, 7.0, 5.0))), "box"), pose=Pose(turned_xyz(20.0, 0.0, 0.0), 3.0)
    )


WORKS: dict[str, Callable[[Job, Stages, Progress], object]] = {
    "all": propose_all,
    "every way up": lambda job, stages, p: propose_orient(job, job.parts[1].id, stages, p),
    "solid against hollow": lambda job, stages, p: propose_shell(job, job.parts[0].id, stages, p),
    "base": lambda job, stages, p: propose_base(job, job.parts[0].id, stages, p),
    "marks": lambda job, stages, p: propose_marks(job, job.parts[0].id, stages, p),
    "places": lambda job, stages, p: propose_places(job, stages, progress=p),
    "plates": lambda job, stages, p: propose_plates(job, stages, progress=p),
    "division": lambda job, stages, p: propose_division(job, stages, progress=p),
    "advice": lambda job, stages, p: advise(job, stages, p),
    "prediction": lambda job, stages, p: look_closer(predict(job, stages, fine(), p.part(0.0, 0.5)), stages, p.part(0.5, 1.0)),
}


LONG = ("every way up", "solid against hollow")


@pytest.mark.parametrize("work", [pytest.param(w, id=k, marks=[pytest.mark.prove] * (k in LONG)) for k, w in WORKS.items()])
def test_no_work_ever_tells_that_less_is_done_than_before(work: Callable[[Job, Stages, Progress], object], bench: Bench) -> None:
    seen: list[tuple[float, str]] = []
    bench = bench.with_value("print.layer_height_mm", 0.1)
    job = job_of("two", bench, (capsule(bench), box()))
    work(job, Stages(), Progress(lambda share, phrase: seen.append((share, phrase))))
    assert len(seen) > 1 and all(0 <= share <= 1 + 1e-9 for share, _ in seen)
    back = [(one, other) for one, other in pairwise(seen) if other[0] < one[0] - 1e-9]
    assert not back
