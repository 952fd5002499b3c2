"""Whole jobs as the printer gets them, compared with sections of the exported plate by a second method."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from PIL import Image

from conftest import ONE, as_mesh, as_source
from reference.raster import section_pixels
from wideberth.core.bench import Bench
from wideberth.core.handover import write_layers, write_plate
from wideberth.core.job import Part, job_of, open_job
from wideberth.core.orient import Pose
from wideberth.core.predict import Prediction, Stages, fine, predict
from wideberth.core.propose import propose_support
from wideberth.demo import job_path

Manifest = dict[str, Any]


def screen(bench: Bench, side_x: float, side_y: float, pixel: float, layer: float) -> Bench:
    """A bench with a small screen of square pixels; odd and even counts of rows both occur."""
    for key, value in {
        "printer.plate_x_mm": round(side_x / pixel) * pixel,
        "printer.plate_y_mm": round(side_y / pixel) * pixel,
        "printer.pixels_x": round(side_x / pixel),
        "printer.pixels_y": round(side_y / pixel),
        "print.layer_height_mm": layer,
    }.items():
        bench = bench.with_value(key, value)
    return bench


def written(prediction: Prediction, stages: Stages, folder: Path, grey: int) -> tuple[Manifest, zipfile.ZipFile, trimesh.Trimesh]:
    write_layers(prediction, folder / "layers.zip", grey)
    write_plate(prediction, folder / "plate.stl", stages)
    package = zipfile.ZipFile(folder / "layers.zip")
    return json.loads(package.read("manifest.json")), package, trimesh.load(folder / "plate.stl", process=False)


def compared(
    manifest: Manifest, package: zipfile.ZipFile, plate: trimesh.Trimesh, every: int
) -> Iterator[tuple[int, np.ndarray, np.ndarray]]:
    """Layer, its image as shares of light with row 0 at the lowest y, and the same by plane sections: at pixel centres for hard
    edges, by 4 x 4 spots a pixel for grey ones."""
    (nx, ny), (px, py), t = manifest["pixels"], manifest["pixel_mm"], manifest["layer_height_mm"]
    n = 1 if manifest["grey_levels"] == 2 else 4
    x, y = (np.arange(n * nx) + 0.5 - n * nx / 2) * px / n, (np.arange(n * ny) + 0.5 - n * ny / 2) * py / n
    count = manifest["layer_count"]
    chosen = sorted({*range(0, count, every), 99, 100, 101, 200, count - 2, count - 1} & set(range(count)))
    for k in chosen:
        with Image.open(io.BytesIO(package.read(manifest["layers"][k]["file"]))) as shown:
            image = np.asarray(shown.convert("L"), np.float64)[::-1] / 255
        spots = section_pixels(plate, (k + 0.5) * t, x, y)
        yield k, image, spots.reshape(ny, n, nx, n).mean(axis=(1, 3))


def assert_same(manifest: Manifest, package: zipfile.ZipFile, plate: trimesh.Trimesh, every: int) -> None:
    """Every chosen layer shows the section of its own height, aligned within a quarter of a pixel all in all."""
    shifts, areas = [], []
    for k, shown, by_sections in compared(manifest, package, plate, every):
        here, there = float(shown.sum()), float(by_sections.sum())
        border = np.abs(np.diff(by_sections, axis=0)).sum() + np.abs(np.diff(by_sections, axis=1)).sum()
        assert abs(here - there) <= 2 + 0.1 * border, k
        assert np.abs(shown - by_sections).sum() <= 2 + 0.15 * border, k
        if there > 400:
            for axis in (0, 1):
                at = np.arange(shown.shape[1 - axis])
                shifts.append(((shown.sum(axis=axis) * at).sum() / here - (by_sections.sum(axis=axis) * at).sum() / there, axis))
        areas.append(there)
    assert len(set(areas)) > 2 or manifest["layer_count"] < 10
    for axis in (0, 1):
        assert abs(np.mean([s for s, a in shifts if a == axis])) < 0.25
        assert np.abs([s for s, a in shifts if a == axis]).max() < 0.5


@pytest.mark.parametrize(("layers", "layer", "grey"), [(5, 0.05, 0), (400, 0.05, 0), (400, 0.02, 8), (5, 0.02, 4)])
def test_cone_is_written_as_it_stands(bench: Bench, tmp_path: Path, layers: int, layer: float, grey: int) -> None:
    """A slanting elliptic cone off the plate's middle: no two layers are alike, and left, right, up and down differ."""
    cone = trimesh.creation.cone(6.0, layers * layer, sections=90)
    cone.vertices = cone.vertices @ np.array([[1, 0, 0], [0, 0.6, 0], [0.3, 0.1, 1]])
    part = Part("Cone", as_source(as_mesh(cone)), pose=Pose())
    stages = Stages()
    prediction = predict(job_of("Cone", screen(bench, 24.05, 20.05, 0.05, layer), (part,), [(2.63, -3.41)]), stages, fine())
    manifest, package, plate = written(prediction, stages, tmp_path, grey)
    assert manifest["layer_count"] == layers
    assert_same(manifest, package, plate, max(1, layers // 16))


@pytest.mark.parametrize(("grey", "pixel", "turn"), [(0, 0.08, 30.0), (16, 0.05, 75.0)])
def test_turned_scan_on_supports_is_written_as_it_stands(
    bench: Bench, tmp_path: Path, grey: int, pixel: float, turn: float
) -> None:
    """A scan that a package ships, turned and on tips: hundreds of layers with separate pieces."""
    import pyvista

    scan = pyvista.examples.load_ant()
    faces = scan.faces.reshape(-1, 4)[:, 1:]
    mesh = trimesh.Trimesh(scan.points, faces).apply_scale(28.0 / np.ptp(scan.points, axis=0).max())
    rotation = trimesh.transformations.rotation_matrix(np.radians(turn), (0.3, 1.0, 0.2))
    mesh.apply_transform(rotation)
    part = Part("Ant", as_source(as_mesh(mesh)), pose=Pose(gap_mm=4.0))
    stages = Stages()
    job = propose_support(job_of("Ant", screen(bench, 52, 50, pixel, 0.05), (part,), [(-1.87, 2.21)]), ONE, stages).job
    prediction = predict(job, stages, fine())
    manifest, package, plate = written(prediction, stages, tmp_path, grey)
    assert manifest["layer_count"] > 300
    assert_same(manifest, package, plate, 41)


def test_demo_job_is_written_as_it_stands(tmp_path: Path) -> None:
    """Shell, drain holes, lattice and supports, on the bench's own screen."""
    stages = Stages()
    job = open_job(job_path())
    coarse = {"printer.pixels_x": 500, "printer.pixels_y": 301, "print.layer_height_mm": 0.1}
    for key, value in coarse.items():
        job = replace(job, bench=job.bench.with_value(key, value))
    prediction = predict(job, stages, fine())
    manifest, package, plate = written(prediction, stages, tmp_path, 0)
    assert manifest["layer_count"] > 400
    assert_same(manifest, package, plate, 290)
