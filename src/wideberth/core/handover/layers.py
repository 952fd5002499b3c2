"""Layers out: a zip of PNGs at the printer's pixel grid with a manifest, read back and compared with the prediction."""

from __future__ import annotations

import json
import os
import tempfile
import zipfile
import zlib
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import MOVES, Bench, Motion, Printer, exposure_of_layer, motion
from wideberth.core.errors import BadJob, CannotWrite
from wideberth.core.handover.carrying import Drive, carry
from wideberth.core.handover.compare import compare_layers
from wideberth.core.handover.first_edges import FirstEdges, drawn_in, drawn_in_mm, together
from wideberth.core.handover.pixels import FINER_ROWS, grey_layer, hard_layer, pixel_grid, pixel_rows
from wideberth.core.handover.png import Lit, png_of
from wideberth.core.layers import Printed, Runs
from wideberth.core.predict import Prediction, Stages, put_together
from wideberth.core.progress import Progress, quiet
from wideberth.core.saving import mode_of

FORMAT = "wide-berth layers"
VERSION = 1
SLAB = 100
THREADS = 2
GREY_LEVELS = (2, 4, 8, 16)


def write_layers(
    prediction: Prediction,
    path: Path,
    grey_levels: int = 0,
    progress: Progress | None = None,
    drive: Drive | None = None,
    first_edges: FirstEdges = FirstEdges.AS_DRAWN,
) -> None:
    """Write all layers of a plate, read them back, compare each with the section that was predicted, and carry them to where they
    go, which is read back too.

    Parameters
    ----------
    prediction : fine prediction whose solids are exported. path : of the zip.
    grey_levels : 0 for hard edges, or 2, 4, 8 or 16 steps of grey along them. drive : that the path lies on.
    first_edges : what is made of the outlines of the part's first layers; supports and bases stay as they are.

    Raises
    ------
    BadJob : for other numbers of levels, or when something stands beyond the screen. CannotWrite : when the zip cannot be
        written, reads back differently, or a layer does not show what was predicted; no file is left then.
    """
    if grey_levels and grey_levels not in GREY_LEVELS:
        raise BadJob(f"{grey_levels} levels of grey are not offered.", remedy=f"Use 0 or one of {GREY_LEVELS}.")
    if prediction.fineness.light:
        raise BadJob("a coarse prediction is not written out.", remedy="Wait for the fine one.")
    _all_on_screen(prediction)
    _may_be_written(path)
    progress = progress or quiet()
    with tempfile.TemporaryDirectory(prefix="wide-berth-") as place:
        here = Path(place) / path.name
        by_mm = drawn_in_mm(prediction.job.bench, prediction.loads.layers, prediction.layer_mm, first_edges)
        sums = _write_zip(prediction, here, grey_levels, by_mm, first_edges, progress.part(0, 0.6))
        progress.at(0.6, "reading back")
        _read_back(here, sums, path)
        files = [_name(layer) for layer in range(prediction.loads.layers)]
        compare_layers(here, files, prediction, path, progress.part(0.62, 0.9), by_mm)
        carry(here, path, progress.part(0.9, 1.0), drive)


def _may_be_written(path: Path) -> None:
    """Refuse at once what would be refused when all layers are drawn.

    Raises
    ------
    CannotWrite : where something stands that is no plain file, or nothing can be put.
    """
    mode_of(path)
    if not os.access(path.parent, os.W_OK):
        raise CannotWrite(
            "cannot be written there.", where=str(path), kept="Nothing was written.", remedy="Choose another folder."
        )


def _all_on_screen(prediction: Prediction) -> None:
    """Refuse what the screen would cut off.

    Raises
    ------
    BadJob : naming the part.
    """
    printer = prediction.job.bench.printer
    half = np.array([printer.plate_x_mm / 2, printer.plate_y_mm / 2])
    for solid in prediction.solids:
        over = float(max((solid.high[:2] - half).max(), (-half - solid.low[:2]).max()))
        if over > max(printer.pixel_x_mm, printer.pixel_y_mm):
            raise BadJob(
                f"reaches {over:.1f} mm over the edge of the plate, so its layers would be cut off.",
                where=solid.placed.name,
                kept="No layers were written.",
                remedy="Move it, turn it, scale it or split it.",
            )


