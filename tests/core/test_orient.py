"""Which way up: what is tried, what each costs by closed form and by the verdict's engine, and what is picked."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from typer.testing import CliRunner

from conftest import ONE, as_mesh, as_source, turned
from wideberth.cli.main import app
from wideberth.core.bench import Bench, Drawn, as_printed
from wideberth.core.errors import Cancelled
from wideberth.core.job import Part, job_of
from wideberth.core.loads import layer_seconds, peel_n
from wideberth.core.model import bore_at, rounds_of, stand_in
from wideberth.core.orient import (
    Light,
    Limits,
    Pose,
    PoseCost,
    covering,
    directions,
    disc_of,
    flat_faces,
    hemispheres,
    level_lines,
    picks_of,
    search_poses,
    turned_xyz,
    up_at,
    weigh_pose,
)
from wideberth.core.predict import Stages, fine, predict
from wideberth.core.progress import Progress
from wideberth.core.propose import cost_of, ways_up

CUBE = trimesh.creation.box((50, 50, 50))
PLATE = trimesh.creation.box((60, 40, 4))


def cost(solid: trimesh.Trimesh, turn: tuple[float, float, float], bench: Bench) -> PoseCost:
    return weigh_pose(Light.of(as_mesh(solid)), Pose(turned_xyz(*turn), 3.0), bench)


# what is tried


def test_the_covering_leaves_no_gap_and_no_crowd() -> None:
    """240 directions: each is about 12° from its nearest, and no direction is farther than 10° from one."""
    ups = covering(240)
    assert np.linalg.norm(ups, axis=1) == pytest.approx(np.ones(240))
    nearest = np.degrees(np.arccos(np.sort(ups @ ups.T, axis=1)[:, -2]))
    assert nearest.min() > 11 and nearest.max() < 13
    chance = np.random.default_rng(1).normal(size=(4000, 3))
    asked = chance / np.linalg.norm(chance, axis=1, keepdims=True)
    assert np.degrees(np.arccos((asked @ ups.T).max(axis=1))).max() < 10


@pytest.mark.parametrize("degrees", [0.0, 33.0])
def test_flat_faces_are_found_largest_first_however_they_are_cut(degrees: float) -> None:
    plain = turned(PLATE, degrees, (0.3, 1.0, 0.2))
    for solid in (plain, plain.subdivide().subdivide()):
        normals = flat_faces(as_mesh(solid))
        assert len(normals) == 6
        large = turned(trimesh.creation.box((1, 1, 1)), degrees, (0.3, 1.0, 0.2)).face_normals
        upright = large[np.abs(trimesh.creation.box((1, 1, 1)).face_normals[:, 2]) > 0.5][0]
        assert np.abs(normals[:2] @ upright) == pytest.approx([1.0, 1.0], abs=1e-6)  # the two large ones
    assert len(flat_faces(as_mesh(trimesh.creation.icosphere(4, 10)))) == 0


def test_directions_hold_faces_tilts_and_axes_once_each() -> None:
    ups = directions(as_mesh(PLATE)).ups
    close = np.degrees(np.arccos(np.clip(np.sort(ups @ ups.T, axis=1)[:, -2], -1, 1)))
    assert close.min() >= 3.0 - 1e-6 and 300 < len(ups) < 700
    for tilt in (0, 10, 30, 45, 60):
        wanted = np.array([np.sin(np.radians(tilt)), 0, np.cos(np.radians(tilt))])
        assert (ups @ wanted).max() > np.cos(np.radians(3.0))


# what each costs


def test_a_flat_cube_s_figures_by_hand(bench: Bench) -> None:
    """The whole pull at once on its first layer; tips to a square of the spacing, or as many as hold it."""
    flat = cost(CUBE, (0, 0, 0), bench)
    pull = float(peel_n(np.array([2500.0]), np.array([200.0]), np.array([0.035144 * 50**4]), bench)[0])
    assert flat.peak_n == pytest.approx(pull, rel=0.03) and flat.young_n == pytest.approx(pull, rel=0.03)
    assert flat.mean_n == pytest.approx(pull, rel=0.03) and flat.support_mm2 == pytest.approx(2500, rel=1e-6)
    wanted = 2500 / 4.249**2 + 1
    assert flat.tips == pytest.approx(wanted, rel=0.02)
    assert flat.mark_min == pytest.approx(wanted * (0.3 + 2.0 * 0.16), rel=0.02)
    assert flat.layers == round(53 / 0.05) and flat.height_mm == 50 and flat.islands == 1
    assert flat.tip_load_n == pytest.approx(pull / (2500 / 4.249**2 + 1), rel=0.05)


def test_a_tilt_of_the_cube_gains_on_young_layers_and_not_on_the_peak(bench: Bench) -> None:
    flat, edge = cost(CUBE, (0, 0, 0), bench), cost(CUBE, (45, 0, 0), bench)
    assert edge.peak_n > flat.peak_n and edge.young_n < 0.2 * flat.young_n
    assert edge.hours > flat.hours and edge.height_mm == pytest.approx(50 * np.sqrt(2))
    assert edge.tips * 0.5 >= edge.peak_n / 2.01  # steep sides need no tips for themselves, but the pull does


@pytest.mark.parametrize("turn", [(0.0, 0.0, 0.0), (35.0, 0.0, 0.0), (20.0, 50.0, 0.0), (90.0, 10.0, 0.0)])
@pytest.mark.parametrize("name", ["torus", "capsule", "whelk"])
def test_the_figures_are_the_verdict_s_at_full_resolution(bench: Bench, name: str, turn: tuple[float, float, float]) -> None:
    """Peak pull, suction, hours and height of the part alone, on the verdict's own rows and layers."""
    from wideberth.core.model import read_model
    from wideberth.demo import mesh_path

    mesh = {
        "torus": lambda: as_mesh(trimesh.creation.torus(14, 5)),
        "capsule": lambda: as_mesh(trimesh.creation.capsule(24, 7)),
        "whelk": lambda: read_model(mesh_path("whelk")).mesh,
    }[name]()
    coarse = weigh_pose(Light.of(stand_in(mesh, 12_000)), Pose(turned_xyz(*turn), 3.0), bench)
    part = Part(name, as_source(mesh), pose=Pose(turned_xyz(*turn), 3.0))
    plain = replace(bench, print=replace(bench.print, first_layers=0, transition_layers=0))
    found = predict(job_of(name, plain, (part,)), Stages(), fine(0.2)).loads
    assert coarse.peak_n == pytest.approx(found.peel_n.max(), rel=0.05)
    assert coarse.mean_n == pytest.approx(found.peel_n[found.area_mm2 > 0].mean(), rel=0.05)
    assert coarse.height_mm + 3.0 == pytest.approx(found.layers * 0.05, abs=0.11)
    assert coarse.layers == pytest.approx(found.layers, abs=2)
    assert coarse.hours == pytest.approx(layer_seconds(found.area_mm2, bench).sum() / 3600, rel=0.01)


