"""Chambers, what stays in them, how they run out, plugs, light, and holes at work."""

from dataclasses import replace

import numpy as np
import pytest
import scipy
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import label

from conftest import ONE, as_mesh, as_source, moved, tube_with_floor, turned
from reference.further import further
from reference.voxels import flooded, spill_volume, voxels
from wideberth.core.bench import Bench
from wideberth.core.drain import (
    DROP,
    OVAL,
    ROUND,
    Drilled,
    Emptying,
    Hole,
    Probe,
    VoidCells,
    best_pose,
    drill,
    emptying,
    flow_radius_mm,
    lit_walls,
    plug,
    pools,
    void_cells,
)
from wideberth.core.drain._kernels import closed_in
from wideberth.core.drain.hole import outline_points
from wideberth.core.errors import BadModel, Cancelled
from wideberth.core.hollow import STRUTS, Lattice, Shell, cavity_mesh, hollow_out
from wideberth.core.job import Job, Part, job_of
from wideberth.core.layers import Printed, cast, difference, empty, grid_over
from wideberth.core.loads import hole_resistance
from wideberth.core.model import Mesh, Nodes, as_solid, exact, joined, read_model, voids_of
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages, drainage, fine, predict, preview
from wideberth.core.progress import Progress
from wideberth.core.propose import plugs, propose_drain, propose_support, with_holes, with_plugs
from wideberth.core.support import Need, Route, Supports, propose_tips
from wideberth.demo import mesh_path

UP, DOWN = np.array([0.0, 0.0, 1.0]), np.array([0.0, 0.0, -1.0])


def box(x: float, y: float, z: float, *at: float) -> trimesh.Trimesh:
    return moved(trimesh.creation.box((x, y, z)), *(at or (0, 0, 0)))


def shell_of(outer: trimesh.Trimesh, cavity: trimesh.Trimesh, *holes: Hole) -> tuple[VoidCells, Mesh, Mesh, tuple[Drilled, ...]]:
    """Cells of a solid with a cavity and drilled holes."""
    a, b = as_mesh(outer), as_mesh(cavity)
    drilled = tuple(drill(a, b, h) for h in holes)
    return void_cells(a, b, None, drilled), a, b, drilled


BALL = trimesh.creation.icosphere(5, 20)
ROOM = trimesh.creation.icosphere(5, 18)
LOW, HIGH = Hole(0, 0, -20, 2.0), Hole(0, 0, 20, 2.0)


# chambers


def test_two_bulbs_joined_by_a_tube_are_two_chambers_with_a_passage_of_its_bore() -> None:
    bulbs = [moved(trimesh.creation.icosphere(5, 9), x, 0, 0) for x in (-14, 14)]
    bore = turned(trimesh.creation.cylinder(1.5, 20, sections=64), 90, (0, 1, 0))
    cells, *_ = shell_of(box(52, 24, 24), trimesh.util.concatenate([*bulbs, bore]))
    assert len(cells.chambers) == 2
    ball = 4 / 3 * np.pi * 9**3 / 1000
    assert [c.volume_ml for c in cells.chambers] == pytest.approx([ball, ball], rel=0.03)
    for chamber in cells.chambers:
        (way,) = chamber.ways
        assert way.hole == -1
        assert way.width_mm == pytest.approx(3.0, abs=1.2 * cells.nodes.step_mm)
        assert abs(way.at_mm[0]) < 7
        assert chamber.widest_mm == pytest.approx(18, abs=2 * cells.nodes.step_mm)


def test_vase_is_a_chamber_with_its_own_mouth_and_a_dimple_is_none() -> None:
    vase = as_mesh(tube_with_floor())
    cells = void_cells(vase, None, None)
    (chamber,) = cells.chambers
    assert chamber.ways[0].to == -1
    assert chamber.ways[0].hole == -1
    assert chamber.widest_mm == pytest.approx(30, abs=2 * cells.nodes.step_mm)
    dimple = trimesh.boolean.difference([box(40, 40, 20), moved(trimesh.creation.icosphere(4, 30), 0, 0, 38)], engine="manifold")
    assert void_cells(as_mesh(dimple), None, None).chambers == ()


@pytest.mark.prove
def test_bell_and_claw_of_the_demo_have_the_voids_they_were_made_with() -> None:
    """The bell is one open void, full upside down and empty on its side; the claw's palm and wrist are two, shut."""
    bell = void_cells(read_model(mesh_path("bell")).mesh, None, None)
    (room,) = bell.chambers
    assert [(w.to, w.hole) for w in room.ways] == [(-1, -1)]
    assert pools(bell, UP).stays_ml > 0.9 * room.volume_ml
    assert pools(bell, DOWN).stays_ml < 0.05
    assert pools(bell, np.array([1.0, 0, 0])).stays_ml < 0.05
    claw = read_model(mesh_path("claw")).mesh
    made = hollow_out(claw, Shell(2.0, 0.3, 1.5)).chambers
    cells = void_cells(claw, cavity_mesh(made), None)
    shut = [c for c in cells.chambers if c.is_shut]
    assert [c.volume_ml for c in shut] == pytest.approx([m.volume_mm3 / 1000 for m in made], rel=0.03)
    assert len(shut) == 2


