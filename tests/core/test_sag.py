"""Sag and curl between tips, by the plate laws."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from conftest import as_mesh, moved, set_down, turned
from wideberth.core.bench import Bench
from wideberth.core.layers import Touch
from wideberth.core.loads import FREE_EDGE, GRID, ROW, Sag, ceilings_of, edge_curl_mm, plate_sag_mm, sag_of, undersides_of
from wideberth.core.model import Mesh

PULL = np.full(2000, 0.02)
GAP = 5.0


def tips(spots: list[tuple[float, float]], diameter: float = 0.02) -> tuple[Touch, ...]:
    return tuple(Touch(0, f"contact-{i}", x, y, GAP, diameter, 0.1, GAP, 1.2, x, y, GAP) for i, (x, y) in enumerate(spots))


def slab(x: float, y: float) -> Mesh:
    """A fine-meshed slab of 3 mm, its underside 5 mm above the plate."""
    box = trimesh.creation.box((x, y, 3))
    return set_down(box.subdivide_to_size(1.0), GAP)


def sags(mesh: Mesh, held: tuple[Touch, ...], bench: Bench) -> Sag:
    """A mesh's undersides under the same pull everywhere."""
    return sag_of(undersides_of(mesh, bench.print.layer_height_mm, bench.laws.young_layers), held, PULL, bench)


def nearest(found: Sag, x: float, y: float) -> int:
    return int(np.hypot(found.points_mm[:, 0] - x, found.points_mm[:, 1] - y).argmin())


def test_laws_by_hand() -> None:
    """p 0.02, E 400, h 0.25: a reach of 2 mm, a span of 6, a grid of 5; the curl of 2 mm in a layer of 0.05."""
    assert plate_sag_mm(FREE_EDGE, 0.02, 2.0, 0.25, 400) == pytest.approx(3 * 0.02 * 16 / (2 * 400 * 0.25**3))
    assert plate_sag_mm(ROW, 0.02, 3.0, 0.25, 400) == pytest.approx(0.02 * 6**4 / (32 * 400 * 0.25**3))
    assert plate_sag_mm(GRID, 0.02, 5 / np.sqrt(2), 0.25, 400) == pytest.approx(0.06 * 0.02 * 625 / (400 * 0.25**3))
    assert edge_curl_mm(2.0, 0.25, 0.05, 0.005) == pytest.approx(6 * 0.005 * 0.05 * 0.2 / 0.25**3 * 2)


def test_flat_face_on_a_grid_of_tips_sags_most_in_its_middle(bench: Bench) -> None:
    found = sags(slab(20, 20), tips([(x, y) for x in (-6, 0, 6) for y in (-6, 0, 6)]), bench)
    middle = nearest(found, 3.0, 3.0)
    assert found.kind[middle] == GRID
    assert found.sag_mm[middle] == pytest.approx(plate_sag_mm(GRID, 0.02, 6 / np.sqrt(2), 0.25, 400), rel=0.25)
    assert found.sag_mm[nearest(found, 0.0, 0.0)] < 0.2 * found.sag_mm[middle]
    edge = nearest(found, 10.0, 0.0)
    assert found.kind[edge] == FREE_EDGE
    assert found.reach_mm[edge] == pytest.approx(4.0, abs=0.3)
    assert found.curl_mm[edge] > found.curl_mm[middle] == 0


def test_ceiling_between_two_walls_is_a_clamped_span(bench: Bench) -> None:
    """A tunnel 8 mm wide and 30 long: its ceiling is held by both walls."""
    block = trimesh.creation.box((14, 30, 12))
    tunnel = trimesh.boolean.difference([block, moved(trimesh.creation.box((8, 40, 8)), 0, 0, -2)], engine="manifold")
    mesh = set_down(tunnel.subdivide_to_size(1.0), 0.0)
    found = sags(mesh, (), bench)
    middle = nearest(found, 0.0, 0.0)
    assert found.kind[middle] == ROW
    assert found.reach_mm[middle] == pytest.approx(4.0, abs=0.5)
    assert found.sag_mm[middle] == pytest.approx(0.02 * 8**4 / (32 * 400 * 0.25**3), rel=0.5)


def test_ceiling_of_a_chamber_sags_between_its_walls_and_bars_hold_it(bench: Bench) -> None:
    """A chamber of 8 x 40 mm, its ceiling level: a clamped span of 8 mm; a bar along its middle leaves two of 3.5 mm."""
    room = set_down(trimesh.creation.box((8, 40, 10)).subdivide_to_size(1.0), 2.0)
    young = (bench.print.layer_height_mm, bench.laws.young_layers)
    found = sag_of(ceilings_of(room, None, *young), (), PULL, bench)
    assert found.inside.all()
    assert found.points_mm[:, 2] == pytest.approx(np.full(len(found.points_mm), 12.0))
    middle = nearest(found, 0.0, 0.0)
    assert found.kind[middle] == ROW
    assert found.sag_mm[middle] == pytest.approx(0.02 * 8**4 / (32 * 400 * 0.25**3), rel=0.5)
    bar = set_down(trimesh.creation.box((1, 44, 10)), 3.0)
    held = sag_of(ceilings_of(room, bar, *young), (), PULL, bench)
    between = nearest(held, 2.2, 0.0)
    x = held.points_mm[between, 0]
    near = min(x - 0.5, 4.0 - x)  # to the bar or to the wall
    assert near == pytest.approx(1.75, abs=0.35)
    assert held.reach_mm[between] == pytest.approx(near, abs=0.05)
    assert held.sag_mm[between] == pytest.approx(0.02 * (2 * near) ** 4 / (32 * 400 * 0.25**3), rel=0.1)


