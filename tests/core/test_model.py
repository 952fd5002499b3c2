"""Reading meshes: what is accepted, what is told, what is refused."""

import io
import struct
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from manifold3d import Manifold

from conftest import as_mesh, moved
from reference.further import further
from wideberth.core.errors import BadModel, Cancelled
from wideberth.core.model import (
    Exact,
    Mesh,
    as_solid,
    ball,
    binary_stl,
    decimate,
    deviation_mm,
    exact,
    frame_along,
    hits,
    hollowed,
    joined,
    nearest_on,
    packed_3mf,
    parse_model,
    pieces_cut,
    pieces_of,
    read_model,
    resolved,
    ring_about,
    rod,
    rods,
    rotation_about,
    simplified,
    solid_stretches,
    stand_in,
)
from wideberth.core.model.apart import Array, made_apart
from wideberth.core.progress import Progress
from wideberth.core.split import Cut, Key, Kind, Step, apply_cuts, halves_of

BALL = trimesh.creation.icosphere(3, 10)


@pytest.mark.parametrize("suffix", [".stl", ".obj", ".ply", ".3mf"])
def test_formats_read_to_the_same_solid(suffix: str, tmp_path: Path) -> None:
    file = tmp_path / f"ball{suffix}"
    BALL.export(file)
    mesh = read_model(file).mesh
    assert mesh.triangles == len(BALL.faces)
    assert mesh.watertight
    assert mesh.volume_mm3 == pytest.approx(BALL.volume, rel=1e-5)


def test_ascii_stl_is_read(tmp_path: Path) -> None:
    file = tmp_path / "ball.stl"
    file.write_text(trimesh.exchange.stl.export_stl_ascii(BALL))
    assert read_model(file).mesh.triangles == len(BALL.faces)


def test_binary_stl_whose_header_says_solid() -> None:
    data = binary_stl(as_mesh(BALL))
    tricky = b"solid of some kind".ljust(80, b" ") + data[80:]
    assert parse_model("tricky", ".stl", tricky).mesh.triangles == len(BALL.faces)


def test_inches_in_a_3mf_become_millimetres(tmp_path: Path) -> None:
    file = tmp_path / "inch.3mf"
    trimesh.creation.box((1, 1, 1)).export(file)
    with zipfile.ZipFile(file) as package:
        parts = {name: package.read(name) for name in package.namelist()}
    with zipfile.ZipFile(file, "w") as package:
        for name, content in parts.items():
            package.writestr(name, content.replace(b'unit="millimeter"', b'unit="inch"'))
    source = read_model(file)
    assert source.mesh.extents_mm == pytest.approx([25.4, 25.4, 25.4])
    assert any("from in to mm" in note for note in source.notes)


LYING = b" " * 80 + struct.pack("<I", 1000) + b"\0" * 500
FAR = binary_stl(as_mesh(BALL).moved(np.array([1e9, 0, 0])))
NAN = binary_stl(Mesh(np.full((3, 3), np.nan), np.array([[0, 1, 2]], np.int32)))


@pytest.mark.parametrize(
    ("suffix", "data", "told"),
    [
        (".stl", b"", "empty"),
        (".stl", b"short", "too short"),
        (".stl", b"solid nothing\nfacet normal\nendsolid", "triangle"),
        (".stl", LYING, "promises 1,000 triangles but holds 10"),
        (".stl", FAR, "from its origin"),
        (".stl", NAN, "finite place"),
        (".obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\n", "triangle"),
        (".obj", b"v 0 0 0\nv 1 0 0\nf 1 2 9\n", ""),
        (".obj", b"v 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not three numbers"),
        (".ply", b"ply\nformat ascii 1.0\nelement vertex 1\n", "PLY"),
        (".3mf", b"no zip at all", "zip"),
        (".stl", b"\x89PNG\r\n" + b"\1" * 300, "promises"),
    ],
)
def test_bad_files_are_refused_with_a_reason(suffix: str, data: bytes, told: str) -> None:
    with pytest.raises(BadModel) as error:
        parse_model("bad", suffix, data)
    assert told in str(error.value)
    assert "bad" + suffix in str(error.value)


