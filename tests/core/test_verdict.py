"""Findings: each fires when it should, and none on parts known to be fine."""

import re
from dataclasses import fields, replace
from pathlib import Path

import numpy as np
import pytest
import trimesh

from conftest import ONE, as_mesh, as_source, moved, printed_of, set_down, tube_with_floor, turned
from reference.further import further
from wideberth.core.bench import Bench, HouseRules, film_mm
from wideberth.core.hollow import Shell
from wideberth.core.job import Part, job_of, scaled
from wideberth.core.layers import Touch
from wideberth.core.loads import loads
from wideberth.core.model import as_solid, resolved
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages, fine, predict, preview
from wideberth.core.propose import propose_support
from wideberth.core.support import supports_mesh
from wideberth.core.verdict import DOUBTFUL, LOST, NOTE, TABLE, Code, Finding, Verdict, by_margin, in_order, judge


def verdict_of(solid: trimesh.Trimesh, bench: Bench, gap: float = 0.0, **recipe: object) -> Verdict:
    part = Part("Part", as_source(as_mesh(solid)), pose=Pose(gap_mm=gap), **recipe)  # type: ignore[arg-type]
    return predict(job_of("Job", bench, (part,)), Stages(), fine(0.2)).verdict


def codes(verdict: Verdict) -> set[str]:
    return {f.code for f in verdict.findings}


FINE = {
    "cube on the plate": trimesh.creation.box((4, 4, 10)),
    "cone on its base": trimesh.creation.cone(2.4, 12, sections=48),
    "slender post": trimesh.creation.cylinder(2, 20, sections=48),
    "half ring": trimesh.boolean.difference(
        [trimesh.creation.annulus(4, 7, 4, sections=64), moved(trimesh.creation.box((20, 20, 20)), 0, -10, 0)], engine="manifold"
    ),
}


@pytest.mark.parametrize("name", FINE)
def test_nothing_to_mend_on_parts_known_to_be_fine(name: str, bench: Bench) -> None:
    found = verdict_of(FINE[name], bench)
    assert [f for f in found.findings if f.severity != NOTE] == []


@pytest.mark.prove
def test_ball_on_its_own_proposed_tips_is_fine(bench: Bench) -> None:
    """Proposed tips and posts hold with the wanted margin, stand the return, and leave nothing that sags by three layers."""
    stages = Stages()
    ball = trimesh.creation.icosphere(5, 9)
    part = Part("Ball", as_source(as_mesh(ball)), pose=Pose(gap_mm=bench.supports.gap_mm))
    job = propose_support(job_of("Job", bench, (part,)), ONE, stages).job
    found = predict(job, stages, fine(0.1)).verdict
    assert [f.message for f in found.findings if f.severity != NOTE] == []
    assert found.hold_margin is not None and found.hold_margin > 1.5


def test_margins_speak_in_four_steps(bench: Bench) -> None:
    house = bench.house
    told = {0.99: LOST, 1.2: DOUBTFUL, 1.7: NOTE, 2.0: None, float("inf"): None}
    assert {margin: by_margin(margin, house) for margin in told} == told
    strict = replace(house, margin_doubtful=1.8, margin_note=3.0)
    assert [by_margin(m, strict) for m in (0.99, 1.7, 2.9, 3.0)] == [LOST, DOUBTFUL, NOTE, None]


def test_worst_findings_come_first_and_then_by_height() -> None:
    made = [Finding(c, s, z, "", "") for c, s, z in (("a", NOTE, 1), ("b", LOST, 9), ("c", DOUBTFUL, 2), ("d", LOST, 3))]
    assert [f.code for f in in_order(made)] == ["d", "b", "c", "a"]


def test_part_in_mid_liquid_is_lost_at_its_first_layer(bench: Bench) -> None:
    found = verdict_of(trimesh.creation.box((8, 8, 8)), bench, gap=3.0)
    island = next(f for f in found.findings if f.code == "island")
    assert island.severity == LOST
    assert island.z_mm == pytest.approx(3.025, abs=0.05)
    assert (island.x_mm, island.y_mm) == (pytest.approx(0, abs=0.1), pytest.approx(0, abs=0.1))
    assert found.hold_margin == 0


def test_face_on_the_plate_tells_its_growth(bench: Bench) -> None:
    found = verdict_of(trimesh.creation.box((20, 20, 5)), bench)
    face = next(f for f in found.findings if f.code == "face_on_plate")
    assert "400 mm²" in face.message
    assert f"{0.05 * np.log(12):.2f} mm" in face.message
    assert face.severity == "doubtful" and f"{found.removals[0].effort} ({found.removals[0].effort_n:.0f} N" in face.message
    assert "face_on_plate" not in codes(verdict_of(trimesh.creation.box((4, 4, 5)), bench))


