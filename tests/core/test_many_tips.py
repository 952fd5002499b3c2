"""Tips along an edge, round a hole, over a face and mirrored; bases weighed; and the order in which tips come off."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source
from wideberth.core.bench import Bench
from wideberth.core.drain import Hole
from wideberth.core.errors import BadJob
from wideberth.core.job import Job, job_of, taken_in
from wideberth.core.model import Mesh
from wideberth.core.orient import Pose, placing, turned_xyz
from wideberth.core.predict import Stages, fine, predict
from wideberth.core.propose import (
    Spread,
    propose_base,
    propose_support,
    with_base,
    with_tip,
    with_tips_mirrored,
    with_tips_sized,
    with_tips_spread,
)
from wideberth.core.propose.many_tips import edge_spots, planes_of_symmetry
from wideberth.core.support import BaseKind
from wideberth.core.verdict import taking_off_lines

at = trimesh.transformations.translation_matrix


def job_with(solid: trimesh.Trimesh, bench: Bench, turn: tuple[float, float, float] = (0, 0, 0), gap: float = 6.0) -> Job:
    part = replace(taken_in(as_source(as_mesh(solid))), pose=Pose(turned_xyz(*turn), gap))
    coarse = bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0)
    return job_of("made", coarse, (part,))


def spots_in_own_frame(job: Job, stages: Stages) -> np.ndarray:
    part = job.part(ONE)
    home = np.linalg.inv(placing(stages.cut(part), part.pose))
    spots = np.array([c.spot_mm for c in part.supports.contacts])
    return spots @ home[:3, :3].T + home[:3, 3]


@pytest.mark.parametrize("turn", [(0.0, 0.0, 0.0), (0.0, 0.0, 37.0), (12.0, 8.0, 20.0)])
@pytest.mark.parametrize("apart", [2.5, 4.0])
def test_tips_follow_an_edge_from_end_to_end(turn: tuple[float, float, float], apart: float, bench: Bench) -> None:
    """The lower edge of a 30 mm box, pressed in its middle: both ends have one, no step is longer than asked for, and all stand
    within 0.3 mm of it."""
    stages, job = Stages(), job_with(trimesh.creation.box((30, 20, 8)), bench, turn)
    made = with_tips_spread(job, ONE, stages, np.array([2.0, -10.0, -4.0]), Spread.EDGE, apart)
    spots = spots_in_own_frame(made.job, stages)
    assert made.barred == 0 and made.count == len(spots) == int(np.ceil(30 / apart)) + 1
    assert np.hypot(spots[:, 1] + 10, spots[:, 2] + 4).max() < 0.3
    x = np.sort(spots[:, 0])
    assert x[0] < -14.5 and x[-1] > 14.5 and np.diff(x).max() <= apart + 1e-6


def test_a_rim_is_followed_all_round_and_cut_edges_count_as_one(bench: Bench) -> None:
    """The lower rim of a cylinder, of 24 or 96 sides: closed, evenly spaced, as many tips as its length asks for."""
    for sides in (24, 96):
        mesh = as_mesh(trimesh.creation.cylinder(9.0, 6.0, sections=sides))
        spots = edge_spots(mesh, np.array([9.0, 0.0, -3.0]), 4.0)
        length = sides * 2 * 9.0 * np.sin(np.pi / sides)
        assert len(spots) == int(np.ceil(length / 4.0 - 1e-9))
        assert np.hypot(spots[:, 0], spots[:, 1]) == pytest.approx(np.full(len(spots), 8.8), abs=0.15)
        turn = np.sort(np.degrees(np.arctan2(spots[:, 1], spots[:, 0])))
        assert np.ptp(np.diff(turn)) < 6.0


def test_tips_stand_round_a_drain_hole_and_none_in_it(bench: Bench) -> None:
    """A 4 mm hole in an underside: all tips as far from its rim, so that none of them is left out for standing in it."""
    stages, job = Stages(), job_with(trimesh.creation.box((30, 30, 8)), bench)
    part = job.part(ONE).with_holes((Hole(3.0, -2.0, -4.0, 4.0),))
    made = with_tips_spread(job.with_part(part), ONE, stages, np.array([4.0, -2.0, -4.0]), Spread.RING, 2.5)
    spots = spots_in_own_frame(made.job, stages)
    away = np.hypot(spots[:, 0] - 3, spots[:, 1] + 2)
    assert made.count >= 6 and np.ptp(away) < 0.05 and away.min() > 2 + bench.supports.tip_mm
    assert len(stages.supports(made.job.part(ONE))[1]) == 0


def test_tips_cover_a_face_on_a_grid(bench: Bench) -> None:
    """The underside of a 24 mm slab at 4 mm: a lattice of that spacing, on that face alone."""
    stages, job = Stages(), job_with(trimesh.creation.box((24, 24, 4)), bench)
    made = with_tips_spread(job, ONE, stages, np.array([1.0, 2.0, -2.0]), Spread.GRID, 4.0)
    spots = spots_in_own_frame(made.job, stages)
    assert np.abs(spots[:, 2] + 2).max() < 1e-6 and 25 <= made.count <= 49
    apart = np.linalg.norm(spots[:, None] - spots[None], axis=2) + 99 * np.eye(len(spots))
    assert apart.min(axis=1) == pytest.approx(np.full(len(spots), 4.0), abs=1e-6)


def test_nothing_near_says_so_and_adds_nothing(bench: Bench) -> None:
    """No sharp edge on a ball; no way to a face that looks up."""
    stages, ball = Stages(), job_with(trimesh.creation.icosphere(4, 9.0), bench)
    with pytest.raises(BadJob, match="nothing to set tips along an edge on"):
        with_tips_spread(ball, ONE, stages, np.array([0.0, 0.0, -9.0]), Spread.EDGE)
    box = job_with(trimesh.creation.box((20, 20, 8)), bench)
    with pytest.raises(BadJob):
        with_tips_spread(box, ONE, stages, np.array([0.0, 0.0, 4.0]), Spread.GRID, 4.0)


@pytest.mark.parametrize("degrees", [0.0, 25.0, 90.0, 141.0])
def test_the_planes_of_symmetry_is_found_in_any_turn(degrees: float) -> None:
    """A wedge-shaped part with one mirror plane, turned about the upright; and none for one that is lopsided."""
    one = trimesh.util.concatenate(
        [trimesh.creation.box((30, 12, 6)), trimesh.creation.box((6, 20, 6), transform=at((12, 0, 0)))]
    )
    turn = trimesh.transformations.rotation_matrix(np.radians(degrees), (0, 0, 1))
    solid = trimesh.boolean.union(one.split(), engine="manifold").apply_transform(turn)
    planes = planes_of_symmetry(as_mesh(solid))
    expected = turn[:3, :3] @ [0, 1, 0]
    assert planes and all(abs(float(normal @ expected)) > 0.9999 for _, normal in planes)
    lopsided = trimesh.boolean.union(
        [trimesh.creation.box((30, 12, 6)), trimesh.creation.box((5, 9, 6), transform=at((11, 7, 0)))], engine="manifold"
    ).apply_transform(turn)
    assert planes_of_symmetry(as_mesh(lopsided)) == []


def test_tips_are_mirrored_with_their_sizes_and_not_twice(bench: Bench) -> None:
    """One tip left of the middle stands again right of it, as thick; mirrored once more, nothing is added."""
    stages, job = Stages(), job_with(trimesh.creation.box((30, 14, 6)), bench)
    held = with_tip(job, ONE, stages, np.array([-9.0, 3.0, -3.0]))
    first = held.part(ONE).supports.contacts[0].id
    held = with_tips_sized(held, ONE, {first: 0.65})
    made = with_tips_mirrored(held, ONE, stages)
    spots = spots_in_own_frame(made.job, stages)
    assert made.count == 1 and made.job.part(ONE).supports.contacts[1].diameter_mm == 0.65
    assert np.abs(spots[1]) == pytest.approx(np.abs(spots[0]), abs=1e-6) and np.linalg.norm(spots[1] - spots[0]) > 5
    whole = with_tips_mirrored(made.job, ONE, stages)  # the box has a second plane
    assert whole.count == 2 and len(np.unique(spots_in_own_frame(whole.job, stages).round(3), axis=0)) == 4
    with pytest.raises(BadJob, match="stand at all of those spots already"):
        with_tips_mirrored(whole.job, ONE, stages)


def test_bases_are_weighed_by_what_they_grip_with_take_and_cost(bench: Bench) -> None:
    """All four kinds once; a slab grips at least as well and takes more resin than pads alone; the best grips and is the leanest
    that does; taking it is one change of the part and of what later proposals use."""
    stages, job = Stages(), job_with(trimesh.creation.box((26, 18, 5)), bench, (10, 5, 0))
    held = propose_support(job, ONE, stages).job
    made = propose_base(held, ONE, stages)
    figure = {
        kind: {m.name: m.value for c in made.candidates if c.job.part(ONE).supports.base is kind for m in c.measures}
        for kind in BaseKind
    }
    assert len(made.candidates) == 4
    assert figure[BaseKind.SLAB]["plate"] >= figure[BaseKind.ALONE]["plate"]
    assert figure[BaseKind.SLAB]["supports"] > figure[BaseKind.PADS]["supports"] > figure[BaseKind.ALONE]["supports"]
    seen = predict(with_base(held, ONE, BaseKind.SLAB), stages, fine())
    assert seen.verdict.plate_margin == pytest.approx(figure[BaseKind.SLAB]["plate"], rel=0.05)
    assert with_base(held, ONE, BaseKind.FRAME).bench.supports.base == "frame"


def lollipop(neck_mm: float) -> Mesh:
    """A block with a stalk hanging from it that thins to a neck above its own foot."""
    foot = trimesh.creation.box((5, 5, 3), transform=at((0, 0, 1.5)))
    neck = trimesh.creation.box((neck_mm, neck_mm, 6), transform=at((0, 0, 5)))
    block = trimesh.creation.box((24, 24, 6), transform=at((0, 0, 10)))
    return as_mesh(trimesh.boolean.union([foot, neck, block], engine="manifold"))


@pytest.mark.parametrize("neck", [0.5, 0.8, 2.0])
def test_a_tip_that_would_take_the_neck_along_is_snipped_first(neck: float, bench: Bench) -> None:
    """A tip of 0.8 mm under a stalk with a neck of side a: the neck has a², so its share of the tip's break is π d²/4 a²."""
    stages, solid = Stages(), lollipop(neck)
    part = replace(taken_in(as_source(solid)), pose=Pose(turned_xyz(0, 0, 0), 4.0))
    job = job_of("stalk", bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0), (part,))
    for spot in ((0.0, 0.0, 0.0), (-9.0, -9.0, 7.0), (9.0, -9.0, 7.0), (-9.0, 9.0, 7.0), (9.0, 9.0, 7.0)):
        job = with_tip(job, ONE, stages, np.array(spot), 0.8)
    seen = predict(job, stages, fine(0.1))
    order = seen.verdict.snaps
    stalk = next(s for s in order if s.tip == 0)
    assert len(order) == 5
    assert stalk.neck_mm2 == pytest.approx(neck**2, rel=0.12)
    printed = seen.verdict.tips[0].printed_mm
    assert stalk.risk == pytest.approx(np.pi * printed**2 / 4 / neck**2, rel=0.15)
    lines = taking_off_lines(order, job.bench)
    if stalk.risk >= job.bench.house.snip_share:
        assert order[0].tip == 0 and lines[0].startswith("Snip tip 1, do not pull")
    else:
        assert not any(line.startswith("Snip tip") for line in lines)
    assert all(s.risk < 0.2 for s in order if s.tip != 0)
    assert min(s.sides for s in order) >= 15  # but for the stalk's foot, from across, nothing stands in the way


