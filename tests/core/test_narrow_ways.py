"""The model's own narrow ways against the laws: slits, bores, notches, gaps between posts and parts, necks, turned and tilted."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import scipy
import trimesh

from conftest import as_mesh, moved, printed_of, set_down, turned, weightless
from wideberth.core.bench import Bench
from wideberth.core.errors import Cancelled
from wideberth.core.layers import OPEN, VENTED, Bore, Printed, doors
from wideberth.core.loads import Loads, hole_resistance, loads
from wideberth.core.progress import Progress
from wideberth.core.verdict.judge import _unknown_findings

MU, LIFT, FOLLOW, SEAL_PA = 0.2, 1.0, 0.5, 60_000.0


@pytest.mark.parametrize("share", [0.02, 0.1, 0.2])
@pytest.mark.parametrize("seed", range(4))
def test_cells_beside_doors_are_grouped_and_thickened_as_by_images(share: float, seed: int) -> None:
    """By labels and dilation of the whole grid."""
    shape = (9, 31, 27)
    on = np.random.default_rng(seed).random(shape) < share
    cells = np.flatnonzero(on)
    names = doors._clusters(cells, shape)
    label, count = scipy.ndimage.label(on, np.ones((3, 3, 3)))
    np.testing.assert_array_equal(names, label.reshape(-1)[cells] - 1)
    filled, wanted = np.where(on, label - 1, -1).astype(np.int32), np.where(on, label - 1, -1).astype(np.int32)
    for name in range(count):
        wanted[scipy.ndimage.binary_dilation(label == name + 1, np.ones((1, 3, 3))) & (wanted < 0)] = name
    doors._thicken(filled, cells, names)
    np.testing.assert_array_equal(filled, wanted)


@pytest.mark.parametrize(("z_mm", "remedy"), [((1.2, 2.9), "move a tip"), ((1.2, 3.1), "Drill a hole"), ((3.4,), "Drill a hole")])
def test_nobody_is_told_to_drill_a_hole_where_only_supports_are(z_mm: tuple[float, ...], remedy: str, bench: Bench) -> None:
    """A ball 3 mm over the plate, with ways through which no flow was found."""
    printed = printed_of(as_mesh(moved(trimesh.creation.icosphere(3, 5), 0, 0, 8)))
    printed.__dict__["_swept"] = replace(printed._swept, unknown=tuple((1.0, 2.0, z) for z in z_mm))
    (found,) = _unknown_findings(printed, bench.house)
    assert remedy in found.remedy and len(found.spots) == len(z_mm)


def cut(body: trimesh.Trimesh, *tools: trimesh.Trimesh) -> trimesh.Trimesh:
    return trimesh.boolean.difference([body, *tools], engine="manifold")


def cup(across: float, wall: float, tall: float, *tools: trimesh.Trimesh, floor: float = 2.0) -> trimesh.Trimesh:
    """A round cup on the plate, open towards the film, less some tools."""
    outer = moved(trimesh.creation.cylinder(across / 2, tall, sections=256), 0, 0, tall / 2)
    room = moved(trimesh.creation.cylinder(across / 2 - wall, tall, sections=256), 0, 0, tall / 2 + floor)
    return cut(outer, room, *tools)


def slit(wide: float, across: float, wall: float, tall: float, floor: float = 2.0) -> trimesh.Trimesh:
    """Through the wall at +x, from the floor to the rim."""
    return moved(trimesh.creation.box((wall + 4, wide, tall)), across / 2 - wall / 2, 0, floor + tall / 2)


def bore(diameter: float, across: float, wall: float, z: float) -> trimesh.Trimesh:
    """Level, through the wall at +x."""
    made = turned(trimesh.creation.cylinder(diameter / 2, wall + 4, sections=64), 90, (0, 1, 0))
    return moved(made, across / 2 - wall / 2, 0, z)


def bore_law(diameter: float, wall: float) -> float:
    """Flow per pressure at unit viscosity: Poiseuille and Sampson, physics.md 3."""
    r = diameter / 2
    return 1 / (8 * wall / (np.pi * r**4) + 3 / r**3)


def slit_law(wide: float, high: float, wall: float) -> float:
    """Plane Poiseuille flow between walls, ended above and below (F. M. White, Viscous Fluid Flow, 2006, 3-3.3)."""
    a, b = sorted((wide, high))
    odd = np.arange(1, 60, 2)
    ends = 1 - 192 * a / (np.pi**5 * b) * (np.tanh(odd * np.pi * b / (2 * a)) / odd**5).sum()
    return float(b * a**3 / (12 * wall) * ends)


def closely(solid: trimesh.Trimesh, pitch: float = 0.1, layer: float = 0.05, **kept: object) -> Printed:
    return printed_of(set_down(solid), pitch, layer, **kept).looked_closer()  # type: ignore[arg-type]


def under_pressure(area: float, conductance: float) -> float:
    """What a cup's lift leaves [Pa], by hand; the seal gives at 60 kPa."""
    return min(SEAL_PA, (1 - FOLLOW) * area * LIFT * MU / conductance)


