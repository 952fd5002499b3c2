"""A brief look, as at what a mouse still holds: the same pulls and margins, without what takes longer to tell."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source
from wideberth.core.bench import Bench
from wideberth.core.hollow import Shell
from wideberth.core.job import Job, Part, job_of
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages, fine, glance, predict, preview
from wideberth.core.propose import propose_support


@pytest.fixture(scope="module")
def held(bench: Bench) -> Job:
    block = as_source(as_mesh(trimesh.creation.box((24, 16, 20))))
    part = Part("Block", block, id=ONE, pose=Pose(turned_xyz(35.0, 10.0, 0.0), 4.0))
    return propose_support(job_of("Held", bench, (part,)), ONE, Stages()).job


def test_pulls_and_margins_are_those_of_the_same_rows_and_layers_looked_at_wholly(held: Job) -> None:
    for fineness in (glance(held.bench), replace(preview(held.bench), brief=True)):
        brief, whole = (predict(held, Stages(), f) for f in (fineness, replace(fineness, brief=False)))
        for name in ("pull_n", "hold_margin", "plate_margin", "area_mm2", "suction_n"):
            np.testing.assert_array_equal(getattr(brief.loads, name), getattr(whole.loads, name))
        assert (brief.verdict.hold_margin, brief.verdict.pull_n) == (whole.verdict.hold_margin, whole.verdict.pull_n)
        assert brief.loads.failure is None and brief.verdict.removals == () == brief.verdict.snaps
        assert brief.loads.ranges.weakest_hold is None
        low, high = whole.loads.ranges.weakest_hold or (0.0, 0.0)
        assert whole.verdict.removals and 0 < low < whole.verdict.hold_margin < high  # type: ignore[operator]


def test_ceilings_are_only_carried_where_it_is_looked_at_wholly(held: Job) -> None:
    """A hollow block's level ceiling, with a dent in it: gussets under that are left out of a brief look."""
    dented = trimesh.creation.box((40, 30, 24))
    for x in (-9.0, 9.0):
        ball = trimesh.creation.icosphere(3, 5.0).apply_translation((x, 0, -12))
        dented = trimesh.boolean.difference([dented, ball], engine="manifold")
    part = Part("Hollow", as_source(as_mesh(dented)), id=ONE, shell=Shell(2.0), pose=Pose(turned_xyz(180.0, 0.0, 0.0), 4.0))
    stages = Stages()
    brief, whole = (stages.solids(part, held.bench.supports, fineness=replace(fine(), brief=b)) for b in (True, False))
    assert brief.own_cavity is not None and brief.own_filling is None
    assert whole.own_filling is not None and whole.own_filling.volume_mm3 > 0 and stages.gussets(part) is not None