# what is picked


@pytest.mark.prove
def test_a_plate_is_not_proposed_flat_and_the_schools_lie_as_they_say(bench: Bench) -> None:
    found = search_poses(as_mesh(PLATE), bench, most=220)
    best = found.costs[0]
    assert best.fits and best.young_n < 0.2 * found.now.young_n and best is found.picks["balanced"]
    leans = {name: np.degrees(np.arccos(abs(c.up[2]))) for name, c in found.picks.items()}
    assert 28 <= leans["tilted 30 to 45°"] <= 47 and 4 <= leans["tilted slightly"] <= 16
    assert abs(leans["largest face upright"] - 90) <= 6 and leans["largest face up"] <= 6
    assert {"least pull", "fewest finishing minutes", "quickest", "steadiest"} <= set(found.picks)


@pytest.mark.prove
def test_the_cube_s_proposal_is_tilted_though_its_peak_is_higher(bench: Bench) -> None:
    found = search_poses(as_mesh(CUBE), bench, most=220)
    best = found.costs[0]
    assert best.young_n < 0.2 * found.now.young_n and best.peak_n > found.now.peak_n
    assert f"peak {best.peak_n:.1f} N" in best.why


def test_every_pick_is_the_least_of_its_measure_among_those_that_fit(bench: Bench) -> None:
    tall = replace(bench, printer=replace(bench.printer, height_mm=45.0))
    found = search_poses(as_mesh(trimesh.creation.box((60, 30, 12))), tall, most=150)
    fitting = [c for c in found.costs if c.fits]
    assert 0 < len(fitting) < len(found.costs) and all(c.fits for c in found.picks.values())
    of = {"least on young layers": "young_n", "fewest finishing minutes": "mark_min", "quickest": "hours", "steadiest": "lever_n",
          "least on each tip": "tip_load_n", "least support": "support_ml"}  # fmt: skip
    for name, measure in of.items():
        assert getattr(found.picks[name], measure) == min(getattr(c, measure) for c in fitting)


