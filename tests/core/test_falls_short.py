"""Where proposed tips hold less than is wanted, the proposal says so: as many as the verdict counts, why, and what would help."""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, moved
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.job import Job, Part, Refused, job_of
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Prediction, Stages, predict
from wideberth.core.progress import quiet
from wideberth.core.propose import Proposal, propose_support
from wideberth.core.propose.judged import Company, as_judged_alone, grown_to_shares, piece_middle, thicker, under_beginnings
from wideberth.core.propose.rooming import room_around
from wideberth.core.support import Supports, Want, with_company


def slab_job(bench: Bench, *more: trimesh.Trimesh, degrees: float = 12.0) -> Job:
    solid = trimesh.util.concatenate([trimesh.creation.box((26, 18, 5)), *more])
    return job_of("Slab", bench, (Part("Slab", as_source(as_mesh(solid)), pose=Pose(turned_xyz(degrees, 8, 0), 5.0), id=ONE),))


def proposed(job: Job) -> tuple[Proposal, Prediction]:
    stages = Stages()
    made = propose_support(job, ONE, stages)
    return made, predict(made.job, stages)


@pytest.mark.prove
@pytest.mark.parametrize(("largest_mm", "degrees"), [(0.35, 60.0), *further([(0.3, 12.0)], of_several=True)])
def test_tips_too_thin_for_what_is_wanted_are_counted(largest_mm: float, degrees: float, bench: Bench) -> None:
    """No tip may be thicker than so, and so much of the pull falls on each that some hold less than is wanted."""
    thin = bench.with_value("supports.largest_tip_mm", largest_mm).with_value("supports.tip_mm", 0.3)
    thin = thin.with_value("supports.wanted_margin", 6.0)
    made, seen = proposed(slab_job(thin, degrees=degrees))
    weak = [tip.margin for tip in seen.verdict.tips if tip.margin < 0.99 * 6.0]
    assert weak
    told = re.search(r"(\d+) tips? holds? less than ×6, the weakest ×([\d.]+): it is as thick as allowed", made.why)
    assert told is not None, made.why
    assert int(told[1]) == len(weak) and float(told[2]) == pytest.approx(min(weak), abs=0.005)
    assert made.why.startswith(f"{len(seen.verdict.tips)} tips: ")


@pytest.mark.prove
def test_what_holds_needs_no_word(bench: Bench) -> None:
    made, seen = proposed(slab_job(bench))
    assert seen.verdict.hold_margin is not None and seen.verdict.hold_margin >= bench.supports.wanted_margin
    assert "hold less" not in made.why and "hangs on nothing" not in made.why
    assert ("The plate holds" in made.why) == (seen.verdict.plate_margin < 0.99 * bench.supports.wanted_margin)


@pytest.mark.prove
def test_a_beginning_where_a_tip_was_refused_stays_without_and_is_told(bench: Bench) -> None:
    """A ball of 2.4 mm beside the slab: the tip under it is refused, none comes back, and the ball hangs on nothing."""
    job = slab_job(bench, moved(trimesh.creation.icosphere(3, 1.2), 22, 0, 0))
    first, _ = proposed(job)
    ball = max(first.job.part(ONE).supports.contacts, key=lambda c: c.x_mm)
    x, y, z = (float(v) for v in ball.spot_mm)
    made, seen = proposed(job.with_part(replace(job.part(ONE), refused=(Refused("support", spot_mm=(x, y, z)),))))
    spots = np.array([c.spot_mm for c in made.job.part(ONE).supports.contacts])
    assert np.linalg.norm(spots - ball.spot_mm, axis=1).min() >= 2.0
    assert sum(not island.supported for island in seen.verdict.islands) == 1
    assert "mm on a piece hangs on nothing; turn the part" in made.why
    assert min(tip.margin for tip in seen.verdict.tips) >= 0.97 * bench.supports.wanted_margin


@pytest.mark.parametrize("seed", [0, *further([2, 6])])
def test_each_beginning_gets_a_tip_the_ends_of_needles_too(seed: int, bench: Bench) -> None:
    """A slab with leaning needles under it, and no tips yet: what lies nearest to where a needle begins may look up."""
    rng, bodies = np.random.default_rng(seed), [trimesh.creation.box((20, 14, 4))]
    for number in range(4):
        lean, turn = np.radians(rng.uniform(35, 60)), rng.uniform(0, 2 * np.pi)
        needle = trimesh.creation.cone(rng.uniform(0.25, 0.5), 9, sections=int(rng.integers(5, 12))).apply_translation((0, 0, -1))
        way = (np.sin(lean) * np.cos(turn), np.sin(lean) * np.sin(turn), -np.cos(lean))
        needle.apply_transform(trimesh.geometry.align_vectors((0, 0, 1), way))
        bodies.append(needle.apply_translation((-7.5 + 5 * number, rng.uniform(-4, 4), -1.2)))
    solid, stages = as_mesh(trimesh.boolean.union(bodies, engine="manifold")), Stages()
    job = job_of("Needles", bench, (Part("Needles", as_source(solid), pose=Pose(gap_mm=4.0), id=ONE),))
    seen = as_judged_alone(job, ONE, stages, quiet())
    begin = np.array([(i.x_mm, i.y_mm, i.z_mm) for i in seen.verdict.islands]) - seen.solids[0].shift_mm
    made = under_beginnings(seen.job.parts[0], seen, stages, np.empty((0, 3)))
    tips = np.array([c.spot_mm for c in made.contacts])
    assert len(begin) >= 4 and len(tips) == len(begin)
    away = np.linalg.norm(begin[:, None] - tips[None], axis=2)
    assert away.min(axis=1).max() < 0.5
    # refused a little farther from a beginning than a tip may come to it, behind where its tip would stand
    off = tips - begin[away.argmin(axis=0)]
    refused = tips + 1.98 * off / np.linalg.norm(off, axis=1, keepdims=True)
    assert np.linalg.norm(refused - begin[away.argmin(axis=0)], axis=1).min() >= 1.98
    fewer = under_beginnings(seen.job.parts[0], seen, stages, refused)
    for tip in fewer.contacts:
        assert np.linalg.norm(refused - tip.spot_mm, axis=1).min() >= 2.0


