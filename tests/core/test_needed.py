"""Every tip of a proposal is needed: what is lost without it, one after the other."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import moved, set_down, turned
from reference.further import further
from wideberth.core.bench import Bench
from wideberth.core.loads import SPECK_PULL_N, Loads, undersides_of
from wideberth.core.model import Closest
from wideberth.core.support import Need, NeedKind, Supports, propose_tips, touches, tuning
from wideberth.core.support.bearing import Trial, least
from wideberth.core.support.room import room_of
from wideberth.core.support.routing import find_route
from wideberth.core.support.thinning import Asked, Bounds
from wideberth.core.support.tuning import _without_idle, newly_adrift, without_idle


def comb() -> trimesh.Trimesh:
    """Six teeth that each begin in mid-liquid."""
    teeth = [moved(trimesh.creation.box((2, 5, 10)), -15 + 6 * n, 0, -6.9) for n in range(6)]
    return trimesh.boolean.union([trimesh.creation.box((36, 5, 4)), *teeth], engine="manifold")


NEEDED = {
    "slab": lambda: turned(trimesh.creation.box((28, 18, 6)), 25, (1, 0.4, 0)),
    "torus": lambda: turned(trimesh.creation.torus(12, 3.5), 50, (1, 0.2, 0)),
    "capsule": lambda: turned(trimesh.creation.capsule(14, 5), 70, (0, 1, 0)),
    "comb": comb,
}


@pytest.mark.parametrize("name", ["comb", *further(["slab", "torus", "capsule"])])
def test_every_tip_of_a_proposal_is_needed(name: str, bench: Bench) -> None:
    """Whichever is taken away alone: a margin falls under the wanted one, a beginning, an underside or a neck is held less well,
    something hangs less steadily, or the plate holds less than it should."""
    mesh = set_down(NEEDED[name](), 5.0)
    supports = propose_tips(mesh, bench).supports
    trial, settings = Trial(mesh, bench), bench.supports
    under = undersides_of(mesh, bench.print.layer_height_mm, bench.laws.young_layers)
    asked = Asked(trial.printed(supports), trial.borne(supports), under, bench, {}, {})
    held = touches(supports, settings, 0, 0.0, 0.0)
    kept, alone = replace(Bounds.of(held, asked), least=settings.wanted_margin), asked.alone_under(held)
    assert kept.hold(held, asked)
    for contact in supports.contacts:
        rest = supports.without((contact.id,))
        holds = len(rest.contacts) >= 3 and kept.hold(touches(rest, settings, 0, 0.0, 0.0), asked)
        plate = holds and np.nanmin(trial.borne(rest).plate_margin) >= 1.6
        assert contact.id in alone or not (holds and plate), contact


@pytest.mark.prove
@pytest.mark.parametrize("degrees", [25, *further([8, 60, 140])])
def test_what_no_tip_may_reach_loosens_nothing_else(degrees: float, bench: Bench) -> None:
    """A ball of 2.4 mm beside a slab, under which a tip was refused, hangs on nothing; the slab's own tips hold as much as is
    wanted all the same."""
    slab = turned(trimesh.creation.box((28, 18, 6)), degrees, (1, 0.4, 0))
    ball = moved(trimesh.creation.icosphere(3, 1.2), 24, 0, 0)
    mesh = set_down(trimesh.util.concatenate([slab, ball]), 5.0)
    lowest = mesh.points[mesh.points[:, 0] > mesh.high[0] - 2.4]
    refused = lowest[[lowest[:, 2].argmin()]]
    supports, trial = propose_tips(mesh, bench, refused_mm=refused).supports, Trial(mesh, bench)
    borne = trial.borne(supports)
    assert borne.unheld_n.max() > 0.1 and np.nanmin(borne.hold_margin) == 0
    assert borne.tip_margin.min() >= 0.97 * bench.supports.wanted_margin
    assert len(supports.contacts) > 3


def test_a_piece_that_was_lost_before_is_not_lost_anew() -> None:
    """Pulls on what hangs on nothing, layer by layer: a run of layers counts anew only where none of it did so before."""
    before, after = np.array([0, 0, 0.5, 0, 0, 0, 0]), np.array([0, 0.3, 0.9, 0.4, 0, 0, 0.1, 0.2])
    assert newly_adrift(before, after).tolist() == [False] * 6 + [True, True]
    assert newly_adrift(np.zeros(3), after).tolist() == (after > 0).tolist()
    assert not newly_adrift(before, before).any() and not newly_adrift(before, np.full(8, 0.01)).any()


@pytest.mark.parametrize("degrees", [0, *further([35, 90, 200])])
def test_a_beginning_under_the_rim_of_a_tip_is_lost_with_it(degrees: float, bench: Bench) -> None:
    """A slab with two pins, 0.2 mm apart, the wide one lower by 0.2 mm: two tips stand under that, and one of them reaches under
    the narrow one by its rim, which nobody else does, however near. What is told of the others without it is what the engine
    finds then."""
    slab = moved(trimesh.creation.box((24, 16, 4)), 0, 0, 10.5)
    pins = [
        moved(trimesh.creation.box((1.6, 0.6, 3.6)), -0.2, 0, 6.8),
        moved(trimesh.creation.box((0.3, 0.6, 3.4)), 0.95, 0, 6.9),
    ]
    turn = np.array(trimesh.transformations.rotation_matrix(np.radians(degrees), (0, 0, 1)))
    mesh = set_down(trimesh.boolean.union([slab, *pins], engine="manifold").apply_transform(turn), 5.0)
    room, supports = room_of(mesh, bench.supports), Supports()
    for x, y, z in ((0.45, 0, 5.0), (-0.7, 0, 5.0), (-10, -6, 8.5), (10, -6, 8.5), (-10, 6, 8.5), (10, 6, 8.5)):
        at = (turn @ [x, y, z, 1.0])[:3]
        route = find_route(at, np.array([0.0, 0.0, -1.0]), room.clearance, bench.supports, supports)
        assert route is not None
        supports = supports.with_route(route, 0.8, Need(NeedKind.UNDERSIDE))
    trial, rim = Trial(mesh, bench), supports.contacts[0].id
    under, borne = undersides_of(mesh, bench.print.layer_height_mm, bench.laws.young_layers), trial.borne(supports)
    asked = Asked(trial.printed(supports), borne, under, bench, {}, {})
    assert len(asked.printed.islands) == 2 and borne.unheld_n.max() == 0
    assert asked.alone_under(touches(supports, bench.supports, 0, 0.0, 0.0)) == {rim}
    rest = supports.without((rim,))
    told = borne.part_pulls.tug(touches(rest, bench.supports, 0, 0.0, 0.0)).shared.unheld_n
    found = trial.borne(rest).unheld_n
    assert found.max() > SPECK_PULL_N and np.allclose(told[: len(found)], found, atol=1e-6)


@pytest.mark.prove
def test_the_tip_whose_pad_holds_a_pin_to_the_plate_is_found_by_halves(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    """A slanting slab also stands on a pin of 0.42 mm. Of 50 tips most idle, and so does one on whose pad the pin stands, but for
    the plate: without it the pin alone holds less than it should. The same tips go as where the plate is looked at at each step,
    in fewer looks."""
    slab = turned(trimesh.creation.box((30, 24, 5)), 50, (0, 1, 0))
    slab.apply_translation((0, 0, 5 - slab.bounds[0, 2]))
    high = float(slab.bounds[:, 2].mean())
    pin = moved(trimesh.creation.box((0.42, 0.42, high)), -0.5, 4, 0.5 * high)
    mesh = set_down(trimesh.boolean.union([slab, pin], engine="manifold"), 0.0)
    room, surface, settings = room_of(mesh, bench.supports), Closest(mesh), bench.supports

    def with_tip(supports: Supports, x: float, y: float, beside: Supports) -> Supports:
        start = np.array([[x, y, -1.0]])
        at = start + [0.0, 0.0, surface.first_hit(start, np.array([[0.0, 0.0, 1.0]]), 1e-6)[0]]
        route = find_route(at[0], mesh.normals[surface.nearest(at)[1][0]], room.clearance, settings, beside)
        return supports if route is None else supports.with_route(route, 0.8, Need(NeedKind.UNDERSIDE))

    supports = Supports()
    for x in (-9.0, -7.0, -5.0, 3.0, 5.0, 7.0, 9.0):
        for y in (-9.0, -6.0, -3.0, 0.0, 8.0, 10.0):
            supports = with_tip(supports, x, y, supports)
    supports = with_tip(supports, 0.9, 4.0, Supports())  # on a post of its own
    on_its_pad = supports.contacts[-1].id
    trial, looked_at = Trial(mesh, bench), set()
    under = undersides_of(mesh, bench.print.layer_height_mm, bench.laws.young_layers)
    grip, borne = 0.97 * 1.6, trial.borne
    assert least(borne(supports).plate_margin) > 1.6 > least(borne(supports.without((on_its_pad,))).plate_margin)

    def look(asked: Supports, coarser: int = 1) -> Loads:
        looked_at.add(asked)
        return borne(asked, coarser)

    monkeypatch.setattr(trial, "borne", look)
    left, looks = without_idle(supports, trial, under, {}), len(looked_at)
    looked_at.clear()
    at_each = _without_idle(supports, trial, under, {}, lambda rest: least(trial.borne(rest).plate_margin) >= grip, set())
    assert set(left.contact) == set(at_each[-1].contact) and on_its_pad in left.contact
    assert len(left.contacts) < 0.3 * len(supports.contacts) and least(borne(left).plate_margin) >= grip
    assert looks < 0.6 * len(looked_at), (looks, len(looked_at))
    looked_at.clear()
    monkeypatch.setattr(tuning, "MOST_LOOKS", 0)  # in doubt it stays, and the plate holds all the same
    monkeypatch.setattr(tuning, "BY_HALVES", 1)
    doubted = without_idle(supports, trial, under, {})
    assert set(left.contact) <= set(doubted.contact) and least(borne(doubted).plate_margin) >= grip
    assert len(looked_at) < looks


def test_what_tips_do_to_the_plate_is_seen_where_something_else_holds_less(bench: Bench) -> None:
    """A slab on a foot of 2 x 2 mm carries a column with a beam on four tips: where the slab begins the foot alone holds it, tips
    or none. That hides nothing of what fewer tips do to the plate higher up."""
    boxes = ((2, 2, 4, 9, 2), (26, 26, 2, 0, 4), (4, 4, 22, 0, 14), (44, 6, 2, 0, 24))
    solids = [moved(trimesh.creation.box((x, y, z)), 0, off, at) for x, y, z, off, at in boxes]
    mesh = set_down(trimesh.boolean.union(solids, engine="manifold"), 0.0)
    room, supports = room_of(mesh, bench.supports), Supports()
    for x, y in ((-20, -2), (-20, 2), (20, -2), (20, 2)):
        route = find_route(np.array([x, y, 23.0]), np.array([0.0, 0.0, -1.0]), room.clearance, bench.supports, supports)
        assert route is not None
        supports = supports.with_route(route, 0.8, Need(NeedKind.UNDERSIDE))
    trial, fewer = Trial(mesh, bench), supports.without((supports.contacts[0].id,))
    hidden = [least(trial.borne(s).plate_margin) for s in (supports, fewer)]
    assert hidden[0] == pytest.approx(hidden[1], rel=1e-6)
    before, after = trial.borne(supports), trial.borne(fewer)
    assert trial.grip(supports, before, 1.6) == 1 and trial.grip(fewer, after, 1.6) == 1
    assert trial.grip(fewer, before, 9.0) < 0.9 and trial.grip(supports, after, 9.0) > 0.97
