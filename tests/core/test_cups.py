"""Cups, traps and suction, with areas, volumes and forces computed by hand."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh
from scipy.integrate import quad

from conftest import as_mesh, bowl, moved, printed_of, set_down, tube_with_floor, turned
from wideberth.core.bench import Bench
from wideberth.core.layers import OPEN, SEALED, VENTED, Bore, Printed
from wideberth.core.loads import air_flow_factor, hole_resistance, loads
from wideberth.core.model import Mesh
from wideberth.core.verdict import judge

T = 0.05
ROOM = np.pi * 15**2


def states(printed: Printed) -> dict[int, int]:
    """State of the one cup at each layer where there is one."""
    o = printed.openings
    return {int(k): int(s) for k, s in zip(o.layer, o.state, strict=True)}


@pytest.mark.parametrize("turn", [0, 33, 90])
def test_bowl_on_its_rim_is_a_sealed_cup_whatever_way_one_looks(turn: float) -> None:
    printed = printed_of(set_down(turned(bowl(), turn, (0, 0, 1))))
    found = states(printed)
    assert set(found.values()) == {SEALED}
    assert min(found) == 0
    assert max(found) == pytest.approx(15 / T - 1, abs=1)
    assert printed.openings.area_mm2[0] == pytest.approx(ROOM, rel=5e-3)
    # half a ball of void, up to its last layer
    assert printed.openings.volume_mm3[-1] == pytest.approx(2 / 3 * np.pi * 15**3, rel=5e-3)


def test_bowl_off_the_plate_holds_no_trap() -> None:
    assert printed_of(set_down(bowl())).traps == []


def test_bowl_on_posts_is_not_a_sealed_cup() -> None:
    posts = [
        moved(trimesh.creation.cylinder(0.6, 2.2, sections=24), 16 * np.cos(a), 16 * np.sin(a), 1.1)
        for a in np.linspace(0, 2 * np.pi, 12, endpoint=False)
    ]
    printed = printed_of(set_down(bowl(), 2.0), supports=as_mesh(trimesh.util.concatenate(posts)))
    assert printed.openings.count == 0
    assert printed.traps == []


def test_bowl_closed_by_its_posts_alone_is_a_cup() -> None:
    """Rings of closely set supports count: here a skirt of supports down to the plate."""
    skirt = moved(trimesh.creation.annulus(15.2, 16.8, 2.2, sections=128), 0, 0, 1.1)
    printed = printed_of(set_down(bowl(), 2.0), supports=as_mesh(skirt))
    assert set(states(printed).values()) == {SEALED}
    assert min(states(printed)) == 0


def test_vase_is_a_cup_above_its_floor_until_the_end() -> None:
    printed = printed_of(set_down(tube_with_floor()))
    found = states(printed)
    assert sorted(found) == list(range(40, 600))
    assert set(found.values()) == {SEALED}
    assert printed.openings.area_mm2 == pytest.approx(np.full(560, ROOM), rel=2e-3)
    assert printed.openings.volume_mm3[-1] == pytest.approx(ROOM * 28, rel=2e-3)
    assert printed.traps == []


def vase_with_hole(diameter: float = 2.0, lower_edge: float = 5.0) -> Printed:
    """The vase, floor 2 mm, with a level hole through its 2 mm wall; lower edge 3 mm above the floor."""
    z = lower_edge + diameter / 2
    drill = moved(turned(trimesh.creation.cylinder(diameter / 2, 6, sections=96), 90, (0, 1, 0)), 16, 0, z)
    hole = Bore(0, 0, (17.0, 0, z), (-1.0, 0, 0), diameter / 2, 2.0, (18.0, 0, z), (14.0, 0, z))
    return printed_of(set_down(tube_with_floor()), drill=as_mesh(drill), bores=(hole,))


def test_vase_with_a_hole_is_sealed_then_open_then_vented() -> None:
    found = states(vase_with_hole())
    assert {k for k, s in found.items() if s == SEALED} == set(range(40, 100))
    assert {k for k, s in found.items() if s == OPEN} == set(range(100, 140))
    assert {k for k, s in found.items() if s == VENTED} == set(range(140, 600))


def test_suction_of_the_vase_by_hand(bench: Bench) -> None:
    """Sealed: 60 kPa on 707 mm². Vented: 0.5 A v through 8 μ L/(π r⁴) + 3 μ/r³."""
    printed = vase_with_hole()
    pull = loads(printed, bench).suction_n
    assert pull[60] == pytest.approx(0.060 * ROOM, rel=2e-3)
    resistance = 8 * 0.2 * 2 / (np.pi * 1**4) + 3 * 0.2 / 1**3
    pascal = 0.5 * ROOM * 1.0 * resistance
    assert pascal == pytest.approx(570, abs=5)
    assert pull[200] == pytest.approx(pascal * 1e-6 * ROOM, rel=5e-3)
    assert pull[200] == pytest.approx(0.40, abs=0.005)


def test_hole_is_a_slot_while_it_is_printed_and_the_smaller_flow_counts(bench: Bench) -> None:
    """∫H³ dy / (12 μ L) with H from the circle's lower edge to the film, by quadrature; never more than the whole hole passes."""
    found = loads(vase_with_hole(), bench)
    flow = 0.5 * ROOM * 1.0

    def by_hand(layer: int) -> float:
        top = (layer + 1) * T - 5.0  # above the hole's lower edge

        def cube(y: float) -> float:
            return max(0.0, min(top - (1 - np.sqrt(1 - y * y)), 2 * np.sqrt(1 - y * y))) ** 3

        slot = quad(cube, -1, 1, points=[0.0], limit=200)[0] / (12 * 0.2 * 2)
        whole = 1 / (8 * 0.2 * 2 / np.pi + 3 * 0.2)
        return min(flow / min(slot, whole) * 1e-6, 0.060) * ROOM

    for layer in (101, 108, 112, 120, 130):
        assert found.suction_n[layer] == pytest.approx(by_hand(layer), rel=0.02)
    assert found.suction_n[101] == pytest.approx(0.060 * ROOM, rel=2e-3)
    falling = found.suction_n[99:142]
    assert (np.diff(falling) <= 1e-9).all()
    assert by_hand(139) == pytest.approx(found.suction_n[200], rel=5e-3)  # it ends where the hole's own law goes on


