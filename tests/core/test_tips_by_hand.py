"""Tips by hand: what a tip would carry is what it carries once it is there; the rest stays as it is."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source
from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob
from wideberth.core.job import Job, Part, job_of, with_count
from wideberth.core.orient import Pose, placing, turned_xyz
from wideberth.core.predict import Stages, fine, predict, preview
from wideberth.core.propose import (
    least_held,
    propose_support,
    sized_for_load,
    tried,
    with_foot_moved,
    with_joint_moved,
    with_tip,
    with_tip_moved,
    with_tips_pinned,
    with_tips_sized,
    without_tips,
)
from wideberth.core.support import Need, Route, Supports


@pytest.fixture(scope="module")
def stages() -> Stages:
    return Stages()


@pytest.fixture(scope="module")
def bare(bench: Bench) -> Job:
    coarse = bench.with_value("print.layer_height_mm", 0.1).with_value("print.exposure_s", 4.0)
    part = Part("Slab", as_source(as_mesh(trimesh.creation.box((26, 18, 3)))), pose=Pose(turned_xyz(12, 5, 0), 6.0))
    return job_of("Slab", coarse, (part,))


@pytest.fixture(scope="module")
def slab(bare: Job, stages: Stages) -> Job:
    return propose_support(bare, ONE, stages).job


UNDER = np.array([4.0, 3.0, -1.5])
"""A spot of the underside in the slab's own frame."""


def weakest(job: Job, stages: Stages) -> float:
    margin = predict(job, stages, fine(0.2)).verdict.hold_margin
    assert margin is not None
    return margin


def test_a_tip_is_told_before_it_is_there_as_it_is_found_afterwards(slab: Job, stages: Stages) -> None:
    """The post hardly changes the layers, so the shares told on the old layers are those of the whole prediction."""
    seen = predict(slab, stages, fine(0.2))
    after = with_tip(slab, ONE, stages, UNDER, 0.5)
    told = tried(seen, after, ONE, stages)
    found = predict(after, stages, fine(0.2)).verdict
    tip = found.tips[-1]
    assert tip.contact == after.part(ONE).supports.contacts[-1].id and tip.touches
    assert told.load_n == pytest.approx(tip.worst_load_n, rel=0.03) and told.margin == pytest.approx(tip.margin, rel=0.03)
    assert told.printed_mm == pytest.approx(tip.printed_mm)
    assert told.before == pytest.approx(seen.verdict.hold_margin) and told.after == pytest.approx(found.hold_margin, rel=0.03)


def test_a_coarse_prediction_tells_nearly_the_same(slab: Job, stages: Stages) -> None:
    after = with_tip(slab, ONE, stages, UNDER, 0.5)
    fine_told = tried(predict(slab, stages, fine(0.2)), after, ONE, stages)
    coarse = tried(predict(slab, stages, preview(slab.bench)), after, ONE, stages)
    assert coarse.load_n == pytest.approx(fine_told.load_n, rel=0.15) and coarse.after == pytest.approx(fine_told.after, rel=0.15)


def test_taking_a_tip_away_is_told_as_it_is_found(slab: Job, stages: Stages) -> None:
    seen = predict(slab, stages, fine(0.2))
    strong = max(seen.verdict.tips, key=lambda t: t.worst_load_n)
    less = without_tips(slab, ONE, [strong.contact])
    told = tried(seen, less, ONE, stages, strong.contact)
    assert told.load_n is None and told.before == pytest.approx(seen.verdict.hold_margin)
    assert told.after == pytest.approx(weakest(less, stages), rel=0.03)
    assert len(less.part(ONE).supports.contacts) == len(slab.part(ONE).supports.contacts) - 1


def test_tips_alone_on_a_bare_part_share_its_pull(bare: Job, stages: Stages) -> None:
    job = bare
    for x, y in ((-9, -6), (9, -6), (-9, 6), (9, 6)):
        job = with_tip(job, ONE, stages, np.array([x, y, -1.5]), 0.8)
    seen = predict(job, stages, fine(0.2))
    assert all(t.touches for t in seen.verdict.tips) and len(seen.verdict.tips) == 4
    load = seen.loads.part_pulls.tug().tip_load_n
    held = load.sum(axis=1)[load.any(axis=1)]
    total = seen.loads.own_pull_n[load.any(axis=1)]
    assert held[-20:-1] == pytest.approx(total[-20:-1], rel=0.02)  # but for the weight of what hangs


def test_a_tip_grows_to_what_its_share_asks_for(slab: Job, stages: Stages) -> None:
    seen = predict(slab, stages, fine(0.2))
    thin = with_tip(slab, ONE, stages, UNDER, 0.1)
    id = thin.part(ONE).supports.contacts[-1].id
    fitted = sized_for_load(seen, thin, ONE, stages, id)
    size = fitted.part(ONE).supports.contact[id].diameter_mm
    told = tried(seen, fitted, ONE, stages, id)
    low, high = slab.bench.supports.smallest_tip_mm, slab.bench.supports.largest_tip_mm
    assert low <= size <= high and (told.margin >= slab.bench.supports.wanted_margin or size == high)