def pressure_pa(printed: Printed, bench: Bench, layer: int) -> float:
    found = loads(printed, weightless(bench))
    return float(1000 * found.suction.pressure_kpa[printed.openings.layer == layer].max(initial=0.0))


@pytest.mark.parametrize(
    ("wide", "wall", "turn", "pitch"),
    [
        (0.2, 2.0, 17, 0.1),
        (0.2, 3.0, 0, 0.2),
        (0.3, 8.0, 45, 0.1),
        (0.3, 3.0, 30, 0.05),
        (0.5, 4.0, 17, 0.2),
        (1.0, 2.0, 30, 0.1),
        (1.5, 2.0, 45, 0.2),
        (1.5, 6.0, 17, 0.1),
    ],
)
def test_slit_from_floor_to_rim_passes_what_the_gap_law_says(wide: float, wall: float, turn: float, pitch: float) -> None:
    solid = turned(cup(40, wall, 12, slit(wide, 40, wall, 12)), turn, (0, 0, 1))
    ways = closely(solid, pitch).ways
    assert ways.count == 1
    for layer in (120, 200, 239):
        law = slit_law(wide, (layer + 1) * 0.05 - 2.0, wall)
        assert ways.conductance_mm3[0, layer] == pytest.approx(law, rel=0.25)


@pytest.mark.parametrize(
    ("diameter", "wall", "turn", "pitch"),
    [
        (1.0, 2.0, 17, 0.1),
        (1.0, 8.0, 30, 0.1),
        (1.5, 3.0, 45, 0.05),
        (1.5, 3.0, 30, 0.2),
        (3.0, 2.0, 0, 0.2),
        (4.0, 8.0, 17, 0.1),
        (4.0, 2.0, 30, 0.1),
    ],
)
def test_bore_passes_what_poiseuille_and_sampson_say(diameter: float, wall: float, turn: float, pitch: float) -> None:
    solid = turned(cup(40, wall, 12, bore(diameter, 40, wall, 5.0)), turn, (0, 0, 1))
    ways = closely(solid, pitch).ways
    assert ways.count == 1
    assert ways.conductance_mm3[0, -1] == pytest.approx(bore_law(diameter, wall), rel=0.25)
    assert (ways.conductance_mm3[0, : int((5 - diameter / 2) / 0.05) - 1] == 0).all()


@pytest.mark.parametrize("turn", [0, 30])
def test_tilted_cup_breathes_through_its_bore(turn: float) -> None:
    solid = turned(turned(cup(40, 3, 24, bore(2.0, 40, 3, 5.0)), turn, (0, 0, 1)), 20, (1, 0, 0))
    ways = closely(solid, 0.1).ways
    assert ways.conductance_mm3[:, 320].max() == pytest.approx(bore_law(2.0, 3.0), rel=0.25)


