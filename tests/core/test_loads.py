"""Peel, shares, margins and seconds, by hand."""

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import as_mesh, beam, moved, printed_of, set_down, turned, weightless
from wideberth.core.bench import Bench, move_s
from wideberth.core.layers import Touch
from wideberth.core.loads import bond_factors, layer_seconds, loads, peel_n, plate_strength, settling_s, tip_stiffnesses
from wideberth.core.loads._kernels import Pulled, Springs, share_pulls
from wideberth.core.verdict import judge
from wideberth.core.verdict.finding import beyond


@pytest.mark.parametrize(
    ("solid", "newton"),
    [
        (trimesh.creation.cylinder(20, 3, sections=360), 22.6),
        (trimesh.creation.box((50, 50, 3)), 50.1),
        (trimesh.creation.annulus(18, 20, 3, sections=360), 5.9),
    ],
    ids=["40 mm disc", "50 mm square", "40 mm ring of 2 mm wall"],
)
def test_peel_of_the_three_checks(solid: trimesh.Trimesh, newton: float, bench: Bench) -> None:
    assert loads(printed_of(set_down(solid)), bench).peel_n[-1] == pytest.approx(newton, abs=0.06)


def test_peel_by_its_formula(bench: Bench) -> None:
    """F = γ P + τ A (S/(A ℓ0²))^m (μ/μ0)^n (v/v0)^n, with n = 0.6, m = 0.25."""
    warm = bench.with_value("print.vat_c", 35.0).with_value("print.lift_mm_per_min", 90.0)
    thinner = np.exp(50000 / 8.314462618 * (1 / 308.15 - 1 / 298.15))
    by_hand = 0.02 * 40 + 0.016 * 100 * (0.035144 * 1e4 / (100 * 50)) ** 0.25 * (thinner * 1.5) ** 0.6
    assert peel_n(np.array([100.0]), np.array([40.0]), np.array([0.035144 * 1e4]), warm)[0] == pytest.approx(by_hand)


def test_doubling_the_speed_multiplies_the_viscous_share_by_two_to_the_n(bench: Bench) -> None:
    area, around, squeeze = np.array([300.0]), np.array([0.0]), np.array([2000.0])
    slow = peel_n(area, around, squeeze, bench)
    fast = peel_n(area, around, squeeze, bench.with_value("print.lift_mm_per_min", 120.0))
    assert fast / slow == pytest.approx(2**0.6)


def test_first_layers_pull_harder(bench: Bench) -> None:
    factors = bond_factors(30, bench)
    assert factors[0] == pytest.approx(1 + 0.25 * np.log(30 / 2.5))
    assert (np.diff(factors) <= 1e-12).all()
    assert factors[-1] == 1


def test_bridge_between_two_pieces_never_lowers_the_pull(bench: Bench) -> None:
    pieces = [moved(trimesh.creation.box((10, 10, 2)), x, 0, 1) for x in (-8, 8)]
    bridge = moved(trimesh.creation.box((8, 1.5, 2)), 0, 0, 1)
    apart = loads(printed_of(as_mesh(trimesh.util.concatenate(pieces))), bench).peel_n[-1]
    joined = loads(printed_of(as_mesh(trimesh.util.concatenate([*pieces, bridge]))), bench).peel_n[-1]
    assert joined > apart


def test_beam_on_two_tips_shares_by_the_lever(bench: Bench) -> None:
    """Pull at the middle, tips at -9 and +3: the lever rule gives 1/4 and 3/4."""
    _, printed = beam([(-9, 0), (3, 0)])
    found = loads(printed, weightless(bench))
    k = 120
    pull = found.tip_load_n[k].sum()
    assert found.tip_load_n[k] == pytest.approx([0.25 * pull, 0.75 * pull], rel=1e-3)