def test_the_search_is_the_same_every_time_and_can_be_cancelled(bench: Bench) -> None:
    mesh = as_mesh(trimesh.creation.torus(10, 3))
    one, other = (search_poses(mesh, bench, most=60) for _ in range(2))
    assert [c.pose for c in one.costs] == [c.pose for c in other.costs] and one.picks == other.picks
    heard: list[int] = []
    stop = Progress(lambda share, _: stop.cancel() if share > 0.2 else None)
    with pytest.raises(Cancelled):
        search_poses(mesh, bench, stop, told=lambda costs: heard.append(len(costs)), most=60)
    assert heard and heard == sorted(heard)


@pytest.mark.prove
def test_a_bowl_opens_neither_to_the_plate_nor_to_the_film(bench: Bench) -> None:
    outer, inner = trimesh.creation.icosphere(4, 20), trimesh.creation.icosphere(4, 18)
    half = trimesh.creation.box((60, 60, 30), transform=trimesh.transformations.translation_matrix([0, 0, 15]))
    bowl = trimesh.boolean.difference([outer, inner, half])
    found = search_poses(as_mesh(bowl), bench, most=200)
    sealed = [weigh_pose(Light.of(as_mesh(bowl)), Pose(turned_xyz(a, 0, 0), 3.0), bench).suction_n for a in (0.0, 180.0)]
    assert max(sealed) > 20 and found.costs[0].suction_n < 0.1 * max(sealed)


@pytest.mark.prove
def test_the_command_line_gives_rotations_that_check_takes(tmp_path: Path) -> None:
    path, out, report = tmp_path / "plate.stl", tmp_path / "poses.json", tmp_path / "report.json"
    PLATE.export(path)
    run = CliRunner()
    done = run.invoke(app, ["orient", str(path), "--set", "print.layer_height_mm=0.1", "--json", str(out)])
    assert done.exit_code == 0, done.output
    said = json.loads(out.read_text())
    assert len(said["candidates"]) > 300 and "balanced" in said["picks"] and "balanced" in done.output
    pick = said["picks"]["tilted 30 to 45°"]
    turns = [str(v) for v in pick["rotate_deg"]]
    done = run.invoke(
        app,
        ["check", str(path), "--rotate", *turns, "--gap", "3", "--layer-height", "0.1", "--pitch", "0.2", "--json", str(report)],
    )
    assert done.exit_code == 0, done.output
    layers = json.loads(report.read_text())["layers"]
    assert max(layers["peel_n"]) == pytest.approx(pick["peak_n"], rel=0.05)
    assert layers["count"] == pytest.approx(pick["layers"], abs=2)


# the chart


def test_the_chart_of_two_hemispheres_keeps_areas_and_comes_back() -> None:
    """Lambert: a cap of 30° covers 1 - cos 30° of a hemisphere, and as much of its disc."""
    chance = np.random.default_rng(2).normal(size=(20_000, 3))
    ups = chance / np.linalg.norm(chance, axis=1, keepdims=True)
    disc, at = disc_of(ups)
    assert (np.linalg.norm(at, axis=1) <= 1 + 1e-9).all() and set(disc) == {0, 1}
    for side in (0, 1):
        assert up_at(side, at[disc == side]) == pytest.approx(ups[disc == side], abs=1e-9)
    inside = np.linalg.norm(at[disc == 0], axis=1) <= np.sqrt(1 - np.cos(np.radians(30)))
    cap = ups[disc == 0][:, 2] >= np.cos(np.radians(30))
    assert np.array_equal(inside, cap)
    assert np.isnan(up_at(0, np.array([[0.9, 0.9]]))).all()


def test_contour_lines_of_a_chart_are_where_the_function_says() -> None:
    """z of the way up is drawn out over the discs; the line of 0.5 is the circle of radius √(1 - 0.5)."""
    ups = covering(2000)
    chart = hemispheres(ups, ups[:, 2], 128)
    assert np.nanmax(np.abs(chart.values[1] + chart.values[0][:, ::-1])) < 0.1
    lines = level_lines(chart.values[0], 0.5)
    places = (lines.reshape(-1, 2) + 0.5) / 128 * 2 - 1
    assert len(lines) > 100 and np.abs(np.linalg.norm(places, axis=1) - np.sqrt(0.5)).max() < 0.03
    assert len(level_lines(chart.values[1], 0.5)) == 0


