"""Packing a plate: outlines cover all that a print touches and hardly more; a gap kept exactly in three dimensions."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from typer.testing import CliRunner

from conftest import ONE, as_mesh, as_source, moved, set_down, turned
from reference.further import further
from reference.plates import box_mm2, least_gap, mushroom, random_prints, shelf_mm2, stands
from wideberth.cli.main import app
from wideberth.core.bench import Bench, zones_of
from wideberth.core.errors import BadBench, BadJob
from wideberth.core.job import Job, Part, job_of, open_job, with_count, with_twin
from wideberth.core.model import Mesh, as_solid, points_inside
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.plate import Goal, Item, pack
from wideberth.core.plate.outline import CellSizes, outline_of
from wideberth.core.predict import Stages, gaps_between, losses, predict
from wideberth.core.propose import propose_places, propose_plates, propose_support

PLATE = (200.0, 120.0)
CELLS = CellSizes(0.8, 5.0, 6)


def packed(
    meshes: list[Mesh], gap: float, goal: Goal = Goal.FEWEST, plate: tuple[float, float] = PLATE, plates: int = 60
) -> list[list[Mesh]]:
    """Prints where they stand, plate by plate."""
    items = [Item((m,), str(n), m.volume_mm3) for n, m in enumerate(meshes)]
    places = pack(items, plate, gap, goal, plates)
    assert all(place is not None for place in places)
    numbers = sorted({place.plate for place in places if place is not None})
    assert numbers == list(range(len(numbers)))
    return [[stands(m, p) for m, p in zip(meshes, places, strict=True) if p is not None and p.plate == n] for n in numbers]


@pytest.mark.parametrize("turn", [33.0, *further([0.0, -135.0])])
@pytest.mark.parametrize(
    "solid",
    [trimesh.creation.torus(9, 2.5), trimesh.creation.cone(8, 22), mushroom(12, 20), trimesh.creation.box((17, 3, 24))],
    ids=["torus", "cone", "mushroom", "plank"],
)
def test_an_outline_covers_what_a_print_touches_and_no_cell_more(solid: trimesh.Trimesh, turn: float) -> None:
    """Against points of the solid, its surface sampled and its inside filled: all lie in covered cells, and covered cells
    have some within a fifth of their size."""
    mesh = set_down(turned(solid, 20, (1, 0.3, 0)))
    outline = outline_of([mesh], CELLS, turn)
    there = trimesh.Trimesh(mesh.points, mesh.faces)
    there.apply_transform(trimesh.transformations.rotation_matrix(np.radians(turn), (0, 0, 1)))
    surface, _ = trimesh.sample.sample_surface(there, 250_000, seed=1)
    inside = np.random.default_rng(2).uniform(*there.bounds, (4_000, 3))
    inside = inside[points_inside(as_mesh(there), inside)]
    points = np.concatenate((surface, inside))
    at = np.stack(
        [points[:, 2] / CELLS.band_mm, points[:, 1] / 0.8 - outline.low[1], points[:, 0] / 0.8 - outline.low[0]], axis=1
    )
    cell = np.floor(at).astype(int)
    cell[:, 0] = np.minimum(cell[:, 0], CELLS.bands - 1)
    assert (cell >= 0).all() and (cell < outline.cells.shape).all()
    assert outline.cells[tuple(cell.T)].all()
    near = np.zeros(outline.cells.shape, bool)
    for off in np.array(np.meshgrid([-0.2, 0, 0.2], [-0.2, 0, 0.2], [-0.2, 0, 0.2])).T.reshape(-1, 3):
        spot = np.clip(np.floor(at + off * [0.1, 1, 1]).astype(int), 0, np.array(near.shape) - 1)
        near[tuple(spot.T)] = True
    assert (outline.cells & ~near).sum() <= 0.005 * outline.cells.sum()  # corners so small that no sample fell there


def test_a_quarter_turn_of_an_outline_is_the_outline_of_the_turned_print() -> None:
    mesh = set_down(turned(mushroom(11, 17), 25, (1, 0.3, 0)))
    quarter, anew = outline_of([mesh], CELLS).quarter(), outline_of([mesh], CELLS, 90.0)
    assert quarter.low == anew.low and (quarter.cells == anew.cells).mean() > 0.999


@pytest.mark.parametrize("seed", [0, *further([1, 2, 3, 4, 5])])
@pytest.mark.parametrize("goal", list(Goal))
def test_no_two_prints_come_nearer_than_the_gap_and_all_stay_on_the_plate(seed: int, goal: Goal) -> None:
    """By exact solids, on as many plates as are needed; the gap from nothing to 6 mm."""
    chance = np.random.default_rng(seed)
    gap, meshes = float(chance.uniform(0.0, 6.0)), random_prints(seed, int(chance.integers(5, 16)))
    plates = packed(meshes, gap, goal, (90.0, 70.0))
    assert sum(len(plate) for plate in plates) == len(meshes)
    for plate in plates:
        assert least_gap(plate, 8.0) >= gap - 1e-6
        assert all((np.abs([m.low[:2], m.high[:2]]) <= [45.0, 35.0]).all() for m in plate)


@pytest.mark.parametrize("seed", [1, *further([5, 9, 14])])
def test_true_outlines_take_a_tenth_less_of_the_plate_than_a_shelf_of_boxes(seed: int, bench: Bench) -> None:
    meshes = random_prints(seed, 14)
    (plate,) = packed(meshes, 3.0)
    assert box_mm2(plate) <= 0.9 * shelf_mm2(meshes, bench.printer, 3.0)


def test_a_low_print_stands_under_a_high_cap() -> None:
    """A cap of 40 mm on a stem, 25 mm up, and coins of 5 mm height: together on a plate hardly wider than the cap."""
    tall = as_mesh(mushroom(20, 25))
    coins = [as_mesh(trimesh.creation.cylinder(5, 5, sections=48)).moved(np.array([0, 0, 2.5])) for _ in range(4)]
    (plate,) = packed([tall, *coins], 2.0, plate=(43.0, 43.0))
    assert least_gap(plate, 5.0) >= 2.0 - 1e-6


def test_heavy_prints_stand_in_the_middle_and_equal_heights_together() -> None:
    meshes = [as_mesh(trimesh.creation.box((14, 14, h))).moved(np.array([0, 0, h / 2])) for h in (4, 30, 5, 28, 6, 26, 40, 7, 8)]
    (plate,) = packed(meshes, 3.0, Goal.MIDDLE)
    away = [float(np.hypot(*(0.5 * (m.low + m.high))[:2])) for m in plate]
    heaviest = np.argsort([-m.volume_mm3 for m in plate])
    assert away[heaviest[0]] == min(away) and np.mean(np.array(away)[heaviest[:4]]) < np.mean(np.array(away)[heaviest[4:]])
    plates = packed(meshes, 3.0, Goal.HEIGHTS, (52.0, 35.0))
    heights = [[round(float(m.high[2])) for m in plate] for plate in plates]
    assert len(plates) == 2 and min(heights[0]) >= max(heights[1])


def test_what_no_plate_holds_gets_no_place() -> None:
    meshes = [as_mesh(trimesh.creation.box((190, 100, 5))), as_mesh(trimesh.creation.box((210, 20, 5)))]
    big, long = (Item((m.moved(np.array([0, 0, 2.5])),), str(n)) for n, m in enumerate(meshes))
    assert [p is None for p in pack([big, long, big], PLATE, 3.0, most_plates=1)] == [False, True, True]
    assert [p is None for p in pack([big, long, big], PLATE, 3.0)] == [False, True, False]


def kit(bench: Bench) -> Job:
    """Two angles on supports, with copies and a mirror image."""
    angle = trimesh.boolean.union(
        [trimesh.creation.box(bounds=[[0, 0, 0], [26, 6, 5]]), trimesh.creation.box(bounds=[[0, 0, 0], [6, 18, 5]])],
        engine="manifold",
    )
    coarse = bench.with_value("print.layer_height_mm", 0.1)
    part = Part("Angle", as_source(as_mesh(angle)), pose=Pose(turned_xyz(15, 8, 0), 4.0))
    part = propose_support(job_of("Kit", coarse, (part,)), ONE, Stages()).job.parts[0]
    return with_twin(with_count(job_of("Kit", coarse, (part,)), ONE, 4, (26.0, 18.0), 3.0), ONE, (26.0, 18.0), 3.0)


@pytest.mark.prove
@pytest.mark.parametrize("goal", [Goal.FEWEST, *further([Goal.HEIGHTS, Goal.MIDDLE])])
def test_a_kit_is_arranged_with_its_supports_on_whole_rows(goal: Goal, bench: Bench) -> None:
    job, stages = kit(bench), Stages()
    after = propose_places(job, stages, goal=goal).job
    solids = stages.solids_on(after)
    assert len(solids) == 5
    own = [s.at_home.outer.moved(s.shift_mm) for s in solids]
    assert least_gap(own, 10.0) >= bench.house.apart_mm - 1e-6
    for a in solids:
        for b in solids:
            if a is not b and a.supports is not None:
                away = np.linalg.norm(a.supports.points[:, None, :2] - b.supports.points[None, ::7, :2], axis=2)  # type: ignore[union-attr]
                assert away.min() >= bench.house.apart_mm - 1e-6
    for placement in after.placements_of(ONE):
        assert placement.x_mm / 0.1 == pytest.approx(round(placement.x_mm / 0.1), abs=1e-6)
    assert not [f for f in predict(after, stages).verdict.findings if f.code == "off_plate"]


def test_what_does_not_fit_is_not_arranged(bench: Bench) -> None:
    slab = Part("Slab", as_source(as_mesh(trimesh.creation.box((190, 100, 4)))))
    job = job_of("Slabs", bench, (slab, replace(slab, name="Other")))
    with pytest.raises(BadJob, match="do not fit on one plate"):
        propose_places(job, Stages())


def test_a_kit_too_large_for_one_plate_is_spread_over_as_few_as_hold_it(bench: Bench) -> None:
    """Nine slabs of 60 by 50 mm: six fit a plate of 200 by 120 mm with 3 mm between them, three stand on the second."""
    slab = Part("Slab", as_source(as_mesh(trimesh.creation.box((60, 50, 4)))))
    job = with_count(job_of("Slabs", bench, (slab,)), ONE, 9, (60.0, 50.0), 3.0)
    stages = Stages()
    made = propose_plates(job, stages)
    assert [len(p.placements) for p in made.job.plates] == [6, 3] and "9 parts on 2 plates: 6, 3" in made.why
    assert sorted(p.id for plate in made.job.plates for p in plate.placements) == sorted(p.id for p in job.placements_of(ONE))
    for plate in made.job.plates:
        assert least_gap([s.outer for s in stages.solids_on(made.job, plate.id)], 9.0) >= 3.0 - 1e-6
    together = propose_plates(made.job, stages)
    assert [len(p.placements) for p in together.job.plates] == [6, 3]
    few = with_count(made.job, ONE, 5, (60.0, 50.0), 3.0)
    assert [len(p.placements) for p in propose_plates(few, stages).job.plates] == [5]


def test_the_command_line_spreads_models_over_plates(tmp_path: Path) -> None:
    names = []
    for name, size in (("slab", (60, 50, 4)), ("rod", (100, 6, 6))):
        names.append(str(tmp_path / f"{name}.stl"))
        trimesh.creation.box(size).export(names[-1])
    out = tmp_path / "out"
    words = ["plate", *names, "-o", str(out), "--count", "5", "--goal", "heights", "--json", str(tmp_path / "told.json")]
    result = CliRunner().invoke(app, [*words, "--set", "print.layer_height_mm=0.1"])
    assert result.exit_code == 0, result.output
    told = json.loads((tmp_path / "told.json").read_text())["plates"]
    assert sum(len(t["prints"]) for t in told) == 10 and {p.name for p in out.iterdir()} >= {
        "job.3mf",
        "plate-1.3mf",
        "plate-1.json",
    }
    for t in told:
        assert all(
            abs(v) <= e + 1e-3
            for p in t["prints"]
            for k in ("low_mm", "high_mm")
            for v, e in zip(p[k], (100, 60, 180), strict=True)
        )
    opened = open_job(out / "job.3mf")
    assert [len(p.placements) for p in opened.plates] == [len(t["prints"]) for t in told]
    again = CliRunner().invoke(app, ["plate", str(out / "job.3mf"), "-o", str(tmp_path / "again")])
    assert again.exit_code == 0 and (tmp_path / "again" / "job.3mf").is_file()
    assert sum(len(p.placements) for p in open_job(tmp_path / "again" / "job.3mf").plates) == 10
    refused = CliRunner().invoke(app, ["plate", str(out / "job.3mf"), names[0], "-o", str(tmp_path / "again")])
    assert isinstance(refused.exception, BadJob) and "Give it alone" in refused.exception.text


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(*[st.floats(-300, 300, allow_nan=False).map(lambda v: round(v, 2))] * 4), max_size=6))
def test_zones_are_read_as_they_are_written_and_what_is_none_is_refused(corners: list[tuple[float, ...]]) -> None:
    text = "; ".join(",".join(f"{v:g}" for v in c) for c in corners)
    flat = any(x0 == x1 or y0 == y1 for x0, y0, x1, y1 in [tuple(float(f"{v:g}") for v in c) for c in corners])
    if flat:
        with pytest.raises(ValueError, match="no rectangle"):
            zones_of(text)
        return
    for zone, (x0, y0, x1, y1) in zip(zones_of(text), corners, strict=True):
        assert (zone.left_mm, zone.right_mm) == pytest.approx(sorted((x0, x1)), rel=1e-4)
        assert (zone.front_mm, zone.back_mm) == pytest.approx(sorted((y0, y1)), rel=1e-4)


@pytest.mark.parametrize(
    "text", ["1,2,3", "a,b,c,d", "0,0,0,5", "nan,0,1,1", "inf,0,1,1", "0,0,1e9,1", "1,2;3,4", ";".join(["0,0,1,1"] * 41)]
)
def test_a_zone_that_is_none_never_reaches_the_bench(text: str, bench: Bench) -> None:
    with pytest.raises(BadBench):
        bench.with_value("printer.kept_free", text)


@pytest.mark.parametrize("seed", range(4))
def test_nothing_is_packed_into_a_zone_that_is_kept_free(seed: int) -> None:
    """By the exact section of each print with the zone, up to the tallest; on every plate, for every goal, pinned ones aside."""
    meshes = random_prints(seed, 9)
    zones = [(-100.0, -60.0, -62.3, -11.7), (14.2, -3.1, 31.9, 22.4), (70.05, 40.0, 200.0, 80.0)]
    places = pack([Item((m,), str(n), m.volume_mm3) for n, m in enumerate(meshes)], PLATE, 2.0, list(Goal)[seed % 3],
                  rows_mm=0.1 * (seed % 2), kept_free_mm=zones)  # fmt: skip
    placed = [stands(m, p) for m, p in zip(meshes, places, strict=True) if p is not None]
    assert len(placed) == len(meshes)
    for mesh in placed:
        for left, front, right, back in zones:
            middle = trimesh.transformations.translation_matrix((0.5 * (left + right), 0.5 * (front + back), 100))
            prism = as_solid(as_mesh(trimesh.creation.box((right - left, back - front, 400), middle)))
            assert (as_solid(mesh) ^ prism).volume() == pytest.approx(0, abs=1e-6)


@pytest.mark.parametrize(
    ("zone", "x_mm", "y_mm"),
    [((-100.0, -60.0, -80.0, -40.0), 0.0, 0.0), ((-100.0, -60.0, 2.0, 60.0), 22.0, 0.0), ((-99.0, -9.0, 99.0, 60.0), 0.0, -29.0)],
)
def test_what_is_packed_moves_to_the_middle_as_far_as_zones_allow(
    zone: tuple[float, float, float, float], x_mm: float, y_mm: float
) -> None:
    """A block of 40 x 40 mm: into the very middle beside a zone in a corner, against the zone's edge where that is nearer."""
    block = as_mesh(trimesh.creation.box((40, 40, 10)))
    (place,) = pack([Item((block,), "Block", 1.0)], PLATE, 2.0, Goal.FEWEST, kept_free_mm=[zone])
    assert place is not None and place.plate == 0
    assert (place.x_mm, place.y_mm) == pytest.approx((x_mm, y_mm), abs=1.6)  # two cells and a half


