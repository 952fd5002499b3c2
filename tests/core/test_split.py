"""Splitting: what fits, seams by their closed forms, cuts where they should be, keys that hold, and nothing lost."""

from __future__ import annotations

import io
import json
import tracemalloc
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from typer.testing import CliRunner

from conftest import ONE, as_mesh, as_source, moved, turned
from reference.further import further
from wideberth.cli.main import app
from wideberth.core.bench import Bench, Drawn, FitClass, as_printed, fit_class, fit_told, load_named, outline_growth_mm
from wideberth.core.bench import Tested as OwnTest
from wideberth.core.errors import BadJob, BadModel
from wideberth.core.handover import save_job, write_html
from wideberth.core.handover.assembly import apart_view
from wideberth.core.job import Job, Part, assembly_lines, job_of, open_job, pieces_beside, resized
from wideberth.core.model import Closest, MarkKind, Mesh, as_solid, binary_stl, bore_at, outermost, packed_3mf, pieces_of
from wideberth.core.orient import Pose, turned_xyz
from wideberth.core.predict import Stages, predict, preview
from wideberth.core.propose import (
    JointFit,
    RoundOf,
    kept_for_fit,
    numbered,
    pairs_in,
    printers_that_fit,
    propose_all,
    propose_split,
    with_fit,
    with_pieces,
)
from wideberth.core.propose.splitting import shut_in_ml
from wideberth.core.split import (
    CLEARANCES_MM,
    Aim,
    Creases,
    Cut,
    Key,
    Kind,
    Slicer,
    Space,
    Surface,
    apply_cuts,
    best_turn,
    comb,
    comb_peg,
    fit_of,
    key_solid,
    looked_over,
    planes_through,
    room_for,
    shifts_apart,
    socket_of,
    stands_in,
    with_keys,
)
from wideberth.core.split.room import boxes_needed, extents_in, frames_about, ways

WALL = 2.0
DIRECTIONS = [(0.0, 0.0, 1.0), (0.6, 0.0, 0.8), (-0.48, 0.6, 0.64), (0.0, -1.0, 0.0)]


def along(normal: tuple[float, float, float], mesh: trimesh.Trimesh, x: float = 0.0, y: float = 0.0) -> Mesh:
    """A mesh with its upright turned to a direction, and moved across it."""
    turn = trimesh.geometry.align_vectors((0, 0, 1), normal)
    copy = moved(mesh, x, y, 0)
    copy.apply_transform(turn)
    return as_mesh(copy)


# what fits


@pytest.mark.parametrize("turn", [0.0, 33.0, -71.0])
def test_a_rod_fits_along_the_diagonal(turn: float) -> None:
    """A rod of 160 x 2 x 2 in a cube of 100: its diagonal is 173, so it fits with room, however it comes."""
    rod = as_mesh(turned(trimesh.creation.box((160, 2, 2)), turn, (1, 0.4, 0.2)))
    fit = fit_of(rod, Space((100.0, 100.0, 100.0)))
    # the box of a rod along the diagonal: 160/√3 and the widths of its ends
    assert 2.0 < fit.turned.margin_mm < 100 - 160 / np.sqrt(3)
    assert 1.02 < fit.scale < 173.2 / 160
    extents = np.array(fit.turned.extents_mm)
    seen = rod.points @ fit.turned.rotation.T
    assert np.ptp(seen, axis=0) == pytest.approx(extents)
    assert fit.turned.rotation @ fit.turned.rotation.T == pytest.approx(np.eye(3), abs=1e-9)


def test_as_it_is_the_least_side_counts_and_the_longer_lies_along_the_longer(bench: Bench) -> None:
    box = as_mesh(trimesh.creation.box((50, 120, 30)))
    fit = fit_of(box, Space((150.0, 60.0, 100.0)))
    assert fit.as_is_mm == pytest.approx(min(150 - 120, 60 - 50, 100 - 30))
    assert fit.pieces == 1
    long = as_mesh(trimesh.creation.box((290, 55, 95)))
    assert fit_of(long, Space((150.0, 60.0, 100.0))).pieces == 2
    assert fit_of(long, Space((140.0, 60.0, 100.0))).pieces == 3


def test_the_best_turn_is_no_worse_than_any_of_a_thousand() -> None:
    rng = np.random.default_rng(4)
    points = rng.normal(size=(60, 3)) * (40, 25, 10)
    space = Space((120.0, 90.0, 70.0))
    best = best_turn(points, space, points).margin_mm
    others = []
    for _ in range(1000):
        q = np.linalg.qr(rng.normal(size=(3, 3)))[0]
        others.append(float(space.margin(np.ptp(points @ q.T, axis=0))))
    assert best >= max(others) - 0.6


@pytest.mark.parametrize(("sides", "turn"), [((70.0, 50.0, 95.0), 40.0), *further([((60.0, 60.0, 60.0), 0.0)], True)])
def test_a_finely_meshed_body_fits_as_a_coarse_one_and_takes_no_more_memory(sides: tuple[float, ...], turn: float) -> None:
    """All corners of an egg of 320,000 triangles are corners of its hull: thousands of turns of all of them at once would take
    tens of gigabytes. The box of those looked at first is that of all within 0.2 %, and the fewest pieces are those that the
    boxes of all would need."""
    egg = turned(trimesh.creation.icosphere(7, 0.5).apply_scale(sides), turn, (0.3, 1, 0.2))
    fine, space = as_mesh(egg), Space((52.0, 71.0, 64.0))
    few = outermost(fine.points, ways(1500))
    rng = np.random.default_rng(2)
    frames = np.linalg.qr(rng.normal(size=(40, 3, 3)))[0]
    assert len(few) < 4000
    boxes, of_few = (extents_in(points, frames) for points in (fine.points, few))
    ellipse = np.linalg.norm(frames @ egg_axes(sides, turn), axis=2)  # support of an ellipsoid along each row, both ways
    assert boxes == pytest.approx(ellipse, rel=1e-3)
    assert (of_few <= boxes + 1e-9).all() and of_few == pytest.approx(boxes, rel=2e-3)
    tracemalloc.start()
    fit = fit_of(fine, space)
    assert tracemalloc.get_traced_memory()[1] < 200e6
    tracemalloc.stop()
    tried = frames_about(list(ways(200))).reshape(24, -1, 3, 3)[::2].reshape(-1, 3, 3)
    assert fit.pieces == boxes_needed(np.linalg.norm(tried @ egg_axes(sides, turn), axis=2), space).min()
    assert np.ptp(fine.points @ fit.turned.rotation.T, axis=0) == pytest.approx(fit.turned.extents_mm)


