"""Whole jobs as the printer gets them, compared with sections of the exported plate by a second method."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from PIL import Image

from reference.raster import section_pixels
from wideberth.core.bench import Bench
from wideberth.core.handover import write_layers, write_plate
from wideberth.core.predict import Prediction, Stages

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
