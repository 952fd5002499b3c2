"""Proposals: candidates side by side with named measures, and what was pinned or refused is respected the next time."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, turned
from wideberth.core.bench import Bench
from wideberth.core.hollow import Shell
from wideberth.core.job import Job, Part, Refused, job_of
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages
from wideberth.core.propose import Measure, State, propose_drain, propose_orient, propose_support
from wideberth.core.propose.proposal import Better, Candidate


@pytest.fixture(scope="module")
def coarse(bench: Bench) -> Bench:
    return bench.with_value("print.layer_height_mm", 0.1)


def plate_of(bench: Bench) -> Job:
    slab = turned(trimesh.creation.box((40, 24, 3)), 9, (0, 0, 1))
    return job_of("Slab", bench, (Part("Slab", as_source(as_mesh(slab)), pose=Pose(turned_xyz(10, 5, 0), 5.0)),))


def leans(job: Job) -> np.ndarray:
    return job.parts[0].pose.rotation[2]


def test_poses_stand_side_by_side_ranked_by_the_house_s_weights(coarse: Bench) -> None:
    job = plate_of(coarse)
    proposal = propose_orient(job, ONE, Stages(), most=90)
    names = [m.name for m in proposal.now]
    assert len(proposal.candidates) > 3
    assert {(m.name, m.unit) for c in proposal.candidates for m in c.measures} == {(m.name, m.unit) for m in proposal.now}
    house = coarse.house
    weight = {
        "peak pull": 1.0,
        "pull on fresh undersides": house.young_weight,
        "suction": house.suction_weight,
        "area to support": house.support_weight_n_per_mm2,
        "leverage": house.lever_weight,
        "height": house.height_weight_n_per_mm,
    }
    assert set(weight) < set(names)
    totals = [sum(weight.get(m.name, 0.0) * m.value for m in c.measures) for c in proposal.candidates]
    assert totals[0] == min(totals) and proposal.candidates[0].name == "balanced"
    assert len({c.name for c in proposal.candidates}) == len(proposal.candidates)
    assert proposal.job is proposal.candidates[0].job and proposal.state is State.PROPOSED


def test_other_weights_rank_otherwise(coarse: Bench) -> None:
    """Where height costs dearly, the slab lies flat; where pull does, it stands up."""
    low = coarse.with_value("house.height_weight_n_per_mm", 50.0)
    low = propose_orient(plate_of(low), ONE, Stages(), most=90).candidates[0].measures
    calm = coarse.with_value("house.height_weight_n_per_mm", 0.0).with_value("house.young_weight", 500.0)
    calm = propose_orient(plate_of(calm), ONE, Stages(), most=90).candidates[0].measures
    height, young = ({m.name: m.value for m in ms} for ms in (low, calm))
    assert height["height"] < young["height"]
    assert young["pull on fresh undersides"] < height["pull on fresh undersides"]


def test_a_refused_pose_does_not_come_back_and_a_pinned_one_stays(coarse: Bench) -> None:
    job, stages = plate_of(coarse), Stages()
    first = propose_orient(job, ONE, stages, most=90)
    best = first.job.parts[0].pose
    turned_on_plate = Pose(turned_xyz(0, 0, 90), 0.0)
    alike = replace(best, turn=tuple((turned_on_plate.rotation @ best.rotation).ravel().tolist()))
    job = job.with_part(replace(job.parts[0], refused=(Refused("orient", alike),)))
    second = propose_orient(job, ONE, stages, most=90)
    assert all(leans(c.job) @ best.rotation[2] < 0.9998 for c in second.candidates)
    assert second.best.why != first.best.why and second.best.measures != first.best.measures
    pinned = job.with_part(replace(job.parts[0], pose_pinned=True))
    third = propose_orient(pinned, ONE, stages, most=90)
    assert not third.needed and third.job is pinned and "pinned" in third.why


@pytest.mark.prove
def test_pinned_contacts_stay_and_none_comes_back_to_a_refused_spot(coarse: Bench) -> None:
    job, stages = plate_of(coarse), Stages()
    supports = propose_support(job, ONE, stages).job.parts[0].supports
    kept, gone = supports.contacts[2], supports.contacts[5]
    held = replace(
        supports, contacts=tuple(replace(c, pinned=True, diameter_mm=0.77) if c.id == kept.id else c for c in supports.contacts)
    )
    refused = (Refused("support", None, (gone.x_mm, gone.y_mm, gone.z_mm)),)
    part = replace(job.parts[0], supports=held, refused=refused)
    again = propose_support(job.with_part(part), ONE, stages).job.parts[0].supports.checked("Slab")
    mine = again.contact[kept.id]
    assert (mine.x_mm, mine.y_mm, mine.z_mm, mine.diameter_mm, mine.pinned) == (kept.x_mm, kept.y_mm, kept.z_mm, 0.77, True)
    assert again.routes[kept.id].foot_mm == held.routes[kept.id].foot_mm
    away = [float(np.linalg.norm(c.spot_mm - gone.spot_mm)) for c in again.contacts if c.id != kept.id]
    assert min(away) >= 2.0
    near = [float(np.linalg.norm(c.spot_mm - kept.spot_mm)) for c in again.contacts if c.id != kept.id]
    assert min(near) > 1.0
    assert len(again.contacts) > 0.7 * len(supports.contacts)


@pytest.mark.prove
def test_a_refused_hole_goes_elsewhere(bench: Bench) -> None:
    ball = as_source(as_mesh(trimesh.creation.icosphere(4, 16)))
    job = job_of("Ball", bench, (Part("Ball", ball, shell=Shell(2.0), pose=Pose(gap_mm=5.0)),))
    stages = Stages()
    first = propose_drain(job, ONE, stages).job.parts[0].holes
    refused = tuple(Refused("drain", None, (h.x_mm, h.y_mm, h.z_mm)) for h in first)
    again = propose_drain(job.with_part(replace(job.parts[0], refused=refused)), ONE, stages).job.parts[0].holes
    assert again
    assert min(np.linalg.norm(h.point_mm - old.point_mm) for h in again for old in first) >= 2.9


def test_differences_tell_what_is_gained_and_what_is_lost(bench: Bench) -> None:
    now = (Measure("peak pull", 10.0, "N"), Measure("margin", 1.5, "", Better.MORE), Measure("height", 30.0, "mm"))
    then = (Measure("peak pull", 8.0, "N"), Measure("margin", 1.2, "", Better.MORE), Measure("height", 30.0, "mm"))
    candidate = Candidate("turn", "why", job_of("x", bench), then)
    assert [(d.name, round(d.by, 6), d.unit, d.gains) for d in candidate.differences(now)] == [
        ("peak pull", -2.0, "N", True),
        ("margin", -0.3, "", False),
    ]