@pytest.mark.parametrize("turn", [27.0, *further([0.0, 63.0, 118.0])])
def test_a_shallow_lens_of_many_corners_is_turned_as_well_as_by_all_of_them(turn: float) -> None:
    """Its middle lies farthest in few directions alone: by the outermost of a first look it seems flatter than it is."""
    lens = as_mesh(turned(trimesh.creation.icosphere(5, 1.0).apply_scale((30, 30, 1.2)), turn, (1, 0.3, 0.2)))
    space = Space((70.0, 70.0, 4.0))
    few, by_all = fit_of(lens, space).turned, best_turn(lens.points, space, lens.points)
    assert few.margin_mm >= by_all.margin_mm - 0.1
    assert np.ptp(lens.points @ few.rotation.T, axis=0) == pytest.approx(few.extents_mm)


def egg_axes(sides: tuple[float, ...], turn: float) -> np.ndarray:
    """The axes of an egg as columns, each as long as the egg is along it."""
    return trimesh.transformations.rotation_matrix(np.radians(turn), (0.3, 1, 0.2))[:3, :3] @ np.diag(sides)


# seams


@pytest.mark.parametrize("normal", DIRECTIONS)
def test_seams_by_their_closed_forms(normal: tuple[float, float, float]) -> None:
    """A tube: two circles; a cone at half its height: a circle of half the radius. Whatever way they stand."""
    tube = along(normal, trimesh.creation.annulus(6, 10, 30, sections=256))
    seam = Slicer(tube, np.array(normal)).at(3.0)
    assert seam.area_mm2 == pytest.approx(np.pi * (100 - 36), rel=1e-3)
    assert seam.length_mm == pytest.approx(2 * np.pi * 16, rel=1e-3)
    cone = along(normal, trimesh.creation.cone(10, 40, sections=256))
    seam = Slicer(cone, np.array(normal)).at(20.0)
    assert seam.area_mm2 == pytest.approx(np.pi * 25, rel=1e-3)
    assert seam.length_mm == pytest.approx(2 * np.pi * 5, rel=1e-3)


def test_a_seam_tells_what_its_faces_take() -> None:
    """A box cut across: 40 mm on two sides that take thrice, 20 on the others; one side of 20 may carry none."""
    box = as_mesh(trimesh.creation.box((40, 20, 60)))
    seam = Slicer(box, np.array([0.0, 0.0, 1.0])).at(5.0)
    times = np.where(np.abs(box.normals[:, 1]) > 0.9, 3.0, 1.0)
    barred = box.normals[:, 0] > 0.9
    finish, not_allowed = seam.finishing(times, barred)
    assert finish == pytest.approx(2 * 40 * 3 + 2 * 20)
    assert not_allowed == pytest.approx(20)


# where


def waisted() -> trimesh.Trimesh:
    """Two thick blocks and a waist from 104 to 120 mm."""
    return trimesh.boolean.union(
        [
            moved(trimesh.creation.box((40, 40, 104)), 0, 0, 52),
            moved(trimesh.creation.box((12, 12, 18)), 0, 0, 112),
            moved(trimesh.creation.box((40, 40, 104)), 0, 0, 172),
        ],
        engine="manifold",
    )


@pytest.mark.parametrize("normal", DIRECTIONS)
def test_the_shortest_seam_goes_through_the_waist(normal: tuple[float, float, float]) -> None:
    mesh, space = along(normal, waisted()), Space((60.0, 60.0, 180.0))
    best = min(planes_through(mesh, space), key=lambda p: p.rank(Aim.SHORT))
    assert abs(float(np.array(best.normal) @ normal)) > 0.97
    height = best.offset_mm * np.sign(np.array(best.normal) @ normal)
    assert best.pieces == 2
    assert 103 <= height <= 121
    assert best.seam_mm < 1.2 * 48
    assert planes_through(as_mesh(trimesh.creation.box((50, 50, 50))), space) == []


def test_a_seam_keeps_off_faces_that_stay_clean() -> None:
    """A plain bar of 200 in a room of 150: anywhere would do; its right half is to stay clean, so the seam lies in the left."""
    bar = as_mesh(trimesh.creation.box((200, 20, 20)).subdivide().subdivide().subdivide().subdivide())

    def surface(light: Mesh) -> Surface:
        return Surface(np.ones(light.triangles), light.corners.mean(axis=1)[:, 0] > 5.0)

    planes = planes_through(bar, Space((150.0, 60.0, 60.0)), surface)
    for aim in (Aim.SHORT, Aim.HIDDEN):
        best = min(planes, key=lambda p: p.rank(aim))
        assert best.barred_mm == 0
        assert Slicer(bar, np.array(best.normal)).at(best.offset_mm).segments_mm[..., 0].max() < 7.0


# keys


@pytest.mark.parametrize("kind", list(Kind))
@pytest.mark.parametrize("peg_on", [1, -1])
def test_a_key_stands_into_the_other_side_and_its_socket_holds_it(kind: Kind, peg_on: int) -> None:
    """A peg of 8 mm, 6 deep: its height and the area of its section by hand; the socket is wider by the clearance."""
    key = Key(kind, 3.0, -2.0, 8.0, 6.0, peg_on, 25.0, 30.0, 2.0)
    peg, socket = key_solid(key), key_solid(key, 0.2)
    _x0, _y0, z0, _x1, _y1, z1 = peg.bounding_box()
    assert (z0, z1) == pytest.approx((-6.0, 0.2) if peg_on > 0 else (-0.2, 6.0))
    assert (peg - socket).volume() == pytest.approx(0, abs=1e-6)
    half = -3.0 * peg_on
    area = abs(peg.slice(half).area())
    by_hand = {
        Kind.PEG: np.pi * 16,
        Kind.PIN: np.pi * (4 - 3 * np.tan(np.radians(4))) ** 2,
        Kind.FLAT_PEG: 16 * (np.pi - np.arccos(0.55) + 0.55 * np.sqrt(1 - 0.55**2)),
        Kind.DOVETAIL: 30 * 8 * (0.66 + 0.34 / 2),
    }
    if kind in by_hand:
        assert area == pytest.approx(by_hand[kind], rel=2e-3)
    else:
        assert area == pytest.approx(np.pi * (16 - 4) * 310 / 360, rel=0.02)  # a ring of 2 mm, less the gap


