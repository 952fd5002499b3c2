"""The plan of a plate: outlines from above, what would touch, gaps, what each print weighs and pulls, and moves by hand."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from conftest import as_mesh, as_source, set_down, turned
from reference.plates import least_gap, mushroom
from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob
from wideberth.core.job import Job, Part, Placement, job_of, on_other_plate, with_count, with_print, without_prints
from wideberth.core.model import Mesh, rotation_about
from wideberth.core.plate import (
    Line,
    Loops,
    Stance,
    covers,
    evenly_spread,
    footprint_of,
    in_line,
    silhouette,
    standing_loops,
    standing_outline,
    touch,
)
from wideberth.core.predict import Stages, fine, gaps_between, predict, told_by_print
from wideberth.core.propose import propose_division, propose_more, propose_places, propose_plates

STANCES = [Stance(), Stance(3.3, -7.25, 90.0), Stance(-11.1, 4.0, 33.0), Stance(0.4, 0.1, 211.5, True), Stance(8, 8, 0.0, True)]


def area_of(loops: Loops) -> float:
    """Shoelace: holes count less, as they run the other way."""
    return sum(0.5 * float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1))) for x, y in (ring.T for ring in loops))


def standing(mesh: Mesh, stance: Stance) -> Mesh:
    """A mesh where a print stands, by its points."""
    points = mesh.points * (-1.0 if stance.mirrored else 1.0, 1.0, 1.0) @ rotation_about(2, stance.turn_deg).T
    faces = mesh.faces[:, ::-1].copy() if stance.mirrored else mesh.faces
    return Mesh(points + (stance.x_mm, stance.y_mm, 0.0), faces)


@pytest.mark.parametrize("turn", [0.0, 40.0, 90.0])
def test_an_outline_from_above_has_the_area_of_the_shadow(turn: float) -> None:
    """A box of 8 x 5 x 3 turned about x: 8 (5 |cos| + 3 |sin|). A ring lying flat: π (R² - r²), its hole open."""
    box = as_mesh(turned(trimesh.creation.box((8, 5, 3)), turn, (1, 0, 0)))
    a = np.radians(turn)
    assert area_of(silhouette(box)) == pytest.approx(8 * (5 * abs(np.cos(a)) + 3 * abs(np.sin(a))), rel=1e-3)
    ring = silhouette(as_mesh(trimesh.creation.annulus(4.0, 9.0, 2.0, sections=256)))
    assert len(ring) == 2
    assert area_of(ring) == pytest.approx(np.pi * (81 - 16), rel=2e-3)
    holed = Mesh(box.points, box.faces[2:])  # two triangles torn out of the underside or a wall: the shadow stays
    assert area_of(silhouette(holed)) == pytest.approx(area_of(silhouette(box)), rel=1e-3)


@pytest.mark.prove
@pytest.mark.parametrize("stance", STANCES)
def test_a_print_is_covered_where_it_stands(stance: Stance) -> None:
    """The outline's points and the cells against the mesh itself, turned by its points."""
    mesh = set_down(turned(mushroom(9, 14), 25, (1, 0.2, 0)))
    seen = footprint_of(mesh, None)
    there = standing(mesh, stance)
    loops = standing_loops(seen.part, stance)
    together = np.concatenate(loops)
    assert together.min(axis=0) == pytest.approx(there.low[:2], abs=0.03)
    assert together.max(axis=0) == pytest.approx(there.high[:2], abs=0.03)
    assert area_of(loops) == pytest.approx(area_of(silhouette(there)), rel=0.01)
    outline = standing_outline(seen.outline, stance)
    surface, _ = trimesh.sample.sample_surface(trimesh.Trimesh(there.points, there.faces), 20_000, seed=3)
    for band in range(len(outline.cells)):
        own = surface[(surface[:, 2] >= 5 * band) & (surface[:, 2] < 5 * (band + 1))]
        lowest = replace(outline, cells=outline.cells[band:])
        assert covers(lowest, own[:, :2]).all()
    wide = (there.high - there.low)[:2]
    assert (np.array(outline.cells.shape[:0:-1]) * 0.5 <= wide + 5 * 0.5).all()


def test_touching_is_told_at_the_same_height_alone() -> None:
    """A small box fits under a mushroom's cap, but not through its stalk; sliding it out of the way is free again."""
    cap = footprint_of(set_down(mushroom(12, 22)), None).outline
    box = footprint_of(set_down(trimesh.creation.box((3, 3, 4))), None).outline
    at = {x: touch(standing_outline(cap, Stance()), standing_outline(box, Stance(x))) for x in (0.0, 7.5, 30.0)}
    assert at == {0.0: True, 7.5: False, 30.0: False}