def test_hole_above_the_resin_breathes_air(bench: Bench) -> None:
    """25 mm of resin: once the film is more than that above the hole, air comes in and next to nothing pulls."""
    pull = loads(vase_with_hole(), bench).suction_n
    aired = int((6.0 + 25.0) / T)
    assert aired > 599  # this vase is too low for it
    tall = vase_with_hole(lower_edge=3.0)
    shallow = bench.with_value("print.resin_depth_mm", 10.0)
    found = loads(tall, shallow).suction_n
    submerged, above = int(12 / T), int(16 / T)
    flow = 0.5 * ROOM
    drop = (flow / air_flow_factor(1.0, bench)) ** 2
    assert found[submerged] == pytest.approx(pull[300], rel=0.01)
    assert found[above] == pytest.approx(drop * 1e-6 * ROOM, rel=0.01, abs=1e-9)
    assert found[above] < 1e-3 * found[submerged]


def test_gas_in_a_void_gives_however_narrow_its_hole(bench: Bench) -> None:
    """Boyle: p_atm ΔV/(V_gas + ΔV). A pinhole above 10 mm of resin; the gas stands from the vase's floor up to the resin."""
    printed = vase_with_hole(lower_edge=3.0)
    pinhole = replace(printed, bores=(replace(printed.bores[0], radius_mm=0.02),))
    shallow = bench.with_value("print.resin_depth_mm", 10.0)
    found = loads(pinhole, shallow)
    for top in (18.0, 24.0, 29.0):
        layer = round(top / T) - 1
        gas, drawn = ROOM * (top - 10.0 - 2.0), 0.5 * ROOM * bench.print.lift_mm
        row = int(np.flatnonzero(printed.openings.layer == layer)[0])
        assert found.suction.pressure_kpa[row] == pytest.approx(101.3 * drawn / (gas + drawn), rel=5e-3)
    under = loads(pinhole, bench).suction.pressure_kpa
    assert under[row - 100] == pytest.approx(60.0)  # in 25 mm of resin no air comes to it


