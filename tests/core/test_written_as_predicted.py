"""What was written is compared with what was predicted: whatever goes wrong between them is refused, and names the layers."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import pyvista
import trimesh

from conftest import ONE, as_mesh, as_source, moved, placed_at
from wideberth.core.bench import Bench
from wideberth.core.errors import BadJob, CannotWrite
from wideberth.core.handover import layers as layers_out
from wideberth.core.handover import plate as plate_out
from wideberth.core.handover import write_layers, write_plate
from wideberth.core.handover.png import cropped
from wideberth.core.hollow import Shell
from wideberth.core.job import Part, job_of
from wideberth.core.model import Mesh
from wideberth.core.orient import Pose
from wideberth.core.predict import Prediction, Stages, fine, predict
from wideberth.core.propose import propose_support
from wideberth.core.support import Need, Route


@pytest.fixture(scope="module")
def small_bench(bench: Bench) -> Bench:
    changes = {"printer.plate_x_mm": 40.0, "printer.plate_y_mm": 30.0, "printer.pixels_x": 800, "printer.pixels_y": 600}
    for key, value in changes.items():
        bench = bench.with_value(key, value)
    return bench


@pytest.fixture(scope="module")
def cone(small_bench: Bench) -> tuple[Prediction, Stages]:
    """A cone of 240 layers with a post beside it that begins half way up; both are single meshes of one part."""
    body = trimesh.creation.cone(5.0, 12.0, sections=90)
    arm = moved(trimesh.creation.box((9, 1.0, 1.0)), 4.0, 0, 6.02)
    both = trimesh.boolean.union([body, arm], engine="manifold")
    part = Part("Cone", as_source(as_mesh(both)), pose=Pose())
    stages = Stages()
    return predict(job_of("Cone", small_bench, (part,), [(3.0, 2.0)]), stages, fine()), stages


Image = np.ndarray


def shifted(image: Image, layer: int) -> Image:
    return np.roll(image, 4, axis=1)


def mirrored(image: Image, layer: int) -> Image:
    return image[:, ::-1]


def upside_down(image: Image, layer: int) -> Image:
    return image[::-1]


def with_a_spot(image: Image, layer: int) -> Image:
    """A patch of light of 0.5 mm in the corner, in one layer."""
    image = image.copy()
    if layer == 130:
        image[5:15, 5:15] = True
    return image


def without_an_arm(image: Image, layer: int) -> Image:
    """The arm goes missing in two layers."""
    image = image.copy()
    if layer in (118, 119):
        image[:, 560:] = False
    return image


@pytest.mark.parametrize("harm", [shifted, mirrored, upside_down, with_a_spot, without_an_arm])
def test_layers_that_show_something_else_are_refused(
    cone: tuple[Prediction, Stages], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, harm: Callable[[Image, int], Image]
) -> None:
    real = layers_out.hard_layer

    def harmed(runs, k, *given):  # type: ignore[no-untyped-def]
        return cropped(harm(real(runs, k, *given).image[::-1], runs.grid.first_layer + k)[::-1])

    monkeypatch.setattr(layers_out, "hard_layer", harmed)
    target = tmp_path / "layers.zip"
    target.write_bytes(b"old")
    with pytest.raises(CannotWrite, match="layer") as refused:
        write_layers(cone[0], target)
    for name in {"with_a_spot": ["131"], "without_an_arm": ["119", "120"]}.get(harm.__name__, ["1, 2, 3"]):
        assert name in refused.value.what
    assert target.read_bytes() == b"old"
    assert [p.name for p in tmp_path.iterdir()] == ["layers.zip"]


def test_layers_that_repeat_after_a_hundred_are_refused(
    cone: tuple[Prediction, Stages], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = layers_out.pixel_grid

    def repeated(printer, finer, rows, layers, layer_mm):  # type: ignore[no-untyped-def]
        return real(printer, finer, rows, (0, layers[1] - layers[0]), layer_mm)

    monkeypatch.setattr(layers_out, "pixel_grid", repeated)
    with pytest.raises(CannotWrite, match=r"layers 101, 102, 103, .* and \d+ more"):
        write_layers(cone[0], tmp_path / "layers.zip")
    assert list(tmp_path.iterdir()) == []


def test_layers_are_not_cut_off_at_the_edge_of_the_plate(cone: tuple[Prediction, Stages], tmp_path: Path) -> None:
    job = cone[0].job
    over = placed_at(job, 15.0, 0.0)
    with pytest.raises(BadJob, match=r"Cone: reaches 1\.\d mm over the edge"):
        write_layers(predict(over, Stages(), fine()), tmp_path / "layers.zip")
    assert list(tmp_path.iterdir()) == []


def scaled_a_little(mesh: Mesh) -> Mesh:
    return Mesh(mesh.points * [1.0, 1.0, 1.02], mesh.faces)


def without_a_patch(mesh: Mesh) -> Mesh:
    """The arm's faces are gone."""
    far = mesh.points[mesh.faces][:, :, 0].min(axis=1) > 8.0
    return Mesh(mesh.points, mesh.faces[~far])


