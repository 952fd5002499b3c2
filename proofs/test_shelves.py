"""A little more lean does not make many more tips."""

from __future__ import annotations

from dataclasses import replace

import trimesh

from conftest import ONE, as_mesh, as_source
from wideberth.core.bench import load_bench
from wideberth.core.job import job_of, taken_in
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages, fine, predict
from wideberth.core.propose import propose_support


def test_shelves_that_lean_a_little_differently_take_about_as_many_tips() -> None:
    """Four boards on a wall, leaning by 16° and a little more: what hangs unsteadily for a while is steadied by what is there in
    time, or all tips would stay."""
    wall = trimesh.creation.box((3, 24, 40)).apply_translation((-18, 0, 20))
    boards = [trimesh.creation.box((36, 24, 2.5)).apply_translation((0, 0, 3 + 11 * n)) for n in range(4)]
    mesh, counts = as_mesh(trimesh.boolean.union([wall, *boards], engine="manifold")), []
    for turn in ((1.76, 16.09, -1.83), (1.8, 16.1, -1.8), (2.5, 16.4, -2.2)):
        bench, stages = load_bench(), Stages()
        part = replace(taken_in(as_source(mesh)), pose=Pose(turned_xyz(*turn), 4.0))
        job = propose_support(job_of("shelves", bench, (part,)), ONE, stages).job
        seen = predict(job, stages, fine())
        assert (seen.verdict.hold_margin or 0) >= 0.98 * bench.supports.wanted_margin and all(
            i.supported for i in seen.verdict.islands
        )
        counts.append(len(job.part(ONE).supports.contacts))
    print(f"| shelves | {counts} tips |")
    assert max(counts) < 1.5 * min(counts)