def test_a_moved_tip_keeps_its_id_size_reason_and_place_in_the_list(slab: Job, stages: Stages) -> None:
    contacts = slab.part(ONE).supports.contacts
    lonely = next(c for c in contacts if not slab.part(ONE).supports.carries_others(c.id))
    pinned = with_tips_pinned(slab, ONE, [lonely.id], True)
    moved = with_tip_moved(pinned, ONE, stages, lonely.id, UNDER)
    now = moved.part(ONE).supports
    assert [c.id for c in now.contacts] == [c.id for c in contacts]
    there = now.contact[lonely.id]
    assert (there.diameter_mm, there.need, there.pinned) == (lonely.diameter_mm, lonely.need, True)
    own = np.linalg.inv(stages.solids(slab.part(ONE), slab.bench.supports).matrix)
    assert own[:3, :3] @ there.spot_mm + own[:3, 3] == pytest.approx(UNDER, abs=1e-6)
    assert now.checked("Slab") is now


def test_what_cannot_be_is_refused_and_changes_nothing(slab: Job, stages: Stages) -> None:
    with pytest.raises(BadJob, match="clear way"):
        with_tip(slab, ONE, stages, np.array([0.0, 0.0, 1.5]))  # the upper face
    for size in (0.0, 5.0, float("nan")):
        with pytest.raises(BadJob, match="between"):
            with_tips_sized(slab, ONE, {slab.part(ONE).supports.contacts[0].id: size})
    shared = next((r.post for r in slab.part(ONE).supports.routes.values() if r.shared), None)
    if shared is not None:
        owner = next((c for c, r in slab.part(ONE).supports.routes.items() if r.post == shared and not r.shared), None)
        if owner is not None:
            with pytest.raises(BadJob, match="carries other"):
                with_tip_moved(slab, ONE, stages, owner, UNDER)


def test_copies_try_the_same_tip_mirrored_ones_too(slab: Job, stages: Stages) -> None:
    several = with_count(slab, ONE, 3, (30.0, 22.0), 4.0)
    plate = several.plates[0]
    first, second, third = plate.placements
    several = several.replated(replace(plate, placements=(first, replace(second, mirrored=True), replace(third, turn_deg=90.0))))
    seen = predict(several, stages, fine(0.2))
    after = with_tip(several, ONE, stages, UNDER, 0.5)
    told = tried(seen, after, ONE, stages)
    found = predict(after, stages, fine(0.2)).verdict
    new = after.part(ONE).supports.contacts[-1].id
    mine = [t for t in found.tips if t.contact == new]
    assert len(mine) == 3 and all(t.touches for t in mine)
    assert told.load_n == pytest.approx(mine[0].worst_load_n, rel=0.03) and told.after == pytest.approx(
        found.hold_margin, rel=0.03
    )


def test_the_least_held_are_told_the_weakest_first(slab: Job, stages: Stages) -> None:
    thin = with_tips_sized(slab, ONE, {c.id: 0.2 for c in slab.part(ONE).supports.contacts})
    seen = predict(thin, stages, fine(0.2))
    told = least_held(seen, thin.bench)
    margins = [margin for _, margin in told]
    assert margins == sorted(margins) and margins[0] == pytest.approx(seen.verdict.hold_margin)
    assert all(m < thin.bench.supports.wanted_margin for m in margins)
    assert least_held(predict(slab, stages, fine(0.2)), slab.bench) == ()


def feet_of(job: Job) -> dict[str, np.ndarray]:
    """Where the foot of each contact stands."""
    return {c: np.array(r.foot_mm) for c, r in job.part(ONE).supports.routes.items()}


@pytest.mark.parametrize("by", [(2.5, 0.0), (-1.5, 3.0), (0.0, -4.0)])
def test_a_foot_is_moved_with_all_that_its_post_carries_and_nothing_else(
    by: tuple[float, float], slab: Job, stages: Stages, bench: Bench
) -> None:
    """The tips stay where they are; their twigs lean no more than allowed, and the rest keeps its ids and its feet."""
    before = slab.part(ONE).supports
    contact = max(before.contacts, key=lambda c: c.z_mm).id
    route = before.routes[contact]
    matrix = placing(stages.cut(slab.part(ONE)), slab.part(ONE).pose)
    there = np.array([route.foot_mm[0] + by[0], route.foot_mm[1] + by[1], 0.0])
    moved = with_foot_moved(slab, ONE, stages, route.post, matrix[:3, :3].T @ (there - matrix[:3, 3]))
    after = moved.part(ONE).supports.checked("moved")
    assert [(c.id, c.spot_mm.tolist(), c.diameter_mm) for c in after.contacts] == [
        (c.id, c.spot_mm.tolist(), c.diameter_mm) for c in before.contacts
    ]
    went = {c for c, r in before.routes.items() if r.post == route.post}
    steepest = np.tan(np.radians(bench.supports.steepest_twig_deg))
    for id, foot in feet_of(moved).items():
        if id not in went:
            assert foot == pytest.approx(feet_of(slab)[id])
            continue
        assert foot == pytest.approx(there, abs=1e-6)
        now = after.routes[id]
        assert now.joint_mm == pytest.approx(before.routes[id].joint_mm)
        lean = np.subtract(now.joint_mm, now.top_mm)
        assert np.hypot(lean[0], lean[1]) <= lean[2] * steepest + 1e-6
    margin = predict(moved, stages, fine(0.2)).verdict.hold_margin
    assert margin is not None and margin > 0.5 * weakest(slab, stages)


