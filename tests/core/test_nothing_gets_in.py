"""Files that mean harm, or were only badly made: each is refused in one sentence, or read, and never takes all memory or time."""

from __future__ import annotations

import json
import re
import zipfile
from dataclasses import replace
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

from conftest import as_mesh, as_source, placed_at, zipped
from reference.further import further
from wideberth.core import unexpected
from wideberth.core.bench import Bench, load_bench
from wideberth.core.drain import Hole
from wideberth.core.errors import BadBench, BadJob, BadModel
from wideberth.core.handover import save_job
from wideberth.core.job import Part, Rescue, job_of, open_job, resized
from wideberth.core.model import Mend, binary_stl, parse_models
from wideberth.core.predict import Stages
from wideberth.core.split import Cut

BOX = binary_stl(as_mesh(trimesh.creation.box((5, 6, 7))))


def test_members_of_a_zip_are_read_whatever_their_paths_look_like() -> None:
    data = zipped({"./a.stl": BOX, "_b.stl": BOX, "in/../c.stl": BOX, "__MACOSX/._a.stl": b"x", ".d.stl": BOX})
    assert [s.name for s in parse_models("kit", ".zip", data)] == ["a", "_b", "c"]


def test_a_zip_of_zeros_is_refused_before_it_is_unpacked() -> None:
    with pytest.raises(BadModel, match="times its size"):
        parse_models("zeros", ".zip", zipped({"a.stl": bytes(120_000_000)}))


def test_an_obj_of_very_many_groups_is_one_mesh() -> None:
    ball = trimesh.creation.icosphere(5, 10)
    lines = [f"v {x:.4f} {y:.4f} {z:.4f}" for x, y, z in ball.vertices]
    for number, (a, b, c) in enumerate(ball.faces + 1):
        lines += [f"g group {number}", f"usemtl paint{number}", f"f {a} {b} {c}"]
    (source,) = parse_models("ball", ".obj", "\n".join(lines).encode())
    assert source.mesh.triangles == len(ball.faces) and source.mesh.watertight


def nested_3mf(levels: int, each: int) -> bytes:
    """A package whose objects hold the one before so many times."""
    corners = "".join(f'<vertex x="{x}" y="{y}" z="{z}"/>' for x, y, z in ((0, 0, 0), (9, 0, 0), (0, 9, 0), (0, 0, 9)))
    faces = "".join(f'<triangle v1="{a}" v2="{b}" v3="{c}"/>' for a, b, c in ((0, 2, 1), (0, 1, 3), (1, 2, 3), (2, 0, 3)))
    objects = [f'<object id="1" type="model"><mesh><vertices>{corners}</vertices><triangles>{faces}</triangles></mesh></object>']
    for level in range(2, levels + 2):
        held = f'<component objectid="{level - 1}"/>' * each
        objects.append(f'<object id="{level}" type="model"><components>{held}</components></object>')
    model = (
        '<?xml version="1.0" encoding="UTF-8"?><model unit="millimeter" '
        'xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources>'
        f'{"".join(objects)}</resources><build><item objectid="{levels + 1}"/></build></model>'
    )
    types = (
        '<?xml version="1.0" encoding="UTF-8"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
        '<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>'
    )
    rels = (
        '<?xml version="1.0" encoding="UTF-8"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">'
        '<Relationship Target="/3D/3dmodel.model" Id="rel0" '
        'Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>'
    )
    named = (("[Content_Types].xml", types), ("_rels/.rels", rels), ("3D/3dmodel.model", model))
    return zipped({name: text.encode() for name, text in named})


def test_components_in_components_are_gathered_and_those_without_end_are_refused() -> None:
    (source,) = parse_models("few", ".3mf", nested_3mf(3, 4))
    assert source.mesh.volume_mm3 == pytest.approx(4**3 * 9**3 / 6)
    with pytest.raises(BadModel, match="components"):
        parse_models("very many", ".3mf", nested_3mf(15, 20))


@pytest.mark.parametrize("name", [b"caf\xe9", b"\xff\xfe", b"\xed\xa0\x80"], ids=["latin", "no text", "surrogate"])
def test_a_3mf_that_names_an_object_in_no_text_opens_under_its_file_s_name(name: bytes) -> None:
    usual = zipfile.ZipFile(BytesIO(trimesh.creation.box((4, 4, 4)).export(file_type="3mf")))
    odd = {m: re.sub(rb'(<object [^>]*?name=")[^"]*', lambda of: of.group(1) + name, usual.read(m)) for m in usual.namelist()}
    assert name in odd["3D/3dmodel.model"]
    (source,) = parse_models("berth", ".3mf", zipped(odd))
    assert source.name == "berth" and source.mesh.volume_mm3 == pytest.approx(64)