@pytest.mark.parametrize("turn", [0.0, 27.0, 45.0])
@pytest.mark.parametrize("finer", [False, *further([True])])
def test_a_raised_flat_face_is_told_with_what_a_tilt_would_gain(bench: Bench, turn: float, finer: bool) -> None:
    """60 x 40 mm: strips of 40 t/tan 35°, over 60 sin 35°/t layers, however it is turned about the upright and cut."""
    solid = trimesh.creation.box((60, 40, 6))
    placed = turned(solid.subdivide_to_size(4.0) if finer else solid, turn, (0, 0, 1))
    found = verdict_of(placed, bench, gap=4.0)
    told = next(f for f in found.findings if f.code == "face_raised")
    t, tilt = bench.print.layer_height_mm, np.radians(bench.house.tilt_deg)
    assert told.severity == "doubtful" and "2400 mm²" in told.message and told.z_mm == pytest.approx(4.0)
    assert f"over {int(np.ceil(60 * np.sin(tilt) / t))} layers, {40 * t / np.tan(tilt):.1f} mm²" in told.remedy
    assert f"rise by {60 * np.sin(tilt):.0f} mm" in told.remedy
    assert f"with {found.pull_n:.1f} N on fresh resin" in told.message


def test_a_face_on_the_plate_a_tilted_one_and_a_small_one_hang_from_nothing(bench: Bench) -> None:
    assert "face_raised" not in codes(verdict_of(trimesh.creation.box((60, 40, 6)), bench))
    assert "face_raised" not in codes(verdict_of(turned(trimesh.creation.box((60, 40, 6)), 4.0, (1, 0, 0)), bench, gap=4.0))
    assert "face_raised" not in codes(verdict_of(trimesh.creation.box((12, 12, 6)), bench, gap=4.0))
    table = trimesh.boolean.union(
        [
            moved(trimesh.creation.box((30, 20, 3)), 0, 0, 11.5),
            *(moved(trimesh.creation.box((4, 4, 10)), x, 0, 5) for x in (-10, 10)),
        ]
    )
    told = next(f for f in verdict_of(table, bench).findings if f.code == "face_raised")
    assert told.severity == NOTE and "568 mm²" in told.message and told.z_mm == pytest.approx(10.0)


def test_area_jump_is_told_once_at_its_height(bench: Bench) -> None:
    steps = trimesh.util.concatenate(
        [moved(trimesh.creation.box((8, 8, 6)), 0, 0, 3), moved(trimesh.creation.box((20, 20, 4)), 0, 0, 7.9)]
    )
    jumps = [f for f in verdict_of(steps, bench).findings if f.code == "area_jump"]
    assert len(jumps) == 1
    assert jumps[0].z_mm == pytest.approx(5.9, abs=0.06)
    assert "336 mm²" in jumps[0].message
    smooth = verdict_of(trimesh.creation.cone(12, 12, sections=64), bench)
    assert "area_jump" not in codes(smooth)


def test_tip_message_fills_in_the_formula(bench: Bench) -> None:
    slab = moved(trimesh.creation.box((30, 30, 3)), 0, 0, 6.5)
    rod = moved(trimesh.creation.cylinder(0.2, 5.2, sections=24), 0, 0, 2.6)
    touch = Touch(0, "c", 0, 0, 5.0, 0.4, 0.2, 5.0, 0.4, 0, 0, 5.0)
    printed = printed_of(as_mesh(slab), supports=as_mesh(rod), touches=(touch,))
    found = judge(printed, loads(printed, bench), bench)
    tip = next(f for f in found.findings if f.code == "tip_margin")
    assert tip.severity == LOST
    assert "Tip 1 lets go" in tip.message
    held = found.tips[0]
    assert f"can hold {held.strength_mpa * np.pi * held.printed_mm**2 / 4:.2f} N" in tip.message
    assert f"({held.strength_mpa:.1f} MPa on 0.40 mm drawn, {held.printed_mm:.2f} printed)" in tip.message
    assert found.weakest_tip == 0
    assert found.weakest == min(found.hold_margin or 0, found.plate_margin or 0)