@pytest.mark.prove
def test_touching_agrees_with_exact_distances() -> None:
    """Sixty random stances of two solids: whatever touches by exact distances is told, and nothing farther than two cells is."""
    rng = np.random.default_rng(7)
    meshes = [set_down(turned(mushroom(8, 15), 30, (1, 0, 0))), set_down(trimesh.creation.torus(9, 2.0))]
    outlines = [footprint_of(m, None).outline for m in meshes]
    told = []
    for _ in range(60):
        stance = Stance(*rng.uniform(-16, 16, 2), rng.uniform(0, 360), bool(rng.integers(2)))
        gap = least_gap([meshes[0], standing(meshes[1], stance)], 20.0)
        touches = touch(outlines[0], standing_outline(outlines[1], stance))
        told.append(touches)
        assert touches or gap > 0
        assert not touches or gap < 5.0 or gap == 0  # a band of height is 5 mm
    assert 10 < sum(told) < 55


def boxes_of(*corners: tuple[float, float, float, float]) -> np.ndarray:
    return np.array([[[x0, y0], [x1, y1]] for x0, y0, x1, y1 in corners])


def test_prints_come_in_line_and_stand_evenly() -> None:
    boxes = boxes_of((0, 0, 4, 4), (10, -3, 12, 5), (30, 1, 33, 2))
    assert in_line(boxes, Line.LEFT)[:, 0].tolist() == [0, -10, -30]
    assert in_line(boxes, Line.RIGHT)[:, 0].tolist() == [29, 21, 0]
    assert in_line(boxes, Line.BACK)[:, 1].tolist() == [1, 0, 3]
    middles = boxes.mean(axis=1) + in_line(boxes, Line.ALONG)
    assert np.ptp(middles[:, 1]) == pytest.approx(0)
    spread = boxes + evenly_spread(boxes, 0)[:, None]
    assert (spread[1:, 0, 0] - spread[:-1, 1, 0]).tolist() == [12.0, 12.0]
    assert spread[[0, 2]].tolist() == boxes[[0, 2]].tolist()
    backwards = evenly_spread(boxes[::-1], 0)[::-1]
    assert backwards.tolist() == evenly_spread(boxes, 0).tolist()


# on a job


@pytest.fixture(scope="module")
def stages() -> Stages:
    return Stages()


@pytest.fixture(scope="module")
def tray(bench: Bench) -> Job:
    """A box and a cylinder straight on the plate, one of each."""
    box = Part(id="", name="Block", source=as_source(as_mesh(trimesh.creation.box((20, 10, 6)))))
    pin = Part(id="", name="Pin", source=as_source(as_mesh(trimesh.creation.cylinder(6.0, 12.0, sections=96))))
    return job_of("tray", bench, (box, pin), [(-20.0, 0.0), (10.0, 0.0)])


def ids_of(job: Job) -> list[str]:
    return [p.id for plate in job.plates for p in plate.placements]


def test_gaps_are_exact_and_weights_and_pulls_add_up(tray: Job, stages: Stages) -> None:
    """Block's edge at -10, pin's at 4: 14 mm; 1.2 and 1.357 mL at their density; the pulls of both make the plate's."""
    seen = predict(tray, stages, fine(0.1))
    (gap,) = gaps_between(seen.solids, stages, tray.bench.supports, 30.0)
    assert gap.gap_mm == pytest.approx(14.0, abs=1e-6)
    assert gaps_between(seen.solids, stages, tray.bench.supports, 13.9) == ()
    block, pin = told_by_print(seen, stages)
    density = tray.bench.resin.solid_density_kg_per_m3 * 1e-6
    assert block.weight_g == pytest.approx(1200 * density, rel=0.01)
    assert pin.weight_g == pytest.approx(np.pi * 36 * 12 * density, rel=0.01)
    assert (block.joined, pin.joined) == ((), ())
    layer = pin.pull_layer
    alone = []
    for placement in tray.plates[0].placements:
        one = replace(tray, plates=(replace(tray.plates[0], placements=(placement,)),))
        alone += told_by_print(predict(one, stages, fine(0.1)), stages)
    assert [t.pull_n for t in alone] == pytest.approx([block.pull_n, pin.pull_n], rel=1e-9)
    assert seen.loads.pull_n[layer] <= block.pull_n + pin.pull_n + 1e-9


def test_prints_that_touch_are_told_as_one_body(tray: Job, stages: Stages) -> None:
    """The pin pushed into the block: no gap, each joined with the other, both pull with the whole body."""
    block, pin = tray.plates[0].placements
    pushed = tray.with_placement(replace(pin, x_mm=block.x_mm + 12))
    seen = predict(pushed, stages, fine(0.1))
    (gap,) = gaps_between(seen.solids, stages, tray.bench.supports, 5.0)
    told = told_by_print(seen, stages)
    assert gap.gap_mm == pytest.approx(0.0, abs=1e-9)
    assert [t.joined for t in told] == [("Pin",), ("Block",)]
    assert told[0].pull_n == told[1].pull_n == pytest.approx(float(seen.loads.pull_n.max()), rel=1e-6)