def test_beam_on_four_tips_shares_equally(bench: Bench) -> None:
    _, printed = beam([(-12, -4), (-12, 4), (12, -4), (12, 4)])
    found = loads(printed, weightless(bench))
    pull = found.tip_load_n[120]
    assert pull == pytest.approx(np.full(4, pull.mean()), rel=0.01)
    by_hand = peel_n(np.array([300.0]), np.array([80.0]), found.squeeze_mm4[[120]], bench)[0]
    assert pull.sum() == pytest.approx(by_hand, rel=0.01)
    fresh, grown = found.tip_capacity_n[80, 0], found.tip_capacity_n[120, 0]  # as the first layer on the tips peels, and later
    assert found.tip_worst_layer.tolist() == [80] * 4 and grown > 1.5 * fresh
    assert found.tip_margin == pytest.approx(fresh / found.tip_load_n[80], rel=1e-6)
    blurred = 1.648 * (1 - np.exp(-(0.4**2) / (2 * 0.05**2)))
    edge = 0.8 - 2 * 0.05 * 0.272  # a straight edge goes back by 0.27 of the blur
    assert fresh == pytest.approx(8 * (blurred - 1) / 0.648 * np.pi * edge**2 / 4, rel=0.02)


def test_beam_on_three_tips_by_hand(bench: Bench) -> None:
    """Tips at (-10, 0), (0, 4), (10, -4): equal stiffness, so fᵢ = F/3 + α Xᵢ + β Yᵢ about their centroid (0, 0)."""
    spots = np.array([(-10.0, 0.0), (0.0, 4.0), (10.0, -4.0)])
    _, printed = beam([tuple(s) for s in spots])
    found = loads(printed, weightless(bench))
    f = found.tip_load_n[130]
    moments = np.array([[200.0, -40.0], [-40.0, 32.0]])
    alpha, beta = np.linalg.solve(moments, f.sum() * (np.zeros(2) - spots.mean(axis=0)))
    assert f == pytest.approx(f.sum() / 3 + alpha * spots[:, 0] + beta * spots[:, 1], rel=0.012)


def test_two_tips_in_line_are_unsteady_across(bench: Bench) -> None:
    """The pull's centre lies 3 mm beside the line of both tips: the moment has nowhere to go but their bending."""
    _, printed = beam([(-9, 3), (9, 3)])
    found = loads(printed, weightless(bench))
    k = 120
    moment = 3 * found.tip_load_n[k].sum()
    bending = (found.tips.strength_n_per_mm2[k] * np.pi * found.tips.printed_mm**3 / 32).sum()
    assert found.unsteady[k] == pytest.approx(moment / bending, rel=0.02)
    _, steady = beam([(-9, 0), (9, 0)])
    assert loads(steady, weightless(bench)).unsteady[k] < 0.15  # the rows' own error of some hundredths of a millimetre


def test_leaning_bar_reaches_margin_one_where_the_hand_says(bench: Bench) -> None:
    """A square bar leaning 30° on four tips under its foot: the pull moves out, until one tip's share is its capacity."""
    lean = turned(trimesh.creation.box((6, 6, 60)), 30, (0, 1, 0))
    mesh = set_down(lean, 4.0)
    foot = float(mesh.points[mesh.points[:, 2].argmin(), 0])
    spots = [(foot + dx, dy) for dx in (-3.5, -0.5) for dy in (-2.0, 2.0)]
    height = {x: 4 + (foot - x) * np.tan(np.radians(30)) for x, _ in spots}
    touches = tuple(Touch(0, f"contact-{i}", x, y, height[x], 0.6, 1.0, 3.0, 0.6, x, y, 4.0) for i, (x, y) in enumerate(spots))
    rods = [moved(trimesh.creation.cylinder(0.3, height[x] + 0.4, sections=32), x, y, (height[x] + 0.4) / 2) for x, y in spots]
    printed = printed_of(mesh, supports=as_mesh(trimesh.util.concatenate(rods)), touches=touches)
    found = loads(printed, weightless(bench.with_value("resin.green_strength_mpa", 4.0)))
    s = printed.part_sections
    area, around = 36 / np.cos(np.radians(30)), 2 * (6 + 6 / np.cos(np.radians(30)))
    k = np.flatnonzero((s.area_mm2[: s.count] > 0.98 * area) & (s.layer > 200))
    pull = peel_n(np.array([area]), np.array([around]), found.squeeze_mm4[[300]], bench)[0]
    capacity = found.tip_capacity_n[300, 0]  # tips of one height, long set by then
    # four equal springs at ±1.5 about their middle: each of the outer pair carries F/4 + F e/(4·1.5)
    outer = (4 * capacity / pull - 1) * 1.5
    reached = s.layer[k][s.x_mm[k] - (foot - 2.0) >= outer]
    lost = 150 + np.flatnonzero(found.hold_margin[150:] < 1)
    assert found.hold_margin[150] > 1.5
    assert lost.min() == pytest.approx(reached.min(), abs=6)