def test_a_weak_tip_is_found_at_the_layer_that_pulls_hardest_and_seen_where_it_stands(bench: Bench) -> None:
    """A cone on its point pulls hardest at its top, 17 mm above the tips under it."""
    fast = replace(bench, print=replace(bench.print, lift_mm_per_min=600.0))
    job = propose_support(
        job_of(
            "Job",
            bench,
            (
                Part(
                    "Cone",
                    as_source(
                        as_mesh(trimesh.creation.cone(9, 18, sections=64).apply_transform(np.diag([1.0, -1.0, -1.0, 1.0])))
                    ),
                    pose=Pose(gap_mm=5.0),
                ),
            ),
        ),
        ONE,
        Stages(),
    ).job
    verdict = predict(replace(job, bench=fast), Stages(), fine(0.2)).verdict
    weak = [f for f in verdict.findings if f.code == Code.TIP_MARGIN and f.x_mm is not None]
    spots = {(round(t.x_mm, 6), round(t.y_mm, 6), round(t.z_mm, 6)) for t in verdict.tips}
    assert weak and max(f.z_mm for f in weak) > 15
    assert all(len(f.seen) == 1 and tuple(round(v, 6) for v in f.seen[0]) in spots for f in weak)
    assert all(f.places == ((f.x_mm, f.y_mm, f.z_mm),) for f in weak)  # the height log has it at the layer
    others = [f for f in verdict.findings if f.seen_z_mm is None]
    assert all(f.seen == tuple(p for p in f.places if p[0] is not None) for f in others)


def test_tip_that_misses_is_told(bench: Bench) -> None:
    slab = moved(trimesh.creation.box((10, 10, 3)), 0, 0, 1.5)
    stray = Touch(0, "c", 30.0, 0, 1.0, 0.4, 0.2, 1.0, 0.4, 30.0, 0, 1.0)
    printed = printed_of(as_mesh(slab), touches=(stray,))
    found = judge(printed, loads(printed, bench), bench)
    assert "tip_misses" in codes(found)
    assert not found.tips[0].touches


def test_thirty_islands_are_one_finding_with_thirty_spots(bench: Bench) -> None:
    pegs = [moved(trimesh.creation.box((1, 1, 4)), x, y, 2) for x in range(-15, 15, 5) for y in range(-10, 15, 5)]
    slab = moved(trimesh.creation.box((40, 30, 2)), 0, 0, 4.9)
    part = as_mesh(trimesh.util.concatenate([*pegs, slab])).moved(np.array([0, 0, 3.0]))
    printed = printed_of(part, 0.2, 0.1)
    listed = [f for f in judge(printed, loads(printed, bench), bench).findings if f.code == "island"]
    assert len(listed) == 1
    assert listed[0].message.startswith("30 islands of 1.0")
    assert listed[0].count == len(set(listed[0].places)) == 30


def test_islands_smaller_than_two_pixels_are_a_note(bench: Bench) -> None:
    """Pegs of 0.2 mm on a screen of 0.5 mm pixels, and one of 3 mm."""
    coarse = bench.with_value("printer.pixels_x", 400).with_value("printer.pixels_y", 240)
    pegs = [moved(trimesh.creation.box((0.2, 0.2, 4)), x, 0.03, 2) for x in (-8.0, 0.0, 8.0)]
    big = moved(trimesh.creation.box((3, 3, 4)), 0, 8, 2)
    slab = moved(trimesh.creation.box((30, 24, 2)), 0, 0, 4.9)
    part = as_mesh(trimesh.util.concatenate([*pegs, big, slab])).moved(np.array([0, 0, 3.0]))
    printed = printed_of(part, 0.05, 0.1)
    told = {f.severity: f for f in judge(printed, loads(printed, coarse), coarse).findings if f.code == "island"}
    assert told["lost"].count == 1
    assert told["note"].message.startswith("3 spots of under 0.500 mm²")


def test_totals_by_hand(bench: Bench) -> None:
    found = verdict_of(trimesh.creation.box((20, 10, 5)), bench)
    t = found.totals
    assert t.part_ml == pytest.approx(1.0, rel=2e-3)
    assert t.support_ml == 0
    film = float(film_mm(5.0, 10.0, 1.0, 0.2, 1100.0))  # at the lower end, after ten minutes
    level = 200 * film / np.sqrt(0.2)
    assert t.clinging_ml == pytest.approx((60 * 5 * film * 2 / 3 + level) / 1000, rel=0.03)
    assert t.resin_ml == pytest.approx(t.part_ml + t.clinging_ml + bench.printer.stays_ml)
    assert t.price == pytest.approx(t.resin_ml / 1000 * 38)
    assert t.seconds_low < t.seconds < t.seconds_high