@pytest.mark.prove
def test_lattice_parts_no_chamber_and_keeps_no_liquid(bench: Bench) -> None:
    shell = Shell(2.0, lattice=Lattice(STRUTS, 0.1))
    part = Part("Ball", as_source(as_mesh(BALL)), shell=shell, holes=(LOW, Hole(20, 0, 0, 3.0)))
    found = drainage(job_of("Job", bench, (part,)), ONE, Stages())
    assert found is not None
    (chamber,) = found.cells.chambers
    assert chamber.volume_ml == pytest.approx(0.9 * 4 / 3 * np.pi * 18**3 / 1000, rel=0.03)
    assert {w.hole for w in chamber.ways} == {0, 1}
    assert chamber.widest_mm == pytest.approx(36, abs=2 * found.cells.nodes.step_mm)
    assert found.best.stays_ml < 0.1


def test_hole_between_two_chambers_joins_them_and_leads_nowhere_else() -> None:
    rooms = trimesh.util.concatenate([box(16, 16, 16, -9, 0, 0), box(16, 16, 16, 9, 0, 0)])
    outer, cavity = as_mesh(box(40, 22, 22)), as_mesh(rooms)
    between = Drilled(Hole(-1, 0, 0, 2.0), (-1.0, 0.0, 0.0), (1.0, 0.0, 0.0), 2.0, 16.0, 16.0)
    cells = void_cells(outer, cavity, None, (between,))
    assert [[(w.to, w.hole) for w in c.ways] for c in cells.chambers] in ([[(1, 0)], [(0, 0)]], [[(0, 0)], [(1, 0)]])
    assert pools(cells, DOWN).shut_ml == pytest.approx(2 * 16**3 / 1000, rel=0.03)


@pytest.mark.prove
@given(st.integers(0, 10_000))
@settings(max_examples=10, deadline=None)
def test_random_blobs_have_the_chambers_traps_and_sealed_layers_of_a_dense_flood(seed: int) -> None:
    """Ten lumps of balls, hollowed; the second method floods voxels with SciPy."""
    chance = np.random.default_rng(seed)
    balls = [
        moved(trimesh.creation.icosphere(3, r), *at)
        for r, at in zip(chance.uniform(4, 7, 4), np.array([14, 10, 8]) * chance.uniform(0.1, 1, (4, 3)), strict=True)
    ]
    lump = trimesh.util.concatenate(balls)
    outer = as_mesh(lump)
    outer = outer.moved(-outer.low * [0, 0, 1])
    chambers = hollow_out(outer, Shell(1.5, 0.02)).chambers
    cavity = cavity_mesh(chambers)
    if cavity is None:
        return
    grid = grid_over(outer.low, outer.high, 0.3, 0.3)
    part = difference(cast(outer.points, outer.faces, grid), cast(cavity.points, cavity.faces, grid))
    printed = Printed(part, empty(grid))
    solid = voxels(part, float(outer.low[0]), float(outer.high[0]), 0.3)
    truth = flooded(solid, 0.09, 0.3)
    trapped = sum(t.volume_mm3 for t in printed.traps)
    assert trapped == pytest.approx(truth.trapped_mm3, rel=0.04)
    assert trapped == pytest.approx(sum(c.volume_mm3 for c in chambers), rel=0.04)
    sealed = np.bincount(printed.openings.layer, printed.openings.area_mm2, minlength=grid.layers)
    assert sealed == pytest.approx(truth.closed_mm2, abs=0.04 * truth.closed_mm2.max() + 2.5)
    cells = void_cells(outer, cavity, None)
    names, _ = label(~cells.solid)
    sizes = np.bincount(names.ravel())[1:]
    shut = np.delete(sizes, names[0, 0, 0] - 1) * cells.nodes.step_mm**3
    assert pools(cells, DOWN).shut_ml == pytest.approx(shut.sum() / 1000, rel=1e-6)
    of = cells.chamber_of
    for chamber in cells.chambers:  # none reaches over two voids, and every large void has its own
        assert len(np.unique(names[of == chamber.number])) == 1
    found = {int(names[of == c.number][0]) for c in cells.chambers}
    assert {int(n) + 1 for n in np.flatnonzero(sizes * cells.nodes.step_mm**3 > 150) if n + 1 != names[0, 0, 0]} <= found