def test_tip_stiffness_by_hand() -> None:
    touch = Touch(0, "c", 0, 0, 5, 0.4, 0.2, 10.0, 1.2, 0, 0, 5)
    by_hand = 1 / (1 / (400 * 0.4) + 10 / (400 * np.pi * 0.36))
    assert tip_stiffnesses([touch], 400, np.array([0.4]), np.ones((1, 1)))[0, 0] == pytest.approx(by_hand)
    softer = 1 / (1 / (400 * 0.3 * 0.25) + 10 / (400 * np.pi * 0.36))  # printed at 0.3 mm, a quarter set
    assert tip_stiffnesses([touch], 400, np.array([0.3]), np.array([[0.25]]))[0, 0] == pytest.approx(softer)


def test_disc_on_the_plate_holds_by_its_area(bench: Bench) -> None:
    """A centred pull: margin = σ_p A / F, with F that of the first layers."""
    printed = printed_of(set_down(trimesh.creation.cylinder(20, 3, sections=360)))
    found = loads(printed, weightless(bench))
    first = 22.62 * (1 + 0.25 * np.log(12))
    assert found.plate_margin[0] == pytest.approx(0.25 * np.pi * 400 / first, rel=0.01)
    assert np.isnan(found.hold_margin).all()
    assert plate_strength(bench) == pytest.approx(0.25)


def test_overhanging_plate_tears_at_the_edge_of_its_foot(bench: Bench) -> None:
    """A slab on an off-centre square foot: σ = F/A + M c/I at the far edge."""
    foot = moved(trimesh.creation.box((10, 10, 2)), 0, 0, 1)
    slab = moved(trimesh.creation.box((30, 10, 2)), 10, 0, 2.95)
    found = loads(printed_of(as_mesh(trimesh.util.concatenate([foot, slab]))), weightless(bench))
    k = 70
    force = found.peel_n[k]
    stress = force / 100 + force * 10 * 4.0 / (10**4 / 12)  # patches of 2 mm: the outer one's middle is at 4 mm
    assert found.plate_margin[k] == pytest.approx(0.25 / stress, rel=0.06)


def test_piece_on_nothing_has_no_hold(bench: Bench) -> None:
    printed = printed_of(set_down(trimesh.creation.box((10, 10, 3)), 2.0))
    found = loads(printed, bench)
    assert found.hold_margin[50] == 0
    assert found.unheld_n[50] > 1
    foot = moved(trimesh.creation.box((10, 10, 8)), -20, 0, 4)
    aloft = moved(trimesh.creation.box((10, 10, 3)), 15, -6, 5)
    beside = printed_of(as_mesh(trimesh.util.concatenate([foot, aloft])))
    assert loads(beside, bench).unheld_mm == pytest.approx((15, -6), abs=0.05)
    assert loads(printed_of(as_mesh(foot)), bench).unheld_mm is None