SOLIDS = {
    "post": trimesh.creation.cylinder(15, 80, sections=96),
    "block": trimesh.creation.box((40, 24, 90)),
    "tube": trimesh.creation.annulus(12, 20, 90, sections=96),
    "bar": trimesh.creation.box((60, 10, 90)),
    "bumpy": trimesh.creation.icosphere(4, 22),
    "capsule": trimesh.creation.capsule(50, 20),
}


@pytest.mark.parametrize("solid", ["bar", *further(["post", "bumpy", "block", "tube"])], ids=str)
@pytest.mark.parametrize("kind", [None, Kind.RING, *further([Kind.DOVETAIL, Kind.PIN])])
def test_pieces_go_together_one_way_clear_by_the_clearance(solid: str, kind: Kind | None) -> None:
    """Exact booleans of both pieces, cut aslant: nothing overlaps in place, every wrong turn collides, the clearance is the one
    that was asked within 0.02 mm, both pieces close, and no socket comes nearer to the surface than the wall."""
    normal = np.array([0.1, -0.06, 1.0])
    normal /= np.linalg.norm(normal)
    x, y, z = (float(v) for v in normal)
    whole = as_mesh(SOLIDS[solid])
    joint = with_keys(whole, Cut((x, y, z), 2.0, 1), kind, 0.12, WALL)
    if kind is None:
        assert joint.cut.keys, joint.why
    if not joint.cut.keys:
        assert "no room" in joint.why
        return
    seen = looked_over(whole, joint.cut)
    assert seen.overlap_mm3 == pytest.approx(0, abs=1e-6)
    assert seen.wrong_turns > 0 and seen.one_way
    assert seen.kept_share == pytest.approx(1.0, abs=1e-9)
    assert seen.clearance_mm == pytest.approx((0.12, 0.12), abs=0.02)
    pieces = [apply_cuts(whole, (cut,), solid) for cut in (joint.cut, joint.cut.other_side)]
    assert all(p.watertight for p in pieces)
    assert sum(p.volume_mm3 for p in pieces) > 0.98 * whole.volume_mm3
    surface = Closest(whole)
    for key in joint.cut.keys:
        if key.kind is Kind.DOVETAIL:
            continue
        socket = np.asarray(socket_of(joint.cut, key).to_mesh64().vert_properties)[:, :3]
        inside = (socket @ normal - 2.0) * -key.peg_on > 0
        assert surface.nearest(socket[inside])[0].min() >= WALL - 1e-6


def thrown(solid: str, seed: int) -> tuple[Mesh, Cut]:
    """A solid turned and moved by chance, and a cut through its middle in a chance direction."""
    chance = np.random.default_rng(seed)
    body = SOLIDS[solid].copy().apply_transform(trimesh.transformations.random_rotation_matrix(chance.random(3)))
    whole = as_mesh(body.apply_translation(chance.uniform(-100, 100, 3)))
    x, y, z = chance.normal(size=3)
    normal = np.array([x, y, z]) / np.linalg.norm([x, y, z])
    return whole, Cut((float(normal[0]), float(normal[1]), float(normal[2])), float(normal @ (whole.low + whole.high)) / 2, 1)


@pytest.mark.parametrize("seed", [8, 33, *further([37, 40, 45, 47, 51, 57])])
def test_a_tail_reaches_out_of_a_part_that_leans(seed: int) -> None:
    """No speck of the part is left beyond its end: where its sides lean, it goes on farther than inside the walls."""
    whole, cut = thrown("capsule", seed)
    joint = with_keys(whole, cut, Kind.DOVETAIL, 0.1, WALL)
    assert joint.cut.keys
    for one in (joint.cut, joint.cut.other_side):
        assert len(pieces_of(apply_cuts(whole, (one,), "capsule"))) == 1


@pytest.mark.parametrize("kind", [Kind.PEG, Kind.PIN, Kind.RING, Kind.DOVETAIL])
@pytest.mark.parametrize("seed", [0, *further([1, 2, 3, 4])])
@pytest.mark.parametrize("solid", ["capsule", *further(["post", "block", "bumpy"])])
def test_another_reader_finds_closed_pieces_of_one_body_each(solid: str, seed: int, kind: Kind) -> None:
    """As they are written, in single precision, far from the origin: every edge has two sides, and no speck lies beside."""
    whole, cut = thrown(solid, seed)
    joint = with_keys(whole, cut, kind, 0.1, WALL)
    assert joint.cut.keys or "no room" in joint.why
    for one in (joint.cut, joint.cut.other_side):
        piece = apply_cuts(whole, (one,), solid)
        for data, ending in ((binary_stl(piece), "stl"), (packed_3mf([(solid, piece, "model")], {}, (0.0, 0.0)), "3mf")):
            read = trimesh.load_mesh(io.BytesIO(data), file_type=ending)
            assert read.is_watertight and read.body_count == 1
            assert read.volume == pytest.approx(piece.volume_mm3, rel=1e-5)


@pytest.mark.parametrize("normal", [(0.36, 0.48, 0.8), (0.0, 0.6, -0.8), (0.96, -0.28, 0.0)])
@pytest.mark.parametrize("finer", [3, 5])
def test_a_tail_grows_out_of_its_piece(normal: tuple[float, float, float], finer: int) -> None:
    """It ends at a ball's facets, and no speck is left beside it: the piece is one shell, whichever side is kept."""
    whole = as_mesh(trimesh.creation.icosphere(finer, 20))
    for peg_on in (1, -1):
        key = Key(Kind.DOVETAIL, -3.0, 1.0, 8.0, 5.0, peg_on, 25.0, 60.0)
        cut = Cut(normal, 2.0, peg_on, (key,), 0.1)
        piece, bare = apply_cuts(whole, (cut,), "ball"), apply_cuts(whole, (replace(cut, keys=()),), "ball")
        assert piece.watertight and len(pieces_of(piece)) == 1
        assert piece.volume_mm3 == pytest.approx(bare.volume_mm3 + 36 * 5 * 8 * (0.66 + 0.34 / 2), rel=0.02)
        assert np.linalg.norm(piece.points, axis=1).max() <= 20 + 1e-9


def test_two_like_pegs_would_go_together_two_ways() -> None:
    """The check sees what it should: twins of the same size at the same distance let a half turn pass."""
    whole = as_mesh(trimesh.creation.cylinder(20, 60, sections=96))
    keys = tuple(Key(Kind.PEG, x, 0.0, 6.0, 5.0, -1) for x in (-8.0, 8.0))
    seen = looked_over(whole, Cut((0.0, 0.0, 1.0), 1.0, 1, keys, 0.1))
    assert not seen.one_way
    unlike = (replace(keys[0], size_mm=8.0), keys[1])
    assert looked_over(whole, Cut((0.0, 0.0, 1.0), 1.0, 1, unlike, 0.1)).one_way