def test_a_slab_of_which_every_spot_is_refused_is_not_told_to_need_nothing(bench: Bench) -> None:
    """Hung 5 mm up it hangs on nothing; set down on the plate there is nothing to hold."""
    job, every_2_mm = slab_job(bench), itertools.product(range(-14, 15, 2), range(-10, 11, 2))
    every = tuple(Refused("support", spot_mm=(float(x), float(y), 5.0)) for x, y in every_2_mm)
    hung = replace(job.part(ONE), pose=Pose(turned_xyz(0, 0, 0), 5.0), refused=every)
    made, seen = proposed(job.with_part(hung))
    assert not seen.verdict.tips and not made.needed
    assert made.why.startswith("no tip. ") and "hangs on nothing" in made.why
    down, _ = proposed(job.with_part(replace(hung, pose=Pose(turned_xyz(0, 0, 0), 0.0), refused=())))
    assert down.why == "nothing to hold" and not down.needed


@pytest.mark.prove
def test_a_thin_tip_that_is_pinned_is_named_as_what_is_weak(bench: Bench) -> None:
    first, _ = proposed(slab_job(bench))
    part = first.job.part(ONE)
    most = max(part.supports.contacts, key=lambda c: c.need.carries_n)
    pinned = tuple(replace(c, pinned=True, diameter_mm=0.2) if c.id == most.id else c for c in part.supports.contacts)
    made, seen = proposed(first.job.with_part(replace(part, supports=replace(part.supports, contacts=pinned))))
    weakest = min(seen.verdict.tips, key=lambda tip: tip.margin)
    assert made.job.part(ONE).supports.contact[weakest.contact].pinned
    assert f"the weakest ×{weakest.margin:.2f}: it is pinned; unpin it" in made.why


@pytest.mark.prove
def test_company_that_does_not_help_goes_again_and_none_more_comes(bench: Bench) -> None:
    """Tips as thick as allowed that are to hold more than they can get company. A verdict that finds as little held as before has
    it go again, and asks for none there any more; one that finds more held has it stay."""
    bench = bench.with_value("supports.largest_tip_mm", 0.4).with_value("supports.tip_mm", 0.3)
    first, _ = proposed(slab_job(bench, degrees=60.0))
    job, stages = replace(first.job, bench=bench.with_value("supports.wanted_margin", 6.0)), Stages()
    alone = as_judged_alone(job, ONE, stages, quiet())
    before = alone.job.parts[0].supports
    none = np.empty((0, 3))
    company = Company(stages, none)
    more = company.beside(before, alone, more=True)
    assert len(more.contacts) > len(before.contacts)
    assert company.beside(more, alone, more=True) == more  # it comes thin, and is told once it has grown
    assert company.beside(more, alone, more=True).contacts == before.contacts
    company = Company(stages, none)
    more = company.beside(before, alone, more=True)
    for _ in range(2):
        held = as_judged_alone(job.with_part(replace(job.part(ONE), supports=more)), ONE, stages, quiet())
        more = company.beside(thicker(held, stages).job.parts[0].supports, held, more=False)
    assert min(t.margin for t in held.verdict.tips) > 1.01 * min(t.margin for t in alone.verdict.tips)
    assert len(more.contacts) > len(before.contacts)