@pytest.mark.prove
def test_no_plate_of_several_is_moved_into_a_zone() -> None:
    """Fourteen blocks need two plates, six times in a row: by exact section of each block, on its own plate, with the zone."""
    left, front, right, back = zone = (-20.0, -15.0, 15.0, 20.0)
    upright = trimesh.creation.box((right - left, back - front, 40))
    prism = as_solid(as_mesh(moved(upright, 0.5 * (left + right), 0.5 * (front + back), 0)))
    for seed in range(6):
        rng = np.random.default_rng(seed)
        blocks = [as_mesh(trimesh.creation.box((*rng.uniform(25, 60, 2), 10))) for _ in range(14)]
        places = pack([Item((b,), str(n), 1.0) for n, b in enumerate(blocks)], PLATE, 2.0, Goal.FEWEST, kept_free_mm=[zone])
        assert len({p.plate for p in places if p is not None}) == 2
        for block, place in zip(blocks, places, strict=True):
            assert place is not None and (as_solid(stands(block, place)) ^ prism).volume() == pytest.approx(0, abs=1e-6)


@pytest.mark.parametrize("turn_deg", [0.0, 90.0])
def test_what_reaches_into_a_zone_is_told_with_its_area(turn_deg: float, bench: Bench) -> None:
    box = as_mesh(trimesh.creation.box((20, 12, 4)))
    job = job_of("x", bench, (Part("Block", as_source(box)),))
    placement = replace(job.plates[0].placements[0], x_mm=30.0, y_mm=-7.0, turn_deg=turn_deg)
    job = job.with_placement(placement)
    wide, deep = (20, 12) if turn_deg == 0 else (12, 20)
    for left, front, into in (
        (30 + wide / 2 - 3, -7.0, 3 * deep / 2),
        (30 + wide / 2 + 0.3, -7.0, 0.0),
        (-200.0, -200.0, wide * deep),
    ):
        zoned = replace(job, bench=job.bench.with_value("printer.kept_free", f"{left},{front},90,50"))
        told = [f for f in predict(zoned, Stages()).verdict.findings if f.code == "in_kept_free"]
        assert bool(told) == (into > 0)
        for finding in told:
            area = float(re.search(r"up to ([\d.]+) mm²", finding.message)[1])  # type: ignore[index]
            assert area == pytest.approx(into, rel=0.01) and "Block reaches" in finding.message


