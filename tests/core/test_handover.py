"""Plate, layers, report and sheets."""

import html
import io
import json
import zipfile
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PIL import Image
from pydantic import TypeAdapter, ValidationError

from conftest import ONE, as_mesh, as_source, moved
from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob, CannotWrite
from wideberth.core.handover import (
    FirstEdges,
    drawn_in_mm,
    headline,
    report,
    verdict_text,
    write_html,
    write_layers,
    write_pdf,
    write_plate,
)
from wideberth.core.handover.first_edges import drawn_in
from wideberth.core.handover.manifest import Manifest, schema
from wideberth.core.job import Part, job_of
from wideberth.core.model import read_model
from wideberth.core.orient import Pose
from wideberth.core.plan import CAUTIONS
from wideberth.core.predict import Prediction, Stages, fine, predict
from wideberth.core.propose import propose_support


@pytest.fixture(scope="module")
def small_bench(bench: Bench) -> Bench:
    """A small screen, so that whole layer images stay light."""
    changes = {
        "printer.plate_x_mm": 40.0,
        "printer.plate_y_mm": 30.0,
        "printer.pixels_x": 400,
        "printer.pixels_y": 300,
        "print.layer_height_mm": 0.1,
    }
    for key, value in changes.items():
        bench = bench.with_value(key, value)
    return bench


@pytest.fixture(scope="module")
def block(small_bench: Bench) -> tuple[Prediction, Stages]:
    """An L-shaped block 10 x 8 mm, turned so that left and right, up and down can be told apart."""
    ell = trimesh.util.concatenate([trimesh.creation.box((10, 3, 2)), moved(trimesh.creation.box((3, 8, 2)), -3.5, 2.5, 0)])
    job = job_of("L", small_bench, (Part("L", as_source(as_mesh(ell))),), [(5.0, -3.0)])
    stages = Stages()
    return predict(job, stages, fine()), stages


def images(path: Path) -> tuple[dict, list[np.ndarray]]:  # type: ignore[type-arg]
    with zipfile.ZipFile(path) as package:
        manifest = json.loads(package.read("manifest.json"))
        return manifest, [np.asarray(Image.open(io.BytesIO(package.read(k["file"])))) for k in manifest["layers"]]


def test_layers_have_the_printers_pixels_and_the_parts_area(block: tuple[Prediction, Stages], tmp_path: Path) -> None:
    prediction, _ = block
    write_layers(prediction, tmp_path / "layers.zip")
    manifest, shown = images(tmp_path / "layers.zip")
    assert len(shown) == manifest["layer_count"] == 20
    assert shown[5].shape == (300, 400)
    assert manifest["pixel_mm"] == [0.1, 0.1]
    assert shown[5].sum() * 0.01 == pytest.approx(10 * 3 + 3 * 5, rel=0.02)
    rows, columns = np.nonzero(shown[5])
    # x from the left, y from the bottom: the L's box is centred at (5, -3)
    assert 0.5 * (columns.min() + columns.max() + 1) * 0.1 - 20 == pytest.approx(5.0, abs=0.1)
    assert 15 - 0.5 * (rows.min() + rows.max() + 1) * 0.1 == pytest.approx(-3.0, abs=0.1)
    # its upright bar is at the left and points up, to smaller rows
    assert columns[rows == rows.min()].max() < columns.mean()


def test_grey_edges_keep_the_area_and_use_their_levels(
    block: tuple[Prediction, Stages], small_bench: Bench, tmp_path: Path
) -> None:
    disc = as_source(as_mesh(trimesh.creation.cylinder(4.03, 0.4, sections=256)))
    prediction = predict(job_of("Disc", small_bench, (Part("Disc", disc),)), Stages(), fine())
    for levels in (2, 4, 8, 16):
        path = tmp_path / f"{levels}.zip"
        write_layers(prediction, path, levels)
        _, shown = images(path)
        values = np.unique(shown[2])
        assert len(values) <= levels
        assert set(values.tolist()) <= {round(255 * i / (levels - 1)) for i in range(levels)}
        assert shown[2].max() == 255
        assert shown[2].sum() / 255 * 0.01 == pytest.approx(np.pi * 4.03**2, rel=0.01)
    assert len(np.unique(shown[2])) > 8


