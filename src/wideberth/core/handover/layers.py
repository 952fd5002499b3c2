"""Layers out: a zip of PNGs at the printer's pixel grid with a manifest, read back and compared after writing."""

from __future__ import annotations

import io
import json
import os
import tempfile
import zipfile
import zlib
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from wideberth.core.bench import Bench, Printer, exposure_of_layer
from wideberth.core.errors import BadJob, CannotWrite
from wideberth.core.job import Prediction, Stages, put_together
from wideberth.core.layers import Grid, Runs
from wideberth.core.progress import Progress, quiet

FORMAT = "wide-berth layers"
VERSION = 1
SLAB = 100
FINER_ROWS = 4
GREY_LEVELS = (2, 4, 8, 16)


def pixel_columns(x0: NDArray[np.float64], x1: NDArray[np.float64], printer: Printer) -> tuple[
    NDArray[np.int64], NDArray[np.int64]
]:  # fmt: skip
    """First and beyond-last pixel column whose centre lies in each run, clipped to the screen."""
    left, px = -printer.plate_x_mm / 2, printer.pixel_x_mm
    first = np.ceil((x0 - left) / px - 0.5).astype(np.int64)
    beyond = np.ceil((x1 - left) / px - 0.5).astype(np.int64)
    return np.clip(first, 0, printer.pixels_x), np.clip(beyond, 0, printer.pixels_x)


def hard_layer(runs: Runs, layer: int, first_row: int, printer: Printer) -> NDArray[np.bool_]:
    """One layer as lit pixels, (pixels_y, pixels_x). Row 0 is the edge at y = -plate/2.

    `first_row` is the pixel row of the runs' row 0.
    """
    image = np.zeros((printer.pixels_y, printer.pixels_x + 1), np.int8)
    lo, hi = runs.offsets[layer * runs.grid.rows], runs.offsets[(layer + 1) * runs.grid.rows]
    row = _rows_of(runs, layer) + first_row
    first, beyond = pixel_columns(runs.x0[lo:hi], runs.x1[lo:hi], printer)
    on = (row >= 0) & (row < printer.pixels_y) & (beyond > first)
    np.add.at(image, (row[on], first[on]), 1)
    np.add.at(image, (row[on], beyond[on]), -1)
    return np.cumsum(image, axis=1, dtype=np.int8)[:, :-1] > 0


def grey_layer(runs: Runs, layer: int, first_row: int, printer: Printer, levels: int) -> NDArray[np.uint8]:
    """One layer as covered shares of pixels in `levels` steps of grey; the runs have `FINER_ROWS` rows a pixel."""
    width = printer.pixels_x
    image = np.zeros((printer.pixels_y, width + 1), np.float32)
    ramp = np.zeros((printer.pixels_y, width + 1), np.float32)
    lo, hi = runs.offsets[layer * runs.grid.rows], runs.offsets[(layer + 1) * runs.grid.rows]
    row = (_rows_of(runs, layer) + first_row * FINER_ROWS) // FINER_ROWS
    left, px = -printer.plate_x_mm / 2, printer.pixel_x_mm
    for sign, ends in ((1.0, runs.x0[lo:hi]), (-1.0, runs.x1[lo:hi])):
        at = np.clip((ends - left) / px, 0, width - 1e-6)
        column = np.floor(at).astype(np.int64)
        on = (row >= 0) & (row < printer.pixels_y)
        np.add.at(image, (row[on], column[on]), sign * (1 - (at - column))[on])
        np.add.at(ramp, (row[on], column[on] + 1), sign * (at - column)[on])
    covered = np.cumsum(image + ramp, axis=1)[:, :-1] / FINER_ROWS
    steps = np.floor(np.clip(covered, 0, 1) * (levels - 1) + 0.5)
    return np.rint(steps * 255 / (levels - 1)).astype(np.uint8)


def _rows_of(runs: Runs, layer: int) -> NDArray[np.int64]:
    per_row = np.diff(runs.offsets[layer * runs.grid.rows : (layer + 1) * runs.grid.rows + 1])
    return np.repeat(np.arange(runs.grid.rows), per_row)


def write_layers(prediction: Prediction, path: Path, grey_levels: int = 0, progress: Progress | None = None) -> None:
    """Write all layers of a plate.

    Parameters
    ----------
    prediction : fine prediction whose solids are exported. path : of the zip.
    grey_levels : 0 for hard edges, or 2, 4, 8 or 16 steps of grey along them.

    Raises
    ------
    BadJob : for other numbers of levels. CannotWrite : when the zip cannot be written, or reads back differently.
    """
    if grey_levels and grey_levels not in GREY_LEVELS:
        raise BadJob(f"{grey_levels} levels of grey are not offered.", remedy=f"Use 0 or one of {GREY_LEVELS}.")
    progress = progress or quiet()
    temporary = ""
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent or Path("."))
        os.close(handle)
        sums = _write_zip(prediction, Path(temporary), grey_levels, progress.part(0, 0.9))
        progress.at(0.9, "reading back")
        _compare(Path(temporary), sums, path)
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
        temporary = ""
        progress.at(1.0, "written and compared")
    except OSError as error:
        raise CannotWrite(
            f"cannot be written ({error.strerror or error}).", where=str(path), kept="What stood there before is untouched.",
            remedy="Choose another folder or make room.",
        ) from error  # fmt: skip
    finally:
        if temporary and os.path.exists(temporary):
            os.unlink(temporary)