def test_slopes_carry_themselves(bench: Bench) -> None:
    """A box leaning 40°: what was printed before is near everywhere, but for its lowest edge."""
    mesh = set_down(turned(trimesh.creation.box((20, 20, 20)).subdivide_to_size(1.0), 40, (0, 1, 0)), GAP)
    found = sags(mesh, (), bench)
    high = found.points_mm[:, 2] > GAP + 2
    assert high.sum() > 100
    assert np.maximum(found.sag_mm, found.curl_mm)[high].max() < 0.05
    assert found.region[high].max() == -1


def test_ball_on_enough_tips_is_quiet_and_a_flat_face_on_few_is_told(bench: Bench) -> None:
    few = sags(slab(24, 24), tips([(-8, -8), (8, 8), (-8, 8), (8, -8)]), bench)
    assert few.regions >= 1
    worst = int(few.sag_mm.argmax())
    assert few.sag_mm[worst] > bench.print.layer_height_mm
    many = sags(slab(12, 12), tips([(x, y) for x in np.arange(-5.5, 6, 2.2) for y in np.arange(-5.5, 6, 2.2)]), bench)
    assert many.regions == 0


def test_more_tips_never_make_a_surface_sag_more_where_it_is_held_all_round(bench: Bench) -> None:
    four = [(x, y) for x in (-8, 0, 8) for y in (-8, 0, 8)]
    before = sags(slab(20, 20), tips(four), bench)
    after = sags(slab(20, 20), tips([*four, (4, 4)]), bench)
    assert (after.reach_mm <= before.reach_mm + 1e-9).all()
    assert after.sag_mm[nearest(after, 4, 4)] < 0.2 * before.sag_mm[nearest(before, 4, 4)]


def test_nothing_down_facing_nothing_said(bench: Bench) -> None:
    found = sags(as_mesh(moved(trimesh.creation.box((10, 10, 4)), 0, 0, 2)), (), bench)
    assert len(found.points_mm) == 0 and found.regions == 0


def test_sag_ends_where_plate_theory_does(bench: Bench) -> None:
    """A ball of 1 mm on nothing: nothing carries it for as far as it reaches, and no sag of metres is told."""
    ball = set_down(trimesh.creation.icosphere(4, 0.5), GAP)
    found = sags(ball, (), bench)
    assert len(found.reach_mm) and found.reach_mm.max() < 1.0
    assert (found.sag_mm <= 0.1 * found.reach_mm + 1e-9).all()


def test_ledge_without_tips_is_carried_by_nothing_for_its_own_length(bench: Bench) -> None:
    """A slab 60 mm long in mid-liquid, and one of 200: the reach told is theirs, capped nowhere."""
    for long in (60.0, 200.0):
        found = sags(slab(long, 8), (), bench)
        assert found.beyond.all()
        assert found.reach_mm.max() == pytest.approx(np.hypot(long, 8), rel=0.06)


def test_spots_depend_on_the_surface_alone(bench: Bench) -> None:
    """Shuffled, subdivided and moved, a box has the same spots and the same sag."""
    box = turned(trimesh.creation.box((24, 16, 6)), 12, (1, 0.4, 0.2))
    chance = np.random.default_rng(2)
    plain = sags(set_down(box, GAP), (), bench)
    shuffled = trimesh.Trimesh(box.vertices, box.faces[chance.permutation(12)], process=False)
    far = box.copy()
    far.apply_translation((31.37, -12.21, 4.4))
    for other in (shuffled, box.subdivide().subdivide(), far):
        found = sags(set_down(other, GAP), (), bench)
        assert found.points_mm == pytest.approx(plain.points_mm, abs=1e-6)
        assert found.sag_mm == pytest.approx(plain.sag_mm, rel=1e-6)


@pytest.mark.prove
def test_tips_tried_without_others_are_looked_at_once(bench: Bench) -> None:
    """Any of a hundred tips, few or many gone, thinner, or others altogether: to the bit as where no others ever were."""
    chance = np.random.default_rng(7)
    under = undersides_of(slab(40, 30), bench.print.layer_height_mm, bench.laws.young_layers)

    def alone(held: tuple[Touch, ...]) -> Sag:
        fresh = undersides_of(slab(40, 30), bench.print.layer_height_mm, bench.laws.young_layers)
        return sag_of(fresh, held, PULL, bench)

    places = [(float(x), float(y)) for x, y in chance.uniform((-20, -15), (20, 15), (100, 2))]
    for held in (tips(places), tips(places, 1.0), tips([(x + 0.3, y) for x, y in places])):
        for share in (1.0, 0.8, 0.3, 0.05):
            some = tuple(t for t in held if chance.random() < share)
            found, anew = sag_of(under, some, PULL, bench), alone(some)
            assert np.array_equal(found.reach_mm, anew.reach_mm) and np.array_equal(found.kind, anew.kind)
            assert np.array_equal(found.sag_mm, anew.sag_mm) and np.array_equal(found.region, anew.region)


def test_where_nothing_is_to_be_told_by_regions_none_are_grouped(bench: Bench) -> None:
    under = undersides_of(slab(20, 20), bench.print.layer_height_mm, bench.laws.young_layers)
    told, plain = (sag_of(under, tips([(0.0, 0.0)]), PULL, bench, grouped=grouped) for grouped in (True, False))
    assert told.regions > 0 and plain.regions == 0 and np.array_equal(told.sag_mm, plain.sag_mm)
