"""What stands on the disk compared with what was predicted: layer images by area, box and centroid, plates by their sections.

Bounds, not guesses: a pixel is lit by its centre, so an edge is off by half a pixel at most, and the prediction's rows by half a
row. An area may differ by that times its perimeter. Boxes are compared of what is a few pixels wide both ways, since a sliver may
pass between pixels or between rows.
"""

from __future__ import annotations

import warnings
import zipfile
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Printer
from wideberth.core.errors import CannotWrite
from wideberth.core.handover.first_edges import drawn_in
from wideberth.core.handover.png import Lit, lit_of
from wideberth.core.layers import CellWindow, Runs, cast
from wideberth.core.predict import Prediction
from wideberth.core.progress import Progress

Box = tuple[float, float, float, float]
"""x low, x high, y low, y high [mm]."""
LEAST_PIXELS = 4.0
SIMPLIFIED_MM = 0.03
"""Exported meshes are simplified by 0.02 mm, and their numbers are single floats."""
VOLUME_SHARE = 0.003
NAMED = 5
HALF_LIGHT = 128
THIN_SWAY = 0.35
"""Thin walls sway a centroid more than a pixel: by up to P R/A of it in a frame or ring whose sides fall on pixels unequally."""


@dataclass(frozen=True)
class Figures:
    """A layer measured: area, edge length, centroid, and boxes of all of it and of the blocks of a few pixels in
    it that are solid throughout (None: there are none)."""

    area_mm2: float
    perimeter_mm: float
    x_mm: float
    y_mm: float
    outer: Box | None
    core: Box | None


class Predicted:
    """The predicted layers, to be measured one by one."""

    def __init__(self, prediction: Prediction) -> None:
        self.runs: Runs = prediction.printed.all
        self._part, self._supports = prediction.printed.part, prediction.printed.supports
        self.perimeter_mm = prediction.loads.perimeter_mm
        self.layer_mm = prediction.layer_mm
        runs, grid = self.runs, self.runs.grid
        self.pitch_mm = grid.pitch_mm
        ray = runs.row_index()
        layer, length = ray // grid.rows, runs.x1 - runs.x0
        self.area_mm2 = np.bincount(layer, length, grid.layers) * self.pitch_mm
        y = grid.y0_mm + (ray % grid.rows) * self.pitch_mm
        with np.errstate(invalid="ignore"):
            self.x_mm, self.y_mm = (
                np.bincount(layer, length * v, grid.layers) * self.pitch_mm / self.area_mm2
                for v in (0.5 * (runs.x0 + runs.x1), y)
            )
        low, high = float(runs.x0.min(initial=0.0)), float(runs.x1.max(initial=0.0))
        self._window = CellWindow(low, int((high - low) / self.pitch_mm) + 2, 0, grid.rows, 1)

    @property
    def layers(self) -> int:
        return self.runs.grid.layers

    def figures(self, layer: int, least_mm: float, by_mm: float = 0.0) -> Figures:
        """Figures of a layer, its part drawn in by so much; its core is what is `least_mm` wide both ways."""
        if by_mm > 0:
            return self._drawn_in(layer, least_mm, by_mm)
        cells = self._window.fill(self.runs, layer, None) > 0
        corner = (self._window.x_low, self.runs.grid.y0_mm - 0.5 * self.pitch_mm)
        n = int(np.ceil(least_mm / self.pitch_mm))
        blocks = _solid_blocks(cells, n, n)
        return Figures(
            float(self.area_mm2[layer]),
            float(self.perimeter_mm[layer]),
            float(self.x_mm[layer]),
            float(self.y_mm[layer]),
            _box(cells, corner, (self.pitch_mm, self.pitch_mm)),
            _box(blocks, corner, (n * self.pitch_mm, n * self.pitch_mm)),
        )

    def _drawn_in(self, layer: int, least_mm: float, by_mm: float) -> Figures:
        """The same by cells of the prediction's pitch."""
        pitch = self.pitch_mm
        part = drawn_in(self._window.fill(self._part, layer, None) > 0, by_mm, (pitch, pitch))
        cells = np.asarray(part, bool) | (self._window.fill(self._supports, layer, None) > 0)
        low_y = self.runs.grid.y0_mm - 0.5 * pitch
        n = int(np.ceil(least_mm / pitch))
        rows, columns = np.nonzero(cells)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", RuntimeWarning)  # nothing may be left
            x, y = self._window.x_low + (columns.mean() + 0.5) * pitch, low_y + (rows.mean() + 0.5) * pitch
        return Figures(
            len(rows) * pitch**2,
            _edges(cells) * pitch,
            float(x),
            float(y),
            _box(cells, (self._window.x_low, low_y), (pitch, pitch)),
            _box(_solid_blocks(cells, n, n), (self._window.x_low, low_y), (n * pitch, n * pitch)),
        )