def test_chambers_of_heavy_shells_are_found_the_same_and_whoever_asked_may_stop_it(monkeypatch: pytest.MonkeyPatch) -> None:
    """Two balls of void that a neck of 3 mm joins, in two overlapping balls of 160,000 triangles together: as wide as it is."""
    balls = [moved(trimesh.creation.icosphere(6, 12.0), x, 0, 0) for x in (-8.0, 8.0)]
    void = [moved(trimesh.creation.icosphere(4, 6.0), x, 0, 0) for x in (-9.0, 9.0)]
    along_x = trimesh.transformations.rotation_matrix(np.pi / 2, (0, 1, 0))
    neck = trimesh.creation.cylinder(1.5, 14.0, sections=64, transform=along_x)
    cavity = as_mesh(trimesh.boolean.union([*void, neck], engine="manifold"))
    cells = void_cells(as_mesh(trimesh.util.concatenate(balls)), cavity, None)
    gone = Progress()
    gone.cancel()
    with pytest.raises(Cancelled):
        cells.looked_through(gone)
    monkeypatch.setattr(exact, "made_apart", lambda *_: None)
    here = replace(cells).chambers
    monkeypatch.undo()
    chambers = cells.looked_through(Progress()).chambers
    assert chambers == here and len(chambers) == 2
    assert [way.width_mm for c in chambers for way in c.ways] == pytest.approx([3.0, 3.0], abs=1.2 * cells.nodes.step_mm)


# what stays


@given(st.integers(0, 10_000))
@settings(max_examples=10, deadline=None)
def test_spill_levels_agree_with_plain_relaxation_in_any_pose(seed: int) -> None:
    """The priority flood against repeated sweeps over a dense block of random void, held in a random way."""
    chance = np.random.default_rng(seed)
    solid = chance.random((12, 11, 13)) < 0.35
    nodes = Nodes(np.zeros(3), 1.0, solid.shape)
    cells = VoidCells(nodes, solid, np.full(solid.shape, 26, np.int8), ())
    cells.closed_in[0] = cells.closed_in[:, 0] = cells.closed_in[:, :, 0] = 0  # three sides are open
    down = chance.normal(size=3)
    found = pools(cells, down)
    assert found.stays_ml * 1000 == pytest.approx(spill_volume(solid, cells.closed_in > 0, down / np.linalg.norm(down)), rel=1e-6)


@pytest.mark.prove
def test_u_tube_keeps_a_computed_volume_in_each_pose() -> None:
    """Arms of 6 x 6 mm on a level piece, one 40 mm tall and one 20: mouths up, both stand full to 20 mm; else nothing stays."""
    arms = [box(6, 6, 44, -12, 0, 22), box(6, 6, 24, 12, 0, 12), box(30, 6, 6, 0, 0, 3)]
    cavity = trimesh.util.concatenate(arms)
    outer = trimesh.util.concatenate([box(34, 10, 22, 0, 0, 9), box(10, 10, 42, -12, 0, 19)])
    cells, *_ = shell_of(outer, cavity)
    level = 20.0
    wanted = (2 * 36 * level + 18 * 36) / 1000
    assert pools(cells, DOWN).stays_ml == pytest.approx(wanted, rel=0.05)
    assert pools(cells, UP).stays_ml == pytest.approx(0, abs=0.02)
    assert pools(cells, np.array([0.0, 1.0, 0.0])).stays_ml == pytest.approx(0, abs=0.02)
    assert best_pose(cells).stays_ml == pytest.approx(0, abs=0.02)


def test_vase_stays_full_upright_and_empty_upside_down() -> None:
    cells = void_cells(as_mesh(tube_with_floor()), None, None)
    assert pools(cells, DOWN).stays_ml == pytest.approx(np.pi * 15**2 * 28 / 1000, rel=0.04)
    assert pools(cells, UP).stays_ml == pytest.approx(0, abs=0.05)


def test_ball_with_a_hole_keeps_what_lies_below_the_hole() -> None:
    """A hole at the equator, held level: half the ball stays, less the slice as thick as the hole's radius."""
    cells, *_ = shell_of(BALL, ROOM, Hole(20, 0, 0, 3.0))
    half = 2 / 3 * np.pi * 18**3
    slice_below = np.pi * 18**2 * 1.5
    assert pools(cells, DOWN).stays_ml == pytest.approx((half - slice_below) / 1000, rel=0.03)
    assert pools(cells, np.array([1.0, 0, 0])).stays_ml == pytest.approx(0, abs=0.05)
    assert pools(cells, np.array([-1.0, 0, 0])).stays_ml == pytest.approx(4 / 3 * np.pi * 18**3 / 1000, rel=0.02)


# how it runs out


def test_2_mm_hole_under_30_mm_of_head_passes_a_fifth_of_a_millilitre_a_second(bench: Bench) -> None:
    """The check of the laws: 0.2 Pa·s, 2 mm wall, 1,100 kg/m³."""
    head_pa = 1100 * 9.81 * 0.030
    assert head_pa / hole_resistance(1.0, 2.0, 0.2) / 1000 == pytest.approx(0.20, abs=0.005)


