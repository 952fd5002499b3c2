"""Taking models in: packages of several, zips, units, and files that lie."""

from __future__ import annotations

import ctypes
import gc
import io
import locale
import struct
import zipfile
from pathlib import Path

import lib3mf
import numpy as np
import pytest
import trimesh

from conftest import as_mesh, zipped
from wideberth.core.errors import BadModel, Cancelled
from wideberth.core.handover import save_job
from wideberth.core.job import advised_mends, job_of, open_job, taken_in
from wideberth.core.model import Mesh, binary_stl, examine, guess_unit, parse_model, parse_models, read_models
from wideberth.core.model import package as packages
from wideberth.core.model.threemf import written_3mf
from wideberth.core.predict import Stages
from wideberth.core.progress import Progress

BALL = trimesh.creation.icosphere(2, 10)
BOX = trimesh.creation.box((4, 5, 6))


def package_of(build) -> bytes:  # type: ignore[no-untyped-def]
    """A 3MF package made by the format's own library."""
    wrapper = lib3mf.get_wrapper()
    model = wrapper.CreateModel()
    build(wrapper, model)
    return bytes(model.QueryWriter("3mf").WriteToBuffer())


def put(model, mesh: trimesh.Trimesh, name: str):  # type: ignore[no-untyped-def]
    """A mesh object in a package."""
    item = model.AddMeshObject()
    item.SetName(name)
    points = np.ascontiguousarray(mesh.vertices, np.float32)
    faces = np.ascontiguousarray(mesh.faces, np.uint32)
    item.SetGeometry(
        (lib3mf.Position * len(points)).from_buffer_copy(points.tobytes()),
        (lib3mf.Triangle * len(faces)).from_buffer_copy(faces.tobytes()),
    )
    return item


def shift(wrapper, x: float, size: float = 1.0):  # type: ignore[no-untyped-def]
    place = wrapper.GetIdentityTransform()
    for axis in range(3):
        place.Fields[axis][axis] = size
    place.Fields[3][0] = x
    return place


def test_packages_read_and_written_again_take_no_other_table_of_the_format_s_calls() -> None:
    """Each table takes 0.7 MB, and stays until all garbage is looked through."""
    given = package_of(lambda wrapper, model: model.AddBuildItem(put(model, BALL, "ball"), shift(wrapper, 0.0)))

    def tables() -> int:
        (ball,) = parse_models("kit", ".3mf", given)
        written_3mf([("ball", ball.mesh, "model")], {}, (0.0, 0.0))
        return sum(isinstance(one, ctypes.CDLL) and "3mf" in str(one._name) for one in gc.get_objects())

    gc.collect()  # other tests' tables, and the one that made the package
    gc.disable()
    try:
        assert tables() == tables() == tables()
    finally:
        gc.enable()


def test_each_build_item_of_a_package_is_a_part_with_its_transform_unit_and_colour() -> None:
    def build(wrapper, model) -> None:  # type: ignore[no-untyped-def]
        model.SetUnit(lib3mf.ModelUnit.CentiMeter)
        box, ball = put(model, BOX, "box"), put(model, BALL, "ball")
        colours = model.AddColorGroup()
        red = colours.AddColor(wrapper.RGBAToColor(200, 30, 40, 255))
        box.SetObjectLevelProperty(colours.GetResourceID(), red)
        model.AddBuildItem(box, shift(wrapper, 3.0, 0.5))
        model.AddBuildItem(ball, shift(wrapper, 0.0))

    box, ball = parse_models("kit", ".3mf", package_of(build))
    assert (box.name, ball.name) == ("box", "ball")
    assert box.mesh.extents_mm == pytest.approx([20, 25, 30])  # half of 4, 5, 6 cm
    assert box.mesh.low[0] == pytest.approx(20.0)  # 3 cm less half of 2 cm
    assert box.colour == "#c81e28" and ball.colour == ""
    assert any("from cm to mm" in note for note in box.notes)
    assert box.file_key == ball.file_key and box != ball


def test_components_are_worked_in_and_mirrored_ones_stay_outside_out() -> None:
    def build(wrapper, model) -> None:  # type: ignore[no-untyped-def]
        box = put(model, BOX, "box")
        group = model.AddComponentsObject()
        group.SetName("pair")
        group.AddComponent(box, shift(wrapper, 10.0))
        mirrored = shift(wrapper, -10.0)
        mirrored.Fields[0][0] = -1.0
        group.AddComponent(box, mirrored)
        model.AddBuildItem(group, shift(wrapper, 0.0))

    (pair,) = parse_models("pair", ".3mf", package_of(build))
    assert pair.mesh.extents_mm[0] == pytest.approx(24.0)
    assert pair.mesh.volume_mm3 == pytest.approx(2 * 120.0)


