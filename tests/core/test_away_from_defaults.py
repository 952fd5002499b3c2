"""Terms that vanish at the bench's defaults, looked at where they do not."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, moved, printed_of, set_down, tube_with_floor, turned, weightless
from wideberth.core.bench import Bench, exposure_of_layer
from wideberth.core.drain import Hole
from wideberth.core.job import Part, Placement, job_of
from wideberth.core.layers import SEALED, VENTED, Bore, Touch, squeeze_integrals, squeeze_with_supports
from wideberth.core.loads import (
    LINE,
    SEALED_CUP,
    VENTED_CUP,
    Undersides,
    air_flow_factor,
    bond_factors,
    layer_seconds,
    loads,
    plate_strength,
    sag_of,
    suction,
)
from wideberth.core.loads.pulls import pulls_on
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages


def test_transition_layers_bond_by_their_own_exposure(bench: Bench) -> None:
    """Three first layers, four in between: each bonds by 1 + κ ln(E/E_normal), falling from the first's to 1."""
    b = bench.with_value("print.first_layers", 3).with_value("print.transition_layers", 4)
    factors = bond_factors(10, b)
    expected = [
        min(1 + b.laws.exposure_gain * math.log(exposure_of_layer(b.print, k) / b.print.exposure_s), b.laws.exposure_factor_limit)
        for k in range(10)
    ]
    assert factors == pytest.approx(expected)
    assert (np.diff(factors[2:8]) <= 0).all() and factors[3] > factors[6] > 1 == factors[7] == factors[9]


@pytest.mark.parametrize("times", [0.6, 1.0, 1.7])
def test_longer_first_light_holds_the_plate_by_its_logarithm(bench: Bench, times: float) -> None:
    reference = bench.laws.plate_reference_exposure_s
    b = bench.with_value("print.first_exposure_s", times * reference)
    expected = b.laws.plate_adhesion_n_per_mm2 * (1 + b.laws.exposure_gain * math.log(times))
    assert plate_strength(b) == pytest.approx(expected)


@pytest.mark.parametrize("key", ["print.wait_before_s", "print.wait_after_s", "print.wait_lifted_s", "printer.overhead_s"])
def test_every_wait_is_in_the_time_of_each_layer(bench: Bench, key: str) -> None:
    area = np.full(7, 300.0)
    now = next(value.value for value in bench.values() if value.key == key)
    longer = bench.with_value(key, float(now) + 1.3)  # type: ignore[arg-type]
    assert layer_seconds(area, longer) - layer_seconds(area, bench) == pytest.approx(np.full(7, 1.3))


def test_a_laser_takes_longer_for_a_larger_section(bench: Bench) -> None:
    b = (
        bench.with_value("printer.writes_mm2_per_s", 900.0)
        .with_value("print.first_layers", 2)
        .with_value("print.transition_layers", 0)
    )
    seconds = layer_seconds(np.array([50.0, 50.0, 100.0, 400.0, 0.0]), b)
    assert seconds[3] - seconds[2] == pytest.approx(300 / 900)
    assert seconds[2] - seconds[4] == pytest.approx(100 / 900)


def test_air_flows_by_bernoulli_s_law(bench: Bench) -> None:
    """Cd π r² √(2/ρ) in mm³/s for each √Pa, r in mm."""
    b = bench.with_value("laws.air_kg_per_m3", 1.05).with_value("laws.discharge", 0.7)
    assert air_flow_factor(1.5, b) == pytest.approx(0.7 * math.pi * 1.5e-3**2 * math.sqrt(2 / 1.05) * 1e9)