def test_a_thin_wall_gets_no_key() -> None:
    joint = with_keys(as_mesh(trimesh.creation.box((60, 4, 60))), Cut((0.0, 0.0, 1.0), 0.0, 1), None, 0.1, WALL)
    assert joint.cut.keys == () and "glued" in joint.why


# on a job


@pytest.fixture(scope="module")
def tower(bench: Bench) -> tuple[Job, Stages]:
    """420 mm tall: three pieces on a printer of 180."""
    part = Part(id="", name="Tower", source=as_source(as_mesh(moved(trimesh.creation.cylinder(14, 420, sections=48), 0, 0, 210))))
    return job_of("tower", bench, (part,)), Stages()


def test_a_tall_part_comes_in_pieces_that_fit_mating_face_up(tower: tuple[Job, Stages]) -> None:
    """Three sets of cuts; each piece fits with its gap and base, mating face up, and together they are the whole."""
    job, stages = tower
    proposal = propose_split(job, ONE, stages)
    whole = stages.cut(job.parts[0])
    assert proposal.needed and 1 <= len(proposal.candidates) <= 3
    room = Space((job.bench.printer.plate_x_mm, job.bench.printer.plate_y_mm, job.bench.printer.height_mm))
    for candidate in proposal.candidates:
        pieces = candidate.job.parts
        assert len(pieces) == candidate.measures[0].value >= 3
        assert sum(stages.cut(p).volume_mm3 for p in pieces) == pytest.approx(whole.volume_mm3, rel=2e-3)
        for piece in pieces:
            mesh = stages.cut(piece)
            assert mesh.watertight and stands_in(mesh, room, [np.array(c.normal) for c in piece.cuts])
            ups = [piece.pose.rotation @ (-c.keep * np.array(c.normal)) for c in piece.cuts]
            assert max(up[2] for up in ups) > 0.999
            assert all(cut.keys and cut.clearance_mm == job.bench.house.glued_mm for cut in piece.cuts)
    best = proposal.best.job
    names = sorted(p.name for p in best.parts)
    assert len(set(names)) == len(names) and all(name.startswith(("Tower A", "Tower B")) for name in names)


def test_each_printer_is_told_as_is_turned_scaled_and_in_pieces(tower: tuple[Job, Stages]) -> None:
    job, stages = tower
    small, large = (load_named("printer", name) for name in ("dinghy-120", "drydock-330"))
    told = printers_that_fit(job, ONE, stages, (small, large))
    assert [t.printer for t in told] == [small.name, large.name]
    for one, printer in zip(told, (small, large), strict=True):
        gap = job.bench.supports.gap_mm
        assert one.fit.as_is_mm == pytest.approx(printer.height_mm - gap - 420, abs=1e-6)
    assert told[0].fit.pieces > told[1].fit.pieces >= 1
    assert told[0].fit.scale < told[1].fit.scale


def test_keys_follow_a_part_that_is_scaled(tower: tuple[Job, Stages]) -> None:
    """At another size the pegs stand at the same places of the part, as thick as they were."""
    job, stages = tower
    piece = propose_split(job, ONE, stages, aims=(Aim.SHORT,)).job.parts[0]
    grown = resized(piece, piece.scale * 1.25, piece.stretch, False)
    for old, new in zip(piece.cuts, grown.cuts, strict=True):
        assert new.offset_mm == pytest.approx(1.25 * old.offset_mm)
        for a, b in zip(old.keys, new.keys, strict=True):
            assert (b.across_mm, b.over_mm) == pytest.approx((1.25 * a.across_mm, 1.25 * a.over_mm))
            assert (b.size_mm, b.depth_mm) == (a.size_mm, a.depth_mm)


@pytest.mark.prove
def test_the_fit_decides_the_clearance(tower: tuple[Job, Stages]) -> None:
    job, stages = tower
    clearances = [
        propose_split(job, ONE, stages, None, fit, aims=(Aim.SHORT,)).job.parts[0].cuts[0].clearance_mm for fit in JointFit
    ]
    house = job.bench.house
    assert clearances == [house.glued_mm, house.push_fit_mm, house.moving_mm]


@pytest.mark.prove
@pytest.mark.parametrize("solid", ["cylinder"])
def test_the_whole_chain_leaves_mating_faces_up(bench: Bench, solid: str) -> None:
    """What lies flat on its own end stays on the plate; a round end is raised on supports."""
    shape = (
        trimesh.creation.cylinder(8, 230, sections=48)
        if solid == "cylinder"
        else trimesh.creation.capsule(214, 8, count=(24, 24))
    )
    stages = Stages()
    solid_only = bench.with_value("house.hollow_pays_ml", 1000.0)
    made, _ = propose_all(job_of("post", solid_only, (Part("Post", as_source(as_mesh(shape))),)), stages)
    assert len(made.parts) == 2
    for piece in made.parts:
        (cut,) = piece.cuts
        outward = -cut.keep * np.array(cut.normal)
        assert piece.pose.rotation @ outward == pytest.approx((0, 0, 1), abs=1e-6)
        assert (piece.pose.gap_mm, bool(piece.supports.contacts)) == (
            (0.0, False) if solid == "cylinder" else (bench.supports.gap_mm, True)
        )


def test_a_plane_that_misses_is_refused(tower: tuple[Job, Stages]) -> None:
    job, stages = tower
    with pytest.raises(BadModel, match="does not pass"):
        with_pieces(job, ONE, Cut((0.0, 0.0, 1.0), 900.0, 1), stages)


@pytest.mark.prove
def test_pieces_from_the_command_line(tmp_path: Path) -> None:
    """A post of 230: the job opens again with its keys; the report tells fits and checks."""
    trimesh.creation.cylinder(12, 230, sections=48).export(tmp_path / "post.stl")
    out, told = tmp_path / "pieces", tmp_path / "told.json"
    done = CliRunner().invoke(
        app, ["split", str(tmp_path / "post.stl"), "-o", str(out), "--keys", "ring", "--fit", "push", "--json", str(told)]
    )
    assert done.exit_code == 0, done.output
    report = json.loads(told.read_text())
    assert {p["printer"] for p in report["printers"]} > {"Quayside 200"}
    best = report["sets"][0]
    assert len(best["pieces"]) == 2 and best["volume_kept_share"] == pytest.approx(1.0, abs=2e-3)
    (cut,) = best["cuts"]
    assert cut["keys"][0]["kind"] == "ring" and cut["wrong_turns"] == cut["wrong_turns_that_collide"] > 0
    assert cut["clearance_mm"] == pytest.approx([0.05, 0.05], abs=0.02)
    again = open_job(out / "job.3mf")
    assert [p.name for p in again.parts] == ["post A", "post B"]
    assert again.parts[0].cuts[0].keys and again.parts[0].cuts[0] == again.parts[1].cuts[0].other_side
    assert {p.name for p in out.iterdir()} == {"job.3mf", "post A.stl", "post B.stl"}
    wrong = CliRunner().invoke(app, ["split", str(tmp_path / "post.stl"), "-o", str(out), "--keys", "nail"])
    assert wrong.exit_code == 2
    longer = CliRunner().invoke(app, ["split", str(out / "job.3mf"), "-o", str(out)], catch_exceptions=True)
    assert isinstance(longer.exception, BadJob) and "2 parts" in longer.exception.text


