"""Tips that go where all are quicker to finish, and pads that carry nothing: beside every choice there is, by what they keep."""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, set_down, turned
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.job import job_of, taken_in
from wideberth.core.loads import undersides_of
from wideberth.core.model import Mesh
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages
from wideberth.core.progress import quiet
from wideberth.core.propose import propose_support
from wideberth.core.support import Need, NeedKind, Supports, propose_tips, touches
from wideberth.core.support.bearing import Trial, least
from wideberth.core.support.routing import Clearance, find_route
from wideberth.core.support.shifting import Pool, shifted
from wideberth.core.support.spots import Spots
from wideberth.core.support.standing import Tilting, feet_of, outriggers, with_outriggers
from wideberth.core.support.thinning import Asked
from wideberth.core.support.tuning import narrowed, sized_anew


def lens(leaning_deg: float, about: tuple[float, float, float]) -> Mesh:
    """A flat lens of 20 × 26 × 9 mm, which needs no tip for its undersides' sake but a few."""
    ball = trimesh.creation.icosphere(4, 1.0)
    ball.apply_scale((10.0, 13.0, 4.5))
    return set_down(turned(ball, leaning_deg, about), 5.0)


def spots_under(mesh: Mesh, bench: Bench, rng: np.random.Generator, many: int) -> Pool:
    """Its lowest spot, and others of its underside by chance, well apart."""
    middles = mesh.corners.mean(axis=1)
    chosen = [int(middles[:, 2].argmin())]
    for face in rng.permutation(np.flatnonzero(mesh.normals[:, 2] < -0.6)):
        if all(np.linalg.norm(middles[face] - middles[other]) > 2.5 for other in chosen) and len(chosen) < many:
            chosen.append(int(face))
    spots = Spots(middles[chosen], mesh.normals[chosen], [NeedKind.UNDERSIDE] * len(chosen))
    return Pool(spots, np.ones(len(chosen)), 30.0)


def carried(points: list[int], pool: Pool, room: Clearance, bench: Bench) -> Supports:
    supports = Supports()
    for n in points:
        route = find_route(pool.spots.points[n], pool.spots.normals[n], room, bench.supports, Supports())
        assert route is not None
        supports = supports.with_route(route, 0.8, Need(NeedKind.UNDERSIDE))
    return supports


@pytest.mark.parametrize(("leaning", "seed"), [(10.0, 5), *further([(5.0, 2)], True)])
def test_tips_go_about_where_the_best_of_all_choices_has_them(leaning: float, seed: int, bench: Bench) -> None:
    """Three tips besides one under the beginning, from the dearest choice of spots that holds: more than half is saved of what
    the quickest choice of all would save."""
    mesh, rng = lens(leaning, (1, 0.4, 0)), np.random.default_rng(seed)
    trial, room = Trial(mesh, bench), Clearance(mesh, bench.supports)
    pool = spots_under(mesh, bench, rng, 12)
    under = undersides_of(mesh, bench.print.layer_height_mm, bench.laws.young_layers)
    any_three = carried([0, 1, 2, 3], pool, room, bench)
    asked = Asked(trial.printed(any_three), trial.borne(any_three), under, bench, {}, {})
    hold = []
    for three in combinations(range(1, len(pool.spots.points)), 3):
        made = asked.fitted(carried([0, *three], pool, room, bench))
        tug = asked.tug(touches(made, bench.supports, 0, 0.0, 0.0))
        if asked.weakest(tug) >= 2.1 and tug.shared.unsteady.max() <= 1.0:
            hold.append((asked.minutes(made), three))
    best, dearest = min(hold), max(hold)
    start, _ = sized_anew(carried([0, *dearest[1]], pool, room, bench), trial)
    after = shifted(start, trial, under, {}, pool, room, quiet())
    assert best[0] < 0.9 * asked.minutes(start)
    assert asked.minutes(after) <= 0.5 * (best[0] + asked.minutes(start))
    tug = asked.tug(touches(after, bench.supports, 0, 0.0, 0.0))
    assert asked.weakest(tug) >= 2.0 and tug.shared.unsteady.max() <= 1.0


@pytest.mark.parametrize("way", [(0.0, 1.0), *further([(1.0, 0.0), (-1.0, 0.0), (0.0, -1.0)])])
def test_a_face_on_which_marks_are_dear_is_left(way: tuple[float, float], bench: Bench) -> None:
    """Marks on one side take five times as long: minutes there fall, and what is held is held as well."""
    mesh, rng = lens(10.0, (0.3, 1, 0)), np.random.default_rng(11)
    trial, room = Trial(mesh, bench), Clearance(mesh, bench.supports)
    pool = spots_under(mesh, bench, rng, 40)
    start = propose_tips(mesh, bench).supports
    under = undersides_of(mesh, bench.print.layer_height_mm, bench.laws.young_layers)
    times = {c.id: 5.0 if c.spot_mm[:2] @ way > 0 else 1.0 for c in start.contacts}
    pool = replace(pool, times=np.where(pool.spots.points[:, :2] @ way > 0, 5.0, 1.0))
    after = shifted(start, trial, under, times, pool, room, quiet())
    assert [c.id for c in after.contacts] == [c.id for c in start.contacts]

    def area_there(supports: Supports) -> float:
        return sum(c.diameter_mm**2 for c in supports.contacts if c.spot_mm[:2] @ way > 0)

    assert area_there(after) < 0.9 * area_there(start)
    assert least(trial.borne(after).hold_margin) >= 0.97 * min(least(trial.borne(start).hold_margin), 2.1)