def _write_zip(prediction: Prediction, path: Path, grey_levels: int, progress: Progress) -> dict[str, int]:
    """Write the zip and return the checksum of each of its files."""
    printer, bench = prediction.job.bench.printer, prediction.job.bench
    count = prediction.printed.all.grid.layers
    sums: dict[str, int] = {}
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as package:

        def put(name: str, content: bytes) -> None:
            sums[name] = zlib.crc32(content)
            package.writestr(name, content)

        for begin in range(0, count, SLAB):
            end = min(count, begin + SLAB)
            runs, first_row = _slab(prediction, begin, end, FINER_ROWS if grey_levels else 1)
            for layer in range(begin, end):
                progress.at(layer / count, f"layer {layer + 1} of {count}")
                put(f"layers/{layer:05d}.png", _png(runs, layer - begin, first_row, printer, grey_levels))
        text = json.dumps(manifest(bench, prediction, grey_levels), ensure_ascii=False, indent=1)
        put("manifest.json", text.encode())
    return sums


def _png(runs: Runs, layer: int, first_row: int, printer: Printer, grey_levels: int) -> bytes:
    """One layer as a PNG; its top row is the plate's edge at y = +plate/2."""
    out = io.BytesIO()
    if grey_levels:
        grey = grey_layer(runs, layer, first_row, printer, grey_levels)[::-1]
        Image.fromarray(np.ascontiguousarray(grey)).save(out, "PNG", compress_level=2)
    else:
        lit = np.ascontiguousarray(hard_layer(runs, layer, first_row, printer)[::-1])
        Image.fromarray(lit).save(out, "PNG", compress_level=2)
    return out.getvalue()


def _slab(prediction: Prediction, begin: int, end: int, finer: int) -> tuple[Runs, int]:
    """Runs of some layers on the printer's own pixel rows, and the pixel row of their first row."""
    printer = prediction.job.bench.printer
    py, count = printer.pixel_y_mm, printer.pixels_y * finer
    low = min(float(s.low[1]) for s in prediction.solids)
    high = max(float(s.high[1]) for s in prediction.solids)
    first = max(0, int(np.floor((low + printer.plate_y_mm / 2) / py)) - 1)
    last = max(first + 1, min(printer.pixels_y, int(np.ceil((high + printer.plate_y_mm / 2) / py)) + 1))
    # the middle of row i of all `count` rows lies at (i + ½ - count/2) rows from the plate's middle
    grid = Grid(
        py / finer, (last - first) * finer, prediction.layer_mm, end - begin, first * finer - count // 2, begin,
        row_shift=0.5 - 0.5 * (count % 2),
    )  # fmt: skip
    return put_together(prediction.solids, Stages(1), grid).all, first


def _compare(path: Path, sums: dict[str, int], target: Path) -> None:
    """Read the zip back from disk and compare every file; memory sticks lie."""
    with zipfile.ZipFile(path) as package:
        names = set(package.namelist())
        bad = [n for n, crc in sums.items() if n not in names or zlib.crc32(package.read(n)) != crc]
    if bad:
        raise CannotWrite(f"read back differently from what was written ({bad[0]}).", where=str(target),
                          kept="What stood there before is untouched.", remedy="Try another disk or stick.")  # fmt: skip


def manifest(bench: Bench, prediction: Prediction, grey_levels: int) -> dict[str, Any]:
    """What a printer, or a person, needs to know beside the images; documented in docs/formats.md."""
    p, printer = bench.print, bench.printer
    count = prediction.printed.all.grid.layers
    seconds = prediction.loads.seconds
    return {
        "format": FORMAT,
        "version": VERSION,
        "title": prediction.job.title,
        "printer": printer.name,
        "resin": bench.resin.name,
        "pixels": [printer.pixels_x, printer.pixels_y],
        "pixel_mm": [printer.pixel_x_mm, printer.pixel_y_mm],
        "plate_mm": [printer.plate_x_mm, printer.plate_y_mm],
        "image_rows": "first row at y = +plate/2, first column at x = -plate/2, seen from the film's side of the plate",
        "grey_levels": grey_levels or 2,
        "layer_height_mm": prediction.layer_mm,
        "layer_count": count,
        "total_seconds": round(float(seconds.sum()), 1),
        "resin_ml": round(prediction.verdict.totals.resin_ml, 2),
        "motion": {
            "lift_mm": p.lift_mm, "lift_mm_per_min": p.lift_mm_per_min, "second_lift_mm": p.second_lift_mm,
            "second_lift_mm_per_min": p.second_lift_mm_per_min, "return_mm_per_min": p.return_mm_per_min,
            "slow_return_mm": p.slow_return_mm, "slow_return_mm_per_min": p.slow_return_mm_per_min,
            "wait_before_s": p.wait_before_s, "wait_after_s": p.wait_after_s, "wait_lifted_s": p.wait_lifted_s,
        },
        "layers": [
            {"file": f"layers/{k:05d}.png", "z_mm": round((k + 1) * prediction.layer_mm, 4),
             "exposure_s": round(exposure_of_layer(p, k), 3), "seconds": round(float(seconds[k]), 2)}
            for k in range(count)
        ],
    }  # fmt: skip