def test_speed_doubles_a_vented_cups_suction_and_not_a_sealed_ones(bench: Bench) -> None:
    printed = vase_with_hole()
    slow = loads(printed, bench).suction_n
    fast = loads(printed, bench.with_value("print.lift_mm_per_min", 120.0)).suction_n
    assert fast[200] == pytest.approx(2 * slow[200], rel=1e-6)
    assert fast[60] == pytest.approx(slow[60], rel=1e-9)


def test_larger_hole_never_raises_suction(bench: Bench) -> None:
    pulls = [loads(vase_with_hole(d), bench).suction_n[250] for d in (1.0, 2.0, 3.0)]
    assert pulls[0] > pulls[1] > pulls[2]


def test_two_equal_holes_halve_the_pressure(bench: Bench) -> None:
    one = vase_with_hole()
    drill = [moved(turned(trimesh.creation.cylinder(1, 6, sections=96), 90, (0, 1, 0)), x, 0, 6) for x in (16, -16)]
    z = 6.0
    holes = (
        Bore(0, 0, (17.0, 0, z), (-1.0, 0, 0), 1.0, 2.0, (18.0, 0, z), (14.0, 0, z)),
        Bore(0, 1, (-17.0, 0, z), (1.0, 0, 0), 1.0, 2.0, (-18.0, 0, z), (-14.0, 0, z)),
    )
    two = printed_of(set_down(tube_with_floor()), drill=as_mesh(trimesh.util.concatenate(drill)), bores=holes)
    a, b = loads(one, bench), loads(two, bench)
    assert b.suction_n[250] == pytest.approx(0.5 * a.suction_n[250], rel=5e-3)
    vented = two.openings.layer > 140
    assert set(b.suction.vents[vented]) == {2}


def test_hole_that_ends_in_solid_vents_nothing(bench: Bench) -> None:
    """Drilled from outside but not through: the cup stays sealed to the end."""
    z = 6.0
    drill = moved(turned(trimesh.creation.cylinder(1, 3, sections=48), 90, (0, 1, 0)), 17.5, 0, z)
    blind = Bore(0, 0, (17.0, 0, z), (-1.0, 0, 0), 1.0, 1.0, (18.0, 0, z), (15.6, 0, z))
    printed = printed_of(set_down(tube_with_floor()), drill=as_mesh(drill), bores=(blind,))
    assert set(states(printed).values()) == {SEALED}
    assert loads(printed, bench).suction_n[300] == pytest.approx(0.060 * ROOM, rel=2e-3)


def hollow_sphere() -> Mesh:
    outer, inner = trimesh.creation.icosphere(5, 17.0), trimesh.creation.icosphere(5, 15.0)
    inner.invert()
    return set_down(trimesh.util.concatenate([outer, inner]))


def test_closed_hollow_sphere_is_a_cup_and_then_a_trap() -> None:
    printed = printed_of(hollow_sphere())
    found = states(printed)
    assert min(found) == 40
    assert max(found) == 639
    (trap,) = printed.traps
    assert trap.volume_mm3 == pytest.approx(4 / 3 * np.pi * 15**3, rel=5e-3)
    assert (trap.z_from_mm, trap.z_to_mm) == (pytest.approx(2.0, abs=T), pytest.approx(32.0, abs=T))
    assert not trap.shut_by_supports


def test_void_between_supports_is_only_shut_until_cleaned(bench: Bench) -> None:
    slab = moved(trimesh.creation.box((20, 20, 2)), 0, 0, 6)
    shell = trimesh.boolean.difference(
        [moved(trimesh.creation.box((14, 14, 5.2)), 0, 0, 2.6), moved(trimesh.creation.box((10, 10, 4)), 0, 0, 3.2)],
        engine="manifold",
    )
    printed = printed_of(as_mesh(slab), supports=as_mesh(shell))
    (void,) = printed.traps
    assert void.shut_by_supports
    assert void.volume_mm3 == pytest.approx(10 * 10 * 3.8, rel=0.02)
    verdict = judge(printed, loads(printed, bench), bench)
    assert verdict.trapped_ml == 0
    assert [f.code for f in verdict.findings if f.code in ("trap", "shut_until_cleaned")] == ["shut_until_cleaned"]