@pytest.mark.parametrize("seed", [0, 4, *further([1, 2, 3, 5])])
def test_whatever_is_torn_out_of_a_solid_filling_comes_to_an_end(seed: int) -> None:
    """Half a cube, and solids with faces taken away at random: rims that overlap themselves in any plane."""
    chance = np.random.default_rng(seed)
    solid = [trimesh.creation.box((10, 10, 10)), trimesh.creation.icosphere(3, 8), trimesh.creation.torus(10, 3)][seed % 3]
    kept = np.arange(len(solid.faces)) < 6 if seed == 0 else chance.random(len(solid.faces)) < chance.uniform(0.3, 0.9)
    torn = trimesh.Trimesh(solid.vertices, solid.faces[kept], process=False)
    part = replace(Part("Torn", as_source(as_mesh(torn))), mends=(Mend("weld"), Mend("orient"), Mend("fill")))
    mended, reports = Stages().mended(part)
    assert len(reports) == 3 and mended.triangles >= kept.sum()


def test_a_rim_that_crosses_itself_everywhere_takes_little_memory() -> None:
    """A band whose upper rim runs 401 times round, 3,000 edges long: every edge crosses hundreds of others."""
    n = 3000
    turn = np.linspace(0, 2 * np.pi, n, endpoint=False)
    reach = 10 + 5 * (np.arange(n) % 2)
    top = np.column_stack((reach * np.cos(401 * turn), reach * np.sin(401 * turn), np.full(n, 10.0)))
    low = np.column_stack((reach * np.cos(turn), reach * np.sin(turn), np.zeros(n)))
    i, j = np.arange(n), (np.arange(n) + 1) % n
    band = trimesh.Trimesh(np.vstack((low, top)), np.vstack((np.column_stack((i, j, n + i)), np.column_stack((j, n + j, n + i)))),
                           process=False)  # fmt: skip
    _, reports = Stages().mended(replace(Part("Band", as_source(as_mesh(band))), mends=(Mend("weld"), Mend("fill"))))
    assert "2 holes" in reports[1].text