def test_a_sloping_underside_sags_under_the_next_layer_s_pull_as_a_plate_that_thickens(bench: Bench) -> None:
    """A spot at 2.07 mm, 40° steep, held 1.5 mm away all round: layers of 0.1 mm, so it is the 21st layer after it that pulls."""
    b = bench.with_value("print.layer_height_mm", 0.1)
    ways = 16
    spot = Undersides(np.array([[0.0, 0.0, 2.07]]), np.array([40.0]), np.full((1, ways), 1.5), np.zeros(1), False)
    pull = 0.001 * np.arange(60.0)
    sag = sag_of(spot, (), pull, b)
    thick = b.laws.young_layers * 0.1 + 0.5 * 1.5 * math.tan(math.radians(40.0))
    expected = 0.06 * pull[21] * (math.sqrt(2) * 1.5) ** 4 / (b.resin.green_modulus_mpa * thick**3)
    assert sag.sag_mm[0] == pytest.approx(expected) and sag.pull_n_per_mm2[0] == pull[21]


def test_plate_and_tips_share_by_their_stiffness(bench: Bench) -> None:
    """A block of 6 x 6 mm on the plate under a slab that two tips hold, all of it symmetrical: a tip takes k / (2 k + K), with
    K of the block's foot E d, d the diameter of a disc of its area."""
    part = trimesh.boolean.union(
        [moved(trimesh.creation.box((6, 6, 8.5)), 0, 0, 4.25), moved(trimesh.creation.box((30, 10, 3)), 0, 0, 9.5)],
        engine="manifold",
    )
    touches = tuple(Touch(0, f"c{x:g}", x, 0.0, 8.0, 0.8, 0.2, 8.0, 1.2, x, 0.0, 8.0) for x in (-12.0, 12.0))
    found = loads(printed_of(as_mesh(part), touches=touches), weightless(bench))
    modulus = bench.resin.green_modulus_mpa
    k = 200
    d = found.tips.stiff[k, 0] * found.tips.printed_mm[0]  # of its printed diameter, as it has set by then
    tip, foot = modulus / (1 / d + 8.0 / (math.pi * 0.36)), modulus * 2 * math.sqrt(36 / math.pi)
    assert d > 0.8
    assert found.tip_cause_n[k, :, LINE].sum() / found.part_peel_n[-1] > 0
    assert found.tip_load_n[k] / found.pull_n[k] == pytest.approx(np.full(2, tip / (2 * tip + foot)), rel=0.02)


def test_a_neck_does_not_carry_the_weight_of_what_stands_on_the_plate_s_side(bench: Bench) -> None:
    """Weight acts at the top of a whole body, so that a neck's pull is the peel beyond it, in shallow resin as in deep."""
    foot = moved(trimesh.creation.cylinder(8, 2.0, sections=128), 0, 0, 1.0)
    neck = moved(trimesh.creation.cylinder(1.0, 6.0, sections=128), 0, 0, 4.0)
    head = moved(trimesh.creation.cylinder(10, 2.0, sections=256), 0, 0, 8.0)
    printed = printed_of(as_mesh(trimesh.boolean.union([foot, neck, head], engine="manifold")), 0.1, 0.1)
    heavy = bench.with_value("print.layer_height_mm", 0.1).with_value("resin.solid_density_kg_per_m3", 2400.0)
    shallow = replace(heavy, print=replace(heavy.print, resin_depth_mm=1.0))
    found = loads(printed, shallow)
    part = printed.part_sections
    in_neck = (part.layer > 25) & (part.layer < 65)
    assert found.necks.pull_n[in_neck].max() == pytest.approx(found.peel_n[-1], rel=1e-6)