def test_a_saddle_gives_two_pieces_and_a_gap_none() -> None:
    saddle = np.array([[1.0, -1.0], [-1.0, 1.0]])
    pieces = level_lines(saddle, 0.0)
    assert len(pieces) == 2 and np.abs(pieces).max() <= 1.0
    assert np.linalg.norm(pieces[:, 1] - pieces[:, 0], axis=1) == pytest.approx([np.sqrt(0.5)] * 2)
    assert len(level_lines(np.array([[1.0, np.nan], [-1.0, 1.0]]), 0.0)) == 0


def test_limits_leave_out_what_breaks_them_unless_nothing_keeps_to_them(bench: Bench) -> None:
    found = search_poses(as_mesh(PLATE), bench, most=60)
    hours = sorted(c.hours for c in found.costs)
    quick = picks_of(found.costs, found.faces, bench.house, Limits(most_hours=hours[5]))
    assert all(c.hours <= hours[5] for c in quick.values())
    assert picks_of(found.costs, found.faces, bench.house, Limits(most_hours=0.0)).keys() >= {"balanced", "lowest"}
    marked = [replace(c, clean_tips=2.0 if c.up[2] > 0 else 0.0) for c in found.costs]
    assert all(c.up[2] <= 0 for c in picks_of(marked, found.faces, bench.house).values())
    assert any(c.up[2] > 0 for c in picks_of(marked, found.faces, bench.house, Limits(clean=False)).values())


# what a pose leaves in hollows, and what it does to bores and pegs


def a_cup() -> trimesh.Trimesh:
    """30 mm across and 20 tall, its hollow 24 mm across and 16 deep, open at the top."""
    outer, inner = trimesh.creation.cylinder(15, 20, sections=96), trimesh.creation.cylinder(12, 20, sections=96)
    return trimesh.boolean.difference([outer, inner.apply_translation([0, 0, 4])], engine="manifold")


def test_resin_left_in_a_cup_is_what_it_holds_as_it_is_leant(bench: Bench) -> None:
    """Rim to the plate it hangs full; rim to the film it is empty; leant by θ as it hangs, π r² (h - r tan θ) is left."""
    job = job_of("Cup", bench, (Part("Cup", as_source(as_mesh(a_cup())), id=ONE),))
    stages = Stages()
    for lean, left in ((180.0, np.pi * 144 * 16), (0.0, 0.0), (165.0, np.pi * 144 * (16 - 12 * np.tan(np.radians(15))))):
        cost = cost_of(job, ONE, stages, Pose(turned_xyz(lean, 0, 0), 3.0))
        assert cost.stays_ml == pytest.approx(left / 1000, rel=0.08, abs=0.1), lean
    found = ways_up(job, ONE, stages, most=80)
    assert found.picks["least resin left in it"].stays_ml < 0.1
    solid = job_of("Cube", bench, (Part("Cube", as_source(as_mesh(CUBE)), id=ONE),))
    assert (
        cost_of(solid, ONE, stages).stays_ml == 0 and "least resin left in it" not in ways_up(solid, ONE, stages, most=40).picks
    )


@pytest.mark.parametrize("turn", [(0.0, 0.0, 0.0), (31.0, -54.0, 12.0), (90.0, 10.0, 200.0)])
@pytest.mark.parametrize("sections", [16, 48, 200])
def test_bores_and_pegs_are_found_in_a_part_however_it_is_turned(turn: tuple[float, float, float], sections: int) -> None:
    """A plate with a bore of 6 mm, one of 3 mm and a peg of 5 mm; its outer corners are no rounds."""
    solid = trimesh.creation.box((40, 20, 8))
    for radius, x in ((3.0, -12.0), (1.5, 0.0)):
        drill = trimesh.creation.cylinder(radius, 30, sections=sections).apply_translation([x, 0, 0])
        solid = trimesh.boolean.difference([solid, drill], engine="manifold")
    peg = trimesh.creation.cylinder(2.5, 12, sections=sections).apply_translation([12, 0, 8])
    solid = trimesh.boolean.union([solid, peg], engine="manifold")
    matrix = np.eye(4)
    matrix[:3, :3] = np.array(turned_xyz(*turn)).reshape(3, 3)
    found = rounds_of(as_mesh(solid.copy().apply_transform(matrix)))
    assert [(round(b.diameter_mm, 2), b.is_hole) for b in found] == [(6.0, True), (5.0, False), (3.0, True)]
    for b in found:
        assert abs(np.array(b.axis) @ matrix[:3, 2]) == pytest.approx(1.0, abs=1e-6)