def test_upright_box_runs_out_as_the_integral_of_its_falling_head_says(bench: Bench) -> None:
    """dV/dt = -ρ g h / R on a level area: t = (A R / ρ g) ln(h0 / h1) to a head of 1 mm, and as long again as that rate takes."""
    cells, *_ = shell_of(box(24, 24, 34), box(20, 20, 30), Hole(0, 0, -17, 3.0), Hole(0, 0, 17, 3.0))
    (run,) = emptying(cells, pools(cells, DOWN), bench)
    resistance = hole_resistance(1.5, 2.0, bench.resin.viscosity_pa_s)
    per_mm = bench.resin.density_kg_per_m3 * 9.81e-3
    assert run.seconds == pytest.approx(400 * resistance / per_mm * (np.log(30 / 1) + 1), rel=0.05)
    assert not run.glugs
    assert run.runs_ml == pytest.approx(12, rel=0.03)


def test_one_hole_glugs_and_stops_where_its_surface_tension_holds_the_head(bench: Bench) -> None:
    """4 Γ / d = 70 Pa for 2 mm: about 6.6 mm of liquid stay above the hole."""
    cells, *_ = shell_of(box(24, 24, 34), box(20, 20, 30), Hole(0, 0, -17, 2.0))
    (run,) = emptying(cells, pools(cells, DOWN), bench)
    head = 4 * 0.035 / 2e-3 / (bench.resin.density_kg_per_m3 * 9.81e-3)
    assert run.glugs
    assert run.held
    assert run.stays_ml == pytest.approx(400 * head / 1000, rel=0.08)
    with_air, *_ = shell_of(box(24, 24, 34), box(20, 20, 30), Hole(0, 0, -17, 2.0), Hole(0, 0, 17, 2.0))
    (free,) = emptying(with_air, pools(with_air, DOWN), bench)
    assert not free.held
    assert free.stays_ml < 0.05


@pytest.mark.parametrize("diameter", [2.0, 3.0, *further([2.5, 4.0])])
@pytest.mark.parametrize("turn", [(0, 0, 0), *further([(25, 40, 0), (130, 0, 60)])])
def test_a_narrow_mouth_of_the_shape_s_own_runs_as_a_hole_does(diameter: float, turn: tuple[float, ...], bench: Bench) -> None:
    """Modelled or drilled, it glugs and holds some; where it is narrowest and how wide is known to a cell. It runs no slower than
    a drilled one, and no faster than one without a bore's resistance, (8 L / π r + 3) / 3 times. Out of one wider than 6.5 mm,
    whose surface falls through, all pours at once."""
    outer, room, turning = box(24, 24, 34), box(20, 20, 30), np.reshape(turned_xyz(*turn), (3, 3))

    def own(wide: float) -> Emptying:
        mouth = moved(trimesh.creation.cylinder(wide / 2, 6, sections=128), 0, 0, -16)
        body = trimesh.boolean.difference([outer, trimesh.boolean.union([room, mouth], engine="manifold")], engine="manifold")
        cells = void_cells(as_mesh(body.apply_transform(scipy.linalg.block_diag(turning, 1.0))), None, None)
        (run,) = emptying(cells, pools(cells, turning @ DOWN), bench)
        return run

    cells, *_ = shell_of(outer, room, Hole(0, 0, -17, diameter))
    (drilled,) = emptying(cells, pools(cells, DOWN), bench)
    found = own(diameter)
    assert found.glugs and found.held
    assert 0.6 * drilled.stays_ml < found.stays_ml < 1.15 * drilled.stays_ml
    faster = (8 * 2.0 / (np.pi * diameter / 2) + 3) / 3
    assert 0.9 * drilled.seconds / faster < found.seconds < drilled.seconds
    poured = own(8.0)
    assert poured.seconds == 0.0 and not poured.held


@pytest.mark.parametrize("turn", [(0, 0, 0), (25, 40, 0), *further([(130, 0, 60), (45, 35, 0)])])
def test_a_slot_pours_where_a_round_mouth_as_wide_holds(turn: tuple[float, ...], bench: Bench) -> None:
    """A level surface over air tips along a slot of L once (π / L)² Γ < ρ g: from 5.6 mm on, however narrow; and along a groove
    that goes round."""
    outer, room, turning = box(24, 24, 34), box(20, 20, 30), np.reshape(turned_xyz(*turn), (3, 3))
    shaft = trimesh.creation.cylinder(4, 30, sections=64)
    groove = trimesh.creation.annulus(8, 11, 8, sections=128)
    ring = moved(groove, 0, 0, -15)
    for mouth, is_held in ((box(3, 14, 6, 0, 0, -16), False), (ring, False), (box(3, 3, 6, 0, 0, -16), True)):
        cut = trimesh.boolean.union([room, mouth], engine="manifold")
        body = trimesh.boolean.difference([outer, cut], engine="manifold")
        if mouth is ring:
            body = trimesh.boolean.union([body, shaft], engine="manifold")
        cells = void_cells(as_mesh(body.apply_transform(scipy.linalg.block_diag(turning, 1.0))), None, None)
        run = emptying(cells, pools(cells, turning @ DOWN), bench)[0]
        assert run.held is is_held
        assert (run.seconds == 0.0) is not is_held