@pytest.mark.parametrize("ending", ["stl", "3mf"])
def test_corners_that_a_file_cannot_tell_apart_are_one_and_the_mesh_stays_closed(ending: str) -> None:
    """A ball with one more corner on an edge, beside its end: another reader finds the ball."""
    whole, beside = as_mesh(BALL), 1e-7 if ending == "stl" else 4e-6
    points, second = np.vstack((whole.points, whole.points[0])), len(whole.points)
    points[:2], points[second] = whole.points[:2].round(), whole.points[0].round() + (beside, 0.0, 0.0)
    far = int(whole.faces[np.flatnonzero(whole.faces[:, 0] == 0)[0], 1])
    faces = []
    for face in whole.faces.tolist():
        faces += [[second if c == end else c for c in face] for end in (0, far)] if {0, far} <= set(face) else [face]
    drawn = Mesh(points, np.array(faces, np.int32))
    assert drawn.watertight and drawn.triangles == whole.triangles + 2
    data = binary_stl(drawn) if ending == "stl" else packed_3mf([("ball", drawn, "model")], {}, (0.0, 0.0))
    read = trimesh.load_mesh(io.BytesIO(data), file_type=ending)
    assert read.is_watertight and len(read.faces) == whole.triangles
    assert read.volume == pytest.approx(drawn.volume_mm3, rel=1e-5)


def test_missing_file_folder_and_strange_ending(tmp_path: Path) -> None:
    for path in (tmp_path / "gone.stl", tmp_path / "pic.bmp", tmp_path):
        with pytest.raises(BadModel):
            read_model(path)


def test_lines_pass_a_closed_mesh_evenly() -> None:
    mesh = as_mesh(trimesh.creation.icosphere(3, 10))
    chance = np.random.default_rng(0)
    for _ in range(40):
        towards = chance.normal(size=3)
        start = chance.uniform(-6, 6, 3)
        distance, step, _ = hits(mesh, start, towards)
        assert step.sum() == 0
        assert (distance < 0).any()
        assert (distance > 0).any()


def test_line_along_shared_edges_counts_once() -> None:
    mesh = as_mesh(trimesh.creation.box((10, 10, 10)))
    distance, step, _ = hits(mesh, np.zeros(3), np.array([0, 0, 1.0]))
    assert distance == pytest.approx([-5, 5])
    assert list(step) == [1, -1]


def test_solid_stretches_of_a_shell() -> None:
    outer, cavity = as_mesh(trimesh.creation.box((20, 20, 20))), as_mesh(trimesh.creation.box((16, 16, 16)))
    found = solid_stretches(outer, cavity, np.array([0.3, 0.2, 0]), np.array([0, 0, 1.0]))
    assert found == pytest.approx(np.array([[-10, -8], [8, 10]]))


def test_nearest_point_on_a_box() -> None:
    mesh = as_mesh(trimesh.creation.box((10, 10, 10)))
    for point, foot in (((7, 1, 2), (5, 1, 2)), ((8, 8, 0), (5, 5, 0)), ((9, 9, 9), (5, 5, 5)), ((4.5, 0, 0), (5, 0, 0))):
        assert nearest_on(mesh, np.array(point, float))[1] == pytest.approx(foot)


def halves(mesh: Mesh, height_mm: float, name: str) -> list[Mesh]:
    """What a level plane leaves over it and under it."""
    return list(halves_of(mesh, Cut((0.0, 0.0, 1.0), height_mm, 1), name))