def test_weight_hangs_on_the_tips_when_the_resin_is_shallow(bench: Bench) -> None:
    _, printed = beam([(-12, -4), (-12, 4), (12, -4), (12, 4)])
    deep = loads(printed, bench).tip_load_n[-1].sum()
    shallow = replace(bench, print=replace(bench.print, resin_depth_mm=0.5))
    lifted = loads(printed, shallow).tip_load_n[-1].sum()
    most = 1100e-9 * 9.80665 * 900
    assert 0 < lifted - deep < most
    assert lifted - deep == pytest.approx(most * 2.5 / 3, rel=0.15)


def test_trapezoidal_and_triangular_moves() -> None:
    assert move_s(10, 60, 1000) == pytest.approx(10 / 1 + 1 / 1000)
    assert move_s(0.1, 6000, 10) == pytest.approx(2 * np.sqrt(0.01))
    assert move_s(0, 60, 10) == 0


def test_seconds_of_a_layer_by_hand(bench: Bench) -> None:
    a = 25.0
    motion = (3 / 1 + 1 / a) + (4 / 3 + 3 / a) + (5.5 / (200 / 60) + (200 / 60) / a) + (1.5 / (80 / 60) + (80 / 60) / a)
    seconds = layer_seconds(np.zeros(40), bench)
    assert seconds[-1] == pytest.approx(2.5 + motion + 1.0 + 1.2)
    assert seconds[0] - seconds[-1] == pytest.approx(27.5)


def test_shares_agree_with_plain_numpy_on_random_groups() -> None:
    """The slow twin of the compiled loop: one pile group solved with `numpy.linalg.lstsq`."""
    chance = np.random.default_rng(4)
    for _ in range(20):
        n, m = int(chance.integers(3, 9)), int(chance.integers(1, 4))
        x, y, k = chance.uniform(-20, 20, n), chance.uniform(-20, 20, n), chance.uniform(50, 200, n)
        px, py, f = chance.uniform(-15, 15, m), chance.uniform(-15, 15, m), chance.uniform(1, 20, m)
        by_cause = np.stack((0.3 * f, 0.7 * f), axis=1)
        pulls = Pulled(np.array([0, m]), px, py, by_cause, np.zeros(m, np.int64))
        none, columns = np.zeros(n), np.arange(n)
        one = np.ones((1, n))
        springs = Springs(x, y, k[None], np.empty(0), none, 1.0, one, none, none, columns, np.zeros((1, n), np.int32))
        shared, _, unheld, _, _ = share_pulls(1, pulls, springs, n, np.full(n, 9), False)
        load = shared.sum(axis=2)
        assert shared[0, :, 0] == pytest.approx(0.3 * load[0])
        cx, cy = (k * x).sum() / k.sum(), (k * y).sum() / k.sum()
        dx, dy = x - cx, y - cy
        group = np.array([[(k * dx * dx).sum(), (k * dx * dy).sum()], [(k * dx * dy).sum(), (k * dy * dy).sum()]])
        moment = np.array([(f * px).sum() - f.sum() * cx, (f * py).sum() - f.sum() * cy])
        alpha, beta = np.linalg.lstsq(group, moment, rcond=None)[0]
        assert load[0] == pytest.approx(k * (f.sum() / k.sum() + alpha * dx + beta * dy))
        assert load[0].sum() == pytest.approx(f.sum())
        assert (load[0] * x).sum() == pytest.approx((f * px).sum(), abs=1e-6)
        assert unheld[0] == 0


def test_pull_does_not_depend_on_the_place_on_the_plate(bench: Bench) -> None:
    mesh = set_down(trimesh.creation.cone(10, 20, sections=128))
    here = loads(printed_of(mesh), bench)
    there = loads(printed_of(mesh.moved(np.array([31.37, -17.0, 0.0]))), bench)
    assert there.peel_n[:350] == pytest.approx(here.peel_n[:350], rel=5e-3)


def test_mirrored_part_pulls_the_same(bench: Bench) -> None:
    solid = trimesh.util.concatenate([trimesh.creation.box((20, 8, 6)), moved(trimesh.creation.box((6, 14, 6)), 7, 5, 0)])
    mesh = set_down(solid)
    mirror = mesh.transformed(np.diag([-1.0, 1, 1, 1]))
    a, b = loads(printed_of(mesh), bench), loads(printed_of(mirror), bench)
    assert b.peel_n == pytest.approx(a.peel_n, rel=5e-3)