@pytest.mark.prove
def test_a_saved_job_of_one_part_is_cut_too(bench: Bench, tmp_path: Path) -> None:
    long = as_source(as_mesh(trimesh.creation.cylinder(12, 230, sections=48)))
    save_job(job_of("mast", bench, (Part("Mast", long),)), tmp_path / "mast.3mf", Stages())
    done = CliRunner().invoke(app, ["split", str(tmp_path / "mast.3mf"), "-o", str(tmp_path), "--set", "house.glued_mm=0.11"])
    assert done.exit_code == 0, done.output
    again = open_job(tmp_path / "job.3mf")
    assert [p.name for p in again.parts] == ["Mast A", "Mast B"] and again.parts[0].cuts[0].clearance_mm == 0.11
    scaled = CliRunner().invoke(app, ["split", str(tmp_path / "mast.3mf"), "-o", str(tmp_path), "--scale", "2"])
    assert isinstance(scaled.exception, BadJob)


# fits in a kit


def test_a_peg_of_4_00_in_a_bore_of_4_10_by_hand(bench: Bench) -> None:
    """Both upright and untested: each shrinks by half a percent, so 0.05 mm on each side becomes 0.04975; layers do not step
    there. The bore leaning by 40°: light goes C - t deeper, its ceiling comes down by (C - t) sin 40°."""
    resin, printer, t = bench.resin, bench.printer, bench.print.layer_height_mm
    peg = Drawn(4.0, False, 0.0)
    upright = fit_told(peg, Drawn(4.1, True, 0.0), bench)
    assert upright.peg.mean_mm == pytest.approx(3.98)
    assert upright.bore.mean_mm == pytest.approx(4.0795)
    assert upright.mean_mm == pytest.approx(0.04975)
    assert upright.comes_to is FitClass.PUSH
    assert (upright.peg.out_of_round_mm, upright.peg.steps_mm) == (0.0, 0.0)
    assert upright.least_mm == pytest.approx(0.04975 - 0.5 * 0.5 * (0.02 + 0.0205))

    dose = printer.irradiance_mw_per_cm2 * bench.print.exposure_s
    warm = resin.critical_exposure_mj_per_cm2 * np.exp(resin.cure_gain_per_c * (resin.reference_c - bench.print.vat_c))
    deep = resin.penetration_depth_mm * np.log(dose / warm)
    lean = np.sin(np.radians(40))
    leant = fit_told(peg, Drawn(4.1, True, 40.0), bench)
    assert leant.bore.level_mm == pytest.approx(4.0795)
    assert leant.bore.steep_mm == pytest.approx((4.1 - (deep - t) * lean) * 0.995)
    assert leant.bore.steps_mm == pytest.approx(t * lean)
    assert leant.mean_mm == pytest.approx(0.04975 - 0.25 * (deep - t) * lean * 0.995)
    assert leant.least_mm < upright.least_mm
    assert leant.widen_mm(0.1) == pytest.approx(0.1 - leant.mean_mm)


def test_growth_takes_from_a_bore_what_it_gives_to_a_peg(bench: Bench) -> None:
    """Tested on this bench to grow by 0.04 mm: a peg by 0.08, a bore by as much less, before shrinkage."""
    names = (bench.printer.name, bench.resin.name, bench.film.name)
    grown = replace(bench, tested=OwnTest("test", *names, bench.print.vat_c, "2026-11-20", bench.print.exposure_s, 0.04))
    assert outline_growth_mm(grown) == pytest.approx(0.04)
    assert as_printed(Drawn(5.0, False, 0.0), grown).mean_mm == pytest.approx(5.08 * 0.995)
    assert as_printed(Drawn(5.0, True, 0.0), grown).mean_mm == pytest.approx(4.92 * 0.995)


def test_classes_lie_about_the_house_s_clearances(bench: Bench) -> None:
    house = bench.house
    told = [fit_class(mm, house) for mm in (-0.01, 0.0, house.push_fit_mm, house.glued_mm, house.moving_mm, 1.0)]
    assert told == [FitClass.JAMS, FitClass.PUSH, FitClass.PUSH, FitClass.GLUED, FitClass.MOVES, FitClass.MOVES]


def test_the_comb_s_bores_are_wider_one_after_the_other() -> None:
    """Bores measured on the mesh: the peg's 6 mm and twice each clearance; the peg itself is 6 mm."""
    mesh, peg = comb(), comb_peg()
    assert mesh.watertight and peg.watertight
    long = 10.0 * len(CLEARANCES_MM)
    for number, clearance in enumerate(CLEARANCES_MM):
        seen = bore_at(mesh, np.array([(number + 0.5) * 10 - long / 2 + 3.0 + clearance, 0.0, 3.0]))
        assert seen.is_hole and seen.diameter_mm == pytest.approx(6.0 + 2 * clearance, abs=1e-3)
    assert bore_at(peg, np.array([3.0, 0.0, 9.0])).diameter_mm == pytest.approx(6.0, abs=1e-3)
    assert mesh.volume_mm3 == pytest.approx(
        long * 12 * 6 - 8 * 6 / 2 * 1 - sum(np.pi * (3 + c) ** 2 * 6 for c in CLEARANCES_MM), rel=2e-3
    )


# putting together