def test_plane_cut_gives_two_closed_pieces() -> None:
    above, below = halves(as_mesh(trimesh.creation.icosphere(5, 10)), 4.0, "ball")
    cap = np.pi * 6**2 * (10 - 6 / 3)
    assert above.watertight
    assert below.watertight
    assert above.volume_mm3 == pytest.approx(cap, rel=5e-3)
    assert above.volume_mm3 + below.volume_mm3 == pytest.approx(as_mesh(trimesh.creation.icosphere(5, 10)).volume_mm3)
    with pytest.raises(BadModel, match="does not pass"):
        halves(as_mesh(BALL), 50.0, "ball")


@pytest.mark.parametrize("drop", [1, 2, 5])
def test_open_mesh_is_refused_by_exact_cutting_and_does_not_crash(drop: int) -> None:
    box = as_mesh(trimesh.creation.box((10, 10, 10)))
    torn = Mesh(box.points, box.faces[:-drop])
    with pytest.raises(BadModel, match="not a closed solid"):
        halves(torn, 0.0, "torn")
    assert resolved(torn) is torn
    one_sided = Mesh(box.points, np.concatenate((box.faces[:-1], box.faces[-1:, ::-1])))
    assert resolved(one_sided) is one_sided


@pytest.mark.parametrize("seed", range(4))
def test_pieces_that_overlap_are_cut_as_their_union_is(seed: int) -> None:
    """Forty rods at random less a box, and what of them lies in one: as if all were united first. Rods that pass through the box
    with both ends beyond are cut too; those clear of it keep their triangles."""
    chance = np.random.default_rng(seed)
    start, end = chance.uniform(-20, 20, (2, 40, 3))
    thick = chance.uniform(0.5, 2.0, 40)
    pile = rods(start, end, thick, thick, 8)
    low, high = np.array([-8.0, -6.0, -20.0]), np.array([7.0, 9.0, 20.0])
    box = of_box(low, high)
    less = pieces_cut(pile, np.array([[low, high]]), lambda pieces: [piece - Exact.solid(box) for piece in pieces])
    assert as_solid(resolved(less)).volume() == pytest.approx((as_solid(resolved(pile)) - box).volume(), rel=1e-6)
    outside = np.array([[[-np.inf] * 3, [low[0], np.inf, np.inf]], [[high[0], -np.inf, -np.inf], [np.inf] * 3]])
    wide = of_box(np.array([low[0], -40.0, -40.0]), np.array([high[0], 40.0, 40.0]))
    within = pieces_cut(pile, outside, lambda pieces: [piece ^ Exact.solid(wide) for piece in pieces])
    assert as_solid(resolved(within)).volume() == pytest.approx((as_solid(resolved(pile)) ^ wide).volume(), rel=1e-6)
    far = np.array([[[90.0] * 3, [91.0] * 3]])
    assert pieces_cut(pile, far, lambda pieces: []) is pile


def of_box(low: np.ndarray, high: np.ndarray) -> Manifold:
    """A box between two corners."""
    return Manifold.cube(tuple(high - low)).translate(tuple(low))


def test_mesh_equality_is_of_content() -> None:
    a, b = as_mesh(BALL), as_mesh(BALL.copy())
    assert a == b
    assert hash(a) == hash(b)
    assert a != as_mesh(moved(BALL, 1, 0, 0))
    mirrored = a.transformed(np.diag([-1.0, 1, 1, 1]))
    assert mirrored.volume_mm3 == pytest.approx(a.volume_mm3)


def test_primitives_have_the_volume_of_the_true_shape() -> None:
    post = rod(np.array([1.0, 2, 3]), np.array([4.0, -2, 15]), 0.6, 0.6, 8)
    assert post.watertight
    assert post.volume_mm3 == pytest.approx(np.pi * 0.36 * 13, rel=1e-9)
    assert ball(np.zeros(3), 1.0, 10).watertight


def test_stand_in_is_lighter_and_near() -> None:
    fine = as_mesh(trimesh.creation.icosphere(6, 10))
    light = stand_in(fine, 8000)
    assert light.triangles <= 9000
    assert np.linalg.norm(light.points, axis=1) == pytest.approx(np.full(len(light.points), 10), abs=0.06)
    assert stand_in(light, 10_000) is light