def test_a_disc_of_40_mm_settles_in_1_2_seconds(bench: Bench) -> None:
    stiff = replace(bench, printer=replace(bench.printer, stiffness_n_per_m=1e6))
    squeeze = np.array([np.pi * 20**4 / 8])
    assert settling_s(squeeze, np.array([0.2]), 0.05, stiff)[0] == pytest.approx(1.206, abs=0.001)
    assert settling_s(squeeze, np.array([0.2]), 0.1, stiff)[0] == pytest.approx(1.206 / 8, abs=0.001)


def test_a_compact_slab_is_lit_too_early_and_a_thin_wall_is_not(bench: Bench) -> None:
    thick = bench.with_value("print.layer_height_mm", 0.1)
    disc = printed_of(set_down(trimesh.creation.cylinder(20, 2.0, sections=128)), 0.4, 0.1)
    wall = printed_of(set_down(trimesh.creation.annulus(19, 20, 2.0, sections=128)), 0.4, 0.1)
    waits = thick.with_value("print.wait_before_s", 0.1)
    found = [f for f in judge(disc, loads(disc, waits), waits).findings if f.code == "settles_slowly"]
    assert len(found) == 1 and "needs 0.6 s" in found[0].message  # 2 · 1.206 s · 10⁶/(5 · 10⁵) / 8
    assert not [f for f in judge(wall, loads(wall, waits), waits).findings if f.code == "settles_slowly"]


@pytest.mark.parametrize("short_s, read", [(0.3, "1.3"), (0.06, "1.1"), (0.03, "1.03"), (0.0004, "1.0004"), (1e-9, "1.0000")])
def test_what_is_needed_reads_longer_than_what_it_gets(short_s: float, read: str) -> None:
    assert beyond(1.0 + short_s, 1.0) == read


def test_a_preview_settles_as_slowly_as_the_print(bench: Bench) -> None:
    mesh = set_down(trimesh.creation.cylinder(20, 2.0, sections=128))
    fine_one, coarse = printed_of(mesh, 0.4, 0.05), printed_of(mesh, 0.4, 0.2)
    four = replace(bench, print=replace(bench.print, layer_height_mm=0.2))
    assert loads(coarse, four, layers_as_one=4).settling_s[3] == pytest.approx(loads(fine_one, bench).settling_s[12], rel=0.02)


def dumbbell(off_mm: float = 0.0, neck_mm: float = 1.0) -> trimesh.Trimesh:
    """A foot, a round neck, and a disc of 20 mm on top, `off_mm` beside the neck."""
    foot = moved(trimesh.creation.cylinder(8, 2.0, sections=128), 0, 0, 1.0)
    neck = moved(trimesh.creation.cylinder(neck_mm, 6.0, sections=128), 0, 0, 4.0)
    head = moved(trimesh.creation.cylinder(10, 2.0, sections=256), off_mm, 0, 8.0)
    return trimesh.boolean.union([foot, neck, head], engine="manifold")


@pytest.mark.parametrize("off_mm", [0.0, 4.0])
def test_a_neck_carries_all_that_hangs_beyond_it(off_mm: float, bench: Bench) -> None:
    """σ = F/A + M/W with A = π, W = π/4, F the disc's peel and weight, M = F times its offset."""
    printed = printed_of(as_mesh(dumbbell(off_mm)), 0.05, 0.1)
    thick = bench.with_value("print.layer_height_mm", 0.1)
    found = loads(printed, thick)
    part = printed.part_sections
    in_neck = (part.layer > 25) & (part.layer < 65)
    stress = found.necks.stress_n_per_mm2[in_neck].max()
    peel = float(found.peel_n[-1])
    by_hand = peel / np.pi + peel * off_mm / (np.pi / 4)
    assert stress == pytest.approx(by_hand, rel=0.04)
    assert found.necks.pull_n[in_neck].max() == pytest.approx(peel, rel=0.01)
    assert found.necks.peeling[in_neck].max() >= 70