def test_a_job_keeps_every_object_of_a_package_in_one_file(tmp_path: Path, bench) -> None:  # type: ignore[no-untyped-def]
    def build(wrapper, model) -> None:  # type: ignore[no-untyped-def]
        model.AddBuildItem(put(model, BOX, "box"), shift(wrapper, 0.0))
        model.AddBuildItem(put(model, BALL, "ball"), shift(wrapper, 0.0))

    parts = tuple(taken_in(s) for s in parse_models("kit", ".3mf", package_of(build)))
    job = job_of("Kit", bench, parts, linked=True)
    save_job(job, tmp_path / "kit.3mf", Stages())
    back = open_job(tmp_path / "kit.3mf")
    assert back.linked and [p.source.mesh for p in back.parts] == [p.source.mesh for p in parts]
    with zipfile.ZipFile(tmp_path / "kit.3mf") as saved:
        assert sum("/sources/" in n for n in saved.namelist()) == 1


def test_a_zip_gives_every_model_in_it_and_passes_over_the_rest() -> None:
    stl = binary_stl(as_mesh(BOX))
    data = zipped({"a/left.stl": stl, "right.STL": stl, "read me.txt": b"x", "__MACOSX/._left.stl": b"junk", ".hidden.stl": b"x"})
    found = parse_models("parts", ".zip", data)
    assert sorted(s.name for s in found) == ["left", "right"]
    with pytest.raises(BadModel, match="no model"):
        parse_models("parts", ".zip", zipped({"read me.txt": b"x"}))
    with pytest.raises(BadModel, match=r"b\.stl in parts\.zip.*too short"):
        parse_models("parts", ".zip", zipped({"a.stl": stl, "b.stl": b"x"}))