def test_large_cup_with_a_slit_pulls_as_the_law_says(bench: Bench) -> None:
    """74 mm, wall 3: sealed by a slit of 0.3 mm at first, 48 N by one of 0.5 mm at 10 mm, 6 N by one of 1 mm."""
    area = np.pi * 34**2
    for wide in (0.3, 0.5, 1.0):
        printed = closely(cup(74, 3, 12, slit(wide, 74, 3, 12)))
        for layer in (60, 200):
            by_hand = under_pressure(area, slit_law(wide, (layer + 1) * 0.05 - 2, 3))
            assert pressure_pa(printed, bench, layer) == pytest.approx(by_hand, rel=0.25)
        assert (printed.openings.state[printed.openings.layer == 200] == VENTED).all()


def test_small_cup_breathes_through_a_bore_too(bench: Bench) -> None:
    printed = closely(cup(20, 2, 12, bore(1.5, 20, 2, 5.0)))
    by_hand = under_pressure(np.pi * 64, bore_law(1.5, 2))
    found = loads(printed, weightless(bench)).suction_n[220]
    assert found == pytest.approx(by_hand * np.pi * 64e-6, rel=0.25)


def test_notch_vents_by_its_slot_first(bench: Bench) -> None:
    """4 mm wide, from 10 mm up to the rim: sealed below, ∫H³dy/(12 μ L) while it is low, as good as open after two
    millimetres."""
    printed = closely(cup(40, 3, 14, moved(trimesh.creation.box((8, 4, 8)), 19, 0, 14)))
    area = np.pi * 17**2
    assert pressure_pa(printed, bench, 199) == pytest.approx(SEAL_PA, rel=0.01)
    for layer in (205, 208, 212, 216):
        high = (layer + 1) * 0.05 - 10
        by_hand = under_pressure(area, 4 * high**3 / (12 * 3))
        assert pressure_pa(printed, bench, layer) == pytest.approx(by_hand, rel=0.3)
    assert pressure_pa(printed, bench, 260) < 300


def test_two_parts_that_all_but_touch_breathe_through_the_slit_between_them(bench: Bench) -> None:
    """Two halves of a square tube 0.3 mm apart, on a common floor: two slits side by side."""
    floor = moved(trimesh.creation.box((30, 30, 2)), 0, 0, 1)
    walls = cut(
        moved(trimesh.creation.box((30, 30, 10)), 0, 0, 6.99),
        moved(trimesh.creation.box((22, 22, 20)), 0, 0, 7),
        moved(trimesh.creation.box((40, 0.3, 30)), 0, 0, 15),
    )
    solid = trimesh.boolean.union([floor, walls], engine="manifold")
    for turn in (0, 30):
        printed = closely(turned(solid, turn, (0, 0, 1)))
        assert printed.ways.count == 2
        by_hand = under_pressure(22 * 22, 2 * slit_law(0.3, 161 * 0.05 - 2.0, 4.0))
        assert pressure_pa(printed, bench, 160) == pytest.approx(by_hand, rel=0.25)


def ring_of_posts(gap: float) -> tuple[trimesh.Trimesh, float]:
    """An upturned bowl with a thick rim on square posts on the plate; and what all its gaps pass."""
    radius, post, high = 12.0, 3.0, 4.0
    count = int(2 * np.pi * radius / (2.0 + gap))
    width = 2 * np.pi * radius / count - gap
    posts = []
    for n in range(count):
        one = moved(trimesh.creation.box((post, width, high)), radius, 0, high / 2)
        posts.append(turned(one, 360 * n / count, (0, 0, 1)))
    wall = cut(
        moved(trimesh.creation.cylinder(13.5, 4.0, sections=128), 0, 0, high + 2 - 0.01),
        moved(trimesh.creation.cylinder(10.5, 12.0, sections=128), 0, 0, high + 2),
    )
    r = np.linspace(10.5, 13.5, 400)
    across = 2 * r * np.sin(np.pi / count) - width * np.cos(np.pi / count)  # the posts are straight, so the gaps are wedges
    one = 1 / np.mean([1 / slit_law(w, high, 3.0) for w in across])
    return trimesh.boolean.union([wall, *posts], engine="manifold"), count * one