@pytest.mark.parametrize("turn", [0.0, 30.0, 45.0])
def test_a_web_is_weakest_about_its_own_axis_however_it_is_turned(turn: float, bench: Bench) -> None:
    """A web of 8 x 1.2 mm under a disc that lies 4 mm off it on its flat side: σ = F/A + F · 4 / (8 · 1.2² / 6)."""
    web = turned(moved(trimesh.creation.box((8, 1.2, 6.0)), 0, 0, 4.0), turn, (0, 0, 1))
    aside = np.radians(turn + 90)
    head = moved(trimesh.creation.cylinder(10, 2.0, sections=256), 4 * np.cos(aside), 4 * np.sin(aside), 8.0)
    foot = moved(trimesh.creation.cylinder(8, 2.0, sections=128), 0, 0, 1.0)
    printed = printed_of(as_mesh(trimesh.boolean.union([foot, web, head], engine="manifold")), 0.05, 0.1)
    found = loads(printed, bench.with_value("print.layer_height_mm", 0.1))
    part = printed.part_sections
    peel = float(found.peel_n[-1])
    stress = found.necks.stress_n_per_mm2[(part.layer > 25) & (part.layer < 65)].max()
    assert stress == pytest.approx(peel / 9.6 + peel * 4 / (8 * 1.2**2 / 6), rel=0.06)


def test_a_tip_beyond_a_neck_or_a_second_column_takes_its_load(bench: Bench) -> None:
    thick = bench.with_value("print.layer_height_mm", 0.1)
    columns = [moved(trimesh.creation.cylinder(1.0, 7.0, sections=64), x, 0, 3.5) for x in (-5, 5)]
    head = moved(trimesh.creation.cylinder(10, 2.0, sections=256), 0, 0, 8.0)
    arch = trimesh.boolean.union([*columns, head], engine="manifold")
    shared = loads(printed_of(as_mesh(arch), 0.1, 0.1), thick)
    assert shared.necks.stress_n_per_mm2.max() == 0.0 or shared.necks.stress_n_per_mm2.max() < 0.2
    post = as_mesh(moved(trimesh.creation.cylinder(0.6, 7.1, sections=48), 8, 0, 3.55))
    touch = Touch(0, "c", 8.0, 0.0, 7.0, 1.2, 0.1, 7.0, 1.2, 8.0, 0.0, 7.0)
    held = loads(printed_of(as_mesh(dumbbell()), 0.1, 0.1, supports=post, touches=(touch,)), thick)
    part = printed_of(as_mesh(dumbbell()), 0.1, 0.1).part_sections
    in_neck = (part.layer > 25) & (part.layer < 65)
    assert held.necks.stress_n_per_mm2[in_neck].max() == 0.0
    alone, again = held.part_pulls.tug(()), held.part_pulls.tug((touch,))  # the same pulls, held by no tip, and once more by it
    assert alone.necks.stress_n_per_mm2[in_neck].max() > 1.0 and again.necks.stress_n_per_mm2[in_neck].max() == 0.0


def test_a_thin_neck_is_a_finding_with_its_numbers(bench: Bench) -> None:
    thick = bench.with_value("print.layer_height_mm", 0.1)
    printed = printed_of(as_mesh(dumbbell(3.0, 0.7)), 0.05, 0.1)
    found = [f for f in judge(printed, loads(printed, thick), thick).findings if f.code == "neck"]
    assert len(found) >= 1 and found[0].severity == "lost" and 2 < found[0].z_mm < 7
    stout = printed_of(as_mesh(dumbbell(0.0, 5.0)), 0.1, 0.1)
    assert not [f for f in judge(stout, loads(stout, thick), thick).findings if f.code == "neck"]