def test_a_hole_that_must_let_air_in_as_well_takes_four_times_as_long(bench: Bench) -> None:
    """The box of the falling head once more, of 10 mm: with air from above, and with the one hole below, wide enough to glug."""
    seconds = []
    for holes in ((Hole(0, 0, -17, 8.0),), (Hole(0, 0, -17, 8.0), Hole(0, 0, 17, 3.0))):
        cells, *_ = shell_of(box(24, 24, 34), box(20, 20, 30), *holes)
        (run,) = emptying(cells, pools(cells, DOWN), bench)
        assert run.glugs is (len(holes) == 1)
        held_mm = 4 * 0.035 / 8e-3 / (bench.resin.density_kg_per_m3 * 9.81e-3) if run.glugs else 0.0
        resistance = hole_resistance(4.0, 2.0, bench.resin.viscosity_pa_s)
        per_mm = bench.resin.density_kg_per_m3 * 9.81e-3
        by_hand = 400 * resistance / per_mm * np.log(30 / held_mm if run.glugs else 30 * np.e)
        seconds.append(run.seconds / by_hand)
    assert seconds[0] / seconds[1] == pytest.approx(4, rel=0.08)


def test_wider_hole_lets_air_in_where_a_narrow_one_beside_it_would_hold(bench: Bench) -> None:
    """A hole of 6 mm beside one of 2: its surface holds 2.2 mm of head, the narrow one's 6.5; so the wide one drains."""
    both, *_ = shell_of(box(24, 24, 34), box(20, 20, 30), Hole(-5, 0, -17, 2.0), Hole(5, 0, -17, 6.0))
    (run,) = emptying(both, pools(both, DOWN), bench)
    head = 4 * 0.035 / 6e-3 / (bench.resin.density_kg_per_m3 * 9.81e-3)
    assert run.held
    assert run.stays_ml == pytest.approx(400 * head / 1000, rel=0.12)


def test_chambers_that_join_run_out_together_through_the_one_hole(bench: Bench) -> None:
    """Two rooms of 12 mL joined by a way of 6 mm: both run through the hole of one, twice as long as one alone."""
    rooms = [box(20, 20, 30, -13, 0, 0), box(20, 20, 30, 13, 0, 0)]
    way = [box(10, 6, 6, 0, 0, -12), box(10, 6, 6, 0, 0, 12)]
    holes = (Hole(-13, 0, -17, 3.0), Hole(-13, 0, 17, 3.0))
    both, *_ = shell_of(box(50, 24, 34), trimesh.util.concatenate([*rooms, *way]), *holes)
    alone, *_ = shell_of(box(50, 24, 34), rooms[0], *holes)
    first, second = emptying(both, pools(both, DOWN), bench)
    (one,) = emptying(alone, pools(alone, DOWN), bench)
    assert first.seconds == second.seconds
    assert first.seconds == pytest.approx(2 * one.seconds, rel=0.06)
    assert first.runs_ml + second.runs_ml == pytest.approx(24.6, rel=0.04)


# outlines and plugs


def test_outlines_print_and_flow_as_they_say() -> None:
    drop = outline_points(DROP, 2.0)
    roof = drop[drop[:, 1] > 1.45]
    rise = np.diff(roof[np.argsort(roof[:, 0])][roof[np.argsort(roof[:, 0])][:, 0] <= 0], axis=0)
    assert (rise[:, 1] / rise[:, 0] > 0.99).all()  # nowhere flatter than 45°
    assert drop[:, 1].max() == pytest.approx(2 * np.sqrt(2), rel=0.01)
    oval = outline_points(OVAL, 2.0)
    a, b = 2.0, 3.2
    ellipse, disc = np.pi * a**3 * b**3 / (4 * (a * a + b * b)), np.pi * flow_radius_mm(OVAL, 2.0) ** 4 / 8
    assert ellipse == pytest.approx(disc)  # the same squeeze integral, so the same flow
    assert np.ptp(oval[:, 1]) / np.ptp(oval[:, 0]) == pytest.approx(1.6)
    assert flow_radius_mm(ROUND, 2.0) == 2.0


@pytest.mark.parametrize("outline", [ROUND, DROP, OVAL])
@pytest.mark.parametrize("taper", [0.0, 6.0])
def test_drill_and_plug_have_the_outline_s_volume_and_fit_with_their_clearance(outline: str, taper: float) -> None:
    outer, cavity = as_mesh(box(30, 30, 30)), as_mesh(box(24, 24, 24))
    made = drill(outer, cavity, Hole(15, 0, 0, 4.0, outline=outline, taper_deg=taper), UP)
    cut = as_solid(outer) - as_solid(cavity)
    bored = cut - as_solid(made.mesh)
    mesh, note = plug(outer, made, 0.1)
    assert note == ""
    assert (as_solid(mesh) ^ bored).volume() == pytest.approx(0, abs=1e-6)
    gone = cut.volume() - bored.volume()
    assert 0.75 * gone < mesh.volume_mm3 < gone
    shape = outline_points(outline, 2.0)
    area = 0.5 * abs(np.cross(shape, np.roll(shape, -1, axis=0)).sum())
    if taper == 0:
        assert gone == pytest.approx(3 * area, rel=1e-3)
    else:
        assert gone > 3 * area
    assert mesh.high[0] == pytest.approx(15)
    assert mesh.low[0] == pytest.approx(12)