def test_pinned_tips_and_those_set_by_hand_stay(bench: Bench) -> None:
    mesh, rng = lens(20.0, (1, 0, 0)), np.random.default_rng(3)
    trial, room = Trial(mesh, bench), Clearance(mesh, bench.supports)
    pool = spots_under(mesh, bench, rng, 12)
    start = carried([0, 1, 2, 3], pool, room, bench)
    start = replace(start, contacts=tuple(replace(c, pinned=n < 2) for n, c in enumerate(start.contacts)))
    start = start.needed_for({c.id: Need(NeedKind.BY_HAND) for c in start.contacts[2:]})
    under = undersides_of(mesh, bench.print.layer_height_mm, bench.laws.young_layers)
    assert shifted(start, trial, under, {}, pool, room, quiet()) == start


@pytest.mark.prove
def test_where_some_are_pinned_the_others_go_and_these_keep_their_size(bench: Bench) -> None:
    """The dear side again, with one tip of 0.71 mm pinned there."""
    mesh = lens(10.0, (0.3, 1, 0))
    trial, room = Trial(mesh, bench), Clearance(mesh, bench.supports)
    pool = spots_under(mesh, bench, np.random.default_rng(11), 40)
    pool = replace(pool, times=np.where(pool.spots.points[:, 1] > 0, 5.0, 1.0))
    start = propose_tips(mesh, bench).supports
    dear = [c.id for c in start.contacts if c.y_mm > 0]
    start = start.sized(dict.fromkeys(dear[:1], 0.71))
    start = replace(start, contacts=tuple(replace(c, pinned=c.id in dear[:1]) for c in start.contacts))
    under = undersides_of(mesh, bench.print.layer_height_mm, bench.laws.young_layers)
    after = shifted(start, trial, under, {c.id: 5.0 if c.y_mm > 0 else 1.0 for c in start.contacts}, pool, room, quiet())
    assert after.bare.contact[dear[0]] == start.bare.contact[dear[0]]
    assert any((after.contact[c.id].spot_mm != c.spot_mm).any() for c in start.contacts)


def test_a_single_tip_has_no_other_to_keep_clear_of(bench: Bench) -> None:
    """The nearest spots in their order, with nobody beside."""
    mesh = lens(10.0, (1, 0, 0))
    pool = spots_under(mesh, bench, np.random.default_rng(2), 8)
    one = carried([0], pool, Clearance(mesh, bench.supports), bench)
    away = np.linalg.norm(pool.spots.points - one.contacts[0].spot_mm, axis=1)
    assert pool.near(one.contacts[0], one, 3, 0.8) == [int(n) for n in np.argsort(away) if away[n] > 5e-4][:3]


@pytest.mark.parametrize("turn", [0.0, 50.0])
def test_pads_that_carry_nothing_are_as_few_and_near_as_the_plate_asks(turn: float, bench: Bench) -> None:
    """None where it holds without; where it does not, one less or one nearer would hold too little."""
    mesh = set_down(turned(trimesh.creation.box((44, 5, 30)), turn, (0, 0, 1)), 5.0)
    supports, trial = propose_tips(mesh, bench).supports.without_outriggers(), Trial(mesh, bench)
    pad = bench.supports.pad_mm
    tilting = Tilting.by((borne := trial.borne(supports)).part_pulls.tug().pulls, borne.layers)
    feet = feet_of(supports)
    wide = with_outriggers(supports, outriggers(feet, tilting, 0.4 * tilting.hardest_n(feet, pad), pad))
    made = narrowed(wide, trial)
    grip = min(1.05 * bench.supports.wanted_margin, least(trial.borne(wide).plate_margin))
    assert least(trial.borne(made).plate_margin) >= grip
    if least(trial.borne(supports).plate_margin) >= grip:
        assert made.outriggers == ()
    else:
        assert len(made.outriggers) in (1, 2)


@pytest.mark.prove
def test_proposed_twice_is_proposed_once(bench: Bench) -> None:
    """What an earlier proposal stood on is not kept under the next."""
    part = taken_in(as_source(as_mesh(trimesh.creation.capsule(26, 7))))
    job, stages = job_of("capsule", bench, (replace(part, pose=Pose(turned_xyz(0, 40, 0), 6.0)),)), Stages()
    once = propose_support(job, ONE, stages).job
    wide = once.with_part(replace(once.part(ONE), supports=once.part(ONE).supports.with_outrigger(30.0, 0.0)))
    again = propose_support(wide, ONE, stages).job
    first, second = (
        [(c.x_mm, c.y_mm, c.z_mm, c.diameter_mm) for c in made.part(ONE).supports.contacts] for made in (once, again)
    )
    assert second == first
    assert feet_of(again.part(ONE).supports) == pytest.approx(feet_of(once.part(ONE).supports))