def test_levels_that_are_not_offered_are_refused(block: tuple[Prediction, Stages], tmp_path: Path) -> None:
    with pytest.raises(BadJob):
        write_layers(block[0], tmp_path / "x.zip", 5)


def test_what_reads_back_differently_is_refused(
    block: tuple[Prediction, Stages], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A stick that lies: the old file stays."""
    target = tmp_path / "layers.zip"
    target.write_bytes(b"old")
    real = zipfile.ZipFile.read
    monkeypatch.setattr(
        zipfile.ZipFile, "read", lambda self, name: b"other" if str(name).endswith("00007.png") else real(self, name)
    )
    with pytest.raises(CannotWrite, match="read back differently"):
        write_layers(block[0], target)
    assert target.read_bytes() == b"old"
    assert [p.name for p in tmp_path.iterdir()] == ["layers.zip"]


def test_manifest_times_add_up(block: tuple[Prediction, Stages], tmp_path: Path) -> None:
    write_layers(block[0], tmp_path / "layers.zip")
    manifest, _ = images(tmp_path / "layers.zip")
    assert sum(k["seconds"] for k in manifest["layers"]) == pytest.approx(manifest["total_seconds"], abs=0.2)
    assert [k["exposure_s"] for k in manifest["layers"][:5]] == [30.0] * 5
    assert manifest["layers"][-1]["z_mm"] == pytest.approx(2.0)


def test_plate_comes_out_as_stl_and_3mf(block: tuple[Prediction, Stages], tmp_path: Path) -> None:
    prediction, stages = block
    for name in ("plate.stl", "plate.3mf"):
        assert write_plate(prediction, tmp_path / name, stages) == []
        mesh = read_model(tmp_path / name).mesh
        assert mesh.extents_mm == pytest.approx([10, 8, 2], abs=1e-3)
    with pytest.raises(BadJob):
        write_plate(prediction, tmp_path / "plate.xyz", stages)


def test_supports_come_out_apart_from_the_part(small_bench: Bench, tmp_path: Path) -> None:
    """Both files together are what one file holds otherwise: the same volumes, each where it stood; in 3MF one object for
    each."""
    stages = Stages()
    part = Part("Ball", as_source(as_mesh(trimesh.creation.icosphere(4, 6))), pose=Pose(gap_mm=3.0))
    seen = predict(propose_support(job_of("Ball", small_bench, (part,)), ONE, stages).job, stages, fine())
    assert write_plate(seen, tmp_path / "plate.stl", stages, apart=True) == []
    assert write_plate(seen, tmp_path / "whole.stl", stages) == []
    assert {p.name for p in tmp_path.iterdir()} == {"plate.stl", "plate-supports.stl", "whole.stl"}
    ball, posts, whole = (read_model(tmp_path / f"{n}.stl").mesh for n in ("plate", "plate-supports", "whole"))
    assert ball.extents_mm == pytest.approx([12, 12, 12], abs=0.05) and ball.low[2] == pytest.approx(3.0, abs=1e-3)
    assert posts.low[2] == pytest.approx(0.0, abs=1e-3) and posts.high[2] < 10
    assert ball.volume_mm3 + posts.volume_mm3 == pytest.approx(whole.volume_mm3, rel=1e-6)


def test_report_is_plain_and_complete(small_bench: Bench) -> None:
    part = Part("Ball", as_source(as_mesh(trimesh.creation.icosphere(4, 6))), pose=Pose(gap_mm=3.0))
    stages = Stages()
    job = propose_support(job_of("Ball", small_bench, (part,)), ONE, stages).job
    found = report(predict(job, stages, fine()))
    text = json.dumps(found, allow_nan=False)
    assert json.loads(text) == found
    assert set(found) >= {"model", "bench", "layers", "islands", "cups", "traps", "tips", "totals", "findings"}
    layers = found["layers"]
    for name in (
        "area_mm2",
        "perimeter_mm",
        "squeeze_mm4",
        "components",
        "peel_n",
        "suction_n",
        "hold_margin",
        "plate_margin",
        "seconds",
    ):
        assert len(layers[name]) == layers["count"]
    assert layers["hold_margin"][0] is None
    assert found["totals"]["seconds"] == pytest.approx(sum(layers["seconds"]), abs=0.1)
    assert found["bench"]["resin.viscosity_pa_s"] == {"value": 0.2, "unit": "Pa·s", "source": "default"}
    assert all(t["why"] for t in found["tips"])


def test_no_price_is_null_and_never_zero(small_bench: Bench) -> None:
    unpriced = small_bench.with_value("resin.price_per_litre", None)
    part = Part("Box", as_source(as_mesh(trimesh.creation.box((4, 4, 4)))))
    prediction = predict(job_of("Box", unpriced, (part,)), Stages(), fine())
    assert report(prediction)["totals"]["price"] is None
    assert any(f.value == "not priced" for f in headline(prediction))


def test_sheets_carry_numbers_and_cautions(block: tuple[Prediction, Stages], tmp_path: Path) -> None:
    prediction, _ = block
    write_html(prediction, tmp_path / "sheet.html")
    text = (tmp_path / "sheet.html").read_text(encoding="utf-8")
    for head in (c.head for c in CAUTIONS):
        assert head in text
    assert "safety data sheet" in text
    assert f"{prediction.verdict.totals.resin_ml:.1f} mL" in text
    assert text.count("data:image/png;base64,") == 4
    assert verdict_text(prediction) in html.unescape(text) and "print.lift_mm" not in text and "Slow lift" in text
    write_pdf(prediction, tmp_path / "sheet.pdf")
    assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF-")


def test_job_title_cannot_break_the_sheet(small_bench: Bench, tmp_path: Path) -> None:
    part = Part("<b>&", as_source(as_mesh(trimesh.creation.box((4, 4, 4)))))
    prediction = predict(job_of("<script>alert(1)</script>", small_bench, (part,)), Stages(), fine())
    write_html(prediction, tmp_path / "sheet.html")
    assert "<script>" not in (tmp_path / "sheet.html").read_text(encoding="utf-8")
    write_pdf(prediction, tmp_path / "sheet.pdf")
    assert (tmp_path / "sheet.pdf").stat().st_size > 5000


def test_the_schema_in_the_docs_is_that_of_what_is_written(block: tuple[Prediction, Stages], tmp_path: Path) -> None:
    """What the docs promise is kept by the package, and what breaks the promise is refused by it."""
    root = Path(__file__).parents[2]
    assert json.loads((root / "docs" / "layers.schema.json").read_text(encoding="utf-8")) == schema()
    write_layers(block[0], tmp_path / "layers.zip")
    entries, _ = images(tmp_path / "layers.zip")
    read = TypeAdapter(Manifest).validate_python(entries)
    assert read.layer_count == len(read.layers) and read.layers[-1].z_mm == pytest.approx(read.layer_count * read.layer_height_mm)
    assert sum(layer.seconds for layer in read.layers) == pytest.approx(read.total_seconds, abs=0.2)
    for harm in ({"version": 2}, {"layers": []}, {"more": 1}, {"layer_height_mm": 0}):
        with pytest.raises(ValidationError):
            TypeAdapter(Manifest).validate_python(entries | harm)


# first layers


@pytest.fixture(scope="module")
def on_plate(small_bench: Bench) -> Prediction:
    """A disc of 12 mm and a bar of 6 x 3 mm straight on the plate, first layers lit twenty times as long."""
    bench = small_bench.with_value("print.first_layers", 4).with_value("print.transition_layers", 3)
    bench = bench.with_value("print.first_exposure_s", 20 * bench.print.exposure_s).with_value("laws.edge_bleed_mm", 0.1)
    parts = [
        Part(name, as_source(as_mesh(solid)), pose=Pose(gap_mm=0.0))
        for name, solid in (("Disc", trimesh.creation.cylinder(6, 3, sections=256)), ("Bar", trimesh.creation.box((6, 3, 3))))
    ]
    return predict(job_of("On the plate", bench, tuple(parts), [(-8.0, 0.0), (8.0, 0.0)]), Stages(), fine())


@pytest.mark.parametrize("grey", [0, 8])
def test_first_layers_are_drawn_in_by_what_they_grow(on_plate: Prediction, tmp_path: Path, grey: int) -> None:
    """b ln 20 on each side: the disc's radius and the bar's sides are less by just that, to half a pixel; the layers above are
    as drawn."""
    bench = on_plate.job.bench
    grows = bench.laws.edge_bleed_mm * np.log(20)
    write_layers(on_plate, tmp_path / "layers.zip", grey, first_edges=FirstEdges.DRAWN_IN)
    manifest, drawn = images(tmp_path / "layers.zip")
    write_layers(on_plate, tmp_path / "plain.zip", grey)
    plain = images(tmp_path / "plain.zip")[1]
    assert manifest["first_edges"] == "drawn in" and 0.05 < grows < 1.0
    TypeAdapter(Manifest).validate_python(manifest)
    pixel, first = 0.1, np.asarray(drawn[0]) > 0
    disc, bar = first[:, :200].sum() * pixel**2, first[:, 200:]
    assert disc == pytest.approx(np.pi * (6 - grows) ** 2, abs=2 * np.pi * 6 * 0.5 * pixel)
    sides = [np.count_nonzero(bar.any(axis=a)) * pixel for a in (0, 1)]
    assert sides == pytest.approx([6 - 2 * grows, 3 - 2 * grows], abs=1.01 * pixel)
    if grey:
        light = np.asarray(drawn[0]) / 255.0 * pixel**2
        assert light[:, :200].sum() == pytest.approx(np.pi * (6 - grows) ** 2, rel=4e-3)
        assert light[:, 200:].sum() == pytest.approx((6 - 2 * grows) * (3 - 2 * grows), rel=1e-2)
    assert all((a == b).all() for a, b in zip(drawn[7:], plain[7:], strict=True))
    areas = [np.count_nonzero(image) for image in drawn[:8]]
    assert areas[:4] == [areas[0]] * 4 and (np.diff(areas[3:8]) >= 0).all() and areas[7] > areas[5] > areas[3]


@pytest.mark.parametrize("by_mm", [0.02, 0.07, 0.113, 0.31])
@pytest.mark.parametrize("turn_deg", [0.0, 11.0, 30.0, 45.0])
def test_grey_is_drawn_in_by_less_than_a_pixel(by_mm: float, turn_deg: float) -> None:
    """A turned bar of 9 x 4 on oblong pixels of 0.1 x 0.06: its covered shares, drawn in, cover what a bar does that is so much
    smaller."""
    high, wide, finer = 0.06, 0.1, 12
    y, x = np.meshgrid(
        (np.arange(240 * finer) + 0.5) * high / finer - 7.2, (np.arange(144 * finer) + 0.5) * wide / finer - 7.2, indexing="ij"
    )
    turn = np.radians(turn_deg)
    along, across = np.abs(x * np.cos(turn) + y * np.sin(turn) - 0.033), np.abs(y * np.cos(turn) - x * np.sin(turn) + 0.017)

    def covered(less: float) -> np.ndarray:  # type: ignore[type-arg]
        inside = (along < 4.5 - less) & (across < 2.0 - less)
        return inside.reshape(240, finer, 144, finer).mean(axis=(1, 3))

    light = drawn_in(np.round(covered(0.0) * 255).astype(np.uint8), by_mm, (high, wide), 16) / 255.0
    wanted = covered(by_mm)
    assert light.sum() * high * wide == pytest.approx((9 - 2 * by_mm) * (4 - 2 * by_mm), rel=3e-3)
    assert (np.abs(light - wanted) > 0.15).sum() <= 24  # six pixels a corner
    assert np.abs(light - wanted).mean() < 0.002


@pytest.mark.filterwarnings("error")
def test_what_is_drawn_in_more_than_it_is_wide_is_gone_and_what_lies_deep_stays() -> None:
    """Lines of a pixel and of two and a half, a single pixel, and a broad field, at 8 levels; nothing is divided by nothing."""
    lit = np.zeros((60, 90), np.uint8)
    lit[5, 10:80], lit[12, 40], lit[20:22, 10:80], lit[22, 10:80] = 255, 146, 255, 109
    lit[30:55, 10:80] = 255
    made = drawn_in(lit, 0.08, (0.05, 0.05), 8)
    assert made[:24].max() == 0 and (made[33:52, 13:77] == 255).all() and made.dtype == np.uint8
    assert made[30:55].sum() / 255 == pytest.approx((25 - 3.2) * (70 - 3.2), rel=0.01)
    assert drawn_in(np.zeros((5, 5), np.uint8), 0.08, (0.05, 0.05), 8).sum() == 0
    changed = np.argwhere(drawn_in(lit, 0.0, (0.05, 0.05), 8)[30:55] != lit[30:55])
    assert all(y in (0, 1, 23, 24) and (x < 13 or x > 76) for y, x in changed.tolist())  # at corners alone, which it rounds


def test_a_chamfer_takes_more_the_nearer_to_the_plate(on_plate: Prediction, tmp_path: Path) -> None:
    write_layers(on_plate, tmp_path / "layers.zip", first_edges=FirstEdges.CHAMFER)
    bench, (_, drawn) = on_plate.job.bench, images(tmp_path / "layers.zip")
    by = drawn_in_mm(bench, on_plate.loads.layers, 0.1, FirstEdges.CHAMFER)
    grows = drawn_in_mm(bench, on_plate.loads.layers, 0.1, FirstEdges.DRAWN_IN)
    assert (by - grows)[:5] == pytest.approx([0.35, 0.25, 0.15, 0.05, 0.0], abs=1e-9)  # 0.4 mm at 45°, at the layers' middles
    wide = [np.count_nonzero(image[:, 200:].any(axis=0)) * 0.1 for image in drawn[:8]]
    assert wide == pytest.approx(6 - 2 * by[:8], abs=0.101)


def test_supports_and_what_is_raised_stay_as_drawn(small_bench: Bench, tmp_path: Path) -> None:
    cube = Part("Cube", as_source(as_mesh(trimesh.creation.box((6, 6, 4)))), id=ONE, pose=Pose(gap_mm=4.0))
    stages = Stages()
    job = propose_support(job_of("Raised", small_bench, (cube,)), ONE, stages).job
    seen = predict(job, stages, fine())
    write_layers(seen, tmp_path / "plain.zip")
    write_layers(seen, tmp_path / "drawn.zip", first_edges=FirstEdges.CHAMFER)
    assert all((a == b).all() for a, b in zip(images(tmp_path / "plain.zip")[1], images(tmp_path / "drawn.zip")[1], strict=True))


def test_a_layer_that_was_not_drawn_in_is_found(on_plate: Prediction, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from wideberth.core.handover import layers

    monkeypatch.setattr(layers, "drawn_in", lambda lit, *_: lit)
    with pytest.raises(CannotWrite, match="layers 1, 2"):
        write_layers(on_plate, tmp_path / "layers.zip", first_edges=FirstEdges.DRAWN_IN)
    assert not (tmp_path / "layers.zip").exists()