def test_a_zip_bomb_is_refused_before_it_unpacks(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(packages, "LARGEST_UNPACKED_BYTES", 3_000_000)
    bomb = zipped({"big.stl": b"\0" * 20_000_000})
    assert len(bomb) < 50_000
    for suffix in (".zip", ".3mf"):
        with pytest.raises(BadModel, match="unpack"):
            parse_models("bomb", suffix, bomb)


def test_a_bomb_whose_directory_lies_is_refused_too(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(packages, "LARGEST_UNPACKED_BYTES", 3_000_000)
    bomb = bytearray(zipped({"big.stl": b"\0" * 20_000_000}))
    at = bomb.rindex(b"PK\x01\x02")  # the directory's entry: say it holds 1,000 bytes
    bomb[at + 24 : at + 28] = struct.pack("<I", 1000)
    with pytest.raises(BadModel):
        parse_models("bomb", ".zip", bytes(bomb))


def test_a_3mf_with_a_broken_relation_or_model_is_refused() -> None:
    def build(wrapper, model) -> None:  # type: ignore[no-untyped-def]
        model.AddBuildItem(put(model, BOX, "box"), shift(wrapper, 0.0))

    whole = package_of(build)
    with zipfile.ZipFile(io.BytesIO(whole)) as package:
        files = {n: package.read(n) for n in package.namelist()}
    rels = {n: c.replace(b"3dmodel.model", b"nowhere.model") if n.endswith(".rels") else c for n, c in files.items()}
    model = {n: c[: len(c) // 2] if n.endswith(".model") else c for n, c in files.items()}
    none = {n: c for n, c in files.items() if not n.endswith(".model")}
    for broken in (rels, model, none, {"a.txt": b"nothing"}):
        with pytest.raises(BadModel, match=r"box\.3mf"):
            parse_models("box", ".3mf", zipped(broken))


@pytest.mark.parametrize("share", [0.02, 0.3, 0.6, 0.95])
@pytest.mark.parametrize("suffix", [".stl", ".obj", ".ply", ".3mf", ".zip"])
def test_a_file_cut_short_is_refused_or_told(suffix: str, share: float, tmp_path: Path) -> None:
    file = tmp_path / f"ball{suffix}"
    if suffix == ".zip":
        file.write_bytes(zipped({"ball.stl": binary_stl(as_mesh(BALL))}))
    else:
        BALL.export(file)
    data = file.read_bytes()
    cut = data[: int(share * len(data))]
    try:
        found = parse_model("ball", suffix, cut)
    except BadModel as error:
        assert "ball" in str(error)
    else:  # an OBJ without its last faces is still an OBJ: the health says that it is open
        assert suffix == ".obj" and not examine(found.mesh).solid


def test_an_ascii_stl_cut_short_is_refused() -> None:
    text = trimesh.exchange.stl.export_stl_ascii(BALL).encode()
    with pytest.raises(BadModel, match="endsolid"):
        parse_model("ball", ".stl", text[: len(text) // 2])


@pytest.mark.parametrize(
    ("faces", "points"),
    [([[0, 1, 1]], [[0, 0, 0], [1, 0, 0]]), ([[0, 0, 0]], [[1, 2, 3]]), ([[0, 1, 2]], [[0, 0, 0], [1, 1, 1], [2, 2, 2]])],
)
def test_one_corner_or_a_line_is_no_model(faces: list[list[int]], points: list[list[float]]) -> None:
    data = trimesh.Trimesh(points, faces, process=False).export(file_type="ply")
    try:
        mesh = parse_model("dot", ".ply", data).mesh
    except BadModel as error:
        assert "area" in str(error)
    else:  # three corners on a slanting line span a box, but the face is flat
        assert examine(mesh).flaw("flat_faces") is not None


def test_odd_names_folders_and_files_without_permission(tmp_path: Path) -> None:
    odd = tmp_path / "näme 船 with 'quotes' & <tags>\t.stl"
    odd.write_bytes(binary_stl(as_mesh(BOX)))
    assert read_models(odd)[0].name == odd.stem
    (tmp_path / "folder.stl").mkdir()
    with pytest.raises(BadModel, match="opened"):
        read_models(tmp_path / "folder.stl")


def test_reading_can_be_cancelled() -> None:
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        parse_models("ball", ".stl", binary_stl(as_mesh(BALL)), progress)


def test_progress_rises_and_ends() -> None:
    seen: list[float] = []
    parse_models("ball", ".stl", binary_stl(as_mesh(BALL)), Progress(lambda share, _: seen.append(share)))
    assert seen == sorted(seen) and seen[-1] == 1.0


# units


@pytest.mark.parametrize(
    ("longest", "unit"),
    [
        (2.0, "inches"),
        (0.06, "metres"),
        (60.0, None),
        (9.0, None),
        (400.0, None),
        (60000.0, "micrometres"),
        (1270.0, "mm taken for inches"),
    ],
)
def test_a_part_far_too_small_or_large_is_asked_about(longest: float, unit: str | None) -> None:
    mesh = as_mesh(trimesh.creation.box((longest, longest / 2, longest / 3)))
    guess = guess_unit(mesh, 200.0)
    assert (guess.readings[0][0] if guess else None) == unit
    if guess:
        assert f"{guess.readings[0][2]:.0f} mm" in guess.question


def test_a_model_that_is_inside_out_is_turned_and_the_recipe_says_so() -> None:
    flipped = Mesh(as_mesh(BALL).points, as_mesh(BALL).faces[:, ::-1].copy())
    source = parse_model("flipped", ".stl", binary_stl(flipped))
    part = taken_in(source)
    assert [m.kind for m in part.mends] == ["orient"]
    mesh, reports = Stages().mended(part)
    assert mesh.volume_mm3 == pytest.approx(BALL.volume, rel=1e-5)
    assert f"{len(BALL.faces):,} faces" in reports[0].what
    assert taken_in(parse_model("ball", ".stl", binary_stl(as_mesh(BALL)))).mends == ()


def test_advice_follows_what_is_wrong() -> None:
    ball = as_mesh(BALL)
    assert advised_mends(examine(ball)) == ()
    kinds = [m.kind for m in advised_mends(examine(Mesh(ball.points, ball.faces[4:])))]
    assert kinds == ["weld", "orient", "fill"]


def test_a_file_without_permission_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "box.stl"
    file.write_bytes(binary_stl(as_mesh(BOX)))

    def refuse(self: Path) -> bytes:
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr(Path, "read_bytes", refuse)
    with pytest.raises(BadModel, match=r"Permission denied"):
        read_models(file)


def test_a_package_with_much_attached_comes_back_and_leaves_the_locale_alone() -> None:
    """Every byte of what is attached, in any order; files by names that are no ASCII are read as before."""
    before, much = locale.setlocale(locale.LC_ALL), bytes(np.random.default_rng(1).integers(0, 256, 300_000, np.uint8))
    data = packages.packed_3mf(
        [("Böje", Mesh(BOX.vertices, BOX.faces.astype(np.int32)), "model")], {"extra/of.bin": much}, (5, 6)
    )
    (read,) = parse_models("b", ".3mf", data)
    assert zipfile.ZipFile(io.BytesIO(data)).read("extra/of.bin") == much
    assert read.mesh.extents_mm == pytest.approx([4, 5, 6]) and read.name == "Böje"
    assert locale.setlocale(locale.LC_ALL) == before