def test_pieces_are_moved_apart_along_the_normals_of_their_cuts(tower: tuple[Job, Stages]) -> None:
    """Pieces on either side of a cut are 2 × 0.22 of the size farther apart along its normal, and as near as before across it."""
    job, stages = tower
    made = propose_split(job, ONE, stages, aims=(Aim.SHORT,)).job
    assert pieces_beside(job, ONE) == () and pieces_beside(made, made.parts[1].id) == made.parts == pieces_beside(made, "none")
    shifts = shifts_apart([p.cuts for p in made.parts], 100.0)
    for a, one in zip(shifts, made.parts, strict=True):
        assert a == pytest.approx(22.0 * np.sum([c.keep * np.array(c.normal) for c in one.cuts], axis=0))
        for b, other in zip(shifts, made.parts, strict=True):
            first = next((n for n, (c, d) in enumerate(zip(one.cuts, other.cuts, strict=False)) if c.keep != d.keep), None)
            if first is not None and len(one.cuts) == len(other.cuts) == first + 1:  # they share all cuts but the last
                assert a - b == pytest.approx(44.0 * one.cuts[first].keep * np.array(one.cuts[first].normal))


def test_pieces_go_together_in_the_reverse_order_of_the_cuts(tower: tuple[Job, Stages], tmp_path: Path) -> None:
    """Three pieces: the last cut is closed first; which goes into which is told by the side of the pegs. A saved job knows it."""
    job, stages = tower
    made = propose_split(job, ONE, stages, aims=(Aim.SHORT,)).job
    lines = assembly_lines(made)
    assert len(lines) == len(made.parts) - 1 == 2
    deep = [p for p in made.parts if len(p.cuts) == 2]
    (lone,) = (p for p in made.parts if len(p.cuts) == 1)
    assert lines[0].startswith("1. ") and all(p.name in lines[0] for p in deep) and lone.name + " " not in lines[0][3:]
    assert lines[1].startswith("2. ") and all(p.name in lines[1] for p in made.parts)
    cut = deep[0].cuts[1]
    into = next(p for p in deep if p.cuts[1].keep == cut.keys[0].peg_on)
    assert lines[0].startswith(f"1. {into.name} into ")
    assert f"{cut.keys[0].size_mm:.1f}" in lines[0] and "0.10 mm clear" in lines[0]
    assert assembly_lines(job) == []
    save_job(made, tmp_path / "tower.3mf", stages)
    assert assembly_lines(open_job(tmp_path / "tower.3mf")) == lines