def test_two_bulbs_joined_by_a_hole_share_one_way_out(bench: Bench) -> None:
    """Chamber B reaches the outside only through chamber A: both are solved together, and B pulls harder than A."""
    block = moved(trimesh.creation.box((40, 16, 30)), 0, 0, 15)
    rooms = [moved(trimesh.creation.box((14, 12, 30)), x, 0, 17) for x in (-9, 9)]
    body = as_mesh(trimesh.boolean.difference([block, *rooms], engine="manifold"))
    z = 4.0
    drills = [moved(turned(trimesh.creation.cylinder(1, 8, sections=64), 90, (0, 1, 0)), x, 0, z) for x in (-18, 0)]
    holes = (
        Bore(0, 0, (-20.0, 0, z), (1.0, 0, 0), 1.0, 4.0, (-21.0, 0, z), (-15.0, 0, z)),
        Bore(0, 1, (-2.0, 0, z), (1.0, 0, 0), 1.0, 4.0, (-3.0, 0, z), (3.0, 0, z)),
    )
    printed = printed_of(body, drill=as_mesh(trimesh.util.concatenate(drills)), bores=holes)
    k = int(20 / T)
    rows = np.flatnonzero(printed.openings.layer == k)
    found = loads(printed, bench)
    order = np.argsort(printed.openings.x_mm[rows])
    near, far = found.suction.pressure_kpa[rows][order]
    # by hand: all of it flows through the first hole, half of it through the second
    resistance = hole_resistance(1.0, 4.0, 0.2)
    flow = 0.5 * 14 * 12
    assert near * 1000 == pytest.approx(2 * flow * resistance, rel=0.01)
    assert (far - near) * 1000 == pytest.approx(flow * resistance, rel=0.01)


def test_small_cups_are_not_worth_a_word(bench: Bench) -> None:
    """A dimple of 2 mm² pulls 0.12 N: nothing is said under 0.5 N."""
    dimple = trimesh.boolean.difference(
        [moved(trimesh.creation.box((20, 20, 6)), 0, 0, 3), moved(trimesh.creation.cylinder(0.8, 4, sections=32), 0, 0, 5)],
        engine="manifold",
    )
    printed = printed_of(as_mesh(dimple))
    verdict = judge(printed, loads(printed, bench), bench)
    assert len(verdict.cups) == 1
    assert verdict.suction_n == pytest.approx(0.060 * np.pi * 0.64, rel=0.05)
    assert not [f for f in verdict.findings if f.code.startswith("cup")]


def test_first_layers_draw_at_their_own_lift_and_speed(bench: Bench) -> None:
    """What breathes through a hole pulls by the speed, its notch and the gas of a void too; layers above are as they were."""
    printed, first = vase_with_hole(lower_edge=2.2), 95
    own = replace(bench.print, first_layers=first, first_lift_mm_per_min=20.0, first_lift_mm=1.5)
    slow, usual = (loads(printed, replace(bench, print=p)) for p in (own, replace(bench.print, first_layers=first)))
    assert slow.suction_n[[65, 80, 94]] == pytest.approx(usual.suction_n[[65, 80, 94]] / 3) and slow.suction_n[94] > 0
    assert np.array_equal(slow.suction_n[first:], usual.suction_n[first:])
    pinhole = replace(printed, bores=(replace(printed.bores[0], radius_mm=0.01),))
    shallow = replace(bench, print=replace(own, resin_depth_mm=0.6))
    row, gas, drawn = int(np.flatnonzero(pinhole.openings.layer == 94)[0]), ROOM * (4.75 - 0.6 - 2), 0.5 * ROOM * 1.5
    assert loads(pinhole, shallow).suction.pressure_kpa[row] == pytest.approx(101.3 * drawn / (gas + drawn), rel=5e-3)