@pytest.mark.parametrize("gap", [0.45, 0.6])
def test_ring_of_posts_lets_in_what_all_its_gaps_do(gap: float, bench: Bench) -> None:
    """Gaps of 4 mm height side by side; a single one would take twenty times the pressure."""
    solid, conductance = ring_of_posts(gap)
    by_hand = under_pressure(np.pi * 10.5**2, conductance)
    assert pressure_pa(closely(solid), bench, 130) == pytest.approx(by_hand, rel=0.25)


def test_wide_ways_are_simply_open(bench: Bench) -> None:
    """A gate of 6 x 10 mm in the wall: no cup, no suction once it is there."""
    printed = closely(cup(40, 4, 16, moved(trimesh.creation.box((10, 6, 14)), 19, 0, 9)))
    assert pressure_pa(printed, bench, 200) < 100
    assert (printed.openings.state[printed.openings.layer == 200] == OPEN).all()


def test_hole_in_one_chamber_behind_a_neck_to_the_other(bench: Bench) -> None:
    """Chamber A has the hole, chamber B opens to the film; between them a bore of 2 mm: both resist in a row."""
    outer = moved(trimesh.creation.box((40, 18, 24)), 0, 0, 12)
    a, b = moved(trimesh.creation.box((12, 12, 8)), -12, 0, 8), moved(trimesh.creation.box((14, 12, 24)), 10, 0, 16)
    neck = moved(turned(trimesh.creation.cylinder(1.0, 14.0, sections=64), 90, (0, 1, 0)), -1.5, 0, 8.0)
    drill = set_down(outer)
    drill_mesh = moved(turned(trimesh.creation.cylinder(1.5, 8.0, sections=64), 90, (0, 1, 0)), -20.0, 0, 8.0)
    hole = Bore(0, 0, (-20.0, 0.0, 8.0), (1.0, 0.0, 0.0), 1.5, 2.0, (-21.5, 0.0, 8.0), (-16.5, 0.0, 8.0))
    drill = type(drill)(np.asarray(drill_mesh.vertices, float), np.asarray(drill_mesh.faces, np.int32))
    printed = closely(cut(outer, a, b, neck), layer=0.1, drill=drill, bores=(hole,))
    q = (1 - FOLLOW) * 14 * 12 * LIFT
    by_hand = q * (hole_resistance(1.5, 2.0, MU) + MU / bore_law(2.0, 9.0))
    assert pressure_pa(printed, bench, 200) == pytest.approx(by_hand, rel=0.25)
    found: Loads = loads(printed, weightless(bench))
    taken = found.suction.narrow_kpa[printed.openings.layer == 200].max() * 1000
    assert taken == pytest.approx(q * MU / bore_law(2.0, 9.0), rel=0.25)
    blind = replace(printed, narrow=False)
    assert pressure_pa(blind, bench, 200) == pytest.approx(q * hole_resistance(1.5, 2.0, MU), rel=0.02)


def test_tilted_rim_makes_no_ways_of_its_own() -> None:
    solid = turned(cup(40, 3, 20), 20, (0, 1, 0))
    assert closely(solid).ways.count == 0


def test_looking_closer_can_be_cancelled() -> None:
    printed = printed_of(set_down(cup(40, 3, 12, bore(2, 40, 3, 5))))
    progress = Progress(lambda share, phrase: progress.cancel() if share > 0.1 else None)
    with pytest.raises(Cancelled):
        printed.looked_closer(progress)