@pytest.mark.parametrize("turn", [(0.0, 0.0, 0.0), (0.3, 0.5, 0.7), (1.1, -0.4, 2.0)])
def test_a_stand_in_of_a_very_large_mesh_keeps_sharp_edges_and_both_sides_of_a_thin_wall(turn: tuple[float, ...]) -> None:
    """A box with a fin far thinner than the cells in which its points are drawn together first."""
    body = trimesh.creation.box((40, 30, 20)).subdivide_to_size(0.5)
    fin = trimesh.creation.box((0.15, 20, 15)).subdivide_to_size(0.5)
    place = trimesh.transformations.euler_matrix(*turn)
    for shape in (body, fin):
        heavy = as_mesh(shape.copy().apply_transform(place))
        light = stand_in(heavy, heavy.triangles // 13)
        assert light.triangles < heavy.triangles / 6
        box = trimesh.Trimesh(light.points, light.faces).apply_transform(np.linalg.inv(place))
        beyond = np.abs(box.vertices) - 0.5 * np.array(shape.extents)
        assert np.abs(beyond.max(axis=1)).max() < 0.02  # each point lies on a face
        assert box.volume == pytest.approx(shape.volume, rel=0.02)
        assert box.area == pytest.approx(shape.area, rel=0.03)  # a few triangles are folded over


def test_heavy_stand_in_comes_from_another_process_and_is_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    ball = as_mesh(trimesh.creation.icosphere(6, 10))
    assert ball.triangles >= decimate.APART_FROM
    apart = decimate.decimated(ball, 9000)
    monkeypatch.setattr(decimate, "APART_FROM", np.inf)
    here = decimate.decimated(ball, 9000)
    assert np.array_equal(apart.points, here.points) and np.array_equal(apart.faces, here.faces)


@pytest.mark.parametrize("program", ["raise SystemExit(1)", "pass"])
def test_stand_in_is_made_here_where_no_other_process_makes_it(
    program: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One that ends badly, and one that gives nothing which could be read."""
    ball = as_mesh(trimesh.creation.icosphere(6, 10))
    (tmp_path / "other.py").write_text(program)
    monkeypatch.setattr(decimate, "PROGRAM", tmp_path / "other.py")
    assert decimate.decimated(ball, 9000).triangles <= 9000
    monkeypatch.setattr(exact, "PROGRAM", tmp_path / "other.py")
    assert simplified(ball, 0.1).triangles < 0.2 * ball.triangles
    shell = hollowed(ball, [as_mesh(trimesh.creation.icosphere(4, 7))], [], None, 0.02)
    assert shell.volume_mm3 == pytest.approx(4 / 3 * np.pi * (1000 - 343), rel=0.01)


def test_heavy_solid_is_hollowed_by_another_process_and_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    """A ball of 10 mm with a chamber of 7 mm, a square pillar of 2 mm in it, and a hole of 1 mm into it: by hand."""
    ball, chamber = as_mesh(trimesh.creation.icosphere(6, 10)), as_mesh(trimesh.creation.icosphere(5, 7))
    pillar = as_mesh(trimesh.creation.box((2, 2, 18)))
    hole = rod(np.array([5.0, 0, 0]), np.array([12.0, 0, 0]), 1.0, 1.0, 64)
    assert ball.triangles >= exact.APART_FROM
    apart = hollowed(ball, [chamber], [pillar], hole, 0.002)
    x = np.linspace(-0.995, 0.995, 200)
    in_chamber = 4 * np.mean(2 * np.sqrt(49 - x[:, None] ** 2 - x**2))
    wall = np.pi * np.mean([np.sqrt(100 - r**2) - np.sqrt(49 - r**2) for r in np.sqrt(np.linspace(0, 1, 200))])
    assert apart.volume_mm3 == pytest.approx(4 / 3 * np.pi * (1000 - 343) + in_chamber - wall, rel=2e-3)
    assert apart.watertight
    monkeypatch.setattr(exact, "APART_FROM", np.inf)
    here = hollowed(ball, [chamber], [pillar], hole, 0.002)
    assert np.array_equal(apart.points, here.points) and np.array_equal(apart.faces, here.faces)
    monkeypatch.undo()
    with pytest.raises(BadModel, match="not a closed solid"):
        hollowed(Mesh(ball.points, ball.faces[1:]), [chamber], [], None, 0.02)


def test_a_foam_of_many_chambers_is_hollowed() -> None:
    """1,331 cubes of 1 mm in one of 40 mm, each cut out after the other."""
    cube = as_mesh(trimesh.creation.box((1, 1, 1)))
    places = 3.0 * (np.stack(np.meshgrid(*[np.arange(11)] * 3), axis=-1).reshape(-1, 3) - 5)
    foam = hollowed(as_mesh(trimesh.creation.box((40, 40, 40))), [cube.moved(at) for at in places], [], None, 1e-6)
    assert foam.volume_mm3 == pytest.approx(40**3 - 1331, rel=1e-9)


def test_heavy_solid_is_simplified_by_another_process_and_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    ball = as_mesh(trimesh.creation.icosphere(6, 10))
    assert ball.triangles >= exact.APART_FROM
    apart = simplified(ball, 0.02)
    monkeypatch.setattr(exact, "APART_FROM", np.inf)
    here = simplified(ball, 0.02)
    assert np.array_equal(apart.points, here.points) and np.array_equal(apart.faces, here.faces)
    assert apart.triangles < 0.7 * ball.triangles and deviation_mm(apart, ball) < 0.02
    torn = Mesh(ball.points, ball.faces[1:])
    monkeypatch.undo()
    with pytest.raises(BadModel, match="not a closed solid"):
        simplified(torn, 0.02)


def kept(made: list[Array] | None, given: list[bool]) -> list[Array] | None:
    """What another process made, and whether it did."""
    given.append(made is not None)
    return made


@pytest.mark.parametrize("how", ["flat", *further(["stepped"])])
def test_heavy_solid_is_cut_by_another_process_and_the_same(how: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """A ball cut aslant, with a peg on one side, a tail, and sockets for both on the other."""
    heavy = as_mesh(trimesh.creation.icosphere(6, 10))
    assert heavy.triangles >= exact.APART_FROM
    keys = (Key(Kind.PEG, 3.0, 1.0, 3.0, 4.0, 1), Key(Kind.DOVETAIL, -3.0, 0.0, 3.0, 3.0, 1, long_mm=30.0))
    cut = Cut((0.36, 0.48, 0.8), 1.0, 1, keys, 0.1, Step(30.0, 5.0, 1.5) if how == "stepped" else None)
    sides = cut, cut.other_side
    given: list[bool] = []
    monkeypatch.setattr(exact, "made_apart", lambda *asked: kept(made_apart(*asked), given))
    apart = [apply_cuts(heavy, (side,), "ball") for side in sides]
    assert given == [True, True]
    monkeypatch.setattr(exact, "made_apart", lambda *_: None)
    here = [apply_cuts(heavy, (side,), "ball") for side in sides]
    for one, other in zip(apart, here, strict=True):
        assert np.array_equal(one.points, other.points) and np.array_equal(one.faces, other.faces)
        assert one.watertight and len(pieces_of(one)) == 1
    bare = halves_of(heavy, cut)
    assert sum(half.volume_mm3 for half in bare) == pytest.approx(heavy.volume_mm3, rel=1e-9)
    cap = np.pi * 9**2 * (10 - 9 / 3)
    if how == "flat":
        assert bare[0].volume_mm3 == pytest.approx(cap, rel=2e-3)
    assert apart[0].volume_mm3 > bare[0].volume_mm3 + 20 and apart[1].volume_mm3 < bare[1].volume_mm3 - 20
    monkeypatch.undo()
    with pytest.raises(BadModel, match="does not pass"):
        apply_cuts(heavy, (Cut((0.0, 0.0, 1.0), 11.0, 1),), "ball")
    with pytest.raises(BadModel, match="not a closed solid"):
        apply_cuts(Mesh(heavy.points, heavy.faces[1:]), (cut,), "ball")


def test_heavy_shells_are_joined_by_another_process_and_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    """Two balls of radius 10 mm with their middles 8 mm apart, and a hollow of 2 mm in one of them, which faces inward: their
    lens counts once, and the hollow is cut out."""
    ball, small = as_mesh(trimesh.creation.icosphere(6, 10)), as_mesh(trimesh.creation.icosphere(4, 2))
    hollow = Mesh(small.points - [6.0, 0, 0], small.faces[:, ::-1].copy())
    shells = joined([ball, ball.moved(np.array([8.0, 0, 0])), hollow])
    given: list[bool] = []
    monkeypatch.setattr(exact, "made_apart", lambda *asked: kept(made_apart(*asked), given))
    apart = resolved(shells)
    assert given == [True]
    monkeypatch.setattr(exact, "made_apart", lambda *_: None)
    here = resolved(shells)
    assert np.array_equal(apart.points, here.points) and np.array_equal(apart.faces, here.faces)
    lens = np.pi * (4 * 10 + 8) * (2 * 10 - 8) ** 2 / 12
    assert apart.volume_mm3 == pytest.approx(4 / 3 * np.pi * (2 * 10**3 - 2**3) - lens, rel=1e-3)
    assert apart.watertight and len(pieces_of(apart)) == 2
    monkeypatch.undo()
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        resolved(shells, progress)


def test_stand_in_is_cancelled_with_its_process() -> None:
    ball = as_mesh(trimesh.creation.icosphere(6, 10))
    told: list[float] = []

    def children() -> set[str]:
        return {word for task in Path("/proc/self/task").glob("*/children") for word in task.read_text().split()}

    before = children()

    def stop(done: float, _: str) -> None:
        told.append(done)
        progress.cancel()

    progress = Progress(stop)
    with pytest.raises(Cancelled):
        stand_in(ball, 9000, progress)
    assert len(told) == 1
    assert children() <= before


def test_stand_ins_made_side_by_side_do_not_mix() -> None:
    """Eight at once in four threads: each is what it is when made alone."""
    balls = [as_mesh(trimesh.creation.icosphere(5, 5.0 + n)) for n in range(8)]
    alone = [stand_in(ball, 3000).volume_mm3 for ball in balls]
    for _ in range(3):
        with ThreadPoolExecutor(4) as several:
            together = [mesh.volume_mm3 for mesh in several.map(lambda ball: stand_in(ball, 3000), balls)]
        assert together == alone


@settings(max_examples=60, deadline=None)
@given(x=st.floats(-1, 1), y=st.floats(-1, 1), z=st.floats(-1, 1))
def test_a_frame_is_square_right_handed_and_turns_its_axis_to_z(x: float, y: float, z: float) -> None:
    axis = np.array([x, y, z]) if abs(x) + abs(y) + abs(z) > 0.01 else np.array([0.0, -1.0, 0.0])
    frame = frame_along(axis)
    assert frame @ frame.T == pytest.approx(np.eye(3), abs=1e-12) and np.linalg.det(frame) == pytest.approx(1)
    assert frame @ axis == pytest.approx([0, 0, np.linalg.norm(axis)], abs=1e-12)
    ring = ring_about(axis, 7)
    assert ring @ axis == pytest.approx(np.zeros(7), abs=1e-12) and ring.sum(axis=0) == pytest.approx(np.zeros(3), abs=1e-9)
    assert np.cross(ring[0], ring[1]) @ axis > 0
    about = np.cross(rotation_about(2, 30.0) @ [1.0, 0, 0], [1.0, 0, 0])
    assert about == pytest.approx([0, 0, -0.5])