def test_plug_follows_the_surface_it_closes_and_is_named_after_its_hole(bench: Bench) -> None:
    part = Part("Ball", as_source(as_mesh(BALL)), shell=Shell(2.0), holes=(Hole(0, 0, -20, 4.0), Hole(0, 0, 20, 3.0)))
    job, stages = job_of("Job", bench, (part,)), Stages()
    made, notes = plugs(job, job.parts[0].id, stages)
    assert [name for name, _ in made] == ["Ball, plug 1", "Ball, plug 2"]
    assert notes == []
    assert np.linalg.norm(made[0][1].points, axis=1).max() == pytest.approx(20, abs=0.01)
    together, _ = with_plugs(job, job.parts[0].id, stages)
    assert [p.name for p in together.parts] == ["Ball", "Ball, plug 1", "Ball, plug 2"]
    standing = stages.solids(together.parts[1], bench.supports).outer
    assert standing.extents_mm[2] == pytest.approx(2.0, abs=0.15)
    with pytest.raises(BadModel, match="leaves no plug"):
        plug(as_mesh(BALL), stages.drilled(part)[0], 1.7)


# by hand


def test_hover_tells_wall_chamber_overlap_and_edges_before_the_click() -> None:
    rooms = trimesh.util.concatenate([box(16, 18, 18, -9.5, 0, 0), box(16, 18, 18, 9.5, 0, 0)])
    outer, cavity = as_mesh(box(44, 22, 22)), as_mesh(rooms)
    chambers = [as_mesh(box(16, 18, 18, x, 0, 0)) for x in (-9.5, 9.5)]
    there = drill(outer, cavity, Hole(-10, 11, 4, 2.0))
    probe = Probe(outer, cavity, chambers, (there,), 0.8, 2.0)
    good = probe.look(np.array([10.0, 11.0, 0.0]), 2.0)
    assert good.works
    assert good.chamber == 1
    assert good.wall_mm == pytest.approx(2.0)
    assert "2.0 mm of wall into chamber 2" in good.words
    assert not probe.look(np.array([-10.5, 11.0, 5.0]), 2.0).works
    assert "runs into hole 1" in probe.look(np.array([-10.5, 11.0, 5.0]), 2.0).words
    assert probe.look(np.array([-10.5, 11.0, 5.0]), 2.0, leave_out=0).works
    solid = Probe(as_mesh(box(40, 40, 40)), None, (), (), 0.8, 2.0).look(np.array([20.0, 0, 0]), 2.0)
    assert not solid.works
    assert "no chamber" in solid.words
    edge = Probe(as_mesh(box(20, 20, 20)), as_mesh(box(16, 19.2, 16)), [as_mesh(box(16, 19.2, 16))], (), 0.8, 2.0)
    near = edge.look(np.array([10.0, 8.5, 0.0]), 2.0)
    assert not near.works
    assert "too near an edge: 0.5 mm" in near.words
    assert not probe.look(np.array([0.0, 0.0, 60.0]), 2.0).works


def test_tip_that_would_stand_in_a_hole_goes_beside_it(bench: Bench) -> None:
    mesh = as_mesh(box(20, 20, 10))
    part = Part("Slab", as_source(mesh), pose=Pose(gap_mm=5.0))
    stages = Stages()
    tips = propose_tips(stages.solids(part, bench.supports).outer, bench).supports
    part = replace(part, supports=tips)
    tip = min(tips.contacts, key=lambda t: float(np.hypot(t.x_mm, t.y_mm)))
    hole = Hole(tip.x_mm, tip.y_mm, -5.0, 3.0)
    drilled, said = with_holes(part, (hole,), stages, bench)
    assert "moved out of the way" in said
    assert len(drilled.supports.contacts) == len(tips.contacts)
    for t in drilled.supports.contacts:
        assert np.hypot(t.x_mm - tip.x_mm, t.y_mm - tip.y_mm) > 1.5 + 0.5 * t.diameter_mm
    assert stages.solids(drilled, bench.supports).left_out == ()


def test_a_tip_goes_beside_a_hole_where_no_other_tip_stands(bench: Bench) -> None:
    """Its own side of the hole is taken, by a tip 2.4 mm from the middle: radius, tip and 0.4 mm between them."""
    supports = Supports()
    for x in (-0.1, -2.4):
        supports = supports.with_route(Route((x, 0, 5), (x, 0, 3.5), (x, 0, 3.5), (x, 0, 0)), 0.5, Need())
    part = Part("Slab", as_source(as_mesh(box(20, 20, 10))), pose=Pose(gap_mm=5.0), supports=supports)
    drilled, said = with_holes(part, (Hole(0.0, 0.0, -5.0, 3.0),), Stages(), bench)
    first, second = (c.spot_mm for c in drilled.supports.contacts)
    assert "1 tip moved" in said and np.hypot(*first[:2]) == pytest.approx(2.4)
    assert np.linalg.norm(first - second) > 0.5 + 0.4 - 1e-9