@pytest.fixture(scope="module")
def saved(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    """Members of a job file with a hollow part on supports."""
    from wideberth.core.hollow import Shell

    ball = as_source(as_mesh(trimesh.creation.icosphere(2, 12)))
    path = tmp_path_factory.mktemp("saved") / "ball.3mf"
    save_job(job_of("Ball", load_bench(), (Part("Ball", ball, shell=Shell(2.0)),)), path, Stages())
    with zipfile.ZipFile(path) as package:
        return {name: package.read(name) for name in package.namelist()}


def reopened(saved: dict[str, bytes], folder: Path, recipe: Any, bench: bytes | None = None) -> Any:
    path = folder / "changed.3mf"
    members = dict(saved)
    members["WideBerth/recipe.json"] = recipe if isinstance(recipe, bytes) else json.dumps(recipe).encode()
    if bench is not None:
        members["WideBerth/bench.toml"] = bench
    path.write_bytes(zipped(members))
    return open_job(path)


def changed(saved: dict[str, bytes], change: Any) -> Any:
    recipe = json.loads(saved["WideBerth/recipe.json"])
    change(recipe, recipe["present"]["parts"][0])
    return recipe


@pytest.mark.parametrize(
    "change",
    [
        lambda r, p: r.update(version=None),
        lambda r, p: r.update(version="2"),
        lambda r, p: r.pop("version"),
        lambda r, p: p.update(scale=float("nan")),
        lambda r, p: p.update(scale=1e308),
        lambda r, p: p.update(scale=0.0),
        lambda r, p: p.update(stretch=[1.0, 1e-9, 1.0]),
        lambda r, p: p.update(holes=[{"x_mm": 0, "y_mm": 0, "z_mm": -12, "diameter_mm": 1e9}]),
        lambda r, p: p.update(holes=[{"x_mm": float("inf"), "y_mm": 0, "z_mm": -12, "diameter_mm": 2}]),
        lambda r, p: p["shell"].update(wall_mm=-1e300),
        lambda r, p: p["pose"].update(turn=[2.0, 0, 0, 0, 1, 0, 0, 0, 1]),
        lambda r, p: p["pose"].update(turn=[float("nan")] * 9),
        lambda r, p: p.update(marks=[{"id": "m", "kind": "hidden", "stretches": [[0, 10**12]]}]),
        lambda r, p: r["present"]["plates"][0]["placements"][0].update(x_mm=1e18),
        lambda r, p: r["present"].update(parts="all of them"),
        lambda r, p: r.update(present=[]),
        lambda r, p: p.update(source="../../../etc/passwd"),
        lambda r, p: p.update(source_item=10**9),
        lambda r, p: p.update(source_item=-1),
    ],
)
def test_values_that_cannot_be_meant_are_refused_by_name(saved: dict[str, bytes], tmp_path: Path, change: Any) -> None:
    with pytest.raises((BadJob, BadModel)):
        reopened(saved, tmp_path, changed(saved, change))


@pytest.mark.parametrize(("scale", "stretch"), [(1e4, (1.0, 1.0, 1.0)), (1e-3, (1e6, 1.0, 1.0)), (1e-4, (1.0, 1.0, 1.0))])
def test_whatever_size_the_program_gives_a_part_it_opens_again(
    scale: float, stretch: tuple[float, float, float], bench: Bench, tmp_path: Path
) -> None:
    """A part cut far out, holed and placed where its size puts it; only its recipe is kept, as when it is rescued."""
    ball = as_source(as_mesh(trimesh.creation.icosphere(1, 12)))
    part = Part("Ball", ball, cuts=(Cut((1.0, 0.0, 0.0), 3.0, 1),), holes=(Hole(0.0, 9.0, -6.0, 3.0),))
    part = resized(part, scale, stretch, False)
    job = placed_at(job_of("Ball", bench, (part,)), 13.0 * float(part.factors[0]), 0.0)
    rescue = Rescue(tmp_path)
    assert rescue.keep(job, None)
    assert open_job(rescue._folder / "work.3mf").parts == job.parts
    rescue.end()


def test_nesting_without_end_and_names_of_any_kind(saved: dict[str, bytes], tmp_path: Path) -> None:
    with pytest.raises(BadJob):
        reopened(saved, tmp_path, b"[" * 200_000 + b"]" * 200_000)

    def named(recipe: Any, part: Any) -> None:
        recipe["title"], part["name"] = "Gull\x00\n\x1b[31m" + "x" * 5000, "<b>Ball</b>\r\n"

    job = reopened(saved, tmp_path, changed(saved, named))
    assert job.title.startswith("Gull [31mx") and len(job.title) == 80 and job.parts[0].name == "<b>Ball</b>"


def test_a_job_s_bench_reads_no_files_by_path(saved: dict[str, bytes], tmp_path: Path) -> None:
    secret = tmp_path / "secret.toml"
    secret.write_text("password = 'herring'\n")
    for name in (str(secret), "../../secret", "..", "a/b"):
        with pytest.raises(BadBench) as refused:
            reopened(saved, tmp_path, saved["WideBerth/recipe.json"], f"[resin]\nuse = {json.dumps(name)}\n".encode())
        assert "path" in refused.value.text and "herring" not in refused.value.text


def test_a_stored_file_s_ending_picks_no_other_reader() -> None:
    for suffix in (".gltf", ".svg", ".json", "", ".py"):
        with pytest.raises(BadModel, match="no mesh format"):
            parse_models("x", suffix, b"{}")


def test_what_should_not_have_happened_is_one_sentence_and_a_note(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(unexpected, "log_path", lambda: tmp_path / "deep" / "unexpected.log")
    try:
        _ = [][1]
    except IndexError as error:
        sentence = unexpected.told(error)
    assert "IndexError" in sentence and "\n" not in sentence and str(tmp_path) in sentence
    assert "test_nothing_gets_in.py" in (tmp_path / "deep" / "unexpected.log").read_text()
    (tmp_path / "file").write_text("")
    monkeypatch.setattr(unexpected, "log_path", lambda: tmp_path / "file" / "unexpected.log")
    assert "MemoryError" not in unexpected.told(MemoryError()) and "memory" in unexpected.told(MemoryError())


@pytest.mark.parametrize("size", [(0.04, 0.04, 0.04), (10, 10, 0.01), (0.01, 0.01, 10)])
def test_specks_leaves_and_needles_are_predicted(size: tuple[float, float, float], bench: Bench) -> None:
    from wideberth.core.predict import fine, look_closer, predict

    job = job_of("Speck", bench, (Part("Speck", as_source(as_mesh(trimesh.creation.box(size)))),))
    stages = Stages()
    assert look_closer(predict(job, stages, fine()), stages).verdict.totals.seconds > 0