def image_figures(lit: Lit, printer: Printer, least_mm: float) -> Figures:
    """Figures of a layer image as written: its first row at y = +plate/2, grey counted by its share."""
    px, py = printer.pixel_x_mm, printer.pixel_y_mm
    light = lit.pixels
    if not light.size:
        return Figures(0.0, 0.0, np.nan, np.nan, None, None)
    high, wide = light.shape
    low_x, high_y = lit.left * px - printer.plate_x_mm / 2, printer.plate_y_mm / 2 - lit.top * py
    full = 1 if light.dtype == np.bool_ else 255
    across = light.sum(axis=0, dtype=np.uint32) / full
    along = light.sum(axis=1, dtype=np.uint32) / full
    total = float(across.sum())
    half: NDArray[np.bool_] = np.asarray(light if light.dtype == np.bool_ else light >= HALF_LIGHT, bool)  # type: ignore[operator]
    faint = 0 if light.dtype == np.bool_ else light.size - np.count_nonzero(half) - np.count_nonzero(light == 0)
    rows, columns = int(np.ceil(least_mm / py)), int(np.ceil(least_mm / px))
    core = None
    if wide >= columns and high >= rows:
        core = _box(_solid_blocks(light == full, rows, columns), (low_x, high_y), (px * columns, -py * rows))
    return Figures(
        total * px * py,
        _edges(half) * 0.5 * (px + py) + faint * max(px, py),
        low_x + float(across @ (np.arange(wide) + 0.5)) / total * px,
        high_y - float(along @ (np.arange(high) + 0.5)) / total * py,
        (low_x, low_x + wide * px, high_y - high * py, high_y),
        core,
    )


def _solid_blocks(lit: NDArray[np.bool_], rows: int, columns: int) -> NDArray[np.bool_]:
    """Which blocks of so many rows and columns are lit throughout; what is left over at the end is in none."""
    high, wide = lit.shape[0] // rows, lit.shape[1] // columns
    strips = (
        lit[: high * rows, : wide * columns].reshape(high, rows, wide * columns).all(axis=1)
    )  # rows first: they are contiguous
    return np.asarray(strips.reshape(high, wide, columns).all(axis=2))


def _edges(lit: NDArray[np.bool_]) -> int:
    """Sides of pixels between light and dark, the picture's own border included."""
    inner = np.count_nonzero(lit[1:] != lit[:-1]) + np.count_nonzero(lit[:, 1:] != lit[:, :-1])
    return int(inner + sum(np.count_nonzero(side) for side in (lit[0], lit[-1], lit[:, 0], lit[:, -1])))


def _box(mask: NDArray[np.bool_], corner: tuple[float, float], step: tuple[float, float]) -> Box | None:
    """The box of what is set, cells of a signed step from a corner on; None when nothing is."""
    columns, rows = np.flatnonzero(mask.any(axis=0)), np.flatnonzero(mask.any(axis=1))
    if len(rows) == 0:
        return None
    x = [corner[0] + step[0] * float(i) for i in (columns[0], columns[-1] + 1)]
    y = [corner[1] + step[1] * float(j) for j in (rows[0], rows[-1] + 1)]
    return x[0], x[1], min(y), max(y)


def differs(written: Figures, predicted: Figures, pixel_mm: float, pitch_mm: float) -> str:
    """In what a written layer differs from the predicted one beyond what pixels and rows explain; empty when in nothing."""
    edge = 0.5 * (pixel_mm + pitch_mm)
    around = max(written.perimeter_mm, predicted.perimeter_mm)
    most = edge * around + LEAST_PIXELS * (pixel_mm**2 + pitch_mm**2)
    if abs(written.area_mm2 - predicted.area_mm2) > most:
        return f"{written.area_mm2:.4g} mm² written, {predicted.area_mm2:.4g} predicted"
    for core, outer, which in ((predicted.core, written.outer, "short of"), (written.core, predicted.outer, "beyond")):
        if core is not None and (outer is None or _beyond(core, outer) > 2 * edge):
            over = _beyond(core, outer) if outer is not None else np.inf
            return f"its outline ends {over:.2f} mm {which} the predicted one"
    if min(written.area_mm2, predicted.area_mm2) > 2 * most and written.outer is not None:
        reach = np.hypot(written.outer[1] - written.outer[0], written.outer[3] - written.outer[2]) / 2
        off = float(np.hypot(written.x_mm - predicted.x_mm, written.y_mm - predicted.y_mm))
        if off > 2 * edge * max(1.0, THIN_SWAY * around * reach / written.area_mm2):
            return f"its centroid lies {off:.2f} mm beside the predicted one"
    return ""


def _beyond(inner: Box, outer: Box) -> float:
    """How far a box reaches beyond another."""
    return max(outer[0] - inner[0], inner[1] - outer[1], outer[2] - inner[2], inner[3] - outer[3])