# light


def test_light_through_one_hole_reaches_the_cap_that_the_hole_s_width_and_wall_leave() -> None:
    """Lines through a bore of radius r and length L lean by at most atan(2 r / L): the cap of the ball across from it."""
    radius, wall = 3.0, 2.0
    cells, _, cavity, _ = shell_of(BALL, ROOM, Hole(0, 0, -20, 2 * radius))
    seen = lit_walls(cavity, cells)
    least, most = (lean_cap(np.arctan(r * radius / wall), 18.0) for r in (1.6, 2.05))
    assert least - 0.05 < 1 - seen.dark_share < most + 0.05
    assert seen.lit_mm2 + seen.dark_mm2 == pytest.approx(4 * np.pi * 18**2, rel=0.01)
    shut, _, cavity, _ = shell_of(BALL, ROOM)
    assert lit_walls(cavity, shut).dark_share == 1.0


def lean_cap(lean: float, radius: float) -> float:
    """Share of a ball's surface seen from a point of it within a lean of the line through its middle: sin² of the lean."""
    return float(np.sin(lean) ** 2)


# holes at work


def ball_job(bench: Bench, *holes: Hole) -> Job:
    part = Part("Ball", as_source(as_mesh(BALL)), shell=Shell(2.0), holes=holes, pose=Pose(gap_mm=3.0))
    return job_of("Job", bench, (part,))


def on_ball(lean_deg: float, diameter: float) -> Hole:
    """A hole in the ball, so many degrees from its lowest point."""
    a = np.radians(lean_deg)
    return Hole(20 * float(np.sin(a)), 0.0, -20 * float(np.cos(a)), diameter)


@pytest.mark.prove
@pytest.mark.parametrize("turn", [(0, 0, 0), *further([(30, -20, 0), (100, 40, 70)])])
@pytest.mark.parametrize("name", ["ball", *further(["box", "capsule"])])
def test_a_void_that_a_model_came_with_is_drained_as_a_shell_is(name: str, turn: tuple[float, ...], bench: Bench) -> None:
    """The same two holes as in the same wall made here, with the same suction; all runs out of it."""
    outer = as_mesh({"ball": BALL, "box": box(30, 36, 44), "capsule": trimesh.creation.capsule(30, 14)}[name])
    pose, stages, holes, sucks = Pose(turned_xyz(*turn), gap_mm=5.0), Stages(), [], []
    shell = Part("Here", as_source(outer), shell=Shell(2.0), pose=pose)
    (chamber,) = stages.chambers(shell)
    void = Mesh(chamber.points, chamber.faces[:, ::-1].copy())
    for part in (shell, Part("There", as_source(joined([outer, void])), pose=pose)):
        job = job_of("Job", bench, (part,))
        job = propose_drain(job, job.parts[0].id, stages).job
        drained = drainage(job, job.parts[0].id, stages)
        assert drained is not None and drained.best.stays_ml < 0.3
        holes.append([(h.x_mm, h.y_mm, h.z_mm, h.diameter_mm) for h in job.parts[0].holes])
        sucks.append(predict(job, stages, fine(0.2)).verdict.suction_n)
    assert len(holes[0]) == 2
    assert np.allclose(*holes, atol=0.1)
    assert sucks[1] == pytest.approx(sucks[0], rel=0.05)


@pytest.mark.prove
@pytest.mark.parametrize("turn", [(0, 0, 0), *further([(30, -20, 0), (100, 40, 70)])])
def test_a_void_with_holes_asks_for_the_tips_of_a_shell_and_one_without_for_more(turn: tuple[float, ...], bench: Bench) -> None:
    """Its suction is let go: what bore it before the holes were there is not asked for."""
    outer, pose, stages = as_mesh(BALL), Pose(turned_xyz(*turn), gap_mm=5.0), Stages()
    shell = Part("Here", as_source(outer), shell=Shell(2.0), pose=pose)
    (chamber,) = stages.chambers(shell)
    void = joined([outer, Mesh(chamber.points, chamber.faces[:, ::-1].copy())])
    shut = Part("There", as_source(void), pose=pose)
    job = job_of("Job", bench, (shut,))
    holes = propose_drain(job, job.parts[0].id, stages).job.parts[0].holes
    tips = []
    for part in (shell.with_holes(holes), shut.with_holes(holes), shut):
        job = job_of("Job", bench, (part,))
        tips.append(propose_support(job, job.parts[0].id, stages).job.parts[0].supports.contacts)
    made_here, came, without = ({(c.x_mm, c.y_mm, c.z_mm): c.diameter_mm for c in contacts} for contacts in tips)
    assert came.keys() == made_here.keys()
    assert all(came[at] <= made_here[at] + 1e-6 for at in came)
    assert len(without) > 1.5 * len(came)