@pytest.mark.parametrize(("apart", "turn_deg"), [(3.0, 0.0), (11.7, 90.0), (26.0, 0.0)])
def test_what_a_lost_print_leaves_on_the_film_and_whom_it_reaches(apart: float, turn_deg: float, bench: Bench) -> None:
    """Two blocks straight on the plate, a low and a tall one: areas, volumes and distances by hand."""
    low, tall = (as_mesh(trimesh.creation.box(size)) for size in ((20, 10, 4), (12, 10, 24)))
    job = job_of("x", bench, [Part("Low", as_source(low)), Part("Tall", as_source(tall))])
    half = 10.0 if turn_deg == 0 else 5.0
    for placement, x, turn in zip(job.plates[0].placements, (-half - apart / 2, 6 + apart / 2), (turn_deg, 0.0), strict=True):
        job = job.with_placement(replace(placement, x_mm=x, y_mm=0.0, turn_deg=turn))
    seen = predict(job, (stages := Stages()))
    found = {loss.name: loss for loss in losses(seen, stages)}
    plate = seen.loads.plate_margin
    for name, mm2, high, other in (("Low", 200.0, 4.0, "Tall"), ("Tall", 120.0, 24.0, "Low")):
        loss = found[name]
        assert loss.by_plate and loss.margin == pytest.approx(float(np.nanmin(plate)))
        assert loss.z_mm == pytest.approx((loss.layer + 1) * 0.05)
        assert loss.lies_mm2 == pytest.approx(mm2 if loss.z_mm <= high else 0.0, rel=0.01)
        assert loss.rest_ml == pytest.approx(mm2 * max(high - loss.z_mm, 0.0) / 1000, rel=0.01, abs=1e-6)
        near = [(r.name, r.away_mm) for r in loss.reached]
        assert near == ([(other, pytest.approx(apart, abs=0.05))] if apart <= loss.z_mm else [])