def test_snips_have_no_way_into_a_pot(bench: Bench) -> None:
    """A tip under the roof of an upturned pot is shut in on all sides; one under its rim is free."""
    pot = trimesh.boolean.difference(
        [trimesh.creation.cylinder(10, 20, sections=64), trimesh.creation.cylinder(8, 20, sections=64, transform=at((0, 0, -2)))],
        engine="manifold",
    )
    stages, job = Stages(), job_with(pot, bench, gap=4.0)
    for spot in ((0.0, 0.0, 8.0), (9.0, 0.0, -10.0)):
        job = with_tip(job, ONE, stages, np.array(spot))
    snaps = {s.tip: s for s in predict(job, stages, fine(0.2)).verdict.snaps}
    assert snaps[0].sides == 0 and snaps[1].sides == 16
    assert any("no level way in to tip 1" in line for line in taking_off_lines(tuple(snaps.values()), job.bench))


def test_the_first_tip_by_hand_stands_on_the_house_s_base_and_no_number_is_given_twice(bench: Bench) -> None:
    """A part without tips takes the base that the bench names; after all were taken away the next ones go on counting."""
    stages, job = Stages(), job_with(trimesh.creation.box((24, 20, 5)), bench.with_value("supports.base", "slab"))
    one = with_tip(job, ONE, stages, np.array([3.0, 2.0, -2.5]))
    assert one.part(ONE).supports.base is BaseKind.SLAB
    bare = one.with_part(one.part(ONE).unsupported())
    old = one.part(ONE).supports.contacts[0].id
    for again in (propose_support(bare, ONE, stages).job, with_tip(bare, ONE, stages, np.array([-3.0, 2.0, -2.5]))):
        supports = again.part(ONE).supports
        assert supports.base is BaseKind.SLAB and old not in supports.contact