def test_pinned_prints_stay_while_others_are_arranged(tray: Job, stages: Stages) -> None:
    """One pinned off the grid of cells, in the way of everything: it stays, the gap is kept from it exactly."""
    many = with_count(tray, tray.parts[1].id, 12, (12.0, 12.0), 2.0)
    pinned = replace(many.plates[0].placements[0], x_mm=3.37, y_mm=-1.91, turn_deg=25.0, pinned=True)
    job = propose_places(many.with_placement(pinned), stages).job
    assert pinned in job.plates[0].placements
    meshes = [s.outer for s in stages.solids_on(job)]
    assert least_gap(meshes, 20.0) >= job.bench.house.apart_mm - 1e-9
    edge = np.array([0.5 * job.bench.printer.plate_x_mm, 0.5 * job.bench.printer.plate_y_mm])
    assert all((np.abs(m.points[:, :2]) <= edge + 1e-9).all() for m in meshes)
    assert all(abs(v * 10 - round(v * 10)) < 1e-6 for p in job.plates[0].placements if not p.pinned for v in (p.x_mm, p.y_mm))
    two = on_other_plate(job.with_plate("Plate 2"), [pinned.id], "plate-" + str(job.last + 1))
    spread = propose_plates(two, stages).job
    assert spread.plates[1].placements[0] == pinned


@pytest.mark.prove
def test_the_rest_of_a_plate_is_filled_without_moving_anything(tray: Job, stages: Stages) -> None:
    """Blocks of 20 x 10 at 2 mm apart on 200 x 120: two thirds of a bare grid of them at least; then no room is left."""
    full = propose_more(tray, stages, [tray.parts[0].id]).job
    stood = ids_of(tray)
    assert [full.plates[0].placements[n] for n in range(2)] == list(tray.plates[0].placements)
    made = [p for p in full.plates[0].placements if p.id not in stood]
    wide, deep = full.bench.printer.plate_x_mm, full.bench.printer.plate_y_mm
    assert len(made) >= 2 / 3 * (wide // 22) * (deep // 12)
    assert least_gap([s.outer for s in stages.solids_on(full)], 5.0) >= full.bench.house.apart_mm - 1e-9
    with pytest.raises(BadJob, match="no room"):
        propose_more(full, stages, [tray.parts[0].id])
    one = propose_more(tray, stages, [tray.parts[1].id], most=1).job
    assert len(one.plates[0].placements) == 3


def test_prints_come_and_go_by_their_ids(tray: Job) -> None:
    """A part keeps its last print; a moved one keeps its id and its place."""
    block, pin = ids_of(tray)
    with pytest.raises(BadJob, match="no more"):
        without_prints(tray, [block])
    more = with_print(tray, tray.parts[0].id, tray.plates[0].id, 5.0, 6.0, 400.0)
    made = more.plates[0].placements[-1]
    assert made == Placement(made.id, tray.parts[0].id, 5.0, 6.0, 40.0) and made.id not in ids_of(tray)
    assert ids_of(without_prints(more, [block])) == [pin, made.id]
    two = more.with_plate("Other")
    moved = on_other_plate(two, [made.id, pin], two.plates[1].id)
    assert [[p.id for p in plate.placements] for plate in moved.plates] == [[block], [pin, made.id]]
    assert moved.plates[1].placements[1] == made
    with pytest.raises(BadJob, match="empty plate"):
        moved.without_plate(moved.plates[1].id)
    assert two.without_plate(two.plates[1].id).plates == more.plates


def test_one_run_or_several_are_told_by_what_they_cost(tray: Job, stages: Stages) -> None:
    """Four pins and two blocks: together they take the taller one's layers once; alone each takes its own, so hours add up and
    what is at stake in a run falls; resin on the parts is the same."""
    many = with_count(with_count(tray, tray.parts[1].id, 2, (14, 14), 2.0), tray.parts[0].id, 2, (22, 12), 2.0)
    many = propose_places(many, stages).job
    proposal = propose_division(many, stages)
    together, two, alone = proposal.candidates
    assert together.job is many and not proposal.needed
    assert [c.measure("runs").value for c in proposal.candidates] == [1, 2, 4]  # type: ignore[union-attr]
    hours = [c.measure("time").value for c in proposal.candidates]  # type: ignore[union-attr]
    assert hours[0] < hours[1] < hours[2]
    stakes = [c.measure("at stake in a run").value for c in proposal.candidates]  # type: ignore[union-attr]
    assert stakes[0] == pytest.approx(2 * (1.2 + np.pi * 36 * 12 / 1000), rel=0.02)
    assert stakes[1] == pytest.approx(2 * np.pi * 36 * 12 / 1000, rel=0.02)  # the tall ones together
    assert stakes[2] == pytest.approx(np.pi * 36 * 12 / 1000, rel=0.02)
    assert [[p.part for p in plate.placements] for plate in two.job.plates] == [[tray.parts[1].id] * 2, [tray.parts[0].id] * 2]
    assert all(len(plate.placements) == 1 for plate in alone.job.plates)