@pytest.mark.prove
def test_the_print_that_is_held_worst_is_told_first_and_reaches_as_far_as_it_is_tall(bench: Bench) -> None:
    """The same slab twice, once on thinner tips: that comes first; each reaches those within its height at that peel alone."""
    slab = as_mesh(trimesh.creation.box((14, 10, 9)))
    part = Part("Slab", as_source(slab), pose=Pose(turned_xyz(20, 15, 0), gap_mm=5.0))
    stages = Stages()
    held = propose_support(job_of("x", bench, (part,)), ONE, stages).job.parts[0]
    thin = held.supports.sized({c.id: 0.7 * c.diameter_mm for c in held.supports.contacts})
    both = job_of("x", bench, (replace(held, id=""), replace(held, id="", name="Thin", supports=thin)))
    job = propose_places(both, stages).job
    seen = predict(job, stages)
    found = losses(seen, stages)
    margins = {n: min(t.margin for t in seen.verdict.tips if t.part == n) for n in (0, 1)}
    assert [loss.name for loss in found] == ["Thin", "Slab"]
    assert [loss.margin for loss in found] == pytest.approx([margins[1], margins[0]])
    for loss, me, other in ((found[0], 1, 0), (found[1], 0, 1)):
        solids = {n: s for n, s in enumerate(seen.solids)}
        height = loss.z_mm - solids[me].box_mm[0, 2]
        gap = gaps_between(seen.solids, stages, bench.supports, 100.0)[0]
        across = float(np.hypot(*np.subtract(*gap.spots_mm)))
        assert bool(loss.reached) == (across <= height)
        assert all(r.id == solids[other].placed.placement.id for r in loss.reached)