def compare_layers(
    path: Path,
    files: Sequence[str],
    prediction: Prediction,
    target: Path,
    progress: Progress,
    by_mm: NDArray[np.float64] | None = None,
) -> None:
    """Read every layer of a zip back from disk and compare it with the predicted section.

    Parameters
    ----------
    files : name of each layer's image. target : the name that the user gave, for the message. by_mm : (layers,) how much the
    part is drawn in; nothing when left out.

    Raises
    ------
    CannotWrite : naming the layers that differ or cannot be read.
    """
    printer, predicted = prediction.job.bench.printer, Predicted(prediction)
    pixel_mm = max(printer.pixel_x_mm, printer.pixel_y_mm)
    least_mm = 2 * (pixel_mm + predicted.pitch_mm)
    if len(files) != predicted.layers:
        raise _mismatch(target, f"{len(files)} layers were written and {predicted.layers} predicted")

    with zipfile.ZipFile(path) as package:

        def look(layer: int) -> str:
            progress.at(layer / len(files), f"comparing layer {layer + 1} of {len(files)} with the prediction")
            try:
                written = image_figures(lit_of(package.read(files[layer])), printer, least_mm)
            except ValueError as error:
                return f"it cannot be read ({error})"
            by = 0.0 if by_mm is None else float(by_mm[layer])
            return differs(written, predicted.figures(layer, least_mm, by), pixel_mm, predicted.pitch_mm)

        with ThreadPoolExecutor(2) as side_by_side:
            bad = [(layer, text) for layer, text in enumerate(side_by_side.map(look, range(len(files)))) if text]
    if bad:
        names = ", ".join(f"{layer + 1}" for layer, _ in bad[:NAMED])
        more = f" and {len(bad) - NAMED:,} more" if len(bad) > NAMED else ""
        which = f"layer{'s' if len(bad) > 1 else ''} {names}{more}"
        raise _mismatch(target, f"{which} (layer {bad[0][0] + 1}: {bad[0][1]})")


def compare_plate(paths: Sequence[Path], corner_mm: tuple[float, float], prediction: Prediction, target: Path) -> None:
    """Read a plate, in one file or several, back with another library and compare its box, volume and sections with the
    prediction.

    Parameters
    ----------
    corner_mm : where the files' x and y begin, from the plate's middle.

    Notes
    -----
    A face that lies within the meshes' simplification of a layer's middle may fall to either side of it, so an area may also
    be that of a neighbouring layer.

    Raises
    ------
    CannotWrite : saying what differs.
    """
    read = [_read_back(path, target) for path in paths]
    if any(len(faces) == 0 for _, faces in read):
        raise _mismatch(target, "it is empty, or was cut short")
    first = np.cumsum([0, *(len(points) for points, _ in read)])
    points = np.concatenate([points for points, _ in read])
    faces = np.concatenate([faces + n for (_, faces), n in zip(read, first, strict=False)])
    points = points - np.array([*corner_mm, 0.0])
    low = np.min([s.low for s in prediction.solids], axis=0)
    high = np.max([s.high for s in prediction.solids], axis=0)
    off = float(np.abs(np.stack([points.min(axis=0) - low, points.max(axis=0) - high])).max())
    if off > SIMPLIFIED_MM:
        raise _mismatch(target, f"its box is {off:.3f} mm off")
    predicted = Predicted(prediction)
    area = cast(points, faces, predicted.runs.grid).layer_area_mm2()
    wanted, around = predicted.area_mm2, predicted.perimeter_mm
    most = SIMPLIFIED_MM * around + LEAST_PIXELS * predicted.pitch_mm**2
    ends = np.concatenate((wanted[:1], wanted, [0.0]))  # nothing lies over the last layer
    beside = np.stack([ends[s : s + len(wanted)] for s in range(3)])
    bad = np.flatnonzero((area < beside.min(axis=0) - most) | (area > beside.max(axis=0) + most))
    if len(bad):
        k = int(bad[0])
        raise _mismatch(target, f"{len(bad)} of its sections (layer {k + 1}: {area[k]:.4g} mm², {wanted[k]:.4g} predicted)")
    volume, expected = float(area.sum()) * predicted.layer_mm, float(wanted.sum()) * predicted.layer_mm
    if abs(volume - expected) > VOLUME_SHARE * expected + 0.3 * SIMPLIFIED_MM * float(around.sum()) * predicted.layer_mm:
        raise _mismatch(target, f"its volume ({volume / 1000:.3f} mL, {expected / 1000:.3f} predicted)")


def _read_back(path: Path, target: Path) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    """All triangles of a plate's file, its objects where they stand."""
    try:
        import trimesh  # slow to load, and large

        scene = trimesh.load_scene(path, file_type=target.suffix.lower().lstrip("."), process=False)
        whole = scene.to_mesh()
        return np.asarray(whole.vertices, np.float64), np.asarray(whole.faces, np.int32)
    except (OSError, ValueError, KeyError, AttributeError, zipfile.BadZipFile) as error:
        raise _mismatch(target, f"it cannot be read back ({error})") from error


def _mismatch(target: Path, what: str) -> CannotWrite:
    return CannotWrite(
        f"read back differently from what was predicted: {what}.",
        where=str(target),
        kept="The file was deleted; what stood there before is untouched.",
        remedy="Write it again, to another disk or stick; if it stays so, keep the job file and tell us, and do not print.",
    )