def test_totals_of_supports_are_told_apart(bench: Bench) -> None:
    """The part by its formula, the rest as exact solids: each limb and the base joined, less the part."""
    part = Part("Ball", as_source(as_mesh(trimesh.creation.icosphere(4, 8))), pose=Pose(gap_mm=5.0))
    job = propose_support(job_of("Ball", bench, (part,)), ONE, Stages()).job
    seen = predict(job, Stages(), fine(0.1))
    assert seen.verdict.totals.part_ml == pytest.approx(4 / 3 * np.pi * 0.512, rel=0.01)
    solid, ball = supports_mesh(job.part(ONE).supports, bench.supports), seen.solids[0].outer
    assert solid is not None
    apart = as_solid(resolved(solid)) - as_solid(resolved(ball))
    assert seen.verdict.totals.support_ml == pytest.approx(apart.volume() / 1000, rel=0.01)


def test_sealed_cup_is_doubtful_when_heavy_and_a_note_when_light(bench: Bench) -> None:
    heavy = verdict_of(tube_with_floor(), bench)
    assert next(f for f in heavy.findings if f.code == "cup_sealed").severity == DOUBTFUL
    light = verdict_of(tube_with_floor(4, 2.6, 8, 1), bench)
    assert next(f for f in light.findings if f.code == "cup_sealed").severity == NOTE


def test_hollow_part_without_a_hole_traps_resin(bench: Bench) -> None:
    found = verdict_of(trimesh.creation.icosphere(4, 10), bench, shell=Shell(2.0, 0.1))
    trap = next(f for f in found.findings if f.code == "trap")
    assert f"{4 / 3 * np.pi * 0.512:.2f} mL"[:3] in trap.message
    assert found.trapped_ml == pytest.approx(4 / 3 * np.pi * 0.512, rel=0.02)
    assert trap.step == "drain"


def test_dust_is_not_reported_and_a_true_point_is(bench: Bench) -> None:
    """A chip of 0.2 mm that joins the rest at once is dust at rows of 0.1 mm; a peg of 1.5 mm is an island."""
    slab = moved(trimesh.creation.box((20, 20, 3)), 0, 0, 6.5)
    foot = moved(trimesh.creation.box((6, 6, 5.2)), -5, 0, 2.6)
    chip = moved(trimesh.creation.box((0.2, 0.2, 0.2)), 6, 0, 4.95)
    peg = moved(trimesh.creation.box((1.5, 1.5, 1.2)), 6, 6, 4.45)
    printed = printed_of(as_mesh(trimesh.util.concatenate([foot, slab, chip, peg])))
    s = printed.part_sections
    places = [(round(float(s.x_mm[c])), round(float(s.y_mm[c]))) for c in printed.islands]
    assert places == [(6, 6)]
    assert printed.alone.dust.any()


def test_turned_part_keeps_its_volume_and_scaled_part_cubes_it(bench: Bench) -> None:
    part = Part("Part", as_source(as_mesh(turned(trimesh.creation.box((8, 5, 3)), 20, (0, 0, 1)))))
    job = job_of("Job", bench, (part,))
    part, stages = job.parts[0], Stages()
    once = predict(job, stages, preview(bench)).verdict.totals.part_ml
    leaning = job.with_part(replace(part, pose=Pose(turned_xyz(33, 12, 5))))
    assert predict(leaning, stages, fine(0.1)).verdict.totals.part_ml == pytest.approx(0.12, rel=0.01)
    twice = predict(job.with_part(scaled(part, 2.0)), stages, preview(bench)).verdict.totals.part_ml
    assert twice == pytest.approx(8 * once, rel=0.05)


def test_two_parts_that_touch_print_as_one_and_apart_as_two(bench: Bench) -> None:
    box = as_source(set_down(trimesh.creation.box((10, 10, 4))))
    both = Part("A", box), Part("B", box)
    two = predict(job_of("Two", bench, both, [(-8.0, 0.0), (8.0, 0.0)]), Stages(), fine(0.2)).loads
    one = predict(job_of("One", bench, both, [(-4.9, 0.0), (4.9, 0.0)]), Stages(), fine(0.2)).loads
    assert set(two.components) == {2}
    assert set(one.components) == {1}
    assert one.peel_n[-1] != pytest.approx(two.peel_n[-1], rel=0.02)


def test_every_code_stands_in_the_table_and_in_the_docs() -> None:
    assert set(TABLE) == set(Code)
    text = (Path(__file__).parents[2] / "docs" / "findings.md").read_text(encoding="utf-8")
    named = set(re.findall(r"`(\w+)`", "".join(line.split("|")[1] for line in text.splitlines() if line.startswith("| `"))))
    assert {str(code) for code in Code} <= named
    house = re.findall(r"`house\.(\w+)`", text)
    assert house and set(house) <= {f.name for f in fields(HouseRules)}