@pytest.mark.parametrize("kind", [".stl", ".3mf"])
@pytest.mark.parametrize("harm", [scaled_a_little, without_a_patch])
def test_plates_that_hold_something_else_are_refused(
    cone: tuple[Prediction, Stages], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, kind: str, harm: Callable[[Mesh], Mesh]
) -> None:
    prediction, stages = cone
    assert write_plate(prediction, tmp_path / f"good{kind}", stages) == []
    real = plate_out.plate_meshes

    def harmed(*given):  # type: ignore[no-untyped-def]
        meshes, notes = real(*given)
        return [(name, harm(mesh), what) for name, mesh, what in meshes], notes

    monkeypatch.setattr(plate_out, "plate_meshes", harmed)
    with pytest.raises(CannotWrite, match="predicted"):
        write_plate(prediction, tmp_path / f"bad{kind}", stages)
    assert [p.name for p in tmp_path.iterdir()] == [f"good{kind}"]


def test_a_file_that_is_cut_short_is_refused(
    cone: tuple[Prediction, Stages], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = plate_out.binary_stl
    monkeypatch.setattr(plate_out, "binary_stl", lambda mesh: real(mesh)[:-500])
    with pytest.raises(CannotWrite, match="read back"):
        write_plate(cone[0], tmp_path / "plate.stl", cone[1])


def test_zip_holds_what_its_manifest_lists(cone: tuple[Prediction, Stages], tmp_path: Path) -> None:
    write_layers(cone[0], tmp_path / "layers.zip")
    with zipfile.ZipFile(tmp_path / "layers.zip") as package:
        assert len(package.namelist()) == cone[0].loads.layers + 1


def test_foot_on_the_part_goes_no_deeper_than_a_tip(small_bench: Bench, tmp_path: Path) -> None:
    """A ledge over a steep slope: its posts stand on the slope. What of the supports lies in the part another library tells."""
    profile = [(-8.0, 0.0), (8.0, 0.0), (8.0, 3.0), (1.5, 11.0), (-8.0, 11.0)]
    slope = trimesh.convex.convex_hull(np.array([(x, y, z) for x, z in profile for y in (-6.0, 6.0)]))
    column, ledge = trimesh.creation.box((9.5, 12, 6)), trimesh.creation.box((17, 12, 2))
    body = trimesh.boolean.union([slope, moved(column, -3.25, 0, 13.5), moved(ledge, 0.5, 0, 17)], engine="manifold")
    stages = Stages()
    part = Part("Ledge", as_source(as_mesh(body)))
    job = propose_support(job_of("Ledge", small_bench, (part,)), ONE, stages).job
    ledge_x, on_slope = 4.0 - 0.5, 3.0 + (8.0 - 4.0) * 8.0 / 6.5  # around the part's own place; the slope under it
    way = Route((ledge_x, 0.0, 16.0), (ledge_x, 0.0, 14.5), (ledge_x, 0.0, 14.5), (ledge_x, 0.0, on_slope), on_plate=False)
    held = job.parts[0].supports.with_route(way, 0.5, Need())
    job = job.with_part(replace(job.parts[0], supports=held))
    assert any(not r.on_plate for r in job.parts[0].supports.routes.values())
    prediction = predict(job, stages, fine())
    told = next(f for f in prediction.verdict.findings if f.code == "foot_on_part")
    assert told.count == len({r.foot_mm for r in job.parts[0].supports.routes.values() if not r.on_plate})
    assert write_plate(prediction, tmp_path / "plate.3mf", stages) == []
    scene = trimesh.load_scene(tmp_path / "plate.3mf")
    supports = next(m for n, m in scene.geometry.items() if "supports" in n)
    model = next(m for n, m in scene.geometry.items() if "supports" not in n)
    spots = np.concatenate((supports.vertices, trimesh.sample.sample_surface(supports, 4000, seed=1)[0]))
    deep = -pyvista.PolyData(spots).compute_implicit_distance(pyvista.wrap(model))["implicit_distance"]  # below 0 inside
    assert deep.max() < job.bench.supports.contact_depth_mm + 0.1


@pytest.mark.parametrize("lift", [0.0, 0.06, 0.08])
def test_dome_that_ends_in_a_shallow_last_layer_is_not_refused(lift: float, small_bench: Bench, tmp_path: Path) -> None:
    """Exported shells are simplified by 0.02 mm, which moves the rim of a nearly level top by more than its outline."""
    dome = trimesh.creation.icosphere(5, 12)
    dome.vertices[:, 2] *= 0.6
    shell = Shell(2.0, 0.3)
    part = Part("Dome", as_source(as_mesh(dome)), shell=shell, pose=Pose(gap_mm=3.0 + lift))
    stages = Stages()
    seen = predict(job_of("Dome", small_bench.with_value("print.layer_height_mm", 0.1), (part,)), stages, fine())
    assert write_plate(seen, tmp_path / "plate.stl", stages) == []