def test_shapes_without_bores_or_pegs_have_none() -> None:
    cone = trimesh.creation.cone(4.0, 12.0, sections=64)
    for solid in (trimesh.creation.icosphere(4, 5.0), CUBE, cone, trimesh.creation.cylinder(50, 10, sections=64)):
        assert rounds_of(as_mesh(solid)) == ()


@pytest.mark.parametrize("turn", [(0.0, 0.0, 0.0), (31.0, -54.0, 12.0), (90.0, 10.0, 200.0)])
@pytest.mark.parametrize("sections", [24, 64, 150])
@pytest.mark.parametrize("rounded", [0.4, 1.5])
def test_bores_and_pegs_with_rounded_rims_are_found_by_their_straight_walls(
    turn: tuple[float, float, float], sections: int, rounded: float
) -> None:
    """A ring of 4 and 15 mm radius, 9 mm high, all its rims rounded: one smooth surface of two walls, two ends and four rims."""
    low, high = rounded, 9 - rounded
    arcs = []
    for r, z, first in ((15 - rounded, low, -90), (15 - rounded, high, 0), (4 + rounded, high, 90), (4 + rounded, low, 180)):
        a = np.radians(first + np.linspace(0, 90, 7))
        arcs.append(np.column_stack((r + rounded * np.cos(a), z + rounded * np.sin(a))))
    profile = np.concatenate([*arcs, arcs[0][:1]])
    ring = trimesh.creation.revolve(profile, sections=sections)
    matrix = np.eye(4)
    matrix[:3, :3] = np.array(turned_xyz(*turn)).reshape(3, 3)
    mesh = as_mesh(ring.apply_transform(matrix))
    found = rounds_of(mesh)
    assert [(round(b.diameter_mm, 1), b.is_hole) for b in found] == [(30.0, False), (8.0, True)]
    for b in found:
        assert abs(np.array(b.axis) @ matrix[:3, 2]) == pytest.approx(1.0, abs=1e-5)
        assert b.length_mm == pytest.approx(9 - 2 * rounded, abs=1e-3) and b.around_deg > 330
        assert np.array(b.centre_mm) == pytest.approx(matrix[:3, 2] * 4.5, abs=1e-3)
    picked = bore_at(mesh, matrix[:3, :3] @ np.array([4.0, 0.1, 4.5]))
    assert picked.is_hole and picked.diameter_mm == pytest.approx(8.0, abs=0.01)


def test_a_leaning_bore_comes_out_of_round_as_the_law_of_fits_says(bench: Bench) -> None:
    tube = trimesh.creation.annulus(3.0, 14.0, 12.0, sections=96)
    part = Part("Tube", as_source(as_mesh(tube)), id=ONE)
    job, stages = job_of("Tube", bench, (part,)), Stages()
    for lean in (0.0, 20.0, 45.0, 90.0):
        cost = cost_of(job, ONE, stages, Pose(turned_xyz(lean, 0, 0), 3.0))
        law = as_printed(Drawn(6.0, True, lean), bench).out_of_round_mm
        assert cost.out_of_round_mm == pytest.approx(law, abs=1e-4)
    assert ways_up(job, ONE, stages, most=60).picks["truest bores and pegs"].out_of_round_mm < 0.002


def test_prices_hours_and_ranges_make_no_new_search(bench: Bench) -> None:
    job, stages = job_of("Cube", bench, (Part("Cube", as_source(as_mesh(CUBE)), id=ONE),)), Stages()
    found = ways_up(job, ONE, stages, most=20)
    dearer = bench.with_value("trade.currency", "XYZ").with_value("ranges.seal", 0.05)
    assert ways_up(replace(job, bench=dearer), ONE, stages, most=20) is found
    assert ways_up(replace(job, bench=bench.with_value("film.line_adhesion_n_per_mm", 0.03)), ONE, stages, most=20) is not found