def test_the_sheet_shows_the_pieces_apart(tower: tuple[Job, Stages], tmp_path: Path) -> None:
    """Drawn pieces do not overlap: between them the ground shows all across; the sheet says how they go together."""
    job, stages = tower
    made = propose_split(job, ONE, stages, aims=(Aim.SHORT,)).job
    seen = predict(made, stages, preview(made.bench))
    picture = apart_view(seen.solids)
    assert picture is not None
    pixels = np.asarray(picture)
    middle = pixels[:, pixels.shape[1] // 2 - 8 : pixels.shape[1] // 2 + 8]
    empty = (middle == (214, 229, 236)).all(axis=(1, 2))
    stretches = np.flatnonzero(np.diff(np.concatenate(([1], empty.astype(int), [1]))) == -1)
    assert len(stretches) == 3  # three pieces, one below the other
    write_html(seen, tmp_path / "sheet.html")
    text = (tmp_path / "sheet.html").read_text()
    assert "Putting the pieces together" in text and "The pieces drawn apart" in text and "in one way only" in text
    whole = predict(job_of("one", job.bench, (replace(job.parts[0], scale=0.2),)), stages, preview(job.bench))
    write_html(whole, tmp_path / "whole.html")
    assert "Putting the pieces together" not in (tmp_path / "whole.html").read_text()


@pytest.mark.prove
@pytest.mark.parametrize(
    ("turn", "high"),
    [((20.0, 35.0, 70.0), 60.0), *further([((0.0, 0.0, 0.0), 0.0), ((0.0, 0.0, 0.0), 60.0), ((20.0, 35.0, 70.0), 0.0)], True)],
)
def test_a_cut_that_opens_a_void_says_so(turn: tuple[float, float, float], high: float, bench: Bench) -> None:
    """A column with a ball of void in its middle, which the cut meets, or near its end, which it does not."""
    column, radius = trimesh.creation.cylinder(14, 240, sections=48), 7.0
    void = trimesh.creation.icosphere(3, radius).apply_translation([0, 0, high])
    matrix = np.eye(4)
    matrix[:3, :3] = np.array(turned_xyz(*turn)).reshape(3, 3)
    solid = as_mesh(trimesh.boolean.difference([column, void], engine="manifold").apply_transform(matrix))
    ball_ml = float(void.volume) / 1000
    assert shut_in_ml(solid) == pytest.approx(ball_ml, rel=0.05)
    parts = (Part("Column", as_source(solid), pose=Pose(turned_xyz(0, 0, 0), 0.0)),)
    for aim in (Aim.SHORT, Aim.BROAD):
        (made,) = propose_split(job_of("x", bench, parts), ONE, Stages(), aims=(aim,), place=False).candidates
        left = sum(shut_in_ml(Stages().cut(p)) for p in made.job.parts)
        opened = ball_ml - left > 0.1
        assert opened == ("mL that was shut in" in made.why)
        assert {m.name: m.value for m in made.measures}["shut in"] == pytest.approx(left)
        assert left == pytest.approx(0.0 if opened else ball_ml, rel=0.05, abs=0.01)


def test_what_would_come_to_too_many_pieces_is_refused(bench: Bench) -> None:
    beam = Part(id="", name="Beam", source=as_source(as_mesh(trimesh.creation.box((5000, 50, 50)))))
    with pytest.raises(BadModel, match="more than 24 pieces"):
        propose_split(job_of("beam", bench, (beam,)), ONE, Stages())


# pairs of a kit


@pytest.mark.parametrize(("wide", "thick", "turn"), [(80.0, 40.0, 0), (70.0, 30.0, 1), (90.0, 60.0, 2)])
def test_a_seam_out_of_sight_lies_in_a_crease(wide: float, thick: float, turn: int) -> None:
    """A column on a block of 45 mm: anywhere on the column the seam is as long, but where both meet it is hidden."""
    block, column = trimesh.creation.box((wide, wide, 45)), trimesh.creation.cylinder(thick / 2, 140, sections=96)
    solid = trimesh.boolean.union(
        [block.apply_translation([0, 0, 22.5]), column.apply_translation([0, 0, 115])], engine="manifold"
    )
    rotation = trimesh.transformations.random_rotation_matrix(np.random.default_rng(turn).random(3)) if turn else np.eye(4)
    mesh = as_mesh(solid.apply_transform(rotation))
    folds, round_about = Creases.of(mesh), 96 * thick * np.sin(np.pi / 96)
    assert np.linalg.norm(np.diff(folds.ends_mm, axis=1), axis=2).sum() == pytest.approx(round_about, rel=1e-6)
    up = rotation[:3, 2]
    assert folds.offsets(up) == pytest.approx([44.98, 45.02], abs=1e-6)
    seam = Slicer(mesh, up).at(45.02)
    ones, none = np.ones(mesh.triangles), np.zeros(mesh.triangles, bool)
    assert seam.hidden_mm(folds) == pytest.approx(round_about, rel=1e-3)
    assert seam.finishing(ones, none, folds)[0] == pytest.approx(0.3 * round_about, rel=1e-3)
    assert Slicer(mesh, up).at(46.0).hidden_mm(folds) == 0
    space = Space((120.0, 120.0, 155.0))
    best = min(planes_through(mesh, space), key=lambda p: p.rank(Aim.HIDDEN))
    assert abs(float(np.dot(best.normal, up))) == pytest.approx(1, abs=1e-6)
    assert abs(best.offset_mm) == pytest.approx(45.02, abs=0.01) and best.pieces == 2


@pytest.mark.parametrize("seed", range(4))
def test_pegs_find_the_bores_of_their_size_however_the_parts_are_turned(seed: int, bench: Bench) -> None:
    """A plate with bores of 3.1, 5.2 and 8.1 mm, and pegs of 3, 5, 8 and 12 mm each on a block of its own."""
    rng = np.random.default_rng(seed)
    plate = trimesh.creation.box((50, 20, 8))
    for radius, x in ((1.55, -16.0), (2.6, 0.0), (4.05, 16.0)):
        drill = trimesh.creation.cylinder(radius, 30, sections=64).apply_translation([x, 0, 0])
        plate = trimesh.boolean.difference([plate, drill], engine="manifold")
    solids = [plate]
    for d in (3.0, 5.0, 8.0, 12.0):
        peg = trimesh.creation.cylinder(d / 2, 14, sections=64).apply_translation([0, 0, 8])
        solids.append(trimesh.boolean.union([trimesh.creation.box((16, 16, 6)), peg], engine="manifold"))
    parts = []
    for n, solid in enumerate(solids):
        turn = trimesh.transformations.random_rotation_matrix(rng.random(3))
        pose = Pose(turned_xyz(*rng.uniform(-180, 180, 3)), 3.0)
        parts.append(Part(f"Part {n}", as_source(as_mesh(solid.apply_transform(turn))), id=f"part-{n + 2}", pose=pose))
    job, stages = job_of("Kit", bench, tuple(parts)), Stages()
    pairs = pairs_in(job, stages)
    got = {(round(p.peg.shape.diameter_mm, 1), round(p.bore.shape.diameter_mm, 1)) for p in pairs}
    assert got == {(3.0, 3.1), (5.0, 5.2), (8.0, 8.1)} and all(p.bore.name == "Part 0" for p in pairs)
    for pair in pairs:
        for each in (pair.peg, pair.bore):
            part = next(p for p in job.parts if p.id == each.part)
            up = np.degrees(np.arccos(min(abs(part.pose.rotation[2] @ np.array(each.shape.axis)), 1.0)))
            assert each.drawn(part).tilt_deg == pytest.approx(up, abs=1e-6)
        assert pair.told == fit_told(pair.peg.drawn(job.part(pair.peg.part)), pair.bore.drawn(job.part(pair.bore.part)), bench)
        kept = kept_for_fit(job, (pair.peg, pair.bore), stages)
        for each in (pair.peg, pair.bore):
            part, radius = kept.part(each.part), 0.5 * each.shape.diameter_mm
            (mark,) = part.marks
            around = 2 * 64 * radius * np.sin(np.pi / 64)  # of a prism with 64 sides
            assert mark.kind is MarkKind.MATING
            assert part.source.mesh.face_area_mm2[mark.faces].sum() == pytest.approx(around * each.shape.length_mm, rel=0.01)
        assert kept_for_fit(kept, (pair.peg, pair.bore), stages) == kept
    assert pairs_in(job_of("Plate alone", bench, (parts[0],)), stages) == ()


@pytest.mark.parametrize("turn", [(0.0, 0.0, 0.0), (25.0, -40.0, 70.0)])
@pytest.mark.parametrize("widen_mm", [0.12, -0.15])
def test_a_bore_is_made_as_wide_as_its_peg_wants_and_nothing_else(turn, widen_mm: float, bench: Bench, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    """A block of 20 x 14 x 8 mm with a bore of 5 through it: its volume changes by the ring's; size, mirror, cuts and files
    carry it."""
    block = trimesh.creation.box((20, 14, 8))
    drill = trimesh.creation.cylinder(2.5, 30, sections=128).apply_translation([4, 0, 0])
    matrix = np.eye(4)
    matrix[:3, :3] = np.array(turned_xyz(*turn)).reshape(3, 3)
    solid = trimesh.boolean.difference([block, drill], engine="manifold").apply_transform(matrix)
    stages = Stages()
    job = job_of("Block", bench, (Part("Block", as_source(as_mesh(solid)), id="part-2"),))
    (shape,) = stages.rounds(job.parts[0])
    assert shape.length_mm == pytest.approx(8.0, abs=1e-6) and shape.diameter_mm == pytest.approx(5.0, abs=1e-6)
    made = with_fit(job, RoundOf("part-2", "Block", shape), widen_mm)
    part, wide = made.parts[0], 5.0 + 2 * widen_mm
    (after,) = stages.rounds(part)
    assert after.diameter_mm == pytest.approx(wide, abs=1e-3) and after.centre_mm == pytest.approx(shape.centre_mm, abs=1e-3)
    facets = 0.5 * 128 * np.sin(2 * np.pi / 128)
    ring = facets * ((wide / 2) ** 2 - 2.5**2) * 8
    assert solid.volume - stages.cut(part).volume_mm3 == pytest.approx(ring, rel=0.01)
    save_job(made, tmp_path / "block.3mf", stages)
    assert open_job(tmp_path / "block.3mf").parts[0].rebores == part.rebores
    twice = resized(part, 2.0, (1.0, 1.0, 1.0), True)
    assert [b.diameter_mm for b in stages.rounds(twice)] == pytest.approx([2 * wide], abs=2e-3)
    assert resized(part, 1.0, (1.0, 1.0, 2.0), False).rebores == ()
    lengthwise = tuple(float(v) for v in matrix[:3, 1])
    half = replace(part, cuts=(Cut(lengthwise, 0.0, 1),))
    plain = replace(half, rebores=())
    assert stages.cut(plain).volume_mm3 - stages.cut(half).volume_mm3 == pytest.approx(ring / 2, rel=0.01)


@pytest.mark.parametrize("turn", [(0.0, 0.0, 0.0), (25.0, -40.0, 70.0)])
@pytest.mark.parametrize("radius", [5.0, 9.0])
def test_a_bore_across_a_rod_is_drawn_in_and_nothing_stands_out(turn, radius: float, bench: Bench) -> None:  # type: ignore[no-untyped-def]
    """Its mouths are curved: no point of the part comes to lie outside of the rod, and the wall is at its new radius."""
    rod = trimesh.creation.cylinder(radius, 30, sections=180)
    drill = trimesh.creation.cylinder(2.0, 40, sections=96).apply_transform(
        trimesh.transformations.rotation_matrix(np.pi / 2, (0, 1, 0))
    )
    matrix = np.eye(4)
    matrix[:3, :3] = np.array(turned_xyz(*turn)).reshape(3, 3)
    solid = trimesh.boolean.difference([rod, drill], engine="manifold").apply_transform(matrix)
    job, stages = job_of("Rod", bench, (Part("Rod", as_source(as_mesh(solid)), id="part-2"),)), Stages()
    shape = next(r for r in stages.rounds(job.parts[0]) if r.is_hole)
    part = with_fit(job, RoundOf("part-2", "Rod", shape), -0.15).parts[0]
    made = stages.cut(part)
    own = made.points @ matrix[:3, :3]
    assert np.hypot(own[:, 0], own[:, 1]).max() <= radius + 0.01 and made.watertight
    (after,) = (r for r in stages.rounds(part) if r.is_hole)
    assert after.diameter_mm == pytest.approx(3.7, abs=1e-3)
    around = 2 * np.pi * np.arange(360) / 360  # of the ring that is filled, as far as the rod goes on each side
    long = np.mean([2 * np.sqrt(radius**2 - (r * np.sin(around)) ** 2) for r in (1.85, 1.925, 2.0)])
    assert made.volume_mm3 - solid.volume == pytest.approx(np.pi * (2.0**2 - 1.85**2) * long, rel=0.02)


def test_a_bore_is_not_closed_nor_a_peg_bored(bench: Bench) -> None:
    tube = trimesh.creation.annulus(1.0, 8.0, 6.0, sections=64)
    job, stages = job_of("Tube", bench, (Part("Tube", as_source(as_mesh(tube)), id="part-2"),)), Stages()
    hole, peg = sorted((RoundOf("part-2", "Tube", r) for r in stages.rounds(job.parts[0])), key=lambda r: not r.shape.is_hole)
    assert hole.shape.is_hole and not peg.shape.is_hole
    for which, by in ((hole, -0.95), (peg, 0.1)):
        with pytest.raises(BadJob):
            with_fit(job, which, by)


# numbers


@pytest.mark.parametrize("seed", range(6))
def test_a_number_is_engraved_in_the_face_clear_of_keys_and_rims_and_reads_from_outside(
    seed: int, bench: Bench, tmp_path: Path
) -> None:
    """Whatever the turn and the cut: both faces lose the strokes' volume, nothing beyond their depth, clear of the keys.

    Seen from outside, the 7 has its bar above and its foot at the right.
    """
    rng = np.random.default_rng(seed)
    matrix = np.eye(4)
    matrix[:3, :3] = np.array(turned_xyz(*rng.uniform(-180, 180, 3))).reshape(3, 3)
    solid = as_mesh(trimesh.creation.box((46, 38, 120), matrix))
    normal = matrix[:3, 2] * (1 if seed % 2 else -1)
    cut = with_keys(solid, Cut(tuple(normal), 7.0, 1), Kind.PEG, 0.1, 2.0).cut
    part = Part("Block", as_source(solid))
    job = with_pieces(job_of("x", bench, (part,)), ONE, cut, (stages := Stages()))
    made = numbered(job, job.parts[0].id, stages).job
    assert [p.engraved for p in made.parts] == ["1", "2"]
    sevens = [replace(p, engraved="7") for p in made.parts]
    for bare, piece in zip(job.parts, sevens, strict=True):
        own = piece.cuts[-1]
        room = room_for(stages.cut(bare), own, "7")
        assert room is not None and room.high_mm == 10.0
        lost = as_solid(stages.cut(bare)) - as_solid(stages.cut(piece))
        wide, thick = 0.55 * 10.0, 0.14 * 10.0
        flat = wide * thick + (10.0 - thick) * thick  # the bar and both halves of the foot
        assert lost.volume() == pytest.approx(flat * 0.6, rel=1e-3)
        points = np.asarray(lost.to_mesh64().vert_properties)[:, :3]
        deep = (own.offset_mm - points @ np.array(own.normal)) * -own.keep
        assert deep.min() == pytest.approx(0.0, abs=1e-3) and deep.max() == pytest.approx(0.6, abs=1e-3)
        lost = lost.trim_by_plane(np.array(own.normal) * own.keep, own.offset_mm * own.keep + 0.05)  # less a skin of rounding
        points = points[deep > 0.5]  # its floor
        outward = -own.keep * np.array(own.normal)
        right = own.frame[0] * (1 if own.keep < 0 else -1)
        up = np.cross(outward, right)
        x, y = points @ right, points @ up
        assert np.ptp(x) == pytest.approx(wide, abs=1e-3) and np.ptp(y) == pytest.approx(10.0, abs=1e-3)
        assert x[y < y.max() - 2 * thick].min() > x.max() - thick - 1e-3  # below the bar there is only the foot, at the right
        for key in own.keys:
            assert lost.min_gap(socket_of(own, key), 5.0) > 0.9
    save_job(made, tmp_path / "x.3mf", stages)
    assert [p.engraved for p in open_job(tmp_path / "x.3mf").parts] == ["1", "2"]


def test_where_no_face_has_room_no_number_is_engraved(bench: Bench) -> None:
    rod = as_mesh(trimesh.creation.cylinder(2.0, 60, sections=32))
    cut = Cut((0.0, 0.0, 1.0), 0.0, 1)
    job = with_pieces(job_of("x", bench, (Part("Rod", as_source(rod)),)), ONE, cut, Stages())
    with pytest.raises(BadJob, match="no face of a cut has room"):
        numbered(job, job.parts[0].id, Stages())
    with pytest.raises(BadJob, match="no part was cut"):
        numbered(job_of("x", bench, (Part("Rod", as_source(rod)),)), ONE, Stages())
    with pytest.raises(BadModel, match="no number"):
        Stages().cut(replace(job.parts[0], engraved="12a"))