@pytest.mark.parametrize("degrees", [12.0, *further([35.0, 60.0])])
def test_tips_grow_at_once_to_what_predictions_would_have_them_grow_to(degrees: float, bench: Bench) -> None:
    """Every second tip made as thin as may be, one of them pinned: on the pulls of the prediction before, they grow to what
    predictions one after the other ask for, but for a step; pinned it stays, and none gets thinner."""
    bench = bench.with_value("supports.wanted_margin", 4.0)
    first, _ = proposed(slab_job(bench, degrees=degrees))
    stages, part = Stages(), first.job.part(ONE)
    seen = as_judged_alone(first.job, ONE, stages, quiet())
    thinned = part.supports.sized({c.id: bench.supports.smallest_tip_mm for c in part.supports.contacts[::2]})
    pinned = thinned.contacts[0].id
    thin = replace(thinned, contacts=tuple(replace(c, pinned=c.id == pinned) for c in thinned.contacts))
    at_once, job = grown_to_shares(thin, seen), first.job.with_part(replace(part, supports=thin))
    for _ in range(8):
        grown = thicker(as_judged_alone(job, ONE, stages, quiet()), stages).job.parts[0].supports
        if grown == job.part(ONE).supports:
            break
        job = job.with_part(replace(part, supports=grown))
    slowly = job.part(ONE).supports.contact
    assert any(c.diameter_mm > thin.contact[c.id].diameter_mm + 0.1 for c in at_once.contacts)
    assert at_once.contact[pinned].diameter_mm == bench.supports.smallest_tip_mm
    for c in at_once.contacts:
        assert c.diameter_mm >= thin.contact[c.id].diameter_mm
        assert c.diameter_mm == pytest.approx(slowly[c.id].diameter_mm, abs=0.026)


@pytest.mark.parametrize("layer", [10, *further([105, 130])])
def test_company_is_looked_for_around_the_middle_of_what_hangs_unsteadily(layer: int, bench: Bench) -> None:
    """Of the tilted slab's section, cut by another library; where nothing hangs on a tip yet, around the tip."""
    first, _ = proposed(slab_job(bench))
    seen = as_judged_alone(first.job, ONE, Stages(), quiet())
    part, outer = seen.job.parts[0], seen.solids[0].outer
    cut = trimesh.Trimesh(outer.points, outer.faces).section((0, 0, 1), (0, 0, (layer + 0.5) * seen.layer_mm))
    for number, contact in enumerate(part.supports.contacts):
        there = piece_middle(seen, number, layer)
        if cut is None or contact.z_mm > (layer + 1) * seen.layer_mm:
            assert there == pytest.approx(contact.spot_mm)
        elif contact.z_mm < layer * seen.layer_mm:
            (loop,) = cut.discrete
            a, b = loop[:-1, :2], loop[1:, :2]
            twice = a[:, 0] * b[:, 1] - b[:, 0] * a[:, 1]
            assert there[:2] == pytest.approx(((a + b) * twice[:, None]).sum(axis=0) / (3 * twice.sum()), abs=0.05)


@pytest.mark.prove
def test_company_comes_to_the_nearest_spot_that_does_and_else_to_those_that_help_most(bench: Bench) -> None:
    """Judged by where it stands alone, so that what ought to come is known: the nearest, none, the next beyond another, or the
    farthest of all that are tried."""
    first, _ = proposed(slab_job(bench, degrees=60.0))
    part, stages = first.job.part(ONE), Stages()
    room, outer = room_around(part, stages, bench), stages.solids(part.unsupported(), bench.supports).outer
    free = np.zeros(len(outer.faces), bool)
    lonely = max(part.supports.contacts, key=lambda c: (c.x_mm, c.y_mm))

    def added(lacks: Callable[[float], float]) -> list[float]:
        """How far off those stand that come where the farthest off decides what lacks."""

        def lack(supports: Supports) -> float:
            new = [c for c in supports.contacts if c.id not in part.supports.contact]
            return lacks(max((float(np.linalg.norm(c.spot_mm - lonely.spot_mm)) for c in new), default=0.0))

        want = Want(lonely.spot_mm, np.inf, lack)
        made, (came,) = with_company(part.supports, [want], room, bench, np.empty((0, 3)), outer, free)
        assert {c.id for c in made.contacts} == {*part.supports.contact} | came
        return [float(np.linalg.norm(made.contact[id].spot_mm - lonely.spot_mm)) for id in sorted(came)]

    (nearest,) = added(lambda far_mm: 1.0 if far_mm > 0 else 2.0)
    assert not added(lambda _: 2.0)
    reached = [nearest]
    while beyond := added(lambda far_mm, last_mm=reached[-1]: 1.0 if far_mm > last_mm + 1e-6 else 2.0):
        assert len(beyond) == 1 and beyond[0] > reached[-1]
        reached += beyond
    assert len(reached) >= 3
    assert added(lambda far_mm: 1e6 - far_mm) == pytest.approx(reached[-1:])
    want = Want(lonely.spot_mm, np.inf, lambda supports: 2.0 - (supports != part.supports))
    made, (came,) = with_company(part.supports, [want], room, bench, np.empty((0, 3)), outer, free)
    (there,) = (made.contact[id].spot_mm for id in came)
    hole = np.array([[*there, 1.0]])
    drilled, beside_mm = replace(room, mouths_mm=hole), 1.0 + 0.5 * bench.supports.tip_mm
    made, (came,) = with_company(part.supports, [want], drilled, bench, np.empty((0, 3)), outer, free)
    assert np.linalg.norm(made.contact[min(came)].spot_mm - there) >= beside_mm  # beside a hole, not in it
    assert added(lambda far_mm: 2 + far_mm if far_mm else 1e6) == [nearest]