def _name(layer: int) -> str:
    return f"layers/{layer:05d}.png"


def _write_zip(
    prediction: Prediction, path: Path, grey_levels: int, by_mm: NDArray[np.float64], first_edges: FirstEdges, progress: Progress
) -> dict[str, int]:
    """Write the zip and return the checksum of each of its files."""
    printer, bench = prediction.job.bench.printer, prediction.job.bench
    count = prediction.loads.layers
    low = min(float(s.low[1]) for s in prediction.solids)
    high = max(float(s.high[1]) for s in prediction.solids)
    rows, finer = pixel_rows(printer, low, high), FINER_ROWS if grey_levels else 1
    sums: dict[str, int] = {}
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as package:

        def put(name: str, content: bytes) -> None:
            sums[name] = zlib.crc32(content)
            package.writestr(name, content)

        for begin in range(0, count, SLAB):
            end = min(count, begin + SLAB)
            grid = pixel_grid(printer, finer, rows, (begin, end), prediction.layer_mm)
            drawn = put_together(prediction.solids, Stages(room_bytes=0), grid, slab=True)
            with ThreadPoolExecutor(THREADS) as side_by_side:
                draw = partial(_png, drawn, first_row=rows[0], printer=printer, grey_levels=grey_levels)
                for layer, image in enumerate(side_by_side.map(draw, range(end - begin), by_mm[begin:end]), begin):
                    progress.at(layer / count, f"layer {layer + 1} of {count}")
                    put(_name(layer), image)
        text = json.dumps(manifest(bench, prediction, grey_levels, first_edges), ensure_ascii=False, indent=1)
        put("manifest.json", text.encode())
    return sums


def _png(drawn: Printed, layer: int, by_mm: float, first_row: int, printer: Printer, grey_levels: int) -> bytes:
    """One layer as a PNG, the part in it drawn in by so much; its top row is the plate's edge at y = +plate/2."""

    def lit(runs: Runs) -> Lit:
        if grey_levels:
            return grey_layer(runs, layer, first_row, printer, grey_levels)
        return hard_layer(runs, layer, first_row, printer)

    if by_mm <= 0:
        return png_of(lit(drawn.all))
    part = lit(drawn.part)
    less = (
        drawn_in(part.pixels, by_mm, (printer.pixel_y_mm, printer.pixel_x_mm), grey_levels) if part.pixels.size else part.pixels
    )
    return png_of(together(Lit(less, part.top, part.left, part.shape), lit(drawn.supports)))


def _read_back(path: Path, sums: dict[str, int], target: Path) -> None:
    """Compare every file of the zip on disk with what was sent there; memory sticks lie."""
    with zipfile.ZipFile(path) as package:
        names = set(package.namelist())
        bad = [n for n, crc in sums.items() if n not in names or zlib.crc32(package.read(n)) != crc]
    if bad:
        raise CannotWrite(
            f"read back differently from what was written ({bad[0]}).",
            where=str(target),
            kept="What stood there before is untouched.",
            remedy="Try another disk or stick.",
        )


def _moves(moved: Motion) -> dict[str, float]:
    """A motion as it is carried out: the wait is what a rest leaves of it."""
    keys = [key for key in MOVES if key != "rest_s"]
    return {key: round(float(getattr(moved, key)), 3) for key in keys}


def manifest(
    bench: Bench, prediction: Prediction, grey_levels: int, first_edges: FirstEdges = FirstEdges.AS_DRAWN
) -> dict[str, Any]:
    """What a printer, or a person, needs to know beside the images; documented in docs/formats.md."""
    p, printer = bench.print, bench.printer
    count = prediction.loads.layers
    seconds = prediction.loads.seconds
    edges = {} if first_edges == FirstEdges.AS_DRAWN else {"first_edges": str(first_edges)}
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
        "motion": _moves(motion(bench)),
        "first_layers": p.first_layers,
        "first_motion": _moves(motion(bench, first=True)),
        "layers": [
            {
                "file": _name(k),
                "z_mm": round((k + 1) * prediction.layer_mm, 4),
                "exposure_s": round(exposure_of_layer(p, k), 3),
                "seconds": round(float(seconds[k]), 2),
            }
            for k in range(count)
        ],
    } | edges