def test_a_bubble_smaller_than_any_chamber_gets_no_hole(bench: Bench) -> None:
    """One of 0.27 mL, in a house that leaves chambers under 0.3 mL alone, and in one that does not."""
    bubble = as_mesh(trimesh.creation.icosphere(3, 4.0))
    solid = joined([as_mesh(box(14, 14, 14)), Mesh(bubble.points, bubble.faces[:, ::-1].copy())])
    for least_ml, holes in ((0.3, 0), (0.25, 2)):
        own = bench.with_value("house.smallest_chamber_ml", least_ml)
        job = job_of("Job", own, (Part("Block", as_source(solid), pose=Pose(gap_mm=5.0)),))
        drained = propose_drain(job, job.parts[0].id, Stages()).job
        assert sum("chamber" in hole.why or "air" in hole.why for hole in drained.parts[0].holes) == holes


@pytest.mark.parametrize("turn", [(0, 0, 0), (100, 40, 70)])
def test_a_void_is_what_faces_inward_in_another_shell(turn: tuple[float, ...]) -> None:
    """A shell in a block, and in the void a ball; beside it one that is inside out, and is none."""
    ball = as_mesh(trimesh.creation.icosphere(3, 6.0))
    inside_out = Mesh(ball.points, ball.faces[:, ::-1].copy())
    core = Mesh(0.3 * ball.points, ball.faces)
    whole = joined([as_mesh(box(20, 20, 20)), inside_out, core, inside_out.moved(np.array([40.0, 0.0, 0.0]))])
    whole = Mesh(whole.points @ np.reshape(turned_xyz(*turn), (3, 3)).T, whole.faces)
    rest, (void,) = voids_of(whole, 1.0)
    assert void.volume_mm3 == pytest.approx(ball.volume_mm3)
    assert rest.triangles == whole.triangles - ball.triangles
    assert voids_of(whole, 1.01 * ball.volume_mm3) == (whole, [])


@pytest.mark.prove
def test_larger_or_lower_hole_never_raises_suction(bench: Bench) -> None:
    stages = Stages()

    def peak(lean: float, diameter: float) -> float:
        return predict(ball_job(bench, on_ball(lean, diameter)), stages, preview(bench)).verdict.suction_n

    by_size = [peak(60, d) for d in (1.5, 2.0, 3.0, 4.0)]
    assert all(b <= a + 1e-6 for a, b in zip(by_size, by_size[1:], strict=False))
    assert by_size[-1] < by_size[0]
    by_height = [peak(lean, 2.0) for lean in (100, 80, 60, 40)]
    assert all(b <= a * 1.001 for a, b in zip(by_height, by_height[1:], strict=False))
    assert by_height[-1] < by_height[0]


def test_hole_tells_from_where_it_relieves_and_when_a_turn_makes_it_useless(bench: Bench) -> None:
    stages = Stages()
    job = ball_job(bench, on_ball(50, 2.0))
    (hole,) = predict(job, stages, fine(0.2)).verdict.holes
    assert hole.relieves
    assert hole.before_n == pytest.approx(60e-3 * np.pi * 18**2, rel=0.02)  # the equator's section, sealed
    assert hole.after_n < 3
    low = 3 + 20 - 20 * np.cos(np.radians(50))  # where the hole's middle lies
    assert low - 1.5 < hole.from_mm < low + 3
    over = job.with_part(replace(job.parts[0], pose=Pose(turned_xyz(180, 0, 0), gap_mm=3.0), holes=(Hole(0, 0, -20, 2.0),)))
    found = predict(over, stages, preview(bench)).verdict
    assert not found.holes[0].relieves
    assert "hole_idle" in {f.code for f in found.findings}


@pytest.mark.prove
def test_drainage_of_a_job_s_part_knows_its_best_pose_and_is_remembered(bench: Bench) -> None:
    job, stages = ball_job(bench, on_ball(0, 3.0), on_ball(40, 3.0)), Stages()
    found = drainage(job, job.parts[0].id, stages)
    assert found is not None
    assert found.best.stays_ml < 0.3
    assert found.hanging.stays_ml > 20  # its holes are above
    before = len(stages.computed)
    drainage(job, job.parts[0].id, stages)
    assert len(stages.computed) == before
    assert drainage(job_of("Job", bench, (Part("Cube", as_source(as_mesh(box(9, 9, 9)))),)), ONE, stages) is None


def test_ways_closed_in_are_counted_along_26_lines() -> None:
    solid = np.zeros((5, 5, 5), bool)
    solid[4] = True
    count = closed_in(solid)
    assert count[3, 2, 2] == 9  # straight up and its eight slants, each of which meets the lid
    assert count[0, 2, 2] == 1  # its slants leave the block before they come to the lid
    assert count[3, 0, 0] == 4  # at a corner five of the slants leave the block