@pytest.mark.parametrize("by_mm", [-1.0, -0.4, 50.0])
def test_a_joint_slides_along_its_post_no_higher_than_its_twig_may_lean(
    by_mm: float, slab: Job, stages: Stages, bench: Bench
) -> None:
    """Of a post that carries several, one twig meets it elsewhere; tips, feet and all other joints stay, and what is carried."""
    before = slab.part(ONE).supports
    slanted = [(c, r) for c, r in before.routes.items() if r.shared and r.twig_mm > 1]
    contact, route = max(slanted, key=lambda one: one[1].top_mm[2])  # well above the foot
    matrix = placing(stages.cut(slab.part(ONE)), slab.part(ONE).pose)
    there = np.array([0.0, 0.0, route.top_mm[2] + by_mm])
    after = with_joint_moved(slab, ONE, stages, contact, matrix[:3, :3].T @ (there - matrix[:3, 3])).part(ONE).supports
    after.checked("moved")
    assert [(c.id, c.spot_mm.tolist(), c.diameter_mm) for c in after.contacts] == [
        (c.id, c.spot_mm.tolist(), c.diameter_mm) for c in before.contacts
    ]
    away = np.hypot(route.joint_mm[0] - route.top_mm[0], route.joint_mm[1] - route.top_mm[1])
    highest = route.joint_mm[2] - away / np.tan(np.radians(bench.supports.steepest_twig_deg))
    assert after.routes[contact].top_mm == pytest.approx((*route.top_mm[:2], min(there[2], highest)))
    for id, own in before.routes.items():
        assert after.routes[id].foot_mm == pytest.approx(own.foot_mm) and after.routes[id].joint_mm == pytest.approx(own.joint_mm)
        assert id == contact or after.routes[id].top_mm == pytest.approx(own.top_mm)
    low = np.array([0.0, 0.0, 0.5])
    with pytest.raises(BadJob, match="no twig leads clear"):
        with_joint_moved(slab, ONE, stages, contact, matrix[:3, :3].T @ (low - matrix[:3, 3]))
    straight = next(c for c, r in before.routes.items() if r.twig_mm < 0.01)
    with pytest.raises(BadJob, match="no twig leads clear"):
        with_joint_moved(slab, ONE, stages, straight, matrix[:3, :3].T @ (there - matrix[:3, 3]))


def test_a_foot_too_far_for_any_twig_or_on_the_part_stays_where_it_is(slab: Job, stages: Stages) -> None:
    post = slab.part(ONE).supports.posts[0].id
    with pytest.raises(BadJob, match="no twig leads clear"):
        with_foot_moved(slab, ONE, stages, post, np.array([60.0, 0.0, 0.0]))


@pytest.mark.parametrize("height_mm", [7.5, 9.0, 12.0, 60.0])
def test_a_joint_slides_on_a_post_that_stands_on_the_part(height_mm: float, stages: Stages, bench: Bench) -> None:
    """Between two plates: as high as its twig may lean, a millimetre over the foot at least, and no plate below is in its way."""
    two = [
        trimesh.creation.box((30, 20, 3)).apply_translation((0, 0, 1.5)),
        trimesh.creation.box((30, 20, 3)).apply_translation((0, 0, 14.5)),
        trimesh.creation.box((3, 20, 16)).apply_translation((13.5, 0, 8)),
    ]
    route = Route((-4, 0, 16), (-4, 0, 14.5), (-6, 0, 10), (-6, 0, 6), False)
    supports = Supports().with_route(route, 0.4, Need())
    solid = as_source(as_mesh(trimesh.boolean.union(two, engine="manifold")))
    job = job_of("Two", bench, (Part(id=ONE, name="Two", source=solid, pose=Pose(gap_mm=3.0), supports=supports),))
    matrix = placing(stages.cut(job.part(ONE)), job.part(ONE).pose)
    (contact,) = supports.routes

    def moved_to(z_mm: float) -> Route:
        there = matrix[:3, :3].T @ (np.array([0.0, 0.0, z_mm]) - matrix[:3, 3])
        return with_joint_moved(job, ONE, stages, contact, there).part(ONE).supports.checked("moved").routes[contact]

    highest = 14.5 - 2 / np.tan(np.radians(bench.supports.steepest_twig_deg))
    now = moved_to(height_mm)
    assert now.top_mm == pytest.approx((-6, 0, min(height_mm, highest)))
    assert now.foot_mm == pytest.approx((-6, 0, 6)) and not now.on_plate
    with pytest.raises(BadJob, match="no twig leads clear"):
        moved_to(6.9)