def test_supports_beside_a_section_push_like_a_disc_of_what_they_add(bench: Bench) -> None:
    """A square of 12 mm with a post of 3 mm half in its side: S of the square, 0.035144 a⁴, and (added area)²/8π."""
    square, post = trimesh.creation.box((12, 12, 2)), moved(trimesh.creation.cylinder(3.0, 2.0, sections=256), 6.0, 0.0, 0.0)
    printed = printed_of(set_down(square), 0.05, supports=as_mesh(post).moved(np.array([0.0, 0.0, 1.0])))
    part, everything = printed.part_sections, printed.sections
    own, _ = squeeze_integrals(part)
    together, _ = squeeze_with_supports(everything, part, own, printed.part_in_all)
    added = 0.5 * math.pi * 9
    assert everything.area_mm2[10] == pytest.approx(144 + added, rel=2e-3)
    assert together[10] == pytest.approx(0.035144 * 12**4 + added**2 / (8 * math.pi), rel=5e-3)
    assert together[10] - own[10] == pytest.approx(added**2 / (8 * math.pi), rel=0.02)


def test_a_vented_cup_whose_hole_does_not_serve_it_yet_pulls_as_a_sealed_one(bench: Bench) -> None:
    """Where nothing vents a layer's opening its pull is told as the seal's, elsewhere as the vented cup's."""
    z = 6.0
    drill = moved(turned(trimesh.creation.cylinder(1.0, 6, sections=96), 90, (0, 1, 0)), 16, 0, z)
    hole = Bore(0, 0, (17.0, 0, z), (-1.0, 0, 0), 1.0, 2.0, (18.0, 0, z), (14.0, 0, z))
    printed = printed_of(set_down(tube_with_floor()), 0.2, 0.2, drill=as_mesh(drill), bores=(hole,))
    drawn = suction(printed, bench, np.full(printed.all.grid.layers, 0.2))
    o = printed.openings
    unserved = replace(drawn, vents=np.where(o.layer > 100, 0, drawn.vents))
    sections, none = printed.part_sections, np.zeros(printed.part_sections.count)
    pulls = pulls_on(printed, sections, none, none, none, unserved)
    by_layer = {int(k): pulls.force_n[pulls.layer == k].sum(axis=0) for k in (60, 110)}
    assert (o.state[o.layer == 60] == VENTED).all() and not (o.state == SEALED)[o.layer == 110].any()
    assert by_layer[60][VENTED_CUP] > 0 == by_layer[60][SEALED_CUP]
    assert by_layer[110][SEALED_CUP] > 0 == by_layer[110][VENTED_CUP]


def test_the_holes_of_a_mirrored_a_turned_and_a_moved_print_lie_and_point_where_the_print_does(bench: Bench) -> None:
    """A hole drilled askew into a ball that leans: its print's hole is the part's, mirrored across x = 0, turned and moved."""
    ball = as_source(as_mesh(trimesh.creation.icosphere(4, 12)))
    part = Part("Ball", ball, pose=Pose(turned_xyz(20, 10, 0), 4.0), holes=(Hole(9.0, 5.0, -6.0, 3.0),))
    places = (
        Placement("print-10", ONE, 0.0, 0.0), Placement("print-11", ONE, 30.0, -8.0),
        Placement("print-12", ONE, -25.0, 6.0, 35.0, mirrored=True),
    )  # fmt: skip
    job = job_of("Ball", bench, (part,))
    job = replace(job, plates=(replace(job.plates[0], placements=places),))
    plain, there, twin = (s.bores[0] for s in Stages().solids_on(job))
    shift = np.array([30.0, -8.0, 0.0])
    for one, two in ((plain.entry_mm, there.entry_mm), (plain.outer_mm, there.outer_mm), (plain.inner_mm, there.inner_mm)):
        assert np.array(two) == pytest.approx(np.array(one) + shift)
    assert there.along == pytest.approx(plain.along) and abs(plain.along[0]) > 0.3
    c, s = math.cos(math.radians(35)), math.sin(math.radians(35))
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]]) @ np.diag([-1.0, 1, 1])
    assert np.array(twin.along) == pytest.approx(turn @ plain.along)
    for one, two in ((plain.entry_mm, twin.entry_mm), (plain.outer_mm, twin.outer_mm), (plain.inner_mm, twin.inner_mm)):
        assert np.array(two) == pytest.approx(turn @ one + [-25.0, 6.0, 0.0])
